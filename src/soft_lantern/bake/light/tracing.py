"""Paths of light, followed backwards: from a point to surfaces, from each to emitters and on, by embree's rays.

At each place an emitter is looked for by area and power and a direction is taken by the cosine; the two are weighed by
the balance heuristic (Veach, "Robust Monte Carlo Methods for Light Transport Simulation", 1997, section 9.2). Surfaces
are diffuse. What emitters of one group send is summed apart. The first two bounces' places come from an additive
recurrence that fills space evenly, shifted at each point by chance; the rest by chance. The same seed gives the same
numbers, whichever process follows which sample.
"""

from __future__ import annotations

from math import pi

import numpy as np
import numpy.typing as npt
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from msgspec import Struct

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.surfaces import Floats, Surfaces, Whole, cell_corners

AT_ONCE = 16_384
"""Paths that are followed together: what they need stays in a core's cache."""
GUIDE, STEPS = 8192, 2
"""Entries of the table that says where among emitters to begin looking, and how many are looked at from there."""
THROUGH = 16
"""Surfaces that let light through, one behind the other, at most."""
EVEN_DIMENSIONS = 10
BURIED = 0.5
"""The share of directions that meet the inside of surfaces from which a point counts as inside of something."""


class Starts(Struct, frozen=True, eq=False):
    """Where light is gathered: points (n, 3) with the unit normals they face by, or none, where all around counts.

    With normals, what is gathered is the radiance that a white diffuse surface there would send: irradiance over π.
    Without, it is (9, 3) coefficients of what arrives (`harmonics.basis`).
    """

    points: Floats
    normals: Floats | None = None

    @property
    def count(self) -> int:
        return len(self.points)


class Gathered(Struct, frozen=True, eq=False):
    """Sums over samples: `light` (n, groups, 3), or (n, groups, 9, 3) without normals; `squares`: (n,) of each sample's

    mean over channels and groups; `buried` (n,): how many first directions met a surface from inside.
    """

    light: Floats
    squares: Floats
    buried: Floats


class _Paths(Struct, eq=False):
    """Paths under way: which start each belongs to, where it is, and what is left of its light."""

    which: Whole
    points: Floats
    normals: Floats
    left: Floats


class Sky(Struct, frozen=True, eq=False):
    """Linear radiance from everywhere, (height, width, 3): row 0 up, its middle along −z, turned by degrees about Y."""

    panorama: Floats
    turned: float = 0.0

    def radiance(self, toward: Floats) -> Floats:
        """In unit directions, (n, 3)."""
        height, width = self.panorama.shape[:2]
        across = np.arctan2(toward[:, 0], -toward[:, 2]) / (2 * pi) + 0.5 - self.turned / 360.0
        down = np.arccos(np.clip(toward[:, 1], -1, 1)) / pi
        columns = np.floor(across * width).astype(np.int64) % width
        rows = np.clip((down * height).astype(np.int64), 0, height - 1)
        return np.asarray(self.panorama[rows, columns])


