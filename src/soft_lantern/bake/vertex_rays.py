"""What rays from a mesh's vertices find: how open the surroundings are, and how thick the body is."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from soft_lantern.progress import Progress, silent
from soft_lantern.scene.mesh import Floats, Mesh

RAYS = 128
"""Rays from each vertex."""
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


def _rays(
    mesh: Mesh, facing: Floats, rays: int, seed: int, progress: Progress
) -> Iterator[tuple[np.ndarray, Floats, EmbreeScene, Floats]]:
    """Vertices, and a direction from each by the cosine to how it faces, spread evenly over the rays of a vertex."""
    scene = EmbreeScene()
    TriangleMesh(scene, np.ascontiguousarray(mesh.positions[mesh.triangles], np.float32))
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
