"""What a stage view sees: its camera for the widget's size, and where things are on the widget."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF

from soft_lantern.graph.document import View, changed
from soft_lantern.scene.mesh import Matrix
from soft_lantern.scene.transforms import Camera, camera_for


class Lens(Struct, frozen=True):
    """A view on a widget of some size, in its pixels from the top left corner."""

    view: View
    size: tuple[int, int]

    @property
    def camera(self) -> Camera:
        """The camera of the view."""
        return camera_for(self.view, self.size)

    def place(self, point: Matrix) -> QPointF:
        """Where a point of the world is on the widget."""
        return self.places(point)[0]

    def places(self, points: Matrix) -> list[QPointF]:
        """Where points of the world, (n, 3), are on the widget."""
        found = np.clip(self.camera.project(points, self.size)[:, :2], -1e5, 1e5)
        return [QPointF(x, y) for x, y in found.tolist()]

    def in_front(self, point: Matrix) -> bool:
        """Whether the camera looks toward a point rather than away from it."""
        return float(self.camera.project(point, self.size)[0][2]) > 0

    def pixels_per_metre(self, point: Matrix) -> float:
        """How large a metre is at a point."""
        camera = self.camera
        depth = abs(float(camera.project(point, self.size)[0][2]))
        return float(camera.projection[1, 1]) * self.size[1] / 2 / max(depth, 1e-6)

    def ray(self, at: QPointF) -> tuple[Matrix, Matrix]:
        """The start and unit direction of the view ray through a place."""
        return self.camera.ray((at.x(), at.y()), self.size)

    def panned(self, moved: QPointF) -> View:
        """The view moved aside, so that what it looks at follows the pointer."""
        camera = self.camera
        metres = self.view.distance * 2 / float(camera.projection[1, 1]) / max(self.size[1], 1)
        right, up = camera.view[0, :3], camera.view[1, :3]
        target = np.array(self.view.target) - right * moved.x() * metres + up * moved.y() * metres
        return changed(self.view, target=(float(target[0]), float(target[1]), float(target[2])))

    def orbited(self, moved: QPointF) -> View:
        """The view turned about what it looks at."""
        pitch = min(max(self.view.pitch + moved.y() * 0.4, -89.0), 89.0)
        return changed(self.view, yaw=(self.view.yaw - moved.x() * 0.4) % 360, pitch=pitch)
