"""Colour layers on a mesh that has changed under them: each value comes from the nearest point of the old surface."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.scene.colour_layers import at_corners, converted, in_precision, places
from soft_lantern.scene.mesh import ColourLayer, Indices, Mesh

NEAR = 12
"""Triangles, by their middles, among which the nearest point of the surface is sought."""
AT_ONCE = 65_536
INWARD = 1e-3
"""How far a corner is drawn to its triangle's middle, so that it takes the colour of its own side of an edge."""
Points = npt.NDArray[np.float64]


def carried(layer: ColourLayer, old: Mesh, new: Mesh) -> tuple[ColourLayer, float]:
    """The layer of an old mesh on a new one, and how far the farthest of its points had to look, in metres.

    A mesh without faces gives and gets white.
    """
    if not len(old.triangles) or not len(new.triangles):
        return replace(layer, values=np.ones((places(new, layer.domain), 4), np.float32)), 0.0
    if layer.domain == "vertex":
        wanted = new.positions.astype(np.float64)
    else:
        corners = new.positions[new.triangles].astype(np.float64)
        wanted = (corners + (corners.mean(axis=1, keepdims=True) - corners) * INWARD).reshape(-1, 3)
    faces, weights, away = nearest(old.positions.astype(np.float64), old.triangles, wanted)
    held = at_corners(layer, old).reshape(-1, 3, 4)[faces]
    values = np.einsum("nik,ni->nk", held, weights).astype(np.float32)
    made = replace(layer, values=in_precision(values, layer.precision))
    return converted(made, new)[0], float(away.max(initial=0.0))


def nearest(positions: Points, triangles: Indices, points: Points) -> tuple[npt.NDArray[np.int64], Points, Points]:
    """For each point (n, 3) the triangle that is nearest, the weights there of its corners (n, 3), and the distance.

    Among the NEAR triangles whose middles are nearest: exact where triangles are of a size.
    """
    from scipy.spatial import cKDTree  # slow to import, and only wanted here

    corners = positions[triangles]
    tree = cKDTree(corners.mean(axis=1))
    faces = np.zeros(len(points), np.int64)
    weights, away = np.zeros((len(points), 3)), np.full(len(points), np.inf)
    for start in range(0, len(points), AT_ONCE):
        some = slice(start, min(start + AT_ONCE, len(points)))
        _, among = tree.query(points[some], k=min(NEAR, len(triangles)))
        for candidate in np.reshape(among, (some.stop - start, -1)).T:
            found = _weights(corners[candidate], points[some])
            there = np.einsum("nik,ni->nk", corners[candidate], found)
            distance = np.linalg.norm(points[some] - there, axis=1)
            better = distance < away[some]
            away[some][better], faces[some][better] = distance[better], candidate[better]
            weights[some][better] = found[better]
    return faces, weights, away


def _weights(corners: Points, points: Points) -> Points:
    """The weights of three corners (n, 3, 3) at the point of each triangle that is nearest to a point (n, 3).

    Source: Ericson, Real-Time Collision Detection (2004), section 5.1.5, its regions taken in turn.
    """
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ab, ac = b - a, c - a

    def dots(origin: Points) -> tuple[Points, Points]:
        way = points - origin
        return np.einsum("ni,ni->n", ab, way), np.einsum("ni,ni->n", ac, way)

    (d1, d2), (d3, d4), (d5, d6) = dots(a), dots(b), dots(c)
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    whole = va + vb + vc
    flat = np.abs(whole) <= 1e-30
    whole = np.where(flat, 1.0, whole)
    found = np.stack([va / whole, vb / whole, vc / whole], axis=1)
    zero, one = np.zeros_like(d1), np.ones_like(d1)

    def share(top: Points, other: Points) -> Points:
        total = top + other
        return np.clip(top / np.where(np.abs(total) > 1e-30, total, 1.0), 0.0, 1.0)

    bc = share(d4 - d3, d5 - d6)
    along_ac, along_ab = share(d2, -d6), share(d1, -d3)
    for region, weights in (
        (flat, (one, zero, zero)),
        ((va <= 0) & (d4 - d3 >= 0) & (d5 - d6 >= 0), (zero, 1 - bc, bc)),
        ((vb <= 0) & (d2 >= 0) & (d6 <= 0), (1 - along_ac, zero, along_ac)),
        ((d6 >= 0) & (d5 <= d6), (zero, zero, one)),
        ((vc <= 0) & (d1 >= 0) & (d3 <= 0), (1 - along_ab, along_ab, zero)),
        ((d3 >= 0) & (d4 <= d3), (zero, one, zero)),
        ((d1 <= 0) & (d2 <= 0), (one, zero, zero)),
    ):
        found[region] = np.stack(weights, axis=1)[region]
    return found
