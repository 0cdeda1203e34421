"""Marks on the vertices of a part over the stage's picture: made beside the window, shown where the view rests."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage, QPainter

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.stage.under_pointer import MOST_AT_ONCE, Shown
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.bake.vertex_rays import Occluders
from soft_lantern.scene.mesh import Matrix, Mesh
from soft_lantern.scene.vertex_sets import VertexSet

Rgba = tuple[int, int, int, int]
DOT, CHOSEN, RINGED = 1, 2, 3
"""Pixels from the middle of a mark to its sides: of any vertex, of one that is selected, and of the ring round that."""
MANY = 1200
"""Marks in sight from which those that are selected are smaller."""


class Marked(Struct, frozen=True, eq=False):
    """A mesh under its matrix, which of its vertices are selected, and what may stand before them."""

    mesh: Mesh
    matrix: Matrix
    chosen: VertexSet
    shown: Shown

    def is_like(self, other: Marked | None) -> bool:
        """Whether the same marks show the other."""
        return other is not None and (
            self.mesh is other.mesh
            and self.chosen is other.chosen
            and self.shown.lens == other.shown.lens
            and self.shown.scene is other.shown.scene
            and np.array_equal(self.matrix, other.matrix)
        )


class Sighted:
    """Tells which points are seen; what stands in the way is made ready once. One thread at a time asks."""

    def __init__(self) -> None:
        self._ready: tuple[list[object], Occluders] | None = None

    def seen(self, shown: Shown, points: Matrix) -> VertexSet:
        """Which points of surfaces in the world, (n, 3), the eye sees past all that is shown."""
        placed = [(mesh, matrix) for _, mesh, matrix in shown.placed()]
        held = [(id(mesh.positions), id(mesh.triangles), matrix.tobytes()) for mesh, matrix in placed]
        if self._ready is None or self._ready[0] != held:
            self._ready = [*held], Occluders(placed)
        return self._ready[1].seen_from(shown.lens.camera.position, points.astype(np.float32))


class VertexMarks:
    """The marks on one part. `arrived` is called when there are newer ones to paint."""

    def __init__(self, owner: QObject, arrived: Callable[[], object]) -> None:
        self._arrived = arrived
        self._asked: Marked | None = None
        self._held: tuple[Marked, QImage] | None = None
        self._sighted = Sighted()
        self._newest = NewestAnswer("vertex marks", owner, self._take, lambda _: None)

    def paint(self, painter: QPainter, marked: Marked) -> None:
        """Paint the marks, where they are ready; where they are not, ask for them."""
        if not marked.is_like(self._asked):
            self._asked = marked
            sighted, colours = self._sighted, (_rgba("ground"), _rgba("text"), _rgba("amber"))
            self._newest.ask(lambda: (marked, _marks(marked, sighted, colours)))
        if self._held and marked.is_like(self._held[0]):
            painter.drawImage(0, 0, self._held[1])

    def stop(self) -> None:
        """End what runs beside the window."""
        self._newest.stop()

    def _take(self, answer: tuple[Marked, npt.NDArray[np.uint8]]) -> None:
        marked, pixels = answer
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
        self._held = marked, image
        self._arrived()


def _marks(marked: Marked, sighted: Sighted, colours: tuple[Rgba, Rgba, Rgba]) -> npt.NDArray[np.uint8]:
    """A picture of the marks of vertices that are seen, (h, w, 4), clear elsewhere."""
    lens: Lens = marked.shown.lens
    (width, height), matrix = lens.size, marked.matrix
    points = marked.mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]
    x, y, depth = lens.camera.project(points, lens.size).T
    near = np.flatnonzero((depth > 0) & (x >= 0) & (x < width) & (y >= 0) & (y < height))
    if marked.shown.triangles <= MOST_AT_ONCE:
        near = near[sighted.seen(marked.shown, points[near])]
    else:  # making ready what stands in the way would take seconds: those that face away are left out instead
        normals = marked.mesh.normals[near] @ matrix[:3, :3].T
        near = near[np.einsum("ni,ni->n", normals, lens.camera.position - points[near]) > 0]
    pixels = np.zeros((height, width, 4), np.uint8)
    ground, plain, chosen = colours
    held, less = marked.chosen[near], int(len(near) > MANY)
    for which, reach, colour in ((~held, DOT, plain), (held, RINGED - less, ground), (held, CHOSEN - less, chosen)):
        _splat(pixels, x[near[which]].astype(int), y[near[which]].astype(int), reach, colour)
    return pixels


def _splat(pixels: npt.NDArray[np.uint8], x: npt.NDArray[np.int64], y: npt.NDArray[np.int64], r: int, c: Rgba) -> None:
    """Squares of a colour about places, 2·r pixels wide."""
    height, width = pixels.shape[:2]
    for right in range(-r, r):
        for down in range(-r, r):
            pixels[np.clip(y + down, 0, height - 1), np.clip(x + right, 0, width - 1)] = c


def _rgba(role: str) -> Rgba:
    red, green, blue, alpha = theme().colour(role).getRgb()
    return red or 0, green or 0, blue or 0, alpha or 0
