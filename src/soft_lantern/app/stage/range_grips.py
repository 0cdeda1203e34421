"""Handles of a range of vertices on the stage: its heights, its direction, its centre and its reach."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.stage.handles import HANDLE
from soft_lantern.app.theme.colours import theme
from soft_lantern.scene.mesh import Matrix
from soft_lantern.scene.vertex_ranges import Distances, Facing, Heights, Triple, VertexRange

NEAR = 12.0
"""Pixels within which a grip is grasped."""
RING = 48


class RangeGrips(Struct, frozen=True):
    """The grips of a range about a place of the world, the part's middle, as a lens sees them."""

    range: VertexRange
    middle: Matrix
    lens: Lens

    def places(self) -> dict[str, Matrix]:
        """Where each grip is in the world, by its name."""
        if isinstance(self.range, Heights):
            x, _, z = self.middle
            return {"low": np.array([x, self.range.low, z]), "high": np.array([x, self.range.high, z])}
        if isinstance(self.range, Facing):
            return {"toward": self.middle + _unit(self.range.direction) * self._arm}
        centre = np.asarray(self.range.centre)
        return {"reach": centre + self._right * self.range.radius, "centre": centre}

    def at(self, place: QPointF) -> str:
        """The grip at a place of the widget; "" beside all."""
        near = {name: (self.lens.place(point) - place).manhattanLength() for name, point in self.places().items()}
        best = min(near, key=lambda name: near[name])
        return best if near[best] <= NEAR else ""

    def dragged(self, grip: str, now: QPointF) -> VertexRange:
        """The range with a grip dragged to a place of the widget."""
        there = self._under(now, self.places()[grip])
        if isinstance(self.range, Heights):
            return replace(self.range, **{grip: round(float(there[1]), 4)})
        if isinstance(self.range, Facing):
            return replace(self.range, direction=self._direction(now))
        if grip == "centre":
            return replace(self.range, centre=_triple(there))
        return replace(self.range, radius=round(float(np.linalg.norm(there - np.asarray(self.range.centre))), 4))

    def paint(self, painter: QPainter, held: str) -> None:
        """Draw the grips, and what they hold."""
        places = {name: self.lens.place(point) for name, point in self.places().items()}
        lines = [self._ring()] if isinstance(self.range, Distances) else [self._line(list(places.values()))]
        for colour, width in (("ground", 4.0), ("text", 1.6)):
            painter.setPen(QPen(theme().colour(colour), width))
            for line in lines:
                painter.drawPolyline(QPolygonF(line))
        for name, at in places.items():
            painter.setPen(QPen(theme().colour("ground"), 1.5))
            painter.setBrush(theme().colour("amber" if name == held else "text"))
            painter.drawEllipse(at, 6, 6)

    @property
    def _right(self) -> Matrix:
        return np.asarray(self.lens.camera.view[0, :3], np.float64)

    @property
    def _arm(self) -> float:
        return HANDLE / max(self.lens.pixels_per_metre(self.middle), 1e-6)

    def _line(self, grips: list[QPointF]) -> list[QPointF]:
        return [self.lens.place(self.middle), *grips] if isinstance(self.range, Facing) else grips

    def _ring(self) -> list[QPointF]:
        assert isinstance(self.range, Distances)
        turn, up = np.linspace(0, 2 * np.pi, RING), np.asarray(self.lens.camera.view[1, :3])
        way = np.cos(turn)[:, None] * self._right + np.sin(turn)[:, None] * up
        return [self.lens.place(point) for point in np.asarray(self.range.centre) + self.range.radius * way]

    def _under(self, place: QPointF, point: Matrix) -> Matrix:
        """The point of the plane through a point, square to the view, that is at a place of the widget."""
        start, along = self.lens.ray(place)
        ahead = -np.asarray(self.lens.camera.view[2, :3])
        return np.asarray(start + along * (((point - start) @ ahead) / (along @ ahead)))

    def _direction(self, place: QPointF) -> Triple:
        """The direction whose arm ends at a place of the widget, on the side toward the eye."""
        away = (self._under(place, self.middle) - self.middle) / self._arm
        long = float(np.linalg.norm(away))
        if long >= 1:
            return _triple(away / long)
        return _triple(away + np.asarray(self.lens.camera.view[2, :3]) * np.sqrt(1 - long**2))


def _unit(direction: Triple) -> Matrix:
    way = np.asarray(direction, np.float64)
    return np.asarray(way / max(float(np.linalg.norm(way)), 1e-9))


def _triple(point: Matrix) -> Triple:
    x, y, z = (round(float(part), 4) for part in point)
    return x, y, z