class Tracer:
    """Follows paths among surfaces. Holds embree's scene, so it stays in the process that made it."""

    def __init__(self, surfaces: Surfaces, sky: Sky | None = None) -> None:
        """`sky`: what paths that meet nothing see, counted as the last group."""
        self.surfaces, self.sky = surfaces, sky
        self.rays = 0
        self.scene = EmbreeScene()
        if len(surfaces.corners):
            TriangleMesh(self.scene, np.ascontiguousarray(surfaces.corners, np.float32))
        self.normals, _ = surfaces.crossed
        self.away = np.float32(max(surfaces.size * 2e-5, 1e-6))
        self.through, self.two_sided = bool((surfaces.cover < 1).any()), bool(surfaces.two_sided.any())
        areas = surfaces.areas()
        owners = surfaces.owners()
        strength = surfaces.emission.astype(np.float64).mean(axis=1) * areas
        group = surfaces.group[owners]
        strength[group < 0] = 0.0
        strength = _shared(strength, group, surfaces)
        cells = np.flatnonzero(strength > 0)
        self.emitters = cells
        self.lights = bool(len(cells))
        total = strength.sum()
        if self.lights:
            chances = strength[cells] / total
            self._upto = np.cumsum(chances)
            self._guide = np.searchsorted(self._upto, np.arange(GUIDE) / GUIDE, side="right")
            self._owner = owners[cells]
            self._corners = _cell_triangles(surfaces, cells, owners)
        # Chance per square metre with which a cell's places are looked at: 0 for what gives nothing.
        self._chance = np.where(areas > 0, strength / np.maximum(areas, 1e-30), 0.0) / (total or 1.0)
        self._chance = self._chance.astype(np.float32)

    def gather(self, starts: Starts, samples: range, seed: int, bounces: int) -> Gathered:
        """What arrives at the starts over samples of those numbers, summed, after at most so many bounces."""
        groups, wide = self.surfaces.groups, () if starts.normals is not None else (harmonics.COUNT,)
        found = Gathered(
            np.zeros((starts.count, groups, *wide, 3), np.float32),
            np.zeros(starts.count, np.float32),
            np.zeros(starts.count, np.float32),
        )
        for low in range(0, starts.count, AT_ONCE):
            part = slice(low, low + AT_ONCE)
            points = starts.points[part]
            normals = None if starts.normals is None else starts.normals[part]
            shift = _generator(seed, low, -1).random((EVEN_DIMENSIONS, len(points)), np.float32)
            for sample in samples:
                chance = _Chance(shift, sample, _generator(seed, low, sample))
                light, buried = self._one(points, normals, chance, bounces)
                found.light[part] += light
                found.buried[part] += buried
                level = light if normals is not None else light[:, :, 0] * np.float32(1 / harmonics.FLAT / (4 * pi))
                found.squares[part] += (level.sum(axis=1).mean(axis=1)) ** 2
        return found

    def _one(self, points: Floats, normals: Floats | None, chance: _Chance, bounces: int) -> tuple[Floats, Floats]:
        count, groups = len(points), self.surfaces.groups
        wide = () if normals is not None else (harmonics.COUNT,)
        light = np.zeros((count, groups, *wide, 3), np.float32)
        which = np.arange(count)
        left = np.ones((count, 3), np.float32)
        if normals is None:
            toward = _round_about(*chance.pair())
            paths = _Paths(which, points, toward, left)
            met = self._follow(paths, toward, chance)
            shares = harmonics.basis(toward) * np.float32(4 * pi)
            self._seen(light, met, None, shares)
        else:
            paths = _Paths(which, points + normals * self.away, normals, left)
            self._look(light, paths, chance, None)
            toward, likely = _by_cosine(normals, *chance.pair())
            met = self._follow(paths, toward, chance)
            shares = None
            self._seen(light, met, likely, None)
        buried = np.zeros(count, np.float32)
        buried[met.which[met.inside]] = 1.0
        for _ in range(bounces):
            paths = self._bounced(met)
            if not len(paths.which):
                break
            self._look(light, paths, chance, shares)
            toward, likely = _by_cosine(paths.normals, *chance.pair(len(paths.which)))
            met = self._follow(paths, toward, chance)
            self._seen(light, met, likely, shares)
        return light, buried

    def _look(self, light: Floats, paths: _Paths, chance: _Chance, shares: Floats | None) -> None:
        """Add what one emitter, chosen by area and power, sends straight to each path's place."""
        if not self.lights:
            return
        count = len(paths.which)
        pick, (a, b) = chance.one(count), chance.pair(count)
        chosen = self._picked(pick)
        root = np.sqrt(a)
        corners = self._corners.take(chosen, axis=0)
        toward = corners[:, 0] - paths.points
        toward += corners[:, 1] * (root * (1 - b))[:, None]
        toward += corners[:, 2] * (root * b)[:, None]
        squared = _dot(toward, toward)
        distance = np.sqrt(np.maximum(squared, 1e-20))
        toward /= distance[:, None]
        owner, cell = self._owner.take(chosen), self.emitters.take(chosen)
        facing = _dot(toward, paths.normals)
        turned = -_dot(toward, self.normals.take(owner, axis=0))
        if self.two_sided:
            turned = np.where(self.surfaces.two_sided.take(owner), np.abs(turned), turned)
        able = np.flatnonzero((facing > 0) & (turned > 1e-6) & (distance > 2 * self.away))
        if not len(able):
            return
        facing, turned, distance = facing.take(able), turned.take(able), distance.take(able)
        squared, cell, owner = squared.take(able), cell.take(able), owner.take(able)
        points = paths.points.take(able, axis=0)
        free = self._free(points, toward.take(able, axis=0), distance * np.float32(1 - 1e-4) - self.away, chance)
        by_cosine = facing * np.float32(1 / pi)
        by_light = self._chance.take(cell) * squared / turned
        weight = by_cosine / (by_light + by_cosine) * free * self.surfaces.cover.take(cell)
        sent = self.surfaces.emission.take(cell, axis=0) * paths.left.take(able, axis=0)
        sent *= weight[:, None]
        self._add(light, paths.which.take(able), self.surfaces.group.take(owner), sent, shares)

    def _picked(self, chance: Floats) -> Whole:
        """Which emitter each chance from 0 to below 1 falls to: a table says where to begin looking."""
        found = self._guide.take((chance * np.float32(GUIDE)).astype(np.int64))
        last = len(self._upto) - 1
        for _ in range(STEPS):
            found += self._upto.take(np.minimum(found, last)) <= chance
        behind = np.flatnonzero(self._upto.take(np.minimum(found, last)) <= chance)
        found[behind] = np.searchsorted(self._upto, chance[behind], side="right")
        return np.minimum(found, last)

    def _seen(self, light: Floats, met: _Met, likely: Floats | None, shares: Floats | None) -> None:
        """Add what the surfaces that were met send themselves, and the sky. `likely`: each direction's density.

        None for places that never look for emitters, where all of it counts.
        """
        if self.sky is not None:
            sent = self.sky.radiance(met.missed_toward) * met.missed_left
            self._add(light, met.missed, np.full(len(met.missed), self.surfaces.groups - 1), sent, shares)
        gives = np.flatnonzero(met.outside & (self.surfaces.group.take(met.triangle) >= 0))
        if not len(gives):
            return
        triangle, cell = met.triangle[gives], met.cell[gives]
        if likely is None:
            weight = np.ones(len(gives), np.float32)
        else:
            density = likely[met.row[gives]]
            by_light = self._chance[cell] * met.distance[gives] ** 2 / np.maximum(met.turned[gives], 1e-6)
            weight = np.asarray(density / np.maximum(density + by_light, 1e-30), np.float32)
        sent = self.surfaces.emission[cell] * met.left[gives] * weight[:, None]
        self._add(light, met.which[gives], self.surfaces.group[triangle], sent, shares)

    @staticmethod
    def _add(light: Floats, which: Whole, group: Whole, sent: Floats, shares: Floats | None) -> None:
        # A path adds once at a time, so no place is named twice.
        if shares is None:
            light[which, group] += sent
        else:
            light[which, group] += shares[which][:, :, None] * sent[:, None, :]

    def _bounced(self, met: _Met) -> _Paths:
        """The paths that go on: from the outside of surfaces, or either side of those that have two."""
        left = met.left * self.surfaces.albedo.take(met.cell, axis=0)
        bright = np.maximum(np.maximum(left[:, 0], left[:, 1]), left[:, 2])
        goes = np.flatnonzero(met.outside & (bright > 1e-4))
        normals = self.normals.take(met.triangle.take(goes), axis=0)
        if self.two_sided:
            normals *= np.where(met.front.take(goes), np.float32(1), np.float32(-1))[:, None]
        points = met.points.take(goes, axis=0) + normals * self.away
        return _Paths(met.which.take(goes), points, normals, left.take(goes, axis=0))

    def _follow(self, paths: _Paths, toward: Floats, chance: _Chance) -> _Met:
        """What directions from paths meet first, past what lets them through."""
        row, points = np.arange(len(paths.which)), paths.points
        pieces = []
        missed = [row[:0]]
        for _ in range(THROUGH):
            self.rays += len(row)
            way = toward if len(row) == len(toward) else toward.take(row, axis=0)
            found = self.scene.run(points, way, output=True)
            hit = np.flatnonzero(found["primID"] >= 0)
            if self.sky is not None:
                missed.append(row[found["primID"] < 0])
            triangle = found["primID"].take(hit).astype(np.int64)
            distance = found["tfar"].take(hit)
            cell = self.surfaces.cell_at(triangle, found["u"].take(hit), found["v"].take(hit))
            at = way.take(hit, axis=0)
            at *= distance[:, None]
            at += points.take(hit, axis=0)
            if not self.through:
                pieces.append((row.take(hit), triangle, cell, at))
                break
            stopped = self.surfaces.cover[cell] > chance.loose(len(hit))
            pieces.append((row[hit][stopped], triangle[stopped], cell[stopped], at[stopped]))
            row, points = row[hit][~stopped], (at + toward[row[hit]] * self.away)[~stopped]
            if not len(row):
                break
        if len(pieces) == 1:
            row, triangle, cell, at = pieces[0]
        else:
            row, triangle, cell, at = (np.concatenate(each) for each in zip(*pieces, strict=True))
        turned = -_dot(toward.take(row, axis=0), self.normals.take(triangle, axis=0))
        front = turned > 0
        outside = front | self.surfaces.two_sided.take(triangle) if self.two_sided else front
        way = at - paths.points.take(row, axis=0)
        distance = np.sqrt(_dot(way, way))
        lost = np.concatenate(missed)
        left = paths.left.take(row, axis=0)
        return _Met(
            *(row, paths.which.take(row), triangle, cell, at, distance, np.abs(turned), front, outside, left),
            *(paths.which[lost], toward[lost], paths.left[lost]),
        )

    def _free(self, points: Floats, toward: Floats, distance: Floats, chance: _Chance) -> Floats:
        """1 where nothing stands in the way for so many metres, 0 where something does, by chance what lets through."""
        if not self.through:
            self.rays += len(points)
            stopped = self.scene.run(points, toward, dists=np.maximum(distance, 0), query="OCCLUDED")
            return np.asarray(stopped < 0, np.float32)
        free = np.ones(len(points), np.float32)
        row, at, far = np.arange(len(points)), points, distance.copy()
        for _ in range(THROUGH):
            self.rays += len(row)
            found = self.scene.run(at, toward[row], dists=np.maximum(far, 0), output=True)
            hit = np.flatnonzero(found["primID"] >= 0)
            cell = self.surfaces.cell_at(found["primID"][hit].astype(np.int64), found["u"][hit], found["v"][hit])
            stopped = self.surfaces.cover[cell] > chance.loose(len(hit))
            free[row[hit[stopped]]] = 0.0
            on = hit[~stopped]
            step = found["tfar"][on] + self.away
            at, far, row = at[on] + toward[row[on]] * step[:, None], far[on] - step, row[on]
            if not len(row):
                break
        return free


