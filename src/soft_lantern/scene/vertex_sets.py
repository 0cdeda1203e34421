"""Sets of a mesh's vertices: made from places, and grown, shrunk and carried on over the mesh.

A set is (n,), true where a vertex is of it. Vertices in one place, which files split for normals and coordinates,
belong together: what is carried on over the mesh crosses such seams.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from soft_lantern.scene.mesh import Mesh

VertexSet = npt.NDArray[np.bool_]
Whole = npt.NDArray[np.int64]
PLANAR = 30.0
"""Degrees up to which two triangles that share their longest edge make one quad."""


def in_outline(places: npt.NDArray[np.float64], outline: npt.NDArray[np.float64]) -> VertexSet:
    """Which places, (n, 2), lie within an outline, (k, 2), that is closed from its last corner to its first.

    By the even-odd rule of SVG (W3C, SVG 2, `fill-rule`).
    """
    inside = np.zeros(len(places), bool)
    x, y = places.T
    for (ax, ay), (bx, by) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        crosses = (ay > y) != (by > y)
        if ay != by:
            inside ^= crosses & (x < ax + (y - ay) / (by - ay) * (bx - ax))
    return inside


def together(mesh: Mesh, chosen: VertexSet) -> VertexSet:
    """The set with all vertices that are in one place with one of it."""
    which, count = mesh.welded
    return _places_of(which, count, chosen)[which]


def grown(mesh: Mesh, chosen: VertexSet) -> VertexSet:
    """The set with every vertex that an edge joins to it."""
    which, count = mesh.welded
    held = _places_of(which, count, chosen)
    one, other = _edges(mesh).T
    more = held.copy()
    more[one[held[other]]] = True
    more[other[held[one]]] = True
    return np.asarray(more[which])


def shrunk(mesh: Mesh, chosen: VertexSet) -> VertexSet:
    """The set without every vertex that an edge joins to one that is not of it."""
    return ~grown(mesh, ~chosen)


def connected(mesh: Mesh, chosen: VertexSet) -> VertexSet:
    """All vertices of the pieces that hang together and hold one of the set."""
    which, count = mesh.welded
    label = _labels(_edges(mesh), count)
    wanted = np.zeros(count + 1, bool)
    wanted[label[which[chosen]]] = True
    return np.asarray(wanted[label][which])


def flat_region(mesh: Mesh, chosen: VertexSet, degrees: float) -> VertexSet:
    """The faces all of whose corners are of the set, and on from face to face where the edge bends by no more degrees.

    Where no face is whole in the set, from those that have a corner of it.
    """
    which, count = mesh.welded
    held = _places_of(which, count, chosen)
    corners = which[mesh.triangles]
    seeds = held[corners].all(axis=1)
    seeds = seeds if seeds.any() else held[corners].any(axis=1)
    faces = _neighbours(corners, count)[:, :2]
    normals = mesh.facing
    flat = np.einsum("ni,ni->n", normals[faces[:, 0]], normals[faces[:, 1]]) >= np.cos(np.radians(degrees)) - 1e-6
    label = _labels(faces[flat], len(corners))
    wanted = np.zeros(len(corners) + 1, bool)
    wanted[label[seeds]] = True
    found = np.zeros(count, bool)
    found[corners[wanted[label]]] = True
    return np.asarray(found[which])


def edge_ring(mesh: Mesh, chosen: VertexSet) -> VertexSet:
    """From each edge both of whose ends are of the set, the edges across the quads on both its sides, and so on.

    Two triangles make a quad where their longest edge is the same and they are bent by at most PLANAR degrees.
    """
    which, count = mesh.welded
    corners = which[mesh.triangles]
    across, there = _across(mesh, corners, count), _places_of(which, count, chosen)
    starts = [edge for edge in across if there[list(edge)].all()]
    seen, open_ = set(starts), starts
    while open_:
        open_ = [edge for each in open_ for edge in across[each] if edge not in seen]
        seen.update(open_)
    found = np.zeros(count, bool)
    found[np.array([end for edge in seen for end in edge], np.int64)] = True
    return np.asarray(found[which] | chosen)


def _across(mesh: Mesh, corners: Whole, count: int) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """For each side of a quad, as its two places in order, the sides across from it."""
    points = mesh.positions[mesh.triangles].astype(np.float64)
    lengths = np.linalg.norm(points - np.roll(points, -1, axis=1), axis=2)
    longest = lengths.argmax(axis=1)
    normals = mesh.facing
    found: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for one, other, side, opposite in _neighbours(corners, count):
        diagonal = longest[one] == side and longest[other] == opposite
        if not diagonal or normals[one] @ normals[other] < np.cos(np.radians(PLANAR)):
            continue
        a, b = int(corners[one, side]), int(corners[one, (side + 1) % 3])
        c, d = int(corners[one, (side + 2) % 3]), int(corners[other, (opposite + 2) % 3])
        # The quad runs a, d, b, c.
        for first, second in (((a, d), (b, c)), ((d, b), (c, a))):
            first, second = (min(first), max(first)), (min(second), max(second))
            found.setdefault(first, []).append(second)
            found.setdefault(second, []).append(first)
    return found


def _neighbours(corners: Whole, count: int) -> Whole:
    """Pairs of faces that share an edge, and which side of each it is: (k, 4). Side 0 is from corner 0 to 1."""
    starts, ends = corners.reshape(-1), np.roll(corners, -1, axis=1).reshape(-1)
    key = np.minimum(starts, ends) * count + np.maximum(starts, ends)
    order = np.argsort(key, kind="stable")
    paired = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, other = order[paired], order[paired + 1]
    return np.column_stack([one // 3, other // 3, one % 3, other % 3])


def _edges(mesh: Mesh) -> Whole:
    """Every edge as two places, some more than once: (k, 2)."""
    corners = mesh.welded[0][mesh.triangles]
    return np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])


def _places_of(which: Whole, count: int, chosen: VertexSet) -> VertexSet:
    held = np.zeros(count, bool)
    held[which[chosen]] = True
    return held


def _labels(links: Whole, count: int) -> Whole:
    """The number of the component that each of so many is in, (count,), by links, (k, 2)."""
    from scipy.sparse import coo_matrix  # slow to import, and only wanted here
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(links), np.int8), (links[:, 0], links[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)
