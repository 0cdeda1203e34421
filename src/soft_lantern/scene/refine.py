"""Finer triangles for the stage: each cut in four at the middles of its edges, the shape left as it is."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.errors import BadFile
from soft_lantern.limits import MESH_REFINED, REFINE
from soft_lantern.scene.mesh import Floats, Mesh, Model
from soft_lantern.scene.rows import distinct_rows


def refined(model: Model, times: int) -> Model:
    """The model with every triangle cut in four, so many times over. Raises BadFile where that would be too many."""
    if not 0 <= times <= REFINE:
        raise BadFile(f"refined {times} times is not possible; at most {REFINE} times is")
    count = sum(len(part.mesh.triangles) for part in model.parts) * 4**times
    if count > MESH_REFINED:
        raise BadFile(f"refined {times} times it would have {count:,} triangles; at most {MESH_REFINED:,} are drawn")
    parts = tuple(replace(part, under=part.bare) for part in model.parts) if times else model.parts
    for _ in range(times):
        parts = tuple(replace(part, mesh=halved(part.mesh)) for part in parts)
    return replace(model, parts=parts)


def halved(mesh: Mesh) -> Mesh:
    """The mesh with every triangle cut in four; neighbours share the new vertices, so no cracks open."""
    triangles = mesh.triangles.astype(np.int64)
    sides = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2)
    sides = np.sort(sides, axis=1)
    first, which = distinct_rows(sides)
    ends = sides[first]
    a, b, c = triangles.T
    ab, bc, ca = (which.reshape(-1, 3) + len(mesh.positions)).T
    cut = np.stack([a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca], axis=1).reshape(-1, 3)

    def between(values: Floats) -> Floats:
        middle = (values[ends[:, 0]] + values[ends[:, 1]]) * np.float32(0.5)
        return np.concatenate([values, middle]).astype(np.float32)

    tangents = mesh.given_tangents
    if tangents is not None:
        tangents = between(tangents)
        tangents = np.column_stack([_unit(tangents[:, :3]), np.sign(tangents[:, 3:])]).astype(np.float32)
    return replace(
        mesh,
        positions=between(mesh.positions),
        normals=_unit(between(mesh.normals)),
        uvs=between(mesh.uvs),
        uv1s=between(mesh.uv1s),
        colours=between(mesh.colours),
        given_tangents=tangents,
        triangles=cut.astype(np.uint32),
    )


def _unit(vectors: npt.NDArray[np.float32]) -> Floats:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.maximum(lengths, 1e-20), np.float32)