class _Met(Struct, frozen=True, eq=False):
    """What paths met: the row of the path, its start, the triangle and cell, where, how far, from which side.

    `missed`: the starts of those that met nothing, where they led, and what is left of their light.
    """

    row: Whole
    which: Whole
    triangle: Whole
    cell: Whole
    points: Floats
    distance: Floats
    turned: Floats
    front: npt.NDArray[np.bool_]
    outside: npt.NDArray[np.bool_]
    left: Floats
    missed: Whole
    missed_toward: Floats
    missed_left: Floats

    @property
    def inside(self) -> npt.NDArray[np.bool_]:
        """Whether a surface of one side was met from behind."""
        return ~self.outside


class _Chance:
    """The chances of one sample: evenly spread ones first, then any."""

    def __init__(self, shift: Floats, sample: int, generator: np.random.Generator) -> None:
        self._shift, self._sample, self._generator, self._next = shift, sample, generator, 0

    def one(self, count: int) -> Floats:
        if self._next < EVEN_DIMENSIONS and count == self._shift.shape[1]:
            self._next += 1
            step = np.float32((self._sample + 1) * _STEPS[self._next - 1] % 1.0)
            values = self._shift[self._next - 1] + step
            return np.asarray(values - np.floor(values), np.float32)
        return self._generator.random(count, np.float32)

    def pair(self, count: int | None = None) -> tuple[Floats, Floats]:
        count = self._shift.shape[1] if count is None else count
        return self.one(count), self.one(count)

    def loose(self, count: int) -> Floats:
        """From 0 to below 1, any."""
        return self._generator.random(count, np.float32)


