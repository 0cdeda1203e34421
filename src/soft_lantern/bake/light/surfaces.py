"""What light meets: triangles in the world, each cut into equal cells that hold what the surface answers there.

A triangle whose edges are cut in n has n² cells, counted row by row along its second edge: row j of them holds
2(n − j) − 1, of which every second stands on its head. A place in a triangle is (u, v), the weights of its second and
third corner, as ray tracers give it.
"""

from __future__ import annotations

import functools
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

Floats = npt.NDArray[np.float32]
Places = npt.NDArray[np.float64]
Whole = npt.NDArray[np.int64]
FINEST = 64
"""Pieces that an edge is cut into at most."""
MOST_CELLS = 4_000_000
"""Cells of all surfaces together; past it they become coarser."""


class Surfaces(Struct, frozen=True, eq=False, dict=True):
    """Triangles in world space, (m, 3, 3) in metres, counter-clockwise from outside, and their cells' answers.

    `divisions` (m,): pieces of each triangle's edges. Of each cell, in order: `albedo` (k, 3), `emission` (k, 3) as
    radiance, linear, and `cover` (k,), the share of light that it stops. `group` (m,): whose light a triangle's
    emission counts as, −1 for none. `two_sided` (m,): answers from behind as from the front; else its back is black.
    `groups`: how many groups there are. `power` (groups,): how often each is looked for; all alike where not given.
    """

    corners: Floats
    divisions: Whole
    albedo: Floats
    emission: Floats
    cover: Floats
    group: Whole
    two_sided: npt.NDArray[np.bool_]
    groups: int = 1
    power: Places = field(default_factory=lambda: np.ones(0))

    @functools.cached_property
    def first(self) -> Whole:
        """The number of each triangle's first cell, (m,)."""
        counts = self.divisions**2
        return np.asarray(np.cumsum(counts) - counts)

    @functools.cached_property
    def crossed(self) -> tuple[Floats, Floats]:
        """Unit normals (m, 3), zero for triangles without area, and areas (m,) in square metres."""
        a, b, c = (self.corners[:, i].astype(np.float64) for i in range(3))
        normal = np.cross(b - a, c - a)
        double = np.linalg.norm(normal, axis=1)
        unit = normal / np.where(double > 0, double, 1)[:, None]
        return unit.astype(np.float32), (double / 2).astype(np.float32)

    @property
    def size(self) -> float:
        """The diagonal of the box round all of it, in metres."""
        if not len(self.corners):
            return 1.0
        points = self.corners.reshape(-1, 3)
        return float(np.linalg.norm(points.max(axis=0) - points.min(axis=0))) or 1.0

    def cell_at(self, triangle: Whole, u: Floats, v: Floats) -> Whole:
        """The number of the cell at places of triangles."""
        if self.whole:
            return triangle
        n = self.divisions.take(triangle)
        along, across = u * n, v * n
        i, j = (np.clip(x.astype(np.int64), 0, n - 1) for x in (along, across))
        i = np.minimum(i, n - 1 - j)
        head = ((along - i + across - j) > 1) & (i + j < n - 1)
        return np.asarray(self.first.take(triangle) + 2 * n * j - j * j + 2 * i + head)

    @functools.cached_property
    def whole(self) -> bool:
        """Whether each triangle is one cell."""
        return bool((self.divisions == 1).all())

    def areas(self) -> Places:
        """The area of each cell, (k,)."""
        counts = self.divisions**2
        return np.repeat(self.crossed[1].astype(np.float64) / counts, counts)

    def owners(self) -> Whole:
        """The triangle of each cell, (k,)."""
        return np.repeat(np.arange(len(self.divisions)), self.divisions**2)


def joined(pieces: Sequence[Surfaces], groups: int, power: Places) -> Surfaces:
    """Surfaces one after another."""
    return Surfaces(
        np.concatenate([each.corners for each in pieces]),
        np.concatenate([each.divisions for each in pieces]),
        np.concatenate([each.albedo for each in pieces]),
        np.concatenate([each.emission for each in pieces]),
        np.concatenate([each.cover for each in pieces]),
        np.concatenate([each.group for each in pieces]),
        np.concatenate([each.two_sided for each in pieces]),
        groups,
        power,
    )


@functools.lru_cache(maxsize=FINEST + 1)
def cell_corners(n: int) -> Places:
    """The corners of the cells of a triangle whose edges are cut in n, as (u, v): (n², 3, 2)."""
    found = []
    for j in range(n):
        for i in range(n - j):
            found.append(((i, j), (i + 1, j), (i, j + 1)))
            if i + j < n - 1:
                found.append(((i + 1, j + 1), (i, j + 1), (i + 1, j)))
    return np.array(found, np.float64) / n


def cell_middles(divisions: Whole) -> tuple[Whole, Places]:
    """The triangle of each cell, (k,), and the place of its middle in it, (k, 2)."""
    counts = divisions**2
    places = np.zeros((int(counts.sum()), 2))
    first = np.cumsum(counts) - counts
    for n in np.unique(divisions):
        which = np.flatnonzero(divisions == n)
        middles = cell_corners(int(n)).mean(axis=1)
        places[(first[which][:, None] + np.arange(n * n)).reshape(-1)] = np.tile(middles, (len(which), 1))
    return np.repeat(np.arange(len(divisions)), counts), places


def divisions_for(corners: Floats, per_metre: float, share: float = 1.0) -> Whole:
    """Into how many pieces the edges of triangles are cut for cells as large as texels of that density.

    They may take that share of the cells there may be.
    """
    edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1, initial=0.0)
    fine = np.clip(np.ceil(edges.astype(np.float64) * per_metre), 1, FINEST)
    total = float((fine**2).sum())
    if total > MOST_CELLS * share:
        fine = np.maximum(np.floor(fine * np.sqrt(MOST_CELLS * share / total)), 1)
    return np.asarray(fine.astype(np.int64))
