"""Ways to select vertices: each gets a part and what of it is selected, and gives what is to be. Any thread may."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from PyQt6.QtCore import Qt

from soft_lantern.app.desks.dress.selected import Key
from soft_lantern.app.stage.under_pointer import Shown
from soft_lantern.app.stage.vertex_marks import Sighted
from soft_lantern.errors import BadEdit
from soft_lantern.scene import vertex_sets
from soft_lantern.scene.mesh import Floats, Matrix, Mesh
from soft_lantern.scene.vertex_ranges import VertexRange
from soft_lantern.scene.vertex_sets import VertexSet


class Place(Struct, frozen=True, eq=False):
    """The part whose vertices are selected, by its key: its bare mesh, and where that stands in the world."""

    key: Key
    mesh: Mesh
    matrix: Matrix

    def points(self) -> Matrix:
        """Its vertices in the world, (n, 3)."""
        return np.asarray(self.mesh.positions @ self.matrix[:3, :3].T + self.matrix[:3, 3], np.float64)


Way = Callable[[Place, VertexSet], VertexSet]
Join = Callable[[VertexSet, VertexSet], VertexSet]
"""What becomes of what was selected before, and what was found."""

STEP: Mapping[str, Callable[[Mesh, VertexSet, float], VertexSet]] = {
    "Grow": lambda mesh, chosen, _: vertex_sets.grown(mesh, chosen),
    "Shrink": lambda mesh, chosen, _: vertex_sets.shrunk(mesh, chosen),
    "Invert": lambda mesh, chosen, _: ~chosen,
    "Connected": lambda mesh, chosen, _: vertex_sets.connected(mesh, chosen),
    "Whole part": lambda mesh, chosen, _: np.ones_like(chosen),
    "Edge ring": lambda mesh, chosen, _: vertex_sets.edge_ring(mesh, chosen),
    "Flat region": vertex_sets.flat_region,
    "None": lambda mesh, chosen, _: np.zeros_like(chosen),
}
NEEDS = ("Grow", "Shrink", "Connected", "Edge ring", "Flat region")
"""Steps that need vertices to begin from."""


def joined(keys: Qt.KeyboardModifier) -> Join:
    """With Shift what was found is added, with Ctrl taken away; else it is all."""
    if keys & Qt.KeyboardModifier.ShiftModifier:
        return lambda before, found: before | found
    return (
        (lambda before, found: before & ~found)
        if keys & Qt.KeyboardModifier.ControlModifier
        else lambda _, found: found
    )


def by_step(name: str, degrees: float) -> Way:
    """What a step of STEP makes of the selection. It raises BadEdit where that step needs one and there is none."""

    def of(place: Place, before: VertexSet) -> VertexSet:
        if name in NEEDS and not before.any():
            raise BadEdit("select some vertices first")
        return STEP[name](place.mesh, before, degrees)

    return of


def in_outline(
    outline: Sequence[tuple[float, float]], radius: float, shown: Shown, sighted: Sighted | None, join: Join
) -> Way:
    """What lies in an outline on the stage, or within a radius above 0 along it; `sighted`: of that, what is seen."""
    around, camera, size = np.array(outline, np.float64), shown.lens.camera, shown.lens.size

    def of(place: Place, before: VertexSet) -> VertexSet:
        points = place.points()
        flat = camera.project(points, size)
        found = _near(flat[:, :2], around, radius) if radius else vertex_sets.in_outline(flat[:, :2], around)
        found &= flat[:, 2] > 0
        if sighted is not None:
            found[found] = sighted.seen(shown, points[found])
        return join(before, vertex_sets.together(place.mesh, found))

    return of


def nearest_to(point: Matrix, join: Join) -> Way:
    """The vertex nearest to a point of the world."""

    def of(place: Place, before: VertexSet) -> VertexSet:
        one = np.zeros_like(before)
        one[np.linalg.norm(place.points() - point, axis=1).argmin()] = True
        return join(before, vertex_sets.together(place.mesh, one))

    return of


def in_range(wanted: VertexRange) -> Way:
    """What a range in the world holds."""

    def of(place: Place, before: VertexSet) -> VertexSet:
        moved = place.mesh.moved(place.matrix)
        return wanted.holds(moved.positions, moved.normals)

    return of


def above(values: Callable[[Mesh], Floats], threshold: float) -> Way:
    """Where the first number of what a mesh's vertices are given, (n, 4), is above a threshold."""
    return lambda place, before: vertex_sets.together(place.mesh, values(place.mesh)[:, 0] > threshold)


def _near(places: npt.NDArray[np.float64], trail: npt.NDArray[np.float64], radius: float) -> VertexSet:
    """Which places, (n, 2), are within a radius of a trail, (k, 2)."""
    found = np.zeros(len(places), bool)
    for start, end in itertools.pairwise(trail):
        way = end - start
        share = np.clip((places - start) @ way / max(float(way @ way), 1e-12), 0.0, 1.0)
        found |= np.linalg.norm(places - (start + share[:, None] * way), axis=1) <= radius
    return found