def _even_steps(dimensions: int) -> list[float]:
    """Steps of an additive recurrence that fills a cube evenly: powers of the root of x^(d + 1) = x + 1."""
    root = 2.0
    for _ in range(64):
        root = (1 + root) ** (1 / (dimensions + 1))
    return [root ** -(i + 1) for i in range(dimensions)]


_STEPS = [*_even_steps(5), *_even_steps(5)]
_STEPS[5:] = [(step + 0.5) % 1.0 * 0.754877666 % 1.0 for step in _STEPS[5:]]


def _generator(seed: int, low: int, sample: int) -> np.random.Generator:
    return np.random.Generator(np.random.Philox(key=[seed & (2**64 - 1), (low << 24) + sample + 1]))


def _shared(strength: npt.NDArray[np.float64], group: Whole, surfaces: Surfaces) -> npt.NDArray[np.float64]:
    """How often each cell is looked at: half by what its group gives, half so that every group gets its turn."""
    lit = np.flatnonzero(strength > 0)
    if not len(lit):
        return strength
    sums = np.bincount(group[lit], strength[lit], surfaces.groups)
    power = surfaces.power if len(surfaces.power) == surfaces.groups else np.ones(surfaces.groups)
    power = np.where(sums > 0, np.maximum(power, 0), 0)
    alive = (sums > 0).sum()
    wanted = np.where(sums > 0, 0.5 * power / (power.sum() or 1.0) + 0.5 / alive, 0)
    found = np.zeros_like(strength)
    found[lit] = strength[lit] * (wanted / np.where(sums > 0, sums, 1))[group[lit]]
    return found


