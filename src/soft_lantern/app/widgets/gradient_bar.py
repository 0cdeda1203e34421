"""A gradient as a bar with its stops: click to add one, drag to move it, drag it away to take it out.

Colours have one bar, and alpha another where its stops are apart.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.focus import paint_focus
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.spoken_list import SpokenList
from soft_lantern.app.widgets.surround import NARROW, paint_surround
from soft_lantern.graph.document import AlphaStop, Gradient, Stop, changed
from soft_lantern.graph.ramps.images import colours_at, in_order, shown_row
from soft_lantern.render.measuring import encoded
from soft_lantern.values.colour import colour_to_hex

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
        self.setMouseTracking(True)
        self.setAccessibleName("gradient")
        self.spoken = SpokenList(self, "stops")

    def show_gradient(self, gradient: Gradient) -> None:
        """Show a gradient without telling anyone."""
        self.gradient = gradient
        self.at = min(self.at, max(len(self.stops) - 1, 0))
        self._say()

    @property
    def stops(self) -> tuple[Any, ...]:
        """The stops of the bar."""
        return self.gradient.stops

    def colour_of(self, stop: Any) -> tuple[float, ...]:
        """The linear colour a stop is filled with."""
        return tuple(stop.colour)

    def made_at(self, at: float) -> Any:
        """A new stop that changes nothing yet."""
        red, green, blue, alpha = (float(part) for part in colours_at(self.gradient, [at])[0])
        before = [stop for stop in in_order(self.gradient) if stop.at <= at]
        shape = before[-1].shape if before and before[-1].shape == "constant" else "linear"
        return Stop(at=round(at, 4), colour=(red, green, blue, alpha), shape=shape)

    def with_stops(self, stops: tuple[Any, ...]) -> Gradient:
        """The gradient with other stops."""
        return changed(self.gradient, stops=stops)

    def picture(self) -> QImage:
        """What the bar shows, one row high."""
        return strip(self.gradient, 256)

    def select(self, place: int) -> None:
        """Select a stop by its place in the list."""
        self.at = place
        self.chosen.emit(place)
        self._say()

    def _say(self) -> None:
        if self.stops:
            describe(self, self._stop(self.at))
        self.spoken.show_entries(range(len(self.stops)), self._stop)
        self.update()

    def _stop(self, place: int) -> str:
        stop = self.stops[place]
        return f"stop {place + 1} of {len(self.stops)}, at {written(stop.at)}, {colour_to_hex(self.colour_of(stop))}"

    def x_of(self, at: float) -> float:
        """Where a place from 0 to 1 is on the widget."""
        return MARGIN + at * (self.width() - 2 * MARGIN)

    def move_to(self, at: float) -> None:
        """Ask for the selected stop at another place."""
        self._want_stop(changed(self.stops[self.at], at=round(min(max(at, 0.0), 1.0), 4)))

    def recolour(self, colour: tuple[float, float, float, float]) -> None:
        """Ask for another colour of the selected stop."""
        self._want_stop(changed(self.stops[self.at], colour=colour))

    def reshape(self, shape: str) -> None:
        """Ask for another way from the selected stop to the next."""
        self._want_stop(changed(self.stops[self.at], shape=shape))

    def duplicate(self) -> None:
        """Ask for the selected stop once more, a little further along."""
        stop = self.stops[self.at]
        there = changed(stop, at=round(stop.at + (0.05 if stop.at <= 0.95 else -0.05), 4))
        self.at = len(self.stops)
        self._want((*self.stops, there))
        self.chosen.emit(self.at)

    def take_out(self) -> None:
        """Ask for the gradient without the selected stop; one always stays."""
        if len(self.stops) > 1:
            left = tuple(stop for place, stop in enumerate(self.stops) if place != self.at)
            self.at = max(self.at - 1, 0)
            self._want(left)
            self.chosen.emit(self.at)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        near = self._stops_at(x)
        if near:
            self.select(near[-1])
        else:
            at = min(max((x - MARGIN) / (self.width() - 2 * MARGIN), 0.0), 1.0)
            made = self.made_at(at)
            self.at = len(self.stops)
            self._want((*self.stops, made))
            self.chosen.emit(self.at)
        self._held = True

    def _stops_at(self, x: float) -> list[int]:
        return [place for place, stop in enumerate(self.stops) if abs(self.x_of(stop.at) - x) <= 7]

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self._held:
            on_stop = self._stops_at(event.position().x())
            self.setCursor(Qt.CursorShape.SizeHorCursor if on_stop else Qt.CursorShape.CrossCursor)
            return
        if event.position().y() > BAR + AWAY and len(self.stops) > 1:
            self._held = False
            self.take_out()
            return
        self.move_to((event.position().x() - MARGIN) / (self.width() - 2 * MARGIN))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(Qt.Key(event.key()))
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and step:
            step /= 10
        if step and self.stops:
            self.move_to(self.stops[self.at].at + step)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.take_out()
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self.stops:
            order = sorted(range(len(self.stops)), key=lambda place: self.stops[place].at)
            step = 1 if event.key() == Qt.Key.Key_PageDown else -1
            self.select(order[(order.index(self.at) + step) % len(order)])
        elif event.key() == Qt.Key.Key_Insert:
            self.duplicate()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bar = QRectF(MARGIN, 2, self.width() - 2 * MARGIN, BAR)
        paint_surround(painter, bar.adjusted(-NARROW, -NARROW, NARROW, NARROW))
        painter.drawImage(bar, self.picture())
        self._paint_seen_through(painter, bar.adjusted(0, BAR * 0.62, 0, 0))
        now = theme()
        for place, stop in enumerate(self.stops):
            x, top = self.x_of(stop.at), BAR + 3.0
            shape = QPolygonF([QPointF(x, top), QPointF(x + 6, top + 7), QPointF(x + 6, top + 16)])
            shape += QPolygonF([QPointF(x - 6, top + 16), QPointF(x - 6, top + 7)])
            chosen = place == self.at
            painter.setPen(QPen(now.colour("amber" if chosen else "quiet"), 2.0 if chosen else 1.2))
            painter.setBrush(screen_colour(self.colour_of(stop)))
            painter.drawPolygon(shape)
        paint_focus(painter, self)

    def _paint_seen_through(self, painter: QPainter, box: QRectF) -> None:
        """The lower part over a checker, as its alpha has it."""
        colours = shown_row(self.gradient, 256)
        if colours[:, 3].min() >= 1.0:
            return
        checker = np.kron(np.indices((2, 64)).sum(axis=0) % 2, np.ones((1, 4)))[..., None] * 0.25 + 0.2
        alpha = np.clip(colours[:, 3:], 0.0, 1.0)
        rows = colours[:, :3] * alpha + checker * (1 - alpha)
        shown = encoded(rows).astype(np.uint8)
        painter.drawImage(box, QImage(shown.tobytes(), 256, 2, 768, QImage.Format.Format_RGB888).copy())

    def _want_stop(self, stop: Any) -> None:
        self._want(tuple(stop if place == self.at else each for place, each in enumerate(self.stops)))

    def _want(self, stops: tuple[Any, ...]) -> None:
        self.show_gradient(self.with_stops(stops))
        self.changed.emit(self.gradient)


class AlphaBar(GradientBar):
    """The stops that a gradient's alpha has of its own."""

    @property
    def stops(self) -> tuple[Any, ...]:
        return self.gradient.alphas

    def colour_of(self, stop: Any) -> tuple[float, ...]:
        return (stop.alpha,) * 3

    def made_at(self, at: float) -> Any:
        return AlphaStop(at=round(at, 4), alpha=round(float(colours_at(self.gradient, [at])[0, 3]), 4))

    def with_stops(self, stops: tuple[Any, ...]) -> Gradient:
        return changed(self.gradient, alphas=stops)

    def picture(self) -> QImage:
        alpha = shown_row(self.gradient, 256)[:, 3:]
        return row_of(np.repeat(alpha, 3, axis=1))

    def _paint_seen_through(self, painter: QPainter, box: QRectF) -> None:
        """Alpha itself is no colour to see through."""

    def set_alpha(self, alpha: float) -> None:
        """Ask for another alpha of the selected stop."""
        self._want_stop(changed(self.stops[self.at], alpha=alpha))


def strip(gradient: Gradient, width: int) -> QImage:
    """A gradient as one row of the screen's colours."""
    return row_of(shown_row(gradient, width)[:, :3])


def row_of(linear: npt.NDArray[np.float64]) -> QImage:
    """Linear colours, (count, 3), as one row of the screen's."""
    shown = encoded(linear).astype(np.uint8)
    return QImage(shown.tobytes(), len(shown), 1, len(shown) * 3, QImage.Format.Format_RGB888).copy()


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    two = (Stop(at=0.0, colour=(0.02, 0.05, 0.2, 1.0)), Stop(at=1.0, colour=(1.0, 0.6, 0.2, 1.0)))
    show_alone(lambda: GradientBar(Gradient(id="g", name="Dusk", stops=two)))
