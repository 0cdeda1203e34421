"""What the pointer does on a stage while a button is down. Each gesture knows how it began, and says what it wants."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.stage.gauge import Gauge
from soft_lantern.app.stage.handles import Handles
from soft_lantern.app.stage.range_grips import RangeGrips
from soft_lantern.graph.document import Vector, View
from soft_lantern.render.card import Card
from soft_lantern.scene.vertex_ranges import VertexRange

STILL = 3
"""Pixels a press may move and still be a click."""


class Gesture:
    """From a press to its release."""

    axis = ""
    """The axis of the handle in hand, if any."""

    def __init__(self, start: QPointF) -> None:
        self.start = start

    def move(self, event: QMouseEvent) -> None:
        """The pointer moves."""

    def release(self, event: QMouseEvent) -> None:
        """The button comes up."""


class LookRound(Gesture):
    """Turns the view, or moves it aside; a press that did not move is a click."""

    def __init__(
        self,
        start: QPointF,
        lens: Lens,
        pan: bool,
        see: Callable[[View], object],
        click: Callable[[QPointF, bool], object],
    ) -> None:
        super().__init__(start)
        self.lens, self.pan, self.see, self.click = lens, pan, see, click
        self._moved = False

    def move(self, event: QMouseEvent) -> None:
        moved = event.position() - self.start
        if self._moved or moved.manhattanLength() > STILL:
            self._moved = True
            self.see(self.lens.panned(moved) if self.pan else self.lens.orbited(moved))

    def release(self, event: QMouseEvent) -> None:
        if not self._moved and event.button() == Qt.MouseButton.LeftButton:
            self.click(event.position(), _with_more(event))


class DragHandle(Gesture):
    """Moves, turns or scales the selected object along an axis; Ctrl holds it to steps.

    A press that did not move is a click on what lies under the handle.
    """

    def __init__(
        self,
        start: QPointF,
        axis: str,
        handles: Handles,
        place: Callable[[str, str, Vector], object],
        click: Callable[[QPointF, bool], object],
    ) -> None:
        super().__init__(start)
        self.axis, self.handles, self.place, self.click = axis, handles, place, click
        self._moved = False

    def release(self, event: QMouseEvent) -> None:
        if not self._moved:
            self.click(event.position(), _with_more(event))

    def move(self, event: QMouseEvent) -> None:
        if not self._moved and (event.position() - self.start).manhattanLength() <= STILL:
            return
        self._moved = True
        snap = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        found = self.handles.dragged(self.axis, self.start, event.position(), snap=snap)
        if found:
            self.place(self.handles.thing.id, *found)


def _with_more(event: QMouseEvent) -> bool:
    """Whether what is clicked joins what is selected."""
    return bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)


class PaintStroke(Gesture):
    """Draws the brush over the surface, from the press to the release."""

    def __init__(self, start: QPointF, paint: Callable[[QPointF, bool], object]) -> None:
        super().__init__(start)
        self.paint = paint
        paint(start, False)

    def move(self, event: QMouseEvent) -> None:
        self.paint(event.position(), False)

    def release(self, event: QMouseEvent) -> None:
        self.paint(event.position(), True)


class DrawOutline(Gesture):
    """Draws a box from corner to corner, or where `free` a line after the pointer; without a move it is a click.

    `shown` gets the outline as it grows and [] at its end, `done` all of it and the keys held, `click` its one place.
    """

    def __init__(
        self,
        start: QPointF,
        free: bool,
        shown: Callable[[list[QPointF]], object],
        done: Callable[[list[QPointF], Qt.KeyboardModifier], object],
        click: Callable[[QPointF, Qt.KeyboardModifier], object],
    ) -> None:
        super().__init__(start)
        self.free, self.shown, self.done, self.click = free, shown, done, click
        self._outline = [start]

    def move(self, event: QMouseEvent) -> None:
        now, start = event.position(), self.start
        if len(self._outline) == 1 and (now - start).manhattanLength() <= STILL:
            return
        across, down = QPointF(now.x(), start.y()), QPointF(start.x(), now.y())
        self._outline = [*self._outline, now] if self.free else [start, across, now, down]
        self.shown(self._outline)

    def release(self, event: QMouseEvent) -> None:
        self.shown([])
        if len(self._outline) > 1:
            self.done(self._outline, event.modifiers())
        else:
            self.click(self.start, event.modifiers())


class DragGrip(Gesture):
    """Drags a grip of a range."""

    def __init__(self, start: QPointF, grip: str, grips: RangeGrips, put: Callable[[VertexRange], object]) -> None:
        super().__init__(start)
        self.axis, self.grips, self.put = grip, grips, put

    def move(self, event: QMouseEvent) -> None:
        self.put(self.grips.dragged(self.axis, event.position()))


class DragGauge(Gesture):
    """Puts the level gauge higher or lower."""

    def __init__(self, start: QPointF, gauge: Gauge, put: Callable[[float], object]) -> None:
        super().__init__(start)
        self.gauge, self.put = gauge, put

    def move(self, event: QMouseEvent) -> None:
        height = self.gauge.dragged(event.position() - self.start)
        if height is not None:
            self.put(height)


class DragDivider(Gesture):
    """Moves the divider of a comparison."""

    def __init__(self, start: QPointF, put: Callable[[QPointF], object]) -> None:
        super().__init__(start)
        self.put = put

    def move(self, event: QMouseEvent) -> None:
        self.put(event.position())


class MoveCard(Gesture):
    """Moves the flat card by whole pixels."""

    def __init__(self, start: QPointF, card: Card, put: Callable[[Card], object]) -> None:
        super().__init__(start)
        self.card, self.put = card, put

    def move(self, event: QMouseEvent) -> None:
        moved = event.position() - self.start
        dx, dy = self.card.moved
        self.put(replace(self.card, moved=(dx + round(moved.x()), dy + round(moved.y()))))
