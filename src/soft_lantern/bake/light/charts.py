"""Charts: where in a light map each triangle lies, and which texels it has. Unfolded and packed by xatlas.

Coordinates are 0–1, v downwards, as in glTF 2.0, one pair a corner, so a mesh's own coordinates and its vertices stay.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
import xatlas

from soft_lantern.bake.light.surfaces import Floats, Whole
from soft_lantern.scene.mesh import Indices
from soft_lantern.scene.rows import distinct_rows

PADDING = 2
"""Texels between charts, so that what is filled of one is not seen on the next."""
LARGEST = 2048
"""Texels across or down one light map; past it, its texels become larger."""
BESIDE = 0.75
"""Texels from a triangle within which a texel that no other covers is still its own."""
WASTED = 0.25
"""The share of a map in use below which it is said to waste room."""


@dataclass(frozen=True, eq=False)
class Charts:
    """A light map's width and height in texels, and coordinates by corner of each mesh, (m, 3, 2)."""

    size: tuple[int, int]
    coordinates: tuple[Floats, ...]
    texels_per_metre: float


@dataclass(frozen=True, eq=False)
class Texels:
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
    """Which texels each triangle has: those whose middles it covers, then those beside it that none covers."""
    width, height = charts.size
    mesh = np.concatenate([np.full(len(each), n) for n, each in enumerate(charts.coordinates)])
    triangle = np.concatenate([np.arange(len(each)) for each in charts.coordinates])
    corners = np.concatenate(charts.coordinates).astype(np.float64) * (width, height)
    a, b, c = (corners[:, i] for i in range(3))
    double = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    kept = np.flatnonzero(np.abs(double) > 1e-12)
    low = np.clip(np.floor(corners.min(axis=1) - BESIDE).astype(np.int64), 0, (width - 1, height - 1))
    high = np.clip(np.ceil(corners.max(axis=1) + BESIDE).astype(np.int64), 1, (width, height))
    wide, tall = (high - low)[kept].T
    counts = wide * tall
    which = np.repeat(kept, counts)
    inner = np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)
    across = np.repeat(wide, counts)
    x, y = low[which, 0] + inner % across, low[which, 1] + inner // across
    middle = np.stack([x, y], axis=1) + 0.5
    u, v = _weights(corners[which], double[which], middle)
    inside = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9)
    within = (u > 1e-6) & (v > 1e-6) & (u + v < 1 - 1e-6)  # on an edge, neighbours meet
    u, v = _nearest(corners[which], u, v, middle, inside)
    at = corners[which, 0] * (1 - u - v)[:, None] + corners[which, 1] * u[:, None] + corners[which, 2] * v[:, None]
    away = np.linalg.norm(at - middle, axis=1)
    near = np.flatnonzero(inside | (away < BESIDE))
    number = (y * width + x)[near]
    order = np.lexsort((np.where(inside[near], 0.0, away[near]), number))
    first = np.ones(len(order), bool)
    first[1:] = number[order][1:] != number[order][:-1]
    chosen = near[order[first]]
    doubled = int((np.unique(number[within[near]], return_counts=True)[1] > 1).sum())
    return Texels(
        (y * width + x)[chosen],
        mesh[which[chosen]],
        triangle[which[chosen]],
        np.stack([u[chosen], v[chosen]], axis=1),
        inside[chosen],
        doubled,
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


def _weights(
    corners: npt.NDArray[np.float64], double: npt.NDArray[np.float64], at: npt.NDArray[np.float64]
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """The weights of the second and third corner at places in the map."""
    a, b, c = (corners[:, i] for i in range(3))
    p, e, f = at - a, b - a, c - a
    u = (p[:, 0] * f[:, 1] - p[:, 1] * f[:, 0]) / double
    v = (e[:, 0] * p[:, 1] - e[:, 1] * p[:, 0]) / double
    return u, v


def _nearest(
    corners: npt.NDArray[np.float64],
    u: npt.NDArray[np.float64],
    v: npt.NDArray[np.float64],
    at: npt.NDArray[np.float64],
    inside: npt.NDArray[np.bool_],
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """The same weights, of places outside those of the nearest point on an edge."""
    out = np.flatnonzero(~inside)
    best = np.full(len(out), np.inf)
    found = np.zeros((len(out), 2))
    ends = ((0, 0), (1, 0), (0, 1))
    for one, other in ((0, 1), (1, 2), (2, 0)):
        start, way = corners[out, one], corners[out, other] - corners[out, one]
        along = np.einsum("ni,ni->n", at[out] - start, way) / np.maximum(np.einsum("ni,ni->n", way, way), 1e-20)
        along = np.clip(along, 0, 1)
        away = np.linalg.norm(start + way * along[:, None] - at[out], axis=1)
        nearer = away < best
        best[nearer] = away[nearer]
        place = np.array(ends[one]) * (1 - along)[:, None] + np.array(ends[other]) * along[:, None]
        found[nearer] = place[nearer]
    u, v = u.copy(), v.copy()
    u[out], v[out] = found.T
    return u, v
