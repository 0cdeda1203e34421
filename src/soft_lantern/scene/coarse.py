"""What a mesh's vertices cannot hold of something: how far the straight way between two of them is off."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.refine import halved
from soft_lantern.scene.vertex_sets import VertexSet

MISSED = 0.25
"""The share of its span that may be missed between vertices: a sine of 6 vertices a wavelength misses a 7th."""
MOST_TRIANGLES = 40_000
"""Of larger meshes only so many triangles are looked at."""
Values = Callable[[Mesh], npt.NDArray[np.floating]]
"""What each vertex of a mesh is given, (n, k)."""


class Missed(Struct, frozen=True, eq=False):
    """How far values reach over a mesh's vertices, what is missed between two of them at most, and at which, (n,)."""

    span: float
    most: float
    where: VertexSet

    @property
    def too_coarse(self) -> bool:
        """Whether the mesh cannot hold the values."""
        return self.most > MISSED * max(self.span, self.most)


def missed_of(values: Values, mesh: Mesh) -> Missed:
    """Compares what the middles of edges would be given with the mean of what their ends are."""
    kept = mesh.triangles[:: max(len(mesh.triangles) // MOST_TRIANGLES, 1)]
    count, some = len(mesh.positions), replace(mesh, triangles=kept)
    finer = halved(some)
    ends = _ends(finer, kept, count)
    held = np.nan_to_num(np.asarray(values(finer), np.float64))
    between, straight = held[count:], (held[ends[:, 0]] + held[ends[:, 1]]) / 2
    missed = np.linalg.norm(between - straight, axis=1)
    used = np.concatenate([held[np.unique(kept)], between])
    span = float(np.linalg.norm(np.ptp(used, axis=0))) if len(used) else 0.0
    most = float(missed.max(initial=0.0))
    where = np.zeros(count, bool)
    where[ends[missed > MISSED * max(span, most)]] = True
    return Missed(span, most, where)


def _ends(finer: Mesh, triangles: npt.NDArray[np.uint32], count: int) -> npt.NDArray[np.int64]:
    """The two vertices between which each new one of a halved mesh lies, (k, 2)."""
    ends = np.zeros((len(finer.positions) - count, 2), np.int64)
    cut = finer.triangles.reshape(-1, 4, 3)
    for corner, (a, b) in enumerate(((0, 1), (1, 2), (2, 0))):
        ends[cut[:, 3, corner].astype(np.int64) - count] = triangles[:, [a, b]]
    return ends
