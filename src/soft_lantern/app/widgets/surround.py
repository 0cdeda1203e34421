"""A neutral surround for what is there to judge colours by: pictures, swatches, gradients and palettes."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from soft_lantern.app.theme.colours import theme

WIDTH = 6
"""Pixels of grey round a widget."""
NARROW = 2
"""Pixels of grey round something small."""


def surrounded(*widgets: QWidget) -> QWidget:
    """Widgets one below another, with grey round each."""
    frame = QWidget()
    frame.setProperty("surround", True)
    column = QVBoxLayout(frame)
    column.setContentsMargins(WIDTH, WIDTH, WIDTH, WIDTH)
    column.setSpacing(WIDTH)
    for widget in widgets:
        column.addWidget(widget)
    return frame


def paint_surround(painter: QPainter, box: QRectF, width: float = NARROW) -> QRectF:
    """Fill a box with the grey; what is left inside for the colour."""
    painter.fillRect(box, theme().colour("surround"))
    return box.adjusted(width, width, -width, -width)


def in_surround(picture: QPixmap, share: float = 0.05) -> QPixmap:
    """A picture with grey round it, a share of its width, that is still there where the picture is shown small."""
    width = max(NARROW, round(picture.width() * share))
    around = QPixmap(picture.width() + 2 * width, picture.height() + 2 * width)
    around.fill(theme().colour("surround"))
    painter = QPainter(around)
    painter.drawPixmap(width, width, picture)
    painter.end()
    return around


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone
    from soft_lantern.app.widgets.number_field import NumberField

    show_alone(lambda: surrounded(NumberField(1.0), NumberField(2.0)))
