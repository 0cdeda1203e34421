"""Maps of what vertices would be given: the same, worked out at each texel of a mesh's own texture coordinates."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.bake.light.charts import Charts, nearest_filled, texels_of
from soft_lantern.errors import BadEdit
from soft_lantern.scene.coarse import Values
from soft_lantern.scene.mesh import Floats, Mesh

AT_ONCE = 262_144
"""Texels worked out in one go."""


class BakedMap(Struct, frozen=True, eq=False):
    """Linear RGBA by texel, (h, w, 4), top row first; the share of texels a triangle has, and how many have two."""

    pixels: Floats
    used: float
    doubled: int


def map_of(values: Values, mesh: Mesh, side: int) -> BakedMap:
    """A square map of values that vertices are given, (n, 4); texels that no triangle has hold the nearest one's.

    Raises BadEdit where the mesh has no texture coordinates.
    """
    corners = np.ascontiguousarray(mesh.uvs[mesh.triangles], np.float32)
    size = (side, side)
    texels = texels_of(Charts(size, (np.clip(corners, 0.0, 1.0),), float(side)))
    if not len(texels.numbers) or not np.ptp(corners.reshape(-1, 2), axis=0).all():
        raise BadEdit("this part has no texture coordinates to bake to")
    made = np.zeros((side * side, 4), np.float32)
    for first in range(0, len(texels.numbers), AT_ONCE):
        some = slice(first, first + AT_ONCE)
        made[texels.numbers[some]] = values(mesh_at(mesh, texels.triangle[some], texels.places[some]))
    made = made[nearest_filled(size, texels.numbers)]
    return BakedMap(made.reshape(side, side, 4), float(texels.covered.sum()) / (side * side), texels.doubled)


def mesh_at(mesh: Mesh, triangles: npt.NDArray[np.int64], places: npt.NDArray[np.float64]) -> Mesh:
    """Places (k, 2) of triangles as the vertices of a mesh without faces.

    A place is the weights of the second and third corner.
    """
    corners, (u, v) = mesh.triangles[triangles], places.T[:, :, None].astype(np.float32)

    def between(rows: Floats) -> Floats:
        return np.asarray(rows[corners[:, 0]] * (1 - u - v) + rows[corners[:, 1]] * u + rows[corners[:, 2]] * v)

    normals = between(mesh.normals)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    return replace(
        mesh,
        positions=between(mesh.positions),
        normals=normals,
        uvs=between(mesh.uvs),
        uv1s=between(mesh.uv1s),
        colours=between(mesh.colours),
        given_tangents=between(mesh.tangents),
        light_uvs=None,
        triangles=np.zeros((0, 3), np.uint32),
    )
