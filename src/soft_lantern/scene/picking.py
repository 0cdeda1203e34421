"""What lies under a pixel: rays against triangles."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Generic, TypeVar

import numpy as np
from msgspec import Struct

from soft_lantern.scene.mesh import BLOCK, Matrix, Mesh

Key = TypeVar("Key", covariant=True)
EDGE = 1e-9
"""The share of a triangle by which it reaches over its edges: rounding leaves no gap where two of them meet."""


class Hit(Struct, Generic[Key], frozen=True, eq=False):
    """Where a ray met a mesh: which triangle, the weights of its three corners, whether seen from outside."""

    key: Key
    point: Matrix
    mesh: Mesh
    matrix: Matrix
    triangle: int
    weights: tuple[float, float, float]
    front: bool


def nearest_hit(
    origin: Matrix, direction: Matrix, placed: Iterable[tuple[Key, Mesh, Matrix]], beyond: float = 0.0
) -> Hit[Key] | None:
    """The first of the placed meshes that the ray meets further than `beyond` metres along it, or None.

    Möller and Trumbore, "Fast, minimum storage ray/triangle intersection" (1997), over all triangles at once.
    """
    best: Hit[Key] | None = None
    nearest = np.inf
    for key, mesh, matrix in placed:
        back = np.linalg.pinv(matrix)
        start, along = (back @ np.append(origin, 1.0))[:3], back[:3, :3] @ direction
        found = _first(start, along, mesh, beyond)
        if found and found[0] < nearest:
            nearest, triangle, u, v, front = found
            best = Hit(key, origin + nearest * direction, mesh, matrix, triangle, (1 - u - v, u, v), front)
    return best


Found = tuple[float, int, float, float, bool]


def _first(start: Matrix, along: Matrix, mesh: Mesh, beyond: float) -> Found | None:
    """The nearest triangle, of the blocks whose boxes the ray goes through."""
    best: Found | None = None
    for block in _blocks_on_ray(start, along, mesh):
        found = _first_of(start, along, mesh, block * BLOCK, beyond)
        if found and (best is None or found[0] < best[0]):
            best = found
    return best


def _blocks_on_ray(start: Matrix, along: Matrix, mesh: Mesh) -> list[int]:
    """Kay and Kajiya's slabs (1986), with a hair of room."""
    low, high = mesh.blocks
    room = 1e-5 + 1e-6 * np.abs(high - low).max(initial=0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = np.stack([(low - room - start) / along, (high + room - start) / along])
    # Along an axis the ray does not move on, it is inside the slab always or never.
    inside = (start >= low - room) & (start <= high + room)
    near = np.where(along == 0, np.where(inside, -np.inf, np.inf), np.minimum(*ends))
    far = np.where(along == 0, np.where(inside, np.inf, -np.inf), np.maximum(*ends))
    return [int(n) for n in np.flatnonzero(near.max(axis=1) <= np.minimum(far.min(axis=1), np.inf))]


def _first_of(start: Matrix, along: Matrix, mesh: Mesh, from_: int, beyond: float) -> Found | None:
    triangles = mesh.triangles[from_ : from_ + BLOCK]
    a, b, c = (mesh.positions[triangles[:, i]].astype(np.float64) for i in range(3))
    edge1, edge2 = b - a, c - a
    across = np.cross(along, edge2)
    area = np.einsum("ij,ij->i", edge1, across)
    with np.errstate(divide="ignore", invalid="ignore"):
        offset = start - a
        u = np.einsum("ij,ij->i", offset, across) / area
        turned = np.cross(offset, edge1)
        v = turned @ along / area
        t = np.einsum("ij,ij->i", edge2, turned) / area
        hit = (u >= -EDGE) & (v >= -EDGE) & (u + v <= 1 + EDGE) & (t > beyond)
    if not hit.any():
        return None
    first = int(np.argmin(np.where(hit, t, np.inf)))
    return float(t[first]), from_ + first, float(u[first]), float(v[first]), bool(area[first] > 0)
