"""Pixels as Qt shows them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtGui import QImage


def rgba_image(pixels: npt.NDArray[np.uint8]) -> QImage:
    """An image of 8-bit sRGB with alpha, (height, width, 4), with pixels of its own."""
    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels).tobytes()
    return QImage(data, width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
