"""What a mesh's shape says at its vertices, against what is known of boxes, balls and pieces, and trimesh."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from soft_lantern.bake.vertex_bakes import edges_and_hollows, pieces, place_in_bounds, random_per_piece
from soft_lantern.scene.mesh import Mesh, mesh_from
from soft_lantern.scene.primitives import primitive

BALL, CUBE, PLANE = (primitive(shape, 24).parts[0].mesh for shape in ("sphere", "cube", "plane"))


def joined(*meshes: Mesh) -> Mesh:
    """Meshes as one, three metres apart."""
    positions, triangles, count = [], [], 0
    for number, mesh in enumerate(meshes):
        positions.append(mesh.positions + np.float32([3 * number, 0, 0]))
        triangles.append(mesh.triangles + count)
        count += len(mesh.positions)
    return mesh_from(np.concatenate(positions), np.concatenate(triangles))


def test_the_place_in_bounds_runs_from_0_to_1_and_flat_ways_stay_0() -> None:
    made = place_in_bounds(CUBE)
    assert made[:, :3].min(axis=0) == pytest.approx(0) and made[:, :3].max(axis=0) == pytest.approx(1)
    assert (place_in_bounds(PLANE)[:, 1] == 0).all() and (made[:, 3] == 1).all()


def test_pieces_are_those_that_trimesh_splits_a_mesh_into() -> None:
    mesh = joined(BALL, CUBE, BALL)
    number = pieces(mesh)
    assert [int((number == n).sum()) for n in range(3)] == [len(m.positions) for m in (BALL, CUBE, BALL)]
    split = trimesh.Trimesh(mesh.positions, mesh.triangles, process=True).split(only_watertight=False)
    assert len(split) == number.max() + 1
    chance = random_per_piece(mesh, 7)
    assert len(np.unique(chance, axis=0)) == 3 and (random_per_piece(mesh, 7) == chance).all()
    assert (random_per_piece(mesh, 8) != chance).any()


def test_a_boxs_edges_bend_outward_and_its_inside_inward() -> None:
    """Along an edge of a fine box one of six edges at each vertex is bent, by a right angle."""
    bent = edges_and_hollows(CUBE)
    size = np.abs(CUBE.positions).max()
    on_faces = (np.abs(CUBE.positions) > size * 0.999).sum(axis=1)
    assert bent[on_faces == 1, :2].max() == 0.0
    assert bent[on_faces == 2, 0].min() > 0.2 and (bent[:, 1] == 0).all()
    inside = mesh_from(CUBE.positions, CUBE.triangles[:, ::-1])
    turned = edges_and_hollows(inside)
    assert turned[:, 1] == pytest.approx(bent[:, 0]) and (turned[:, 0] == 0).all()


def test_a_ball_bends_alike_everywhere_by_the_angle_of_its_faces() -> None:
    """Between faces of a round body the angle is that which one step takes of the circle."""
    fine = edges_and_hollows(primitive("sphere", 48).parts[0].mesh)
    middle = np.abs(primitive("sphere", 48).parts[0].mesh.positions[:, 1]) < 0.5
    assert (fine[:, 1] < 0.02).all() and fine[middle, 0].std() < 0.3 * fine[middle, 0].mean()
    assert edges_and_hollows(BALL)[:, 0].mean() == pytest.approx(2 * fine[:, 0].mean(), rel=0.2)  # half as many steps
    assert edges_and_hollows(PLANE)[:, :2].max() == 0.0


def test_meshes_without_faces_or_area_do_no_harm() -> None:
    for triangles in (np.zeros((0, 3), int), [(0, 1, 1)]):
        odd = mesh_from([(0, 0, 0), (1, 0, 0)], triangles)
        for bake in (place_in_bounds, edges_and_hollows, lambda m: random_per_piece(m, 1)):
            assert np.isfinite(bake(odd)).all() and bake(odd).shape == (2, 4)
