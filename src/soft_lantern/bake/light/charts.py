"""Charts: where in a light map each triangle lies, and which texels it has. Unfolded and packed by xatlas.

Coordinates are 0–1, v downwards, as in glTF 2.0, one pair a corner, so a mesh's own coordinates and its vertices stay.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import xatlas
from msgspec import Struct, field

from soft_lantern.bake.light.surfaces import Floats, Whole
from soft_lantern.scene.mesh import Indices
from soft_lantern.scene.rows import distinct_rows, within_runs

PADDING = 2
"""Texels between charts, so that what is filled of one is not seen on the next."""
LARGEST = 2048
"""Texels across or down one light map; past it, its texels become larger."""
BESIDE = 0.75
"""Texels from a triangle within which a texel that no other covers is still its own."""
WASTED = 0.25
"""The share of a map in use below which it is said to waste room."""


class Charts(Struct, frozen=True, eq=False):
    """A light map's width and height in texels, and coordinates by corner of each mesh, (m, 3, 2)."""

    size: tuple[int, int]
    coordinates: tuple[Floats, ...]
    texels_per_metre: float


class Texels(Struct, frozen=True, eq=False):
    """Texels that surfaces have: their numbers row by row, the mesh and triangle of each, and where in that, (k, 2).

    `covered`: whether a triangle covers the texel's middle; others are beside one. `doubled`: how many middles lie
    within two triangles. `seams`: pairs of them, (s, 2), in which one edge of a mesh lies in two charts.
    """

    numbers: Whole
    mesh: Whole
    triangle: Whole
    places: npt.NDArray[np.float64]
    covered: npt.NDArray[np.bool_]
    doubled: int
    seams: Whole = field(default_factory=lambda: np.zeros((0, 2), np.int64))


def unfolded(meshes: Sequence[tuple[Floats, Indices]], texels_per_metre: float) -> Charts:
    """Charts for meshes of points in world space, (n, 3) in metres, and triangles, all in one map."""
    density = max(texels_per_metre, 1e-6)
    while True:
        atlas = xatlas.Atlas()
        for points, triangles in meshes:
            atlas.add_mesh(np.ascontiguousarray(points, np.float32), np.ascontiguousarray(triangles, np.uint32))
        packing = xatlas.PackOptions()
        packing.padding, packing.bilinear, packing.texels_per_unit = PADDING, True, density
        packing.rotate_charts_to_axis = True
        atlas.generate(xatlas.ChartOptions(), packing)
        size = (max(int(atlas.width), 1), max(int(atlas.height), 1))
        if max(size) <= LARGEST:
            break
        density *= 0.9 * LARGEST / max(size)
    found = []
    for number, (_, triangles) in enumerate(meshes):
        _, order, places = atlas[number]
        corners = places[order] if len(order) == len(triangles) else np.zeros((len(triangles), 3, 2))
        found.append(np.ascontiguousarray(corners, np.float32))
    return Charts(size, tuple(found), density)


def texels_of(charts: Charts) -> Texels:
    """Which texels each triangle has: those whose middles it covers, then those beside it that none covers.

    Of several triangles the first has a texel that they cover, and the nearest one that lies beside them.
    """
    mesh = np.concatenate([np.full(len(each), n) for n, each in enumerate(charts.coordinates)])
    triangle = np.concatenate([np.arange(len(each)) for each in charts.coordinates])
    corners = np.concatenate(charts.coordinates).astype(np.float64) * charts.size
    covered = np.zeros(charts.size[0] * charts.size[1], bool)
    times = np.zeros(len(covered), np.int32)
    rows = _rows_of(corners, charts.size)
    own, beside = [_NONE], [_NONE]
    for start, stop in _blocks(rows.wide):
        near = _near(corners, rows, start, stop, charts.size[0])
        inside = (near.u >= -1e-9) & (near.v >= -1e-9) & (near.u + near.v <= 1 + 1e-9)
        within = (near.u > 1e-6) & (near.v > 1e-6) & (near.u + near.v < 1 - 1e-6)  # on an edge, neighbours meet
        found = np.bincount(near.numbers[within])
        times[: len(found)] += found
        new = np.flatnonzero(inside & ~covered[near.numbers])
        first = new[np.unique(near.numbers[new], return_index=True)[1]]
        covered[near.numbers[first]] = True
        own.append(near.rows(first))
        beside.append(near.rows(np.flatnonzero(~inside & ~covered[near.numbers])))
    near = _together(beside)
    near = _nearest(corners, near.rows(np.flatnonzero(~covered[near.numbers])), charts.size[0])
    whole = _together([*own, near])
    whole = whole.rows(np.argsort(whole.numbers))
    return Texels(
        *(whole.numbers, mesh[whole.triangles], triangle[whole.triangles]),
        np.stack([whole.u, whole.v], axis=1),
        covered[whole.numbers],
        int((times > 1).sum()),
    )