def _cell_triangles(surfaces: Surfaces, cells: Whole, owners: Whole) -> Floats:
    """A corner and the two edges from it of cells, (k, 3, 3)."""
    owner = owners[cells]
    inner = cells - surfaces.first[owner]
    places = np.zeros((len(cells), 3, 2))
    for n in np.unique(surfaces.divisions[owner]):
        which = np.flatnonzero(surfaces.divisions[owner] == n)
        places[which] = cell_corners(int(n))[inner[which]]
    corner = surfaces.corners[owner].astype(np.float64)
    weights = np.concatenate([1 - places.sum(axis=2, keepdims=True), places], axis=2)
    points = weights @ corner
    return np.stack([points[:, 0], points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]], axis=1).astype(np.float32)


def _by_cosine(normals: Floats, a: Floats, b: Floats) -> tuple[Floats, Floats]:
    """Unit directions about normals, as often as their cosine is large, and their density per steradian."""
    radius, turn = np.sqrt(a), np.float32(2 * pi) * b
    x, y, up = radius * np.cos(turn), radius * np.sin(turn), np.sqrt(np.maximum(1 - a, 1e-9))
    # A frame about a normal without a branch: Duff et al., "Building an Orthonormal Basis, Revisited" (JCGT 2017).
    nx, ny, nz = normals.T
    sign = np.where(nz < 0, np.float32(-1), np.float32(1))
    s = -1 / (sign + nz)
    t = nx * ny * s
    found = np.empty_like(normals)
    found[:, 0] = x * (1 + sign * nx * nx * s) + y * t + up * nx
    found[:, 1] = x * (sign * t) + y * (sign + ny * ny * s) + up * ny
    found[:, 2] = x * (-sign * nx) + y * -ny + up * nz
    return found, up * np.float32(1 / pi)


def _round_about(a: Floats, b: Floats) -> Floats:
    """Unit directions, all alike."""
    up = 1 - 2 * a
    radius, turn = np.sqrt(np.maximum(1 - up * up, 0)), np.float32(2 * pi) * b
    return np.stack([radius * np.cos(turn), up, radius * np.sin(turn)], axis=1).astype(np.float32)


def _dot(a: Floats, b: Floats) -> Floats:
    """The dot product of each row of three with its like, (n,)."""
    found = a[:, 0] * b[:, 0]
    found += a[:, 1] * b[:, 1]
    found += a[:, 2] * b[:, 2]
    return np.asarray(found)
