"""Colour spaces: sRGB on the screen and in hex text, linear light everywhere else.

Source: IEC 61966-2-1:1999 (transfer function), ITU-R BT.709-6 (luminance).
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from soft_lantern.errors import BadValue

REC709_LUMINANCE = (0.2126, 0.7152, 0.0722)
"""Weights of linear red, green and blue in relative luminance Y (ITU-R BT.709-6, item 3.2)."""

_HEX = re.compile(r"#?([0-9a-fA-F]{3}|[0-9a-fA-F]{4}|[0-9a-fA-F]{6}|[0-9a-fA-F]{8})\Z")


def srgb_to_linear(encoded: float) -> float:
    """Linear light in 0–1 of an sRGB component in 0–1. Values outside are extended by symmetry about 0."""
    if encoded < 0:
        return -srgb_to_linear(-encoded)
    return encoded / 12.92 if encoded <= 0.04045 else float(((encoded + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(linear: float) -> float:
    """sRGB component in 0–1 of linear light in 0–1. Values outside are extended by symmetry about 0."""
    if linear < 0:
        return -linear_to_srgb(-linear)
    return linear * 12.92 if linear <= 0.0031308 else 1.055 * float(linear ** (1 / 2.4)) - 0.055


def colour_from_hex(text: str) -> tuple[float, float, float, float]:
    """Linear RGBA of sRGB hex text with 3, 4, 6 or 8 digits (CSS Color 4, section 5.2).

    Raises BadValue where the text is not such a colour.
    """
    match = _HEX.match(text.strip())
    if not match:
        raise BadValue(f"“{text}” is not a hex colour; write it as #rrggbb or #rrggbbaa")
    digits = match.group(1)
    if len(digits) < 6:
        digits = "".join(d * 2 for d in digits)
    parts = [int(digits[i : i + 2], 16) / 255 for i in range(0, len(digits), 2)]
    alpha = parts[3] if len(parts) == 4 else 1.0
    return (srgb_to_linear(parts[0]), srgb_to_linear(parts[1]), srgb_to_linear(parts[2]), alpha)


def colour_to_hex(colour: tuple[float, ...]) -> str:
    """sRGB hex text of a linear RGB or RGBA colour, each component held to 0–1; alpha only where it is not 1."""
    opaque = len(colour) < 4 or colour[3] >= 1.0
    return "#" + "".join(f"{byte:02x}" for byte in srgb_bytes(colour)[: 3 if opaque else 4])


def srgb_bytes(colour: Sequence[float]) -> tuple[int, int, int, int]:
    """8-bit sRGB with alpha of a linear RGB or RGBA colour, each component held to 0–1.

    A part that is missing or NaN counts as 0, a missing alpha as 1.
    """
    whole = (*(c if c == c else 0.0 for c in colour), *(0.0, 0.0, 0.0, 1.0)[len(colour) :])
    parts = (*(linear_to_srgb(min(max(c, 0.0), 1.0)) for c in whole[:3]), whole[3])
    red, green, blue, alpha = (int(min(max(part, 0.0), 1.0) * 255 + 0.5) for part in parts)
    return (red, green, blue, alpha)


def is_hex_colour(text: str) -> bool:
    """Whether the text is a hex colour with its leading #."""
    return text.strip().startswith("#") and bool(_HEX.match(text.strip()))
