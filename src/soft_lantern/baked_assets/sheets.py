"""Sheets: where parts lie in the pictures that are baked for them, in their own coordinates where those serve."""

from __future__ import annotations

from hashlib import sha1

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.bake.light.charts import Charts, nearest_filled, texels_of, unfolded
from soft_lantern.scene.mesh import Mesh, split_by_corner

Floats = npt.NDArray[np.float32]
Rows = npt.NDArray[np.int64]
OVERLAP = 0.02
"""Of the texels, how many may be shared by several places of a part."""
KEPT = 24
"""Sheets kept for the next objects of the same parts: 8 MB each at 512 × 512."""


class Sheet(Struct, frozen=True, eq=False):
    """Where a part lies in its pictures: the coordinates of each vertex, (n, 2), and what each texel shows.

    `of`: a digest of the part's mesh. `words`: why the coordinates were made; "" where they are the asset's own.
    `even`: one place tells all, no picture is needed.
    """

    of: str
    mesh: Mesh
    uvs: Floats
    size: tuple[int, int]
    triangles: Rows
    places: npt.NDArray[np.float64]
    filled: Rows
    words: str
    even: bool = False

    @property
    def own(self) -> bool:
        """Whether they are the asset's own coordinates."""
        return not self.words


class Sheets:
    """Sheets of parts, `side` texels a side. The last are kept: objects and scenes share assets."""

    def __init__(self, side: int) -> None:
        self.side = side
        self._kept: dict[str, tuple[Sheet, Rows]] = {}

    def of(self, mesh: Mesh) -> tuple[Sheet, Rows]:
        """The sheet of a part, with the vertex of its mesh that each vertex was before."""
        key = _digest(mesh)
        found = self._kept.pop(key, None) or sheet_of(mesh, self.side, key)
        self._kept[key] = found  # the newest last
        if len(self._kept) > KEPT:
            del self._kept[next(iter(self._kept))]
        return found


def _digest(mesh: Mesh) -> str:
    whole = sha1()
    for name in mesh.__struct_fields__:
        held = getattr(mesh, name)
        whole.update(np.ascontiguousarray(held).data if isinstance(held, np.ndarray) else repr(held).encode())
    return whole.hexdigest()


def sheet_of_even(mesh: Mesh) -> tuple[Sheet, Rows]:
    """The same for a part that needs no pictures: one place of it, and its vertices as they are."""
    one = np.zeros(1, np.int64)
    return Sheet("", mesh, mesh.uvs, (1, 1), one, np.zeros((1, 2)), one, "", even=True), np.arange(len(mesh.positions))


def sheet_of(mesh: Mesh, side: int, of: str = "") -> tuple[Sheet, Rows]:
    """The sheet of a part, with the vertex of its mesh that each vertex was before.

    Where its own coordinates cannot hold a picture of it, it is unfolded into others.
    """
    corners = np.ascontiguousarray(mesh.uvs[mesh.triangles], np.float32)
    rows, words = np.arange(len(mesh.positions)), ""
    texels = texels_of(Charts((side, side), (np.clip(corners, 0.0, 1.0),), float(side)))
    if not np.ptp(corners.reshape(-1, 2), axis=0).all() or not len(texels.numbers):
        words = "it has no texture coordinates"
    elif corners.min() < -1e-4 or corners.max() > 1 + 1e-4:
        words = "its texture coordinates leave 0 to 1"
    elif texels.doubled > OVERLAP * len(texels.numbers):
        words = "its texture coordinates overlap"
    uvs = mesh.uvs
    if words:
        made = unfolded([(mesh.positions, mesh.triangles)], density(mesh, side))
        (coordinates,) = made.coordinates
        mesh, rows, first = split_by_corner(mesh, coordinates.reshape(-1, 2))
        uvs = np.ascontiguousarray(coordinates.reshape(-1, 2)[first], np.float32)
        texels = texels_of(Charts((side, side), (np.ascontiguousarray(uvs[mesh.triangles]),), float(side)))
    row_of = np.zeros(side * side, np.int64)
    row_of[texels.numbers] = np.arange(len(texels.numbers))
    filled = row_of[nearest_filled((side, side), texels.numbers)]
    return Sheet(of, mesh, uvs, (side, side), texels.triangle, texels.places, filled, words), rows


def density(mesh: Mesh, side: int) -> float:
    """Texels a metre at which a part about fills a picture."""
    a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
    return float(side * 0.7 / np.sqrt(max(area, 1e-12)))
