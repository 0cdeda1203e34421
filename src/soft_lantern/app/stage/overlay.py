"""What is painted over the stage's picture: the gauge's readout, the probe's mark, the tape, figures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.widgets.number_field import written
from soft_lantern.scene.mesh import Matrix


def paint_gauge_label(painter: QPainter, box: QRectF, text: str) -> None:
    """The level gauge's readout, which can be dragged."""
    now = theme()
    painter.setPen(QPen(now.colour("amber"), 1.2))
    painter.setBrush(now.colour("ground", 0.85))
    painter.drawRoundedRect(box, 5, 5)
    middle = box.center().y()
    painter.drawLine(QPointF(box.left() - 16, middle), QPointF(box.left(), middle))
    painter.setPen(now.colour("text"))
    painter.setFont(app_font(9.5))
    painter.drawText(box.adjusted(6, 0, -6, 0), Qt.AlignmentFlag.AlignCenter, text)


def paint_waiting(painter: QPainter, area: QRect) -> None:
    """That a newer picture is on its way, in a corner; the last one is under it."""
    box = QRectF(area.right() - 92, area.top() + 8, 84, 20)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("ground", 0.85))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(theme().colour("text"))
    painter.setFont(app_font(9.5))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "compiling…")


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
        painter.setFont(app_font(9.5))
        width = painter.fontMetrics().horizontalAdvance(text) + 14
        middle = (ends[0] + ends[1]) / 2
        box = QRectF(middle.x() - width / 2, middle.y() - 28, width, 20)
        painter.setPen(QPen(theme().colour("amber"), 1.2))
        painter.setBrush(theme().colour("ground", 0.9))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(theme().colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


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
    painter.drawRoundedRect(QRectF(8, 8, width + 14, len(lines) * 16 + 8), 4, 4)
    painter.setPen(theme().colour("text"))
    for number, line in enumerate(lines):
        painter.drawText(QPointF(15, 24 + number * 16), line)
