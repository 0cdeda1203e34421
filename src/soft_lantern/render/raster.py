"""Rasterises triangles at pixel centres, as in the OpenGL 3.3 specification, section 3.6.1."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.scene.mesh import Indices
from soft_lantern.scene.rows import within_runs

CANDIDATES_AT_ONCE = 2_000_000
SUBPIXELS = 256
"""The grid within a pixel that corners are put on, as graphics hardware does."""
NEAR = 1e-6
Floats = npt.NDArray[np.float64]
Counts = npt.NDArray[np.int64]


class Hits(Struct, frozen=True, eq=False):
    """Which pixels triangles are nearest in: pixel index, depth in 0–1, and whether the outside is seen.

    `carried`: what the triangles carry, interpolated with perspective, each (n, k).
    """

    pixels: npt.NDArray[np.int64]
    depths: Floats
    front: npt.NDArray[np.bool_]
    carried: dict[str, Floats]
    _corners: Floats
    _screen: Floats
    _w: Floats
    _place: npt.NDArray[np.int64]
    _layout: dict[str, slice]

    def carried_rates(self) -> dict[str, Floats]:
        """How carried values change to the next pixel, `NAME_dx` to the right and `NAME_dy` upwards, each (n, k).

        Between the two pixels of a pair, as hardware takes differences within blocks of 2 × 2.
        """
        found: dict[str, Floats] = {}
        for axis, name in ((0, "dx"), (1, "dy")):
            first = self._place.copy()
            first[:, axis] -= first[:, axis] % 2
            second = first.copy()
            second[:, axis] += 1
            change = self._at(second) - self._at(first)
            found |= {f"{each}_{name}": change[:, part] for each, part in self._layout.items()}
        return found

    def from_edge(self) -> Floats:
        """How far each pixel's middle is from the nearest edge of its triangle, in pixels."""
        weights = _weights(self._screen, self._place.astype(np.float64) + 0.5)
        a, b, c = (self._screen[:, i] for i in range(3))
        area = np.abs(_cross(b - a, c - a))
        sides = np.stack([np.linalg.norm(each, axis=1) for each in (c - b, a - c, b - a)], axis=1)
        return np.asarray((weights * area[:, None] / np.maximum(sides, 1e-12)).min(axis=1))

    def _at(self, place: npt.NDArray[np.int64]) -> Floats:
        """What the same triangles carry at other pixels, counted from the lower left."""
        weights = _perspective(_weights(self._screen, place.astype(np.float64) + 0.5), self._w)
        return np.asarray(np.einsum("nc,nca->na", weights, self._corners))