def seams_of(charts: Charts, meshes: Sequence[tuple[Floats, Indices]], texels: Texels) -> Whole:
    """Pairs of texels, as rows of `texels`, (k, 2), in which one edge of a mesh lies in two charts."""
    width, height = charts.size
    row_of = np.full(width * height, -1, np.int64)
    row_of[texels.numbers] = np.arange(len(texels.numbers))
    found = [np.zeros((0, 2), np.int64)]
    for (points, triangles), coordinates in zip(meshes, charts.coordinates, strict=True):
        sides = _edges_in_two_places(points, triangles, coordinates * np.array([width, height], np.float32))
        found.append(np.stack([row_of[_numbers(each, charts.size)] for each in sides], axis=1))
    pairs = np.sort(np.concatenate(found), axis=1)
    pairs = pairs[distinct_rows(pairs)[0]]
    return np.asarray(pairs[(pairs[:, 0] >= 0) & (pairs[:, 0] != pairs[:, 1])])


ALONG_SEAM = 48
"""Places looked at along one edge."""


def _edges_in_two_places(points: Floats, triangles: Indices, placed: Floats) -> tuple[Floats, Floats]:
    """Places in the map, in texels, along the edges that two triangles share but the map does not: on either side."""
    _, welded = distinct_rows(points.round(5))
    corners = welded[triangles]
    ends = np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2)
    sides = np.stack([placed, np.roll(placed, -1, axis=1)], axis=2).reshape(-1, 2, 2)
    turned = ends[:, 0] > ends[:, 1]
    ends[turned], sides[turned] = ends[turned, ::-1], sides[turned, ::-1]
    order = np.lexsort((ends[:, 1], ends[:, 0]))
    same = np.flatnonzero((ends[order][1:] == ends[order][:-1]).all(axis=1))
    one, other = sides[order[same]], sides[order[same + 1]]
    apart = np.abs(one - other).max(axis=(1, 2)) > 0.5
    share = np.linspace(0, 1, ALONG_SEAM, dtype=np.float32)[None, :, None]

    def along(ends: Floats) -> Floats:
        return np.asarray(ends[:, :1] * (1 - share) + ends[:, 1:] * share, np.float32).reshape(-1, 2)

    return along(one[apart]), along(other[apart])


def _numbers(places: Floats, size: tuple[int, int]) -> Whole:
    whole = np.clip(places.astype(np.int64), 0, (size[0] - 1, size[1] - 1))
    return np.asarray(whole[:, 1] * size[0] + whole[:, 0])


def nearest_filled(size: tuple[int, int], numbers: Whole) -> Whole:
    """For each texel of a map the number of the nearest of those that hold something, (width · height,)."""
    from scipy import ndimage  # slow to import, and only wanted here

    width, height = size
    empty = np.ones(width * height, bool)
    empty[numbers] = False
    if not len(numbers):
        return np.arange(width * height)
    rows, columns = ndimage.distance_transform_edt(
        empty.reshape(height, width), return_distances=False, return_indices=True
    )
    return np.asarray((rows * width + columns).reshape(-1))


_BLOCK = 1 << 18
"""Texels looked at together."""


class _Rows(NamedTuple):
    """Rows of texels in which triangles may have some: the triangle, the row, its first texel and how many, (n,)."""

    triangles: Whole
    y: Whole
    x: Whole
    wide: Whole


class _Near(NamedTuple):
    """Texels in or near triangles: their numbers, the triangles, and the weights of the second and third corner."""

    numbers: Whole
    triangles: Whole
    u: npt.NDArray[np.float64]
    v: npt.NDArray[np.float64]

    def rows(self, which: npt.NDArray[np.intp]) -> _Near:
        return _Near._make(each[which] for each in self)


_NONE = _Near(*(np.zeros(0, np.int64),) * 2, *(np.zeros(0),) * 2)


def _together(several: Sequence[_Near]) -> _Near:
    return _Near._make(np.concatenate(each) for each in zip(*several, strict=True))


