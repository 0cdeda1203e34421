"""What lies under a pixel: rays against triangles."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeVar

import numpy as np

from soft_lantern.scene.mesh import Matrix, Mesh

Key = TypeVar("Key")


def nearest_hit(
    origin: Matrix, direction: Matrix, placed: Iterable[tuple[Key, Mesh, Matrix]]
) -> tuple[Key, Matrix] | None:
    """The key and world point of the first of the placed meshes that the ray meets, or None.

    Möller and Trumbore, "Fast, minimum storage ray/triangle intersection" (1997), over all triangles at once.
    """
    best: tuple[float, Key] | None = None
    for key, mesh, matrix in placed:
        back = np.linalg.pinv(matrix)
        start = (back @ np.append(origin, 1.0))[:3]
        along = back[:3, :3] @ direction
        distance = _first(start, along, mesh)
        if distance is not None and (best is None or distance < best[0]):
            best = (distance, key)
    return (best[1], origin + best[0] * direction) if best else None


def _first(start: Matrix, along: Matrix, mesh: Mesh) -> float | None:
    a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    edge1, edge2 = b - a, c - a
    across = np.cross(along, edge2)
    area = np.einsum("ij,ij->i", edge1, across)
    with np.errstate(divide="ignore", invalid="ignore"):
        offset = start - a
        u = np.einsum("ij,ij->i", offset, across) / area
        turned = np.cross(offset, edge1)
        v = turned @ along / area
        t = np.einsum("ij,ij->i", edge2, turned) / area
        hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
    return float(t[hit].min()) if hit.any() else None
