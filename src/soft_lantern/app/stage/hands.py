"""What the pointer does on a stage while a button is down: look round, hold a handle, the gauge or the card."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent

from soft_lantern.app.stage.handles import Handles
from soft_lantern.app.stage.lens import Lens
from soft_lantern.render.card import Card

if TYPE_CHECKING:
    from soft_lantern.app.stage.stage_view import StageView

STILL = 3
"""Pixels a press may move and still be a click."""
_EDITS = {"position": "Move", "rotation": "Turn", "scale": "Scale"}


class Hands:
    """The hands of one stage view."""

    def __init__(self, stage: StageView) -> None:
        self.stage = stage
        self._held: _Look | _HoldObject | _HoldGauge | _HoldCard | _HoldDivider | None = None

    @property
    def busy(self) -> bool:
        """Whether a button is down."""
        return self._held is not None

    @property
    def axis(self) -> str:
        """The axis of the handle in hand, if any."""
        return self._held.axis if isinstance(self._held, _HoldObject) else ""

    def press(self, event: QMouseEvent) -> None:
        """A button goes down."""
        stage, at, left = self.stage, event.position(), event.button() == Qt.MouseButton.LeftButton
        label, handles, scene = stage.gauge_label(), stage.handles(), stage.scene
        axis = handles.at(at) if handles and left else ""
        if stage.card:
            self._held = _HoldCard(at, stage.card)
        elif left and stage.comparison.grasps(at):
            self._held = _HoldDivider()
        elif left and label and label.contains(at) and scene and scene.gauge is not None:
            self._held = _HoldGauge(at, scene.gauge)
        elif handles and axis:
            self._held = _HoldObject(at, axis, handles)
        elif left or event.button() == Qt.MouseButton.MiddleButton:
            pan = not left or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._held = _Look(at, stage.lens, pan)

    def move(self, event: QMouseEvent) -> None:
        """The pointer moves."""
        stage, held, at = self.stage, self._held, event.position()
        if isinstance(held, _Look):
            moved = at - held.start
            if held.moved or moved.manhattanLength() > STILL:
                held.moved = True
                stage.session.set_view(held.lens.panned(moved) if held.pan else held.lens.orbited(moved))
        elif isinstance(held, _HoldCard):
            moved = at - held.start
            dx, dy = held.card.moved
            stage.show_card(replace(held.card, moved=(dx + round(moved.x()), dy + round(moved.y()))))
        elif isinstance(held, _HoldObject):
            snap = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            found = held.handles.dragged(held.axis, held.start, at, snap=snap)
            if found:
                field, value = found
                object_id = held.handles.thing.id
                name = f"{_EDITS[field]} object"
                stage.session.change_object(name, object_id, f"{field} {object_id}", **{field: value})
        elif isinstance(held, _HoldGauge):
            self._drag_gauge(held, at)
        elif isinstance(held, _HoldDivider):
            stage.comparison.drag(at)

    def release(self, event: QMouseEvent) -> None:
        """A button comes up; a press that did not move is a click."""
        held, self._held = self._held, None
        if isinstance(held, _Look) and not held.moved and event.button() == Qt.MouseButton.LeftButton:
            self.stage.pick(event.position())

    def _drag_gauge(self, held: _HoldGauge, at: QPointF) -> None:
        stage, scene = self.stage, self.stage.scene
        assert scene
        lens, axis = stage.lens, np.eye(3)["xyz".index(scene.gauge_axis)]
        anchor = stage.gauge_anchor(scene, held.height)
        arm, moved = lens.place(anchor + axis * 0.1) - lens.place(anchor), at - held.start
        length = arm.x() ** 2 + arm.y() ** 2
        if length > 1e-3:
            metres = (moved.x() * arm.x() + moved.y() * arm.y()) / length * 0.1
            stage.set_gauge(round(held.height + metres, 2))


class _Look:
    def __init__(self, start: QPointF, lens: Lens, pan: bool) -> None:
        self.start, self.lens, self.pan, self.moved = start, lens, pan, False


class _HoldObject:
    def __init__(self, start: QPointF, axis: str, handles: Handles) -> None:
        self.start, self.axis, self.handles = start, axis, handles


class _HoldGauge:
    def __init__(self, start: QPointF, height: float) -> None:
        self.start, self.height = start, height


class _HoldDivider:
    """The divider of a comparison."""


class _HoldCard:
    def __init__(self, start: QPointF, card: Card) -> None:
        self.start, self.card = start, card
