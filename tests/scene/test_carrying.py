"""Colours carried over to another mesh: the nearest point of a surface held against trimesh, and what comes of it."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from soft_lantern.scene.carrying import carried, nearest
from soft_lantern.scene.colour_layers import in_precision
from soft_lantern.scene.mesh import ColourLayer, Mesh, mesh_from
from soft_lantern.scene.primitives import primitive

COARSE, FINE = (primitive("sphere", n).parts[0].mesh for n in (24, 40))


def by_place(mesh: Mesh, domain: str = "vertex", precision: str = "float") -> ColourLayer:
    """A layer that is a straight function of the place, which interpolation keeps."""
    points = mesh.positions if domain == "vertex" else mesh.positions[mesh.triangles].reshape(-1, 3)
    values = np.column_stack([points * 0.25 + 0.5, np.full(len(points), 0.5)]).astype(np.float32)
    return ColourLayer("Place", in_precision(values, precision), domain, precision)  # type: ignore[arg-type]


def test_the_nearest_point_is_the_one_that_trimesh_finds_among_all_triangles() -> None:
    """trimesh.triangles.closest_point, tried on every triangle."""
    chance = np.random.default_rng(2)
    points = chance.normal(size=(60, 3)) * 0.9
    positions, triangles = COARSE.positions.astype(float), COARSE.triangles
    faces, weights, away = nearest(positions, triangles, points)
    assert weights.min() >= -1e-12 and weights.sum(axis=1) == pytest.approx(1.0)
    for number, point in enumerate(points):
        all_of_them = trimesh.triangles.closest_point(positions[triangles], np.tile(point, (len(triangles), 1)))
        least = np.linalg.norm(all_of_them - point, axis=1).min()
        assert away[number] == pytest.approx(least, rel=1e-6, abs=1e-9)
        there = weights[number] @ positions[triangles[faces[number]]]
        assert np.linalg.norm(there - point) == pytest.approx(least, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize("domain", ["vertex", "corner"])
def test_a_layer_keeps_to_its_places_on_a_finer_mesh(domain: str) -> None:
    made, away = carried(by_place(COARSE, domain), COARSE, FINE)
    wanted = by_place(FINE, domain)
    assert made.domain == domain and made.values.shape == wanted.values.shape
    assert np.abs(made.values - wanted.values).max() < 0.25 * away + 2e-3  # a quarter of a metre for each metre away
    assert 0 < away < 0.03  # the coarse ball lies so far inside the round one


def test_each_side_of_an_edge_keeps_its_own_colour_and_odd_meshes_do_no_harm() -> None:
    square = mesh_from([(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)], [(0, 1, 2), (0, 2, 3)])
    sides = np.repeat([[1, 0, 0, 1], [0, 0, 1, 1]], 3, axis=0).astype(np.float32)
    same, _ = carried(ColourLayer("Sides", sides, "corner"), square, square)
    assert (same.values == sides).all()
    flat = mesh_from([(0, 0, 0), (1, 0, 0), (2, 0, 0)], [(0, 1, 2)])  # a triangle without an area
    assert np.isfinite(carried(ColourLayer("Flat", np.ones((3, 4), np.float32)), flat, square)[0].values).all()
    empty = mesh_from([(0, 0, 0)], np.zeros((0, 3), int))
    assert (carried(ColourLayer("None", np.zeros((1, 4), np.float32)), empty, square)[0].values == 1).all()
