"""Pixels as Qt shows them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtGui import QIcon, QImage, QPixmap

from soft_lantern.app.widgets.surround import in_surround


def opaque_image(pixels: npt.NDArray[np.uint8]) -> QImage:
    """An image of 8-bit sRGB, (height, width, 4), the fourth part 255 throughout, with pixels of its own."""
    return _image(pixels, QImage.Format.Format_RGBX8888)


def rgba_image(pixels: npt.NDArray[np.uint8]) -> QImage:
    """An image of 8-bit sRGB with alpha, (height, width, 4), with pixels of its own."""
    return _image(pixels, QImage.Format.Format_RGBA8888)


def untinted_icon(picture: QPixmap) -> QIcon:
    """An icon that looks the same where it is selected."""
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)
    return icon


def picture_icon(image: QImage) -> QIcon:
    """The same of a picture to judge by, with grey round it."""
    return untinted_icon(in_surround(QPixmap.fromImage(image)))


def _image(pixels: npt.NDArray[np.uint8], kind: QImage.Format) -> QImage:
    height, width = pixels.shape[:2]
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, width * 4, kind).copy()
