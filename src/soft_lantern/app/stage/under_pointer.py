"""What lies under a place of the stage: found at once where that is quick, else beside the window."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.work.beside import reply_to
from soft_lantern.graph.document import Scene
from soft_lantern.render.points import Points, point_under
from soft_lantern.render.staging import object_inputs, placed_parts
from soft_lantern.render.worker import Newest
from soft_lantern.scene.mesh import Matrix, Mesh, Model
from soft_lantern.scene.picking import Hit, nearest_hit

MOST_AT_ONCE = 150_000
"""Triangles above which it is found beside the window."""

ObjectHit = Hit[tuple[str, str]]
"""Its key is the object's id and the part's name."""
Then = Callable[[ObjectHit | None, ObjectHit | None], None]


class Shown(Struct, frozen=True):
    """What rays may meet: the objects of a scene through a lens, or one of them alone by its id and part."""

    scene: Scene | None
    models: Mapping[str, Model]
    lens: Lens
    solo: tuple[str, str] = ("", "")

    @property
    def triangles(self) -> int:
        """How many there are."""
        shown = [self.models.get(thing.asset) for thing in (self.scene.objects if self.scene else ())]
        return sum(len(part.mesh.triangles) for model in shown if model for part in model.parts)

    def placed(self) -> list[tuple[tuple[str, str], Mesh, Matrix]]:
        """What is shown of each part: its object's id and its name, its mesh and where that stands."""
        return [
            ((thing.id, name), mesh, matrix)
            for thing in (self.scene.objects if self.scene else ())
            if thing.asset in self.models
            for name, mesh, matrix in placed_parts(thing, self.models[thing.asset])
            if not {"", name} & set(thing.hidden) and self.solo in (("", ""), (thing.id, ""), (thing.id, name))
        ]

    def looker(self, at: QPointF) -> Callable[[float], ObjectHit | None]:
        """What tells what the ray through a place of the widget meets first, further than some metres along it."""
        (start, direction), placed = self.lens.ray(at), self.placed()
        return lambda beyond: nearest_hit(start, direction, placed, beyond)

    def point(self, hit: ObjectHit, behind: ObjectHit | None, at: QPointF) -> Points:
        """The surface point that was met, with the distance to what lies behind it."""
        thing = self.scene.object(hit.key[0]) if self.scene else None
        assert thing is not None
        of_object = object_inputs(thing, self.models[thing.asset], hit.mesh)
        pixel = (at.x(), self.lens.size[1] - at.y())
        gap = float(np.linalg.norm(behind.point - hit.point)) if behind else None
        return point_under(hit, self.lens.camera, of_object, pixel, self.lens.size, gap)


class UnderPointer(QObject):
    """Looks along rays; only the newest question beside the window counts."""

    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._beside: Newest | None = None

    def find(self, shown: Shown, at: QPointF, then: Then, *, behind: bool) -> None:
        """Tell what is met first at a place of the widget, and if wanted what lies behind that."""
        look, eye = shown.looker(at), shown.lens.camera.position

        def both() -> tuple[ObjectHit | None, ObjectHit | None]:
            hit = look(0.0)
            return hit, look(float(np.linalg.norm(hit.point - eye)) + 1e-4) if hit and behind else None

        if shown.triangles <= MOST_AT_ONCE:
            then(*both())
            return
        if self._beside is None:
            self._beside = Newest("under pointer")
        found = reply_to(self, then)
        self._beside.submit("under", lambda: found(*both()), reply_to(self, self.failed.emit))

    def stop(self) -> None:
        """End what runs beside the window."""
        if self._beside:
            self._beside.stop()
