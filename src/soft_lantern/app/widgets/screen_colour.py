"""Linear colours as the screen shows them."""

from __future__ import annotations

from PyQt6.QtGui import QColor

from soft_lantern.values.colour import linear_to_srgb


def screen_colour(value: tuple[float, ...]) -> QColor:
    """A linear colour as the screen shows it, without its alpha."""
    red, green, blue = (linear_to_srgb(min(max(c, 0.0), 1.0)) for c in value[:3])
    return QColor.fromRgbF(red, green, blue)
