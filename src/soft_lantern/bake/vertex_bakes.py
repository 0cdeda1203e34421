"""What a mesh's own shape says at its vertices, to be kept in a colour layer: place in bounds, pieces, curvature.

Vertices in one place, which a file splits for normals and coordinates, count as one.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from soft_lantern.scene.mesh import Floats, Mesh
from soft_lantern.values.images import Image

Wide = npt.NDArray[np.float64]


def place_in_bounds(mesh: Mesh) -> Floats:
    """Red, green and blue from 0 at the lowest x, y and z of the mesh to 1 at the highest: (n, 4). Flat ways give 0."""
    low, high = (np.asarray(corner, np.float64) for corner in mesh.bounds)
    size = high - low
    share = (mesh.positions - low) / np.where(size > 0, size, 1.0)
    return _with_alpha(np.where(size > 0, share, 0.0))


def pieces(mesh: Mesh) -> npt.NDArray[np.int64]:
    """The number of the connected piece that each vertex is of, from 0, by the first vertex that each has: (n,)."""
    from scipy.sparse import coo_matrix  # slow to import, and only wanted here
    from scipy.sparse.csgraph import connected_components

    welded, count = mesh.welded
    corners = welded[mesh.triangles]
    ends = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]]])
    links = coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(count, count))
    _, label = connected_components(links, directed=False)
    of_vertex = label[welded]
    _, first, which = np.unique(of_vertex, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))
    return np.asarray(order[which], np.int64)


def random_per_piece(mesh: Mesh, seed: int) -> Floats:
    """Three numbers by chance for each connected piece, in red, green and blue, the same for the same seed: (n, 4)."""
    number = pieces(mesh)
    chance = np.random.default_rng(seed).random((int(number.max(initial=-1)) + 1, 3))
    return _with_alpha(chance[number])


def edges_and_hollows(mesh: Mesh) -> Floats:
    """Red: how far the surface bends outward at a vertex; green: inward; each 0 where it is flat, (n, 4).

    Over all edges at a vertex the mean of the angle by which their two faces are bent, longer edges counting for more;
    a right angle gives 1. A box's edges show red, the foot of a wall green.
    """
    welded, count = mesh.welded
    places = np.zeros((count, 3))
    places[welded] = mesh.positions
    corners = welded[mesh.triangles]
    a, b, c = (places[corners[:, i]] for i in range(3))
    normals = np.cross(b - a, c - a)
    area = np.linalg.norm(normals, axis=1)
    sound = area > 1e-20
    corners, normals = corners[sound], normals[sound] / area[sound, None]
    middles = places[corners].mean(axis=1)
    starts, ends = corners.reshape(-1), np.roll(corners, -1, axis=1).reshape(-1)
    face = np.repeat(np.arange(len(corners)), 3)
    key = np.minimum(starts, ends).astype(np.int64) * count + np.maximum(starts, ends)
    order = np.argsort(key, kind="stable")
    paired = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, other = order[paired], order[paired + 1]
    first, second = face[one], face[other]
    bent = np.arccos(np.clip(np.einsum("ni,ni->n", normals[first], normals[second]), -1.0, 1.0))
    outward = np.einsum("ni,ni->n", normals[first], middles[second] - middles[first]) < 0
    length = np.linalg.norm(places[starts[one]] - places[ends[one]], axis=1)
    found = []
    for mask in (outward, ~outward):
        angle = np.where(mask, bent, 0.0) * length
        total, weight = np.zeros(count), np.zeros(count)
        for side in (starts[one], ends[one]):
            total += np.bincount(side, angle, count)
            weight += np.bincount(side, length, count)
        found.append(np.minimum(total / np.maximum(weight, 1e-20) / (np.pi / 2), 1.0))
    return _with_alpha(np.stack([*found, np.zeros(count)], axis=1)[welded])


def texture_at(mesh: Mesh, image: Image) -> Floats:
    """What a texture holds at each vertex's coordinates, linear RGBA: (n, 4)."""
    return np.asarray(image.read(mesh.uvs.T.astype(np.float32)).T, np.float32).reshape(-1, 4)


def light_at(mesh: Mesh, coordinates: Floats, light: Floats) -> Floats:
    """A light map, (h, w, 3), at each vertex as the mean over its corners, which lie at (m, 3, 2) in it: (n, 4)."""
    height, width = light.shape[:2]
    places = np.clip(coordinates.reshape(-1, 2) * (width, height), 0, (width - 1, height - 1)).astype(np.int64)
    owners, count = mesh.triangles.reshape(-1), len(mesh.positions)
    found = light[places[:, 1], places[:, 0]].astype(np.float64)
    total = np.stack([np.bincount(owners, found[:, i], count) for i in range(3)], axis=1)
    return _with_alpha(total / np.maximum(np.bincount(owners, minlength=count), 1)[:, None])


def _with_alpha(rgb: Wide) -> Floats:
    return np.column_stack([rgb, np.ones(len(rgb))]).astype(np.float32)
