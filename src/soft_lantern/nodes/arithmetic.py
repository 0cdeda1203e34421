"""Arithmetic on numbers, vectors and colours, component by component; a lone number acts on every component."""

from __future__ import annotations

from soft_lantern.nodes.definition import AnyKind, node


@node("Add", family="arithmetic", also=("plus", "sum", "+"))
def add(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The sum of two values.

    out = a + b
    """
    return a + b


@node("Subtract", family="arithmetic", also=("minus", "difference", "-"))
def subtract(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The first value less the second.

    out = a - b
    """
    return a - b


@node("Multiply", family="arithmetic", also=("times", "product", "scale", "tint", "*"))
def multiply(a: AnyKind = 1.0, b: AnyKind = 1.0) -> AnyKind:
    """The product of two values.

    out = a * b
    """
    return a * b


@node("Divide", family="arithmetic", also=("quotient", "ratio", "over", "/"))
def divide(a: AnyKind = 1.0, b: AnyKind = 1.0) -> AnyKind:
    """The first value divided by the second. Where the second is 0 the result is infinite or not a number.

    out = a / b
    """
    return a / b
