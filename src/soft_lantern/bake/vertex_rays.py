"""What rays from a mesh's vertices find: how open the surroundings are, and how thick the body is."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
import numpy.typing as npt
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from soft_lantern.progress import Progress, silent
from soft_lantern.scene.mesh import Floats, Indices, Matrix, Mesh

RAYS = 128
"""Rays from each vertex."""
HAIR = np.array([0.37, 0.61, 0.13]) * 1e-5
"""Of the size of what is looked at, how far the eye is put aside: straight along an edge a ray slips between faces."""
AT_ONCE = 4096
"""Rays at a time: embree lets no other thread run meanwhile."""


def ambient_occlusion(mesh: Mesh, seed: int = 1, rays: int = RAYS, progress: Progress = silent) -> Floats:
    """The share of an even sky that reaches each vertex past the mesh itself, by the cosine: (n, 4), grey, alpha 1.

    1 where nothing is in the way, 0 where all is. Raises Cancelled.
    """
    found = np.zeros(len(mesh.positions))
    for which, toward, scene, points in _rays(mesh, mesh.normals, rays, seed, progress):
        stopped = scene.run(points, toward, query="OCCLUDED")
        np.add.at(found, which, stopped < 0)
    return _grey(found / rays)


def thickness(mesh: Mesh, seed: int = 1, rays: int = RAYS, progress: Progress = silent) -> Floats:
    """How far it is through the body from each vertex, inward by the cosine: (n, 4), grey, alpha 1.

    The mean distance beside the largest side of the mesh's box, 0 to 1. Raises Cancelled.
    """
    low, high = mesh.bounds
    most = float((high - low).max()) or 1.0
    found = np.zeros(len(mesh.positions))
    for which, toward, scene, points in _rays(mesh, -mesh.normals, rays, seed, progress):
        far = np.minimum(scene.run(points, toward, query="DISTANCE"), most)
        np.add.at(found, which, far)
    return _grey(np.clip(found / rays / most, 0, 1))


class Occluders:
    """Meshes under their matrices that may stand between an eye and a point."""

    def __init__(self, placed: Iterable[tuple[Mesh, Matrix]]) -> None:
        self._scene = EmbreeScene()
        corners = [np.zeros((0, 3), np.float32)]
        for mesh, matrix in placed:
            points = (mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]).astype(np.float32)
            _into(self._scene, points, mesh.triangles)
            corners.append(points)
        there = np.concatenate(corners)
        self._size = float(np.linalg.norm(np.ptp(there, axis=0))) if len(there) else 0.0

    def seen_from(self, eye: npt.ArrayLike, points: Floats) -> npt.NDArray[np.bool_]:
        """Which points of their surfaces, (n, 3), an eye sees: nothing stands nearer on the way."""
        eye = np.asarray(eye, np.float64) + self._size * HAIR
        way = points.astype(np.float64) - eye
        far = np.linalg.norm(way, axis=1)
        toward = (way / np.maximum(far, 1e-20)[:, None]).astype(np.float32)
        near = np.maximum(far * (1 - 1e-4) - self._size * 2e-4, 0).astype(np.float32)
        start = np.broadcast_to(np.asarray(eye, np.float32), points.shape)
        found = np.zeros(len(points), bool)
        for first in range(0, len(points), AT_ONCE):
            part = slice(first, first + AT_ONCE)
            met = self._scene.run(np.ascontiguousarray(start[part]), toward[part], near[part], query="OCCLUDED")
            found[part] = met < 0
        return found


def _into(scene: EmbreeScene, points: Floats, triangles: Indices) -> None:
    """Bring triangles into a scene, some at a time: embree lets no other thread run while it takes them."""
    for first in range(0, len(triangles), AT_ONCE):
        some = triangles[first : first + AT_ONCE]
        used, numbers = np.unique(some, return_inverse=True)
        TriangleMesh(scene, np.ascontiguousarray(points[used]), numbers.reshape(-1, 3).astype(np.int32))


def _rays(
    mesh: Mesh, facing: Floats, rays: int, seed: int, progress: Progress
) -> Iterator[tuple[np.ndarray, Floats, EmbreeScene, Floats]]:
    """Vertices, and a direction from each by the cosine to how it faces, spread evenly over the rays of a vertex."""
    scene = EmbreeScene()
    _into(scene, mesh.positions, mesh.triangles)
    low, high = mesh.bounds
    away = max(float(np.linalg.norm(high - low)) * 2e-5, 1e-6)
    origins = (mesh.positions + facing * np.float32(away)).astype(np.float32)
    shift = np.random.default_rng(seed).random((len(origins), 2))
    aside = np.where(np.abs(facing[:, :1]) < 0.9, [[1.0, 0, 0]], [[0, 1.0, 0]])
    along = np.cross(aside, facing)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-20)
    across = np.cross(facing, along)
    for ray in range(rays):
        # An additive recurrence fills the square evenly; each vertex starts elsewhere in it.
        a = (shift[:, 0] + (ray + 0.5) / rays) % 1.0
        turn = 2 * np.pi * ((shift[:, 1] + ray * 0.6180339887498949) % 1.0)
        radius, up = np.sqrt(a), np.sqrt(np.maximum(1 - a, 1e-9))
        toward = along * (radius * np.cos(turn))[:, None] + across * (radius * np.sin(turn))[:, None]
        toward = (toward + facing * up[:, None]).astype(np.float32)
        progress(ray / rays, "Looking round from each vertex")
        for first in range(0, len(origins), AT_ONCE):
            part = slice(first, first + AT_ONCE)
            yield np.arange(len(origins))[part], toward[part], scene, origins[part]


def _grey(values: np.ndarray) -> Floats:
    return np.column_stack([values, values, values, np.ones_like(values)]).astype(np.float32)
