"""Arithmetic on numbers, vectors and colours, component by component; a lone number acts on every component."""

from __future__ import annotations

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, node

_MATERIALX = "MaterialX 1.39 "


@node("Add", family="arithmetic", also=("plus", "sum", "+"), source=_MATERIALX + "add")
def add(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The sum of two values.

    out = a + b
    """
    return a + b


@node("Subtract", family="arithmetic", also=("minus", "difference", "-"), source=_MATERIALX + "subtract")
def subtract(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The first value less the second.

    out = a - b
    """
    return a - b


@node("Multiply", family="arithmetic", also=("times", "product", "scale", "tint", "*"), source=_MATERIALX + "multiply")
def multiply(a: AnyKind = 1.0, b: AnyKind = 1.0) -> AnyKind:
    """The product of two values.

    out = a * b
    """
    return a * b


@node("Divide", family="arithmetic", also=("quotient", "ratio", "over", "/"), source=_MATERIALX + "divide")
def divide(a: AnyKind = 1.0, b: AnyKind = 1.0) -> AnyKind:
    """The first value divided by the second. Where the second is 0 the result is infinite or not a number.

    out = a / b
    """
    return a / b


@node("Modulo", family="arithmetic", also=("remainder", "mod", "repeat", "%"), source=_MATERIALX + "modulo")
def modulo(a: AnyKind = 0.0, b: AnyKind = 1.0) -> AnyKind:
    """What is left of the first value after taking away the second as often as it fits; never negative for b above 0.

    out = a - b * floor(a / b)
    """
    return f.mod(a, b)


@node("Negate", family="arithmetic", also=("minus", "opposite", "flip"))
def negate(value: AnyKind = 0.0) -> AnyKind:
    """The value with its sign turned.

    out = -value
    """
    return -value


@node("Complement", family="arithmetic", also=("invert", "1 - x", "reverse", "rest"), source=_MATERIALX + "invert")
def complement(value: AnyKind = 0.0) -> AnyKind:
    """1 less the value: turns a mask inside out.

    out = 1 - value
    """
    return 1.0 - value


@node("Absolute", family="arithmetic", also=("abs", "magnitude", "positive"), source=_MATERIALX + "absval")
def absolute(value: AnyKind = 0.0) -> AnyKind:
    """The value without its sign.

    out = abs(value)
    """
    return f.abs_(value)


@node("Sign", family="arithmetic", also=("direction", "positive or negative"), source=_MATERIALX + "sign")
def sign(value: AnyKind = 0.0) -> AnyKind:
    """−1 below 0, 0 at 0, 1 above.

    out = sign(value)
    """
    return f.sign(value)


@node("Minimum", family="arithmetic", also=("min", "smaller", "darken", "intersect"), source=_MATERIALX + "min")
def minimum(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The smaller of two values.

    out = min(a, b)
    """
    return f.min_(a, b)


@node("Maximum", family="arithmetic", also=("max", "larger", "lighten", "union"), source=_MATERIALX + "max")
def maximum(a: AnyKind = 0.0, b: AnyKind = 0.0) -> AnyKind:
    """The larger of two values.

    out = max(a, b)
    """
    return f.max_(a, b)