def _rows_of(corners: npt.NDArray[np.float64], size: tuple[int, int]) -> _Rows:
    """The rows of triangles with corners in texels, (n, 3, 2), and what may lie beside them: no more than it must."""
    width, height = size
    e, f = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    kept = np.flatnonzero(np.abs(e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0]) > 1e-12)
    low = np.clip(np.floor(corners[kept, :, 1].min(axis=1) - BESIDE).astype(np.int64), 0, height - 1)
    high = np.clip(np.ceil(corners[kept, :, 1].max(axis=1) + BESIDE).astype(np.int64), 1, height)
    triangles = np.repeat(kept, high - low)
    y = within_runs(high - low) + np.repeat(low, high - low)
    left, right = np.full(len(y), np.inf), np.full(len(y), -np.inf)
    under, over = y + 0.5 - BESIDE, y + 0.5 + BESIDE
    for one, other in ((0, 1), (1, 2), (2, 0)):  # how far each side reaches within the band of the row
        (from_x, from_y), (to_x, to_y) = corners[triangles, one].T, corners[triangles, other].T
        down = to_y - from_y
        level = np.abs(down) < 1e-12
        steps = np.where(level, 1.0, down)
        ends = np.stack([(under - from_y) / steps, (over - from_y) / steps])
        start = np.where(level, 0.0, np.clip(ends.min(axis=0), 0, 1))
        stop = np.where(level, 1.0, np.clip(ends.max(axis=0), 0, 1))
        for share in (start, stop):
            at_x, at_y = from_x + (to_x - from_x) * share, from_y + down * share
            met = (at_y > under - 1e-6) & (at_y < over + 1e-6)
            left = np.where(met, np.minimum(left, at_x), left)
            right = np.where(met, np.maximum(right, at_x), right)
    met = np.flatnonzero(left <= right)
    first = np.clip(np.floor(left[met] - BESIDE - 1e-6).astype(np.int64), 0, width - 1)
    last = np.clip(np.ceil(right[met] + BESIDE + 1e-6).astype(np.int64), 1, width)
    return _Rows(triangles[met], y[met], first, last - first)


def _blocks(wide: Whole) -> Iterator[tuple[int, int]]:
    """Runs of rows, first and one past the last, of about a block's texels together."""
    behind = np.cumsum(wide)
    start = 0
    while start < len(wide):
        stop = int(np.searchsorted(behind, (behind[start - 1] if start else 0) + _BLOCK, side="right"))
        stop = max(stop, start + 1)
        yield start, stop
        start = stop


def _near(corners: npt.NDArray[np.float64], rows: _Rows, start: int, stop: int, width: int) -> _Near:
    """The texels of some rows, each with its triangle's weights at the texel's middle."""
    triangles, y, first, wide = (each[start:stop] for each in rows)
    of = corners[triangles]
    a, e, f = of[:, 0], of[:, 1] - of[:, 0], of[:, 2] - of[:, 0]
    double = e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0]
    row = np.repeat(np.arange(len(wide)), wide)
    x = within_runs(wide) + first[row]
    right, down = x + 0.5 - a[row, 0], (y + 0.5 - a[:, 1])[row]
    u = (right * f[row, 1] - down * f[row, 0]) / double[row]
    v = (e[row, 0] * down - e[row, 1] * right) / double[row]
    return _Near(y[row] * width + x, triangles[row], u, v)


def _nearest(corners: npt.NDArray[np.float64], near: _Near, width: int) -> _Near:
    """Of texels that lie beside triangles those that are near enough, each once, with the nearest place on an edge."""
    at = np.stack([near.numbers % width, near.numbers // width], axis=1) + 0.5
    best = np.full(len(at), np.inf)
    found = np.zeros((len(at), 2))
    ends = ((0, 0), (1, 0), (0, 1))
    for one, other in ((0, 1), (1, 2), (2, 0)):
        start = corners[near.triangles, one]
        way = corners[near.triangles, other] - start
        along = np.einsum("ni,ni->n", at - start, way) / np.maximum(np.einsum("ni,ni->n", way, way), 1e-20)
        along = np.clip(along, 0, 1)
        away = np.linalg.norm(start + way * along[:, None] - at, axis=1)
        nearer = away < best
        best[nearer] = away[nearer]
        place = np.array(ends[one]) * (1 - along)[:, None] + np.array(ends[other]) * along[:, None]
        found[nearer] = place[nearer]
    enough = np.flatnonzero(best < BESIDE)
    order = enough[np.lexsort((best[enough], near.numbers[enough]))]
    first = order[np.unique(near.numbers[order], return_index=True)[1]]
    return _Near(near.numbers[first], near.triangles[first], *found[first].T)
