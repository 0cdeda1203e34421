"""What is painted over the stage's picture: the gauge's readout, the probe's mark, the tape, figures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.widgets import plates
from soft_lantern.app.widgets.number_field import written
from soft_lantern.scene.mesh import Matrix


def paint_gauge_label(painter: QPainter, box: QRectF, text: str) -> None:
    """The level gauge's readout, which can be dragged."""
    plates.tag(painter, box, text, edge="amber")
    middle = box.center().y()
    painter.setPen(QPen(theme().colour("amber"), 1.2))
    painter.drawLine(QPointF(box.left() - 16, middle), QPointF(box.left(), middle))


def paint_waiting(painter: QPainter, area: QRect) -> None:
    """That a newer picture is on its way, in a corner; the last one is under it."""
    size = plates.tag_size(_WAITING)
    plates.tag(painter, QRectF(QPointF(area.right() - 8 - size.width(), area.top() + 8.0), size), _WAITING)


_WAITING = "compiling…"


def paint_pin(painter: QPainter, at: QPointF) -> None:
    """The mark of the probed point."""
    for colour, width in (("ground", 4.0), ("amber", 1.8)):
        painter.setPen(QPen(theme().colour(colour), width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 7, 7)
        painter.drawLine(at + QPointF(0, -12), at + QPointF(0, -7))


def paint_tape(painter: QPainter, lens: Lens, points: list[Matrix]) -> None:
    """The tape between two points, with its length; one end while only that is set."""
    ends = [lens.place(point) for point in points]
    for colour, width in (("ground", 4.5), ("amber", 1.8)):
        painter.setPen(QPen(theme().colour(colour), width))
        painter.setBrush(theme().colour("ground", 0.9))
        if len(ends) == 2:
            painter.drawLine(*ends)
        for end in ends:
            painter.drawEllipse(end, 4, 4)
    if len(ends) == 2:
        text = tape_words(points)
        size, middle = plates.tag_size(text), (ends[0] + ends[1]) / 2
        place = QPointF(middle.x() - size.width() / 2, middle.y() - 8 - size.height())
        plates.tag(painter, QRectF(place, size), text, edge="amber")


def tape_words(points: list[Matrix]) -> str:
    """How far two points are apart, and how much of it is height."""
    across = points[1] - points[0]
    return f"{written(round(float(np.linalg.norm(across)), 3))} m, {written(round(float(across[1]), 3))} m up"


def paint_figures(painter: QPainter, lines: list[str]) -> None:
    """Figures about the picture in the upper left corner."""
    painter.setFont(app_font(9))
    metrics = painter.fontMetrics()
    width = max((metrics.horizontalAdvance(line) for line in lines), default=0)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("ground", 0.8))
    painter.drawRoundedRect(QRectF(8, 8, width + 14, len(lines) * metrics.lineSpacing() + 8), 4, 4)
    painter.setPen(theme().colour("text"))
    for number, line in enumerate(lines):
        painter.drawText(QPointF(15, 12 + metrics.ascent() + number * metrics.lineSpacing()), line)
