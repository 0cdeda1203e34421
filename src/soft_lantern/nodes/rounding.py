"""Whole numbers and what is left beside them, component by component."""

from __future__ import annotations

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, AnyMask, node

_MATERIALX = "MaterialX 1.39 "


@node("Floor", family="rounding", also=("round down", "whole", "integer"), source=_MATERIALX + "floor")
def floor(value: AnyKind = 0.0) -> AnyKind:
    """The greatest whole number that is not above the value.

    out = floor(value)
    """
    return f.floor(value)


@node("Ceiling", family="rounding", also=("ceil", "round up", "whole"), source=_MATERIALX + "ceil")
def ceiling(value: AnyKind = 0.0) -> AnyKind:
    """The least whole number that is not below the value.

    out = ceil(value)
    """
    return f.ceil(value)


@node("Round", family="rounding", also=("nearest", "whole", "snap"), source=_MATERIALX + "round")
def round_(value: AnyKind = 0.0) -> AnyKind:
    """The nearest whole number; halves go up.

    out = floor(value + 0.5)
    """
    return f.round_(value)


@node("Truncate", family="rounding", also=("trunc", "cut off", "whole"), source="GLSL 3.30 trunc")
def truncate(value: AnyKind = 0.0) -> AnyKind:
    """The value without what stands behind the point: the nearest whole number toward 0.

    out = sign(value) * floor(abs(value))
    """
    return f.sign(value) * f.floor(f.abs_(value))


@node("Fraction", family="rounding", also=("fract", "frac", "repeat", "saw"), source=_MATERIALX + "fract")
def fraction(value: AnyKind = 0.0) -> AnyMask:
    """What stands behind the point: 0 up to 1, over and over.

    out = value - floor(value)
    """
    return f.fract(value)
