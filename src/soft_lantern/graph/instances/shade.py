"""Hue, saturation and brightness of a whole look, as a layer over its colours: relative, in OKLCH."""

from __future__ import annotations

import functools
import math
from collections.abc import Iterable
from typing import NamedTuple

from soft_lantern.graph.document import Instance
from soft_lantern.ir.oklch import in_gamut, linear_from_oklch, oklch_from_linear

MOST = 4.0
"""The most a layer adds to saturation or brightness, as a share."""


class Shade(NamedTuple):
    """`hue`: degrees added. `saturation`, `brightness`: shares added to chroma and lightness, −1 takes all away."""

    hue: float = 0.0
    saturation: float = 0.0
    brightness: float = 0.0


NONE = Shade()


def combined(chain: Iterable[Instance]) -> Shade:
    """The layers of an instance and its ancestors together: hues add up, shares multiply."""
    hue, chroma, lightness = 0.0, 1.0, 1.0
    for instance in chain:
        hue += _finite(instance.hue)
        chroma *= 1.0 + min(max(_finite(instance.saturation), -1.0), MOST)
        lightness *= 1.0 + min(max(_finite(instance.brightness), -1.0), MOST)
    return Shade(hue % 360.0, chroma - 1.0, lightness - 1.0)


@functools.lru_cache(maxsize=4096)
def shaded(colour: tuple[float, ...], shade: Shade, *, hdr: bool = False) -> tuple[float, ...]:
    """A linear colour under a layer, its alpha as it was. Without `hdr` it keeps to what a screen shows.

    Where the screen cannot show it, the chroma gives way, and lightness and hue stay.
    """
    if shade == NONE:
        return colour
    lightness, chroma, hue = oklch_from_linear(colour[:3])
    turned = (lightness * (1.0 + shade.brightness), chroma * (1.0 + shade.saturation), hue + shade.hue)
    if not hdr:
        turned = in_gamut((min(turned[0], 1.0), *turned[1:]))
    most = math.inf if hdr else 1.0
    return (*(min(max(part, 0.0), most) for part in linear_from_oklch(turned)), *colour[3:])


def _finite(number: float) -> float:
    return number if math.isfinite(number) else 0.0
