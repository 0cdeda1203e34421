"""A histogram over a scale on which 0 and 1 are ticks, with the mean and the expected range marked."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font


class Histogram(QWidget):
    """Shows counts by bin for each component as steps on top of each other."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.counts = np.zeros((0, 0), np.int64)
        self.span = (0.0, 1.0)
        self.mean: float | None = None
        self.expected: tuple[float, float] | None = None
        self.setMinimumSize(QSize(120, 64))

    def show_counts(
        self, counts: np.ndarray, span: tuple[float, float], mean: float, expected: tuple[float, float] | None
    ) -> None:
        """Show counts (components, bins) of values from span[0] to span[1]."""
        self.counts, self.span, self.mean, self.expected = counts, span, mean, expected
        self.update()

    def clear(self) -> None:
        """Show nothing."""
        self.counts, self.mean = np.zeros((0, 0), np.int64), None
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        now = theme()
        painter.fillRect(self.rect(), now.colour("ground"))
        if not self.counts.size:
            return
        low, high = min(self.span[0], 0.0), max(self.span[1], 1.0)
        room = (high - low) * 0.04
        low, high = low - room, high + room
        floor = self.height() - 16.0

        def x_of(value: float) -> float:
            return (value - low) / (high - low) * self.width()

        if self.expected:
            for start, end in ((low, self.expected[0]), (self.expected[1], high)):
                area = QRectF(x_of(start), 0, x_of(end) - x_of(start), floor)
                painter.fillRect(area, QBrush(now.colour("trouble", 0.35), Qt.BrushStyle.BDiagPattern))
        tallest = max(int(self.counts.max()), 1)
        bins = self.counts.shape[1]
        for index, row in enumerate(self.counts):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(now.colour("text", 0.75 - 0.15 * index))
            for place, count in enumerate(row):
                if count:
                    left = x_of(self.span[0] + (self.span[1] - self.span[0]) * place / bins)
                    right = x_of(self.span[0] + (self.span[1] - self.span[0]) * (place + 1) / bins)
                    tall = max(count / tallest * (floor - 4), 1.5)
                    painter.drawRect(QRectF(left, floor - tall, max(right - left, 1.5), tall))
        painter.setPen(QPen(now.colour("quiet"), 1))
        painter.drawLine(QPointF(0, floor), QPointF(self.width(), floor))
        painter.setFont(app_font(8))
        for tick in (0.0, 1.0):
            painter.drawLine(QPointF(x_of(tick), floor - 3), QPointF(x_of(tick), floor + 3))
            painter.drawText(QRectF(x_of(tick) - 20, floor + 2, 40, 13), Qt.AlignmentFlag.AlignCenter, f"{tick:g}")
        if self.mean is not None:
            painter.setPen(QPen(now.colour("amber"), 1.5))
            painter.drawLine(QPointF(x_of(self.mean), 0), QPointF(x_of(self.mean), floor))


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    def made() -> Histogram:
        histogram = Histogram()
        histogram.show_counts(np.array([[1, 3, 8, 5, 2]]), (-0.5, 1.5), 0.5, (0.0, 1.0))
        return histogram

    show_alone(made)
