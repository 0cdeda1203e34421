"""Triangle meshes, and models made of named parts.

Metres, right-handed, Y up, counter-clockwise triangles seen from outside, texture v downwards: as in glTF 2.0.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float32]
Indices = npt.NDArray[np.uint32]
Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Mesh:
    """Points (n, 3), unit normals (n, 3), texture coordinates (n, 2), linear colours (n, 4), triangles (m, 3)."""

    positions: Floats
    normals: Floats
    uvs: Floats
    colours: Floats
    triangles: Indices

    @property
    def bounds(self) -> tuple[Floats, Floats]:
        """The lowest and highest corner."""
        return self.positions.min(axis=0), self.positions.max(axis=0)


@dataclass(frozen=True, eq=False)
class Part:
    """A named mesh with its place in the model, a 4×4 matrix for column vectors."""

    name: str
    mesh: Mesh
    transform: Matrix = field(default_factory=lambda: np.eye(4))


@dataclass(frozen=True, eq=False)
class Model:
    """An asset as it is drawn: its parts, and what could not be read of its file, one sentence each."""

    parts: tuple[Part, ...]
    remarks: tuple[str, ...] = ()

    @property
    def bounds(self) -> tuple[Matrix, Matrix]:
        """The lowest and highest corner over all parts in the model's own space."""
        return corners_bounds([(part.mesh, part.transform) for part in self.parts])


def corners_bounds(placed: list[tuple[Mesh, Matrix]]) -> tuple[Matrix, Matrix]:
    """The lowest and highest corner of meshes under their matrices; a 2 m cube where there are none."""
    corners = []
    for mesh, matrix in placed:
        low, high = mesh.bounds
        box = np.array([[(low, high)[i >> axis & 1][axis] for axis in range(3)] + [1.0] for i in range(8)])
        corners.append((box @ matrix.T)[:, :3])
    if not corners:
        return -np.ones(3), np.ones(3)
    return np.concatenate(corners).min(axis=0), np.concatenate(corners).max(axis=0)


def mesh_from(
    positions: npt.ArrayLike,
    triangles: npt.ArrayLike,
    normals: npt.ArrayLike | None = None,
    uvs: npt.ArrayLike | None = None,
    colours: npt.ArrayLike | None = None,
) -> Mesh:
    """A mesh with whatever is missing filled in: flat-area-weighted normals, zero coordinates, white."""
    points = np.ascontiguousarray(positions, np.float32).reshape(-1, 3)
    faces = np.ascontiguousarray(triangles, np.uint32).reshape(-1, 3)
    count = len(points)
    return Mesh(
        points,
        _smooth_normals(points, faces) if normals is None else np.ascontiguousarray(normals, np.float32),
        np.zeros((count, 2), np.float32) if uvs is None else np.ascontiguousarray(uvs, np.float32),
        np.ones((count, 4), np.float32) if colours is None else np.ascontiguousarray(colours, np.float32),
        faces,
    )


def _smooth_normals(points: Floats, faces: Indices) -> Floats:
    a, b, c = (points[faces[:, i]] for i in range(3))
    weighted = np.cross(b - a, c - a)
    normals = np.zeros(points.shape, np.float64)
    for corner in range(3):
        np.add.at(normals, faces[:, corner], weighted)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    flat = np.array([0.0, 1.0, 0.0])
    return np.where(lengths > 0, normals / np.where(lengths > 0, lengths, 1), flat).astype(np.float32)