def rasterise(
    triangles: Indices,
    clip: Floats,
    carried: Mapping[str, Floats],
    size: tuple[int, int],
    depth: Floats,
    facing: int = 0,
    every: bool = False,
) -> Hits:
    """Where triangles, with their vertices in clip space (n, 4), are nearer than `depth` (one value for each pixel).

    `facing` 1: only those whose corners go round counter-clockwise as seen; −1: only the others. `every`: not the
    nearest in each pixel alone but all of them, in the order of the triangles.
    """
    layout, width = {}, 4
    for name, rows in carried.items():
        layout[name] = slice(width - 4, width - 4 + rows.shape[1])
        width += rows.shape[1]
    corners = _in_front(np.hstack([clip, *carried.values()])[triangles])
    found = _Screen(corners[..., :4], size)
    best = depth.copy()
    kept: list[tuple[npt.NDArray[np.int64], Floats, npt.NDArray[np.int64]]] = []
    for pixel, at, triangle in found.covered(facing):
        nearer = at < best[pixel]
        pixel, at, triangle = pixel[nearer], at[nearer], triangle[nearer]
        if every:
            kept.append((pixel, at, triangle))
            continue
        np.minimum.at(best, pixel, at)
        nearest = np.flatnonzero(at == best[pixel])
        _, first = np.unique(pixel[nearest], return_index=True)  # of those as near, the first
        first = nearest[first]
        kept.append((pixel[first], at[first], triangle[first]))
    if not kept:
        kept.append((np.zeros(0, np.int64), np.zeros(0), np.zeros(0, np.int64)))
    pixel, triangle = (np.concatenate([k[i] for k in kept]).astype(np.int64) for i in (0, 2))
    at = np.concatenate([k[1] for k in kept])
    # A later chunk may have come nearer in the same pixel.
    final = np.argsort(triangle, kind="stable") if every else at == best[pixel]
    pixel, at, triangle = pixel[final], at[final], triangle[final]
    place = np.stack([pixel % size[0], size[1] - 1 - pixel // size[0]], axis=1)
    screen, w = found.places[triangle], corners[triangle, :, 3]
    values = corners[triangle][..., 4:]
    mixed = np.einsum("nc,nca->na", _perspective(_weights(screen, place + 0.5), w), values)
    named = {name: mixed[:, part] for name, part in layout.items()}
    return Hits(pixel, at, found.areas[triangle] > 0, named, values, screen, w, place, layout)


def walls_behind(triangles: Indices, clip: Floats, size: tuple[int, int], depth: Floats) -> Floats:
    """How many more triangles farther than `depth` are seen from inside than from outside, for each pixel."""
    found = _Screen(_in_front(clip[triangles]), size)
    walls = np.zeros(len(depth))
    for pixel, at, triangle in found.covered(0):
        behind = at > depth[pixel]
        np.add.at(walls, pixel[behind], -np.sign(found.areas[triangle[behind]]))
    return walls


class _Screen:
    """Triangles on the screen, corners (n, 3, 4) in clip space: places in pixels from the lower left, as in OpenGL."""

    def __init__(self, corners: Floats, size: tuple[int, int]) -> None:
        w = corners[..., 3]
        self.size = size
        self.places = (corners[..., :2] / w[..., None] * 0.5 + 0.5) * np.array(size)
        self.depths = corners[..., 2] / w * 0.5 + 0.5
        screen = self.places
        self.areas = _cross(screen[:, 1] - screen[:, 0], screen[:, 2] - screen[:, 0])

    def covered(self, facing: int) -> Iterator[tuple[npt.NDArray[np.int64], Floats, npt.NDArray[np.int64]]]:
        """The pixels whose middles triangles cover, with the depth there in 0–1 and the triangle; in chunks."""
        size, screen = self.size, np.rint(self.places * SUBPIXELS) / SUBPIXELS
        low = np.clip(np.ceil(screen.min(axis=1) - 0.5), 0, size).astype(np.int64)
        high = np.clip(np.floor(screen.max(axis=1) - 0.5) + 1, 0, size).astype(np.int64)
        extent = np.maximum(high - low, 0)
        wanted = np.abs(self.areas) > 1e-12 if not facing else self.areas * facing > 1e-12
        counts = np.where(wanted, extent[:, 0] * extent[:, 1], 0)
        edges = _edges(screen)
        for chunk in _chunks(counts):
            rows = extent[chunk, 1]
            triangle = np.repeat(chunk, rows)
            y = low[triangle, 1] + within_runs(rows)
            first, end = low[triangle, 0], high[triangle, 0]
            for edge in edges:
                first, end = edge.narrowed(triangle, y + 0.5, first, end)
            wide = np.maximum(end - first, 0)
            triangle, x, y = np.repeat(triangle, wide), np.repeat(first, wide) + within_runs(wide), np.repeat(y, wide)
            centre = np.stack([x, y], axis=1) + 0.5
            at = (self.depths[triangle] * _weights(self.places[triangle], centre)).sum(axis=1)
            inside = (at >= 0) & (at <= 1)
            pixel = (size[1] - 1 - y) * size[0] + x
            yield pixel[inside], at[inside], triangle[inside]


class _Edge(Struct, frozen=True, eq=False):
    """One edge of every triangle: where it starts, how far it goes, and how far a place of its must be beside it."""

    start_x: Floats
    start_y: Floats
    along_x: Floats
    along_y: Floats
    least: Floats

    def narrowed(self, triangle: Counts, y: Floats, first: Counts, end: Counts) -> tuple[Counts, Counts]:
        """What of those triangles' rows, from the pixel `first` to before `end`, has its middles on the inner side.

        Where the edge crosses a row is worked out, which may be a pixel off, and the two middles there are asked.
        """
        start, along, least = self.start_x[triangle], self.along_y[triangle], self.least[triangle]
        risen = self.along_x[triangle] * (y - self.start_y[triangle])
        level = along == 0
        near = np.floor(start + risen / np.where(level, 1.0, along) - 0.5)
        near = np.fmax(np.fmin(near, end), first - 2)  # no farther off than matters: an edge may lie anywhere
        inside = [risen - along * (at - start) >= least for at in (near + 0.5, near + 1.5)]
        near, within = near.astype(np.int64), inside[0].astype(np.int64) + inside[1]
        first = np.where(along < 0, np.maximum(first, near + 2 - within), first)
        end = np.where(along > 0, np.minimum(end, near + within), np.where(level & ~inside[0], first, end))
        return first, end


def _edges(screen: Floats) -> list[_Edge]:
    """The three edges of triangles, whose corners lie on a fine grid, so that all products are exact.

    A middle on an edge belongs to the triangle on the edge's right or lower side alone, so that neighbours neither
    leave a gap nor both draw it.
    """
    turn = np.where(_cross(screen[:, 1] - screen[:, 0], screen[:, 2] - screen[:, 0]) < 0, -1.0, 1.0)
    found = []
    for start, end in ((0, 1), (1, 2), (2, 0)):
        along = (screen[:, end] - screen[:, start]) * turn[:, None]
        own = (along[:, 1] < 0) | ((along[:, 1] == 0) & (along[:, 0] < 0))
        parts = (*screen[:, start].T, *along.T, np.where(own, 0.0, np.nextafter(0.0, 1.0)))
        found.append(_Edge(*(np.ascontiguousarray(part) for part in parts)))
    return found


def _weights(screen: Floats, centre: Floats) -> Floats:
    """Each corner's share of a place on the screen, (n, 3)."""
    a, b, c = (screen[:, i] for i in range(3))
    area = _cross(b - a, c - a)
    weights = np.stack([_cross(b - centre, c - centre), _cross(c - centre, a - centre)], axis=1) / area[:, None]
    return np.column_stack([weights, 1 - weights.sum(axis=1)])


def _perspective(weights: Floats, w: Floats) -> Floats:
    true = weights / w
    return np.asarray(true / true.sum(axis=1, keepdims=True))


def _in_front(corners: Floats) -> Floats:
    """Triangles (n, 3, k), clip position first, cut where they cross behind the eye."""
    near = corners[..., 2] + corners[..., 3]  # the near plane: z = −w
    outside = near < NEAR
    whole = corners[~outside.any(axis=1)]
    crossing = np.flatnonzero(outside.any(axis=1) & ~outside.all(axis=1))
    pieces = [piece for index in crossing for piece in _cut(corners[index], near[index])]
    return np.concatenate([whole, np.array(pieces)]) if pieces else whole


def _cut(corners: Floats, near: Floats) -> list[Floats]:
    """The part of one triangle in front of the near plane, as one or two triangles (Sutherland and Hodgman)."""
    polygon: list[Floats] = []
    for i in range(3):
        j = (i + 1) % 3
        if near[i] >= NEAR:
            polygon.append(corners[i])
        if (near[i] >= NEAR) != (near[j] >= NEAR):
            t = (NEAR - near[i]) / (near[j] - near[i])
            polygon.append(corners[i] + t * (corners[j] - corners[i]))
    return [np.stack([polygon[0], polygon[k], polygon[k + 1]]) for k in range(1, len(polygon) - 1)]


def _chunks(counts: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
    """Triangle numbers in runs whose candidate pixels fit in memory together."""
    used = np.flatnonzero(counts)
    if not len(used):
        return []
    batch = np.cumsum(counts[used]) // CANDIDATES_AT_ONCE
    return np.split(used, np.flatnonzero(np.diff(batch)) + 1)


def _cross(a: Floats, b: Floats) -> Floats:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
