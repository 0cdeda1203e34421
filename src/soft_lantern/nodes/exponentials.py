"""Powers, roots and logarithms, component by component."""

from __future__ import annotations

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, node

_MATERIALX = "MaterialX 1.39 "


@node("Power", family="exponentials", also=("pow", "exponent", "gamma", "curve"), source=_MATERIALX + "power")
def power(base: AnyKind = 1.0, exponent: AnyKind = 2.0) -> AnyKind:
    """The base raised to the exponent; not defined for a base below 0.

    out = pow(base, exponent)
    """
    return f.power(base, exponent)


@node("Signed power", family="exponentials", also=("safe power", "pow", "gamma"), source=_MATERIALX + "safepower")
def signed_power(base: AnyKind = 1.0, exponent: AnyKind = 2.0) -> AnyKind:
    """The size of the base raised to the exponent, with the base's sign: defined below 0 too.

    out = sign(base) * pow(abs(base), exponent)
    """
    return f.sign(base) * f.power(f.abs_(base), exponent)


@node("Square root", family="exponentials", also=("sqrt", "root"), source=_MATERIALX + "sqrt")
def square_root(value: AnyKind = 1.0) -> AnyKind:
    """The square root; not defined below 0.

    out = sqrt(value)
    """
    return f.sqrt(value)


@node("Exponential", family="exponentials", also=("exp", "e", "growth", "fog"), source=_MATERIALX + "exp")
def exponential(value: AnyKind = 0.0) -> AnyKind:
    """e raised to the value.

    out = exp(value)
    """
    return f.exp(value)


@node("Logarithm", family="exponentials", also=("ln", "log", "natural logarithm"), source=_MATERIALX + "ln")
def logarithm(value: AnyKind = 1.0) -> AnyKind:
    """The natural logarithm; not defined at 0 and below.

    out = log(value)
    """
    return f.log(value)


@node("Two to the power", family="exponentials", also=("exp2", "stops", "doubling"), source="GLSL 3.30 exp2")
def power_of_two(value: AnyKind = 0.0) -> AnyKind:
    """2 raised to the value.

    out = exp2(value)
    """
    return f.exp2(value)


@node("Logarithm to base 2", family="exponentials", also=("log2", "stops", "octaves"), source="GLSL 3.30 log2")
def logarithm_of_two(value: AnyKind = 1.0) -> AnyKind:
    """How often 1 must be doubled to give the value; not defined at 0 and below.

    out = log2(value)
    """
    return f.log2(value)
