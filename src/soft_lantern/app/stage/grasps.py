"""What a hand can take hold of on the stage, and what the pointer looks like over it."""

from __future__ import annotations

import operator

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.pictures.comparison import Comparison
from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.gauge import Gauge
from soft_lantern.app.stage.handles import Handles
from soft_lantern.app.stage.modes import StageModes
from soft_lantern.graph.document import Scene
from soft_lantern.render.staging import scene_bounds
from soft_lantern.scene.mesh import Matrix

POINTERS = {
    "": Qt.CursorShape.ArrowCursor,
    "card": Qt.CursorShape.OpenHandCursor,
    "divider": Qt.CursorShape.SplitHCursor,
    "hand": Qt.CursorShape.CrossCursor,
    "gauge": Qt.CursorShape.SizeVerCursor,
    "handle": Qt.CursorShape.SizeAllCursor,
}
"""By what is there; "hand" is what clicks mean at the moment, such as a brush."""


class Grasps:
    """The card, the divider of a comparison, the level gauge and the handle of the selected object, as they are now."""

    def __init__(self, session: Session, modes: StageModes, comparison: Comparison, stage: QWidget) -> None:
        self.session, self.modes, self.comparison, self.stage = session, modes, comparison, stage
        self._stood: tuple[object, ...] = ()
        self._middle: Matrix = np.zeros(3)

    @property
    def lens(self) -> Lens:
        """The view as the stage shows it."""
        return Lens(self.session.view, (max(self.stage.width(), 1), max(self.stage.height(), 1)))

    def gauge(self) -> Gauge | None:
        """The level gauge, where it is seen."""
        scene, sight = self.session.scene, self.modes.sight
        if scene is None or scene.gauge is None or not sight.options.gauge or sight.card:
            return None
        return Gauge(scene, scene.gauge, self._middle_of(scene), self.lens)

    def handles(self) -> Handles | None:
        """The handle of the selected object."""
        scene, sight = self.session.scene, self.modes.sight
        thing = scene.object(sight.selected) if scene and sight.selected else None
        free = thing and not sight.card and not self.session.scene_held and self.modes.clicks not in self.modes.hands
        return Handles(self.modes.handle_kind, thing, self.lens) if thing and free else None

    def at(self, place: QPointF) -> str:
        """What is there, one of `POINTERS`; "" beside all."""
        gauge, handles = self.gauge(), self.handles()
        found = {
            "card": self.modes.sight.card is not None,
            "divider": self.comparison.grasps(place, self.stage.width()),
            "hand": self.modes.clicks in self.modes.hands,
            "gauge": gauge is not None and gauge.label.contains(place),
            "handle": handles is not None and bool(handles.at(place)),
        }
        return next((name for name, there in found.items() if there), "")

    def show_pointer(self, place: QPointF | None = None) -> None:
        """Let the pointer tell what is there. A cross aims at a point of a surface."""
        under = self.at(place) if place is not None else ""
        self.stage.setCursor(POINTERS[under or ("" if self.modes.clicks == "pick" else "hand")])

    def _middle_of(self, scene: Scene) -> Matrix:
        """The middle of what stands in a scene; worked out where that is another: a moving pointer asks each time."""
        models = self.session.models
        stands = (scene.objects, *(models.get(thing.asset) for thing in scene.objects))
        if len(stands) != len(self._stood) or any(map(operator.is_not, stands, self._stood)):
            low, high = scene_bounds(scene, models)
            self._stood, self._middle = stands, (low + high) / 2
        return self._middle
