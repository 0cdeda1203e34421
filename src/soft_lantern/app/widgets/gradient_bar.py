"""A gradient as a bar with its stops: click to add one, drag to move it, drag it away to take it out."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.graph.document import Gradient, Stop, changed
from soft_lantern.graph.ramps import colours_at
from soft_lantern.values.colour import linear_to_srgb

MARGIN, BAR = 9, 30
AWAY = 34
"""Pixels below the bar beyond which a stop that is dragged is taken out."""


class GradientBar(QWidget):
    """`changed` tells the gradient a person wants; `chosen`, which stop is selected."""

    changed = pyqtSignal(object)
    chosen = pyqtSignal(int)

    def __init__(self, gradient: Gradient, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.gradient = gradient
        self.at = 0
        self._held = False
        self.setMinimumSize(QSize(160, BAR + 22))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("gradient")

    def show_gradient(self, gradient: Gradient) -> None:
        """Show a gradient without telling anyone."""
        self.gradient = gradient
        self.at = min(self.at, max(len(gradient.stops) - 1, 0))
        self.update()

    def select(self, place: int) -> None:
        """Select a stop by its place in the list."""
        self.at = place
        self.chosen.emit(place)
        self.update()

    def x_of(self, at: float) -> float:
        """Where a place from 0 to 1 is on the widget."""
        return MARGIN + at * (self.width() - 2 * MARGIN)

    def move_to(self, at: float) -> None:
        """Ask for the selected stop at another place."""
        self._want_stop(changed(self.gradient.stops[self.at], at=round(min(max(at, 0.0), 1.0), 4)))

    def recolour(self, colour: tuple[float, float, float, float]) -> None:
        """Ask for another colour of the selected stop."""
        self._want_stop(changed(self.gradient.stops[self.at], colour=colour))

    def reshape(self, shape: str) -> None:
        """Ask for another way from the selected stop to the next."""
        self._want_stop(changed(self.gradient.stops[self.at], shape=shape))

    def take_out(self) -> None:
        """Ask for the gradient without the selected stop; one always stays."""
        if len(self.gradient.stops) > 1:
            left = tuple(stop for place, stop in enumerate(self.gradient.stops) if place != self.at)
            self.at = max(self.at - 1, 0)
            self._want(left)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        near = [n for n, stop in enumerate(self.gradient.stops) if abs(self.x_of(stop.at) - x) <= 7]
        if near:
            self.select(near[-1])
        else:
            at = min(max((x - MARGIN) / (self.width() - 2 * MARGIN), 0.0), 1.0)
            red, green, blue, alpha = (float(part) for part in colours_at(self.gradient, [at])[0])
            self.at = len(self.gradient.stops)
            self._want((*self.gradient.stops, Stop(at=round(at, 4), colour=(red, green, blue, alpha))))
            self.chosen.emit(self.at)
        self._held = True

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self._held:
            return
        if event.position().y() > BAR + AWAY and len(self.gradient.stops) > 1:
            self._held = False
            self.take_out()
            return
        self.move_to((event.position().x() - MARGIN) / (self.width() - 2 * MARGIN))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(Qt.Key(event.key()))
        if step and self.gradient.stops:
            self.move_to(self.gradient.stops[self.at].at + step)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.take_out()
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self.gradient.stops:
            step = 1 if event.key() == Qt.Key.Key_PageDown else -1
            self.select((self.at + step) % len(self.gradient.stops))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(QRectF(MARGIN, 2, self.width() - 2 * MARGIN, BAR), strip(self.gradient, 256))
        now = theme()
        for place, stop in enumerate(self.gradient.stops):
            x, top = self.x_of(stop.at), BAR + 3.0
            shape = QPolygonF([QPointF(x, top), QPointF(x + 6, top + 7), QPointF(x + 6, top + 16)])
            shape += QPolygonF([QPointF(x - 6, top + 16), QPointF(x - 6, top + 7)])
            chosen = place == self.at
            painter.setPen(QPen(now.colour("amber" if chosen else "quiet"), 2.0 if chosen else 1.2))
            painter.setBrush(screen_colour(stop.colour))
            painter.drawPolygon(shape)

    def _want_stop(self, stop: Stop) -> None:
        self._want(tuple(stop if place == self.at else each for place, each in enumerate(self.gradient.stops)))

    def _want(self, stops: tuple[Stop, ...]) -> None:
        self.show_gradient(changed(self.gradient, stops=stops))
        self.changed.emit(self.gradient)


def strip(gradient: Gradient, width: int) -> QImage:
    """A gradient as one row of the screen's colours."""
    linear = np.clip(colours_at(gradient, np.linspace(0, 1, width))[:, :3], 0.0, 1.0)
    shown = np.array([[round(255 * linear_to_srgb(float(part))) for part in row] for row in linear], np.uint8)
    return QImage(shown.tobytes(), width, 1, width * 3, QImage.Format.Format_RGB888).copy()


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    two = (Stop(at=0.0, colour=(0.02, 0.05, 0.2, 1.0)), Stop(at=1.0, colour=(1.0, 0.6, 0.2, 1.0)))
    show_alone(lambda: GradientBar(Gradient(id="g", name="Dusk", stops=two)))
