"""What lies under a place of the stage: found at once where that is quick, else beside the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QPointF

from soft_lantern.app.beside import reply_to
from soft_lantern.render.points import Points, point_under
from soft_lantern.render.staging import object_inputs, placed_parts
from soft_lantern.render.worker import Newest
from soft_lantern.scene.picking import Hit, nearest_hit

if TYPE_CHECKING:
    from soft_lantern.app.stage.stage_view import StageView

MOST_AT_ONCE = 150_000
"""Triangles above which it is found beside the window."""

ObjectHit = Hit[tuple[str, str]]
"""Its key is the object's id and the part's name."""
Then = Callable[[ObjectHit | None, ObjectHit | None], None]


class UnderPointer(QObject):
    """Looks along rays of one stage view."""

    def __init__(self, stage: StageView) -> None:
        super().__init__(stage)
        self.stage = stage
        self._beside: Newest | None = None

    def find(self, at: QPointF, then: Then, *, behind: bool) -> None:
        """Tell what is met first at a place of the widget, and if wanted what lies behind that."""
        look, eye = self._looker(at), self.stage.lens.camera.position

        def both() -> tuple[ObjectHit | None, ObjectHit | None]:
            hit = look(0.0)
            return hit, look(float(np.linalg.norm(hit.point - eye)) + 1e-4) if hit and behind else None

        if self._triangles() <= MOST_AT_ONCE:
            then(*both())
            return
        if self._beside is None:
            self._beside = Newest("under pointer")
        found = reply_to(self, then)
        self._beside.submit("under", lambda: found(*both()), reply_to(self, self.stage.session.told.emit))

    def hit_at(self, at: QPointF, beyond: float = 0.0) -> ObjectHit | None:
        """What the ray through a place meets first, further than `beyond` metres along it."""
        return self._looker(at)(beyond)

    def point(self, hit: ObjectHit, behind: ObjectHit | None, at: QPointF) -> Points:
        """The surface point that was met, with the distance to what lies behind it."""
        stage = self.stage
        thing = stage.scene.object(hit.key[0]) if stage.scene else None
        assert thing is not None
        of_object = object_inputs(thing, stage.session.models[thing.asset], hit.mesh)
        pixel = (at.x(), stage.height() - at.y())
        gap = float(np.linalg.norm(behind.point - hit.point)) if behind else None
        return point_under(hit, stage.lens.camera, of_object, pixel, stage.lens.size, gap)

    def stop(self) -> None:
        """End what runs beside the window."""
        if self._beside:
            self._beside.stop()

    def _triangles(self) -> int:
        models, scene = self.stage.session.models, self.stage.scene
        shown = [models.get(thing.asset) for thing in (scene.objects if scene else ())]
        return sum(len(part.mesh.triangles) for model in shown if model for part in model.parts)

    def _looker(self, at: QPointF) -> Callable[[float], ObjectHit | None]:
        stage, models, solo = self.stage, self.stage.session.models, self.stage.options.solo
        start, direction = stage.lens.ray(at)
        placed = [
            ((thing.id, name), mesh, matrix)
            for thing in (stage.scene.objects if stage.scene else ())
            if thing.asset in models
            for name, mesh, matrix in placed_parts(thing, models[thing.asset])
            if not {"", name} & set(thing.hidden) and solo in (("", ""), (thing.id, ""), (thing.id, name))
        ]
        return lambda beyond: nearest_hit(start, direction, placed, beyond)
