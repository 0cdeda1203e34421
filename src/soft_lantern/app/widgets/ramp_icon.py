"""A gradient or palette as a small strip beside its name."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap

from soft_lantern.app.widgets.gradient_bar import row_of, strip
from soft_lantern.app.widgets.pixel_image import untinted_icon
from soft_lantern.app.widgets.surround import paint_surround
from soft_lantern.graph.document import Gradient, Palette

SIZE, SET_IN = QSize(64, 16), 20


def ramp_icon(ramp: Gradient | Palette, *, swaps: bool = False) -> QIcon:
    """A strip of the colours; of a palette that swaps for another, set in."""
    return untinted_icon(ramp_picture(ramp, swaps=swaps))


def ramp_picture(ramp: Gradient | Palette, *, swaps: bool = False) -> QPixmap:
    """The same as a picture."""
    if isinstance(ramp, Gradient):
        row = strip(ramp, SIZE.width())
    else:
        colours = np.array([colour[:3] for colour in ramp.colours] or [(0.0, 0.0, 0.0)])
        row = row_of(colours[np.linspace(0, len(colours) - 1e-6, SIZE.width()).astype(int)])
    shown = QPixmap(SIZE)
    shown.fill(Qt.GlobalColor.transparent)
    painter = QPainter(shown)
    box = QRectF(SET_IN if swaps else 0, 0, SIZE.width() - (SET_IN if swaps else 0), SIZE.height())
    painter.drawImage(paint_surround(painter, box), row)
    painter.end()
    return shown
