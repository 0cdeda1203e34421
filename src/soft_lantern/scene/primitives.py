"""Primitives made by code, 2 m across and centred on the origin; `subdivision` sets how fine they are."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from soft_lantern.limits import SUBDIVISION
from soft_lantern.scene.mesh import Floats, Indices, Mesh, Model, Part, mesh_from

PRIMITIVES = ("sphere", "cube", "cylinder", "plane", "card")
FINEST = SUBDIVISION


def primitive(shape: str, subdivision: int) -> Model:
    """The primitive of that name as a model of one part. Subdivision is held to 1–512."""
    fineness = min(max(subdivision, 1), FINEST)
    make = {"sphere": sphere, "cube": cube, "cylinder": cylinder, "plane": plane, "card": card}[shape]
    return Model((Part(shape, make(fineness)),))


def sphere(subdivision: int) -> Mesh:
    """A sphere of radius 1 m in rings and sectors."""
    rings, sectors = max(subdivision // 2, 2), max(subdivision, 3)
    angle = np.linspace(0, np.pi, rings + 1)
    profile = np.stack([np.sin(angle), np.cos(angle)], axis=1)
    return lathe(profile, sectors, normals=profile)


def cylinder(subdivision: int) -> Mesh:
    """An upright cylinder of radius 1 m and height 2 m, with caps."""
    sectors, rows = max(subdivision, 3), max(subdivision // 2, 1)
    heights = np.linspace(1, -1, rows + 1)
    wall = lathe(
        np.stack([np.ones_like(heights), heights], axis=1), sectors, normals=np.tile([1.0, 0.0], (rows + 1, 1))
    )
    top = lathe(np.array([[0.0, 1.0], [1.0, 1.0]]), sectors, normals=np.tile([0.0, 1.0], (2, 1)))
    base = lathe(np.array([[1.0, -1.0], [0.0, -1.0]]), sectors, normals=np.tile([0.0, -1.0], (2, 1)))
    return joined([wall, top, base])


def plane(subdivision: int) -> Mesh:
    """A flat square in the ground plane, facing up."""
    return _sheet(subdivision, np.array([1.0, 0, 0]), np.array([0, 0, 1.0]), np.array([0, 0.0, 0]))


def card(subdivision: int) -> Mesh:
    """An upright flat square that faces +z, as sprites are drawn on."""
    return _sheet(subdivision, np.array([1.0, 0, 0]), np.array([0, -1.0, 0]), np.array([0, 0.0, 0]))


def cube(subdivision: int) -> Mesh:
    """A cube of six sheets."""
    x, y, z = np.eye(3)
    sides = [(x, z, y), (x, -z, -y), (x, -y, z), (-x, -y, -z), (-z, -y, x), (z, -y, -x)]
    return joined([_sheet(max(subdivision // 4, 1), right, down, out) for right, down, out in sides])


def lathe(profile: npt.NDArray[np.float64], sectors: int, normals: npt.NDArray[np.float64]) -> Mesh:
    """A profile of (radius, height) from top to bottom, turned about the Y axis; `normals` are (outward, up)."""
    turn = np.linspace(0, 2 * np.pi, sectors + 1)
    ring = np.stack([np.sin(turn), np.cos(turn)], axis=1)
    positions = _turned(profile, ring)
    unit = normals / np.linalg.norm(normals, axis=1, keepdims=True)
    along = np.linspace(0, 1, len(profile))
    u, v = np.meshgrid(np.linspace(0, 1, sectors + 1), along)
    triangles = grid_triangles(len(profile) - 1, sectors)
    return mesh_from(
        positions, _without_slivers(positions, triangles), _turned(unit, ring), np.dstack([u, v]).reshape(-1, 2)
    )


def joined(meshes: list[Mesh]) -> Mesh:
    """Several meshes as one."""
    starts = np.cumsum([0] + [len(m.positions) for m in meshes[:-1]])
    return Mesh(
        np.concatenate([m.positions for m in meshes]),
        np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.uvs for m in meshes]),
        np.concatenate([m.colours for m in meshes]),
        np.concatenate([m.triangles + start for m, start in zip(meshes, starts, strict=True)]).astype(np.uint32),
        np.concatenate([m.uv1s for m in meshes]),
        has_colours=any(m.has_colours for m in meshes),
    )


def grid_triangles(rows: int, columns: int) -> Indices:
    """Triangles of a grid of (rows + 1) × (columns + 1) points listed row by row, facing the viewer of row 0 on top."""
    row, column = np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    corner = (row * (columns + 1) + column).ravel()
    below = corner + columns + 1
    quads = np.stack([corner, below, corner + 1, corner + 1, below, below + 1], axis=1)
    return quads.reshape(-1, 3).astype(np.uint32)


def _sheet(
    subdivision: int,
    right: npt.NDArray[np.float64],
    down: npt.NDArray[np.float64],
    out: npt.NDArray[np.float64],
) -> Mesh:
    steps = np.linspace(-1, 1, subdivision + 1)
    across, along = np.meshgrid(steps, steps)
    positions = across[..., None] * right + along[..., None] * down + out
    normal = -np.cross(right, down)
    uvs = np.dstack([across, along]) / 2 + 0.5
    count = (subdivision + 1) ** 2
    return mesh_from(
        positions, grid_triangles(subdivision, subdivision), np.tile(normal, (count, 1)), uvs.reshape(-1, 2)
    )


def _turned(profile: npt.NDArray[np.float64], ring: npt.NDArray[np.float64]) -> Floats:
    out, up = profile[:, None, 0], np.broadcast_to(profile[:, None, 1], (len(profile), len(ring)))
    return np.dstack([out * ring[:, 0], up, out * ring[:, 1]]).reshape(-1, 3).astype(np.float32)


def _without_slivers(points: Floats, triangles: Indices) -> Indices:
    """At a pole a whole ring is one point: drop the triangles that have no area there."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    return np.ascontiguousarray(triangles[area > 1e-12])
