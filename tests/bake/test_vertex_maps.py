"""Maps of what vertices are given, by a mesh's own coordinates: against where each texel's middle lies."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.bake.vertex_maps import map_of
from soft_lantern.errors import BadEdit
from soft_lantern.scene.coarse import missed_of
from soft_lantern.scene.mesh import Mesh, mesh_from
from soft_lantern.scene.primitives import primitive


def quad() -> Mesh:
    """One unit square in the plane z = 0, v downwards."""
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    uvs = np.column_stack([points[:, 0], 1 - points[:, 1]])
    return mesh_from(points, [[0, 1, 2], [0, 2, 3]], uvs=uvs)


def by_place(mesh: Mesh) -> np.ndarray:
    x, y = mesh.positions[:, 0], mesh.positions[:, 1]
    return np.column_stack([np.sin(9 * x), x * y, y, np.ones_like(x)])


def test_each_texel_holds_what_a_vertex_at_its_middle_would() -> None:
    side = 64
    made = map_of(by_place, quad(), side)
    middle = (np.arange(side) + 0.5) / side
    x, y = np.meshgrid(middle, 1 - middle)
    assert np.abs(made.pixels[..., 0] - np.sin(9 * x)).max() < 1e-5
    assert np.abs(made.pixels[..., 1] - x * y).max() < 1e-5 and np.abs(made.pixels[..., 2] - y).max() < 1e-6
    assert made.used == 1.0 and made.doubled == 0


def test_parts_of_a_map_without_faces_hold_the_nearest_and_coordinates_over_each_other_are_counted() -> None:
    small = quad()
    half = mesh_from(small.positions, small.triangles, uvs=small.uvs / 2)
    made = map_of(by_place, half, 32)
    assert made.used == 0.25 and (made.pixels[:16, 17:] == made.pixels[:16, 16:17]).all()
    points = np.concatenate([small.positions, small.positions + np.float32([0, 0, 1])])
    faces = np.concatenate([small.triangles, small.triangles + 4])
    both = mesh_from(points, faces, uvs=np.concatenate([small.uvs, small.uvs]))
    assert map_of(by_place, both, 32).doubled > 900
    with pytest.raises(BadEdit, match="no texture coordinates"):
        map_of(by_place, mesh_from(small.positions, small.triangles), 32)


def test_what_is_missed_between_vertices_is_what_the_middle_of_an_edge_is_off() -> None:
    missed = missed_of(lambda mesh: mesh.positions[:, :1] ** 2, quad())
    assert missed.most == pytest.approx(0.25) and missed.span == pytest.approx(1.0)  # ((0 + 1) / 2) − (1 / 2)²
    assert not missed.too_coarse  # a quarter is just held
    grid = primitive("plane", 16).parts[0].mesh
    waves = missed_of(lambda mesh: np.where(mesh.positions[:, :1] > 0, np.sin(40 * mesh.positions[:, :1]), 0.0), grid)
    assert waves.too_coarse and not waves.where[grid.positions[:, 0] < -0.2].any()
    assert waves.where[grid.positions[:, 0] > 0.2].mean() > 0.8
