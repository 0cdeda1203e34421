"""Ranges that say which vertices are of a set: heights, directions that a surface faces, distances to a point."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.scene.mesh import Floats
from soft_lantern.scene.vertex_sets import VertexSet

Triple = tuple[float, float, float]


class Heights(Struct, frozen=True):
    """From one height to another, in metres."""

    low: float
    high: float

    def holds(self, points: Floats, normals: Floats) -> VertexSet:
        """Which points, (n, 3), are of it."""
        return np.asarray((points[:, 1] >= self.low) & (points[:, 1] <= self.high))


class Facing(Struct, frozen=True):
    """At most so many degrees off a direction."""

    direction: Triple
    degrees: float

    def holds(self, points: Floats, normals: Floats) -> VertexSet:
        """Which unit normals, (n, 3), are of it. Raises BadValue where the direction has no length."""
        way = np.asarray(self.direction, np.float64)
        length = float(np.linalg.norm(way))
        if not length > 0:
            raise BadValue("a direction needs a length above 0")
        return np.asarray(normals @ (way / length) >= np.cos(np.radians(self.degrees)) - 1e-6)


class Distances(Struct, frozen=True):
    """At most so many metres from a point."""

    centre: Triple
    radius: float

    def holds(self, points: Floats, normals: Floats) -> VertexSet:
        """Which points, (n, 3), are of it."""
        return np.asarray(np.linalg.norm(points - np.asarray(self.centre), axis=1) <= self.radius)


VertexRange = Heights | Facing | Distances
