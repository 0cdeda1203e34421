"""OKLCH and HSV of single colours, for pickers, sweeps and tables: the ir definitions read for one value.

Hue in degrees from 0 to 360. Source: CSS Color 4, section 9.3 (OKLCH is OKLab in polar form).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from soft_lantern.ir.colours import hsv_from_rgb, linear_from_oklab, oklab_from_linear, rgb_from_hsv
from soft_lantern.ir.expr import Expr, Function, Type, uniform
from soft_lantern.ir.numpy_reader import evaluate, leaf

Triple = tuple[float, float, float]

GREY_CHROMA = 4e-6
"""Chroma below which a hue means nothing, as CSS Color 4 has it for OKLCH."""


def oklch_from_linear(rgb: Sequence[float]) -> Triple:
    """Lightness 0–1, chroma and hue of a linear colour; of a grey, hue 0."""
    lightness, a, b = _worked_out(_LAB, rgb)
    chroma = math.hypot(a, b)
    return (lightness, chroma, math.degrees(math.atan2(b, a)) % 360.0 if chroma > GREY_CHROMA else 0.0)


def linear_from_oklch(lch: Sequence[float]) -> Triple:
    """The linear colour of lightness, chroma and hue; components may leave 0–1 where the screen cannot show it."""
    lightness, chroma, hue = lch
    turned = math.radians(hue)
    return _worked_out(_RGB, (lightness, chroma * math.cos(turned), chroma * math.sin(turned)))


def in_gamut(lch: Sequence[float]) -> Triple:
    """The lightness, chroma and hue with the chroma lowered as far as it takes for linear components within 0–1."""
    lightness, chroma, hue = lch

    def fits(tried: float) -> bool:
        return all(-1e-4 <= part <= 1.0 + 1e-4 for part in linear_from_oklch((lightness, tried, hue)))

    if fits(chroma):
        return (lightness, chroma, hue)
    low, high = 0.0, chroma
    for _ in range(20):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return (lightness, low, hue)


def hsv_of(rgb: Sequence[float]) -> Triple:
    """Hue in degrees, saturation and value 0–1 of components as they are, commonly sRGB-encoded ones."""
    hue, saturation, value = _worked_out(_HSV, rgb)
    return (hue * 360.0, saturation, value)


def rgb_of_hsv(hsv: Sequence[float]) -> Triple:
    """The components of hue in degrees, saturation and value."""
    hue, saturation, value = hsv
    return _worked_out(_FROM_HSV, (hue / 360.0 % 1.0, saturation, value))


def _over_one(function: Function) -> Expr:
    return function(uniform("of", Type.VEC3))


_LAB, _RGB = _over_one(oklab_from_linear), _over_one(linear_from_oklab)
_HSV, _FROM_HSV = _over_one(hsv_from_rgb), _over_one(rgb_from_hsv)


def _worked_out(expr: Expr, parts: Sequence[float]) -> Triple:
    found = evaluate([expr], {"of": leaf(parts, np.float64)}, np.float64)[expr]
    red, green, blue = (float(part) for part in np.asarray(found).ravel())
    return (red, green, blue)
