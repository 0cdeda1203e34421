"""Light that was baked, apart for each light group, so that a group is tuned afterwards by what it is multiplied by.

Of a group is kept what it sends for an emission whose mean is 1 in every channel.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.surfaces import Floats

SKY = "sky"
"""The name of the group that is the sky's light."""
Weights = Mapping[str, tuple[float, float, float]]
"""What each group's light is multiplied by, linear RGB."""


class LightMap(Struct, frozen=True, eq=False):
    """One object's light: the radiance of white diffuse surfaces by group, (h, w, 3), and by part where it lies.

    `coordinates`: (m, 3, 2) of each corner of the part's triangles, 0–1, v downwards.
    """

    coordinates: dict[str, Floats]
    light: dict[str, Floats]

    def weighed(self, weights: Weights) -> Floats:
        """The light of all groups together, (h, w, 3)."""
        shape = next(iter(self.light.values())).shape
        total = np.zeros(shape, np.float32)
        for name, light in self.light.items():
            by = weights.get(name, (0.0, 0.0, 0.0))
            if any(by):
                total += light * np.asarray(by, np.float32)
        return total


class Probes(Struct, frozen=True, eq=False):
    """Light all round the points of a grid: its lowest point, metres between two, and how many along x, y and z.

    `light`: by group (z · y · x, 9, 3) coefficients, x the fastest.
    """

    low: tuple[float, float, float]
    spacing: float
    counts: tuple[int, int, int]
    light: dict[str, Floats]

    def at(self, place: npt.NDArray[np.floating], weights: Weights) -> npt.NDArray[np.float64]:
        """Coefficients at a place in the world, (9, 3), between the eight points round it."""
        total = np.zeros((harmonics.COUNT, 3))
        counts = np.array(self.counts)
        where = np.clip((np.asarray(place) - self.low) / self.spacing, 0, counts - 1)
        base = np.minimum(where.astype(int), np.maximum(counts - 2, 0))
        part = where - base
        for corner in range(8):
            step = np.array([corner & 1, corner >> 1 & 1, corner >> 2 & 1])
            share = float(np.prod(np.where(step, part, 1 - part)))
            if share <= 0:
                continue
            x, y, z = np.minimum(base + step, counts - 1)
            index = int((z * counts[1] + y) * counts[0] + x)
            for name, light in self.light.items():
                total += share * light[index] * np.asarray(weights.get(name, (0.0, 0.0, 0.0)))
        return total


def grid_points(low: tuple[float, float, float], spacing: float, counts: tuple[int, int, int]) -> Floats:
    """The points of a grid, x the fastest, (n, 3)."""
    axes = [low[i] + spacing * np.arange(counts[i]) for i in range(3)]
    z, y, x = np.meshgrid(axes[2], axes[1], axes[0], indexing="ij")
    return np.stack([x.ravel(), y.ravel(), z.ravel()], axis=1).astype(np.float32)


class BakedLight(Struct, frozen=True, eq=False):
    """What one bake of a scene gave. `groups`: the mean emission that each had then, linear RGB.

    `maps`: by object. `stood`: a mark of how each object that took part stood, by which is told that one no longer
    does. `noise`: the standard error beside the mean.
    """

    groups: dict[str, tuple[float, float, float]]
    maps: dict[str, LightMap]
    probes: Probes | None = None
    stood: dict[str, str] = field(default_factory=dict)
    samples: int = 0
    seed: int = 1
    noise: float = 0.0
    seconds: float = 0.0


NO_LIGHT = BakedLight({}, {})
"""Before anything is baked."""
