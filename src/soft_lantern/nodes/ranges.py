"""Nodes that keep values within a range or blend across one."""

from __future__ import annotations

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, Mask, node


@node("Clamp", family="ranges", also=("limit", "saturate", "keep within", "bound"))
def clamp(value: AnyKind, low: AnyKind = 0.0, high: AnyKind = 1.0) -> AnyKind:
    """The value kept within low and high.

    out = min(max(value, low), high)
    """
    return f.clamp(value, low, high)


@node("Mix", family="ranges", also=("blend", "lerp", "interpolate", "fade"))
def mix(a: AnyKind = 0.0, b: AnyKind = 1.0, factor: Mask = 0.5) -> AnyKind:
    """Two values blended: exactly a at factor 0, exactly b at 1. Colours are blended in linear light, alpha with them.

    out = a * (1 - factor) + b * factor
    """
    return f.mix(a, b, factor)
