"""Shapes by turning a profile and by bending a bar: what the demo's meshes are put together from."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from soft_lantern.scene.mesh import Mesh, mesh_from
from soft_lantern.scene.primitives import grid_triangles, joined, lathe

Row = npt.NDArray[np.float64]


def resampled(profile: Row, count: int) -> Row:
    """The profile as a smooth curve through its points, evenly spaced."""
    from scipy.interpolate import PchipInterpolator  # slow to import, and only wanted here

    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    curve = PchipInterpolator(along, profile)
    return np.asarray(curve(np.linspace(0, along[-1], count)))


def turned(profile: list[tuple[float, float]], sectors: int) -> Mesh:
    """A profile from top to bottom turned about Y, with normals from its slope and hard edges where it bends."""
    rings = []
    for (r0, y0), (r1, y1) in itertools.pairwise(profile):
        normal = np.array([[y0 - y1, r1 - r0]] * 2)
        rings.append(lathe(np.array([[r0, y0], [r1, y1]]), sectors, normal))
    return joined(rings)


def rounded(profile: Row, sectors: int) -> Mesh:
    """A profile from top to bottom turned about Y, smooth from one point to the next."""
    slope = np.gradient(profile, axis=0)
    return lathe(profile, sectors, np.stack([-slope[:, 1], slope[:, 0]], axis=1))


def tube(path: Row, radius: float | Row, sectors: int) -> Mesh:
    """A round bar along a path in the x–y plane; a radius for each of its points makes it taper."""
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    across = np.array([0.0, 0.0, 1.0])
    up = np.cross(across, along)
    turn = np.linspace(0, 2 * np.pi, sectors + 1)
    normals = np.cos(turn)[None, :, None] * up[:, None, :] + np.sin(turn)[None, :, None] * across
    thick = np.broadcast_to(np.asarray(radius, float), len(path))
    points = path[:, None, :] + thick[:, None, None] * normals
    triangles = grid_triangles(len(path) - 1, sectors)[:, ::-1]
    return mesh_from(points.reshape(-1, 3), triangles, normals.reshape(-1, 3))
