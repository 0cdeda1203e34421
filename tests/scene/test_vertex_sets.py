"""Sets of vertices against trimesh, and shapes whose answers are known by hand."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from soft_lantern.bake.vertex_rays import Occluders
from soft_lantern.errors import BadValue
from soft_lantern.scene import vertex_sets
from soft_lantern.scene.mesh import Mesh, mesh_from
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.vertex_ranges import Distances, Facing, Heights


def of(shape: str, fine: int) -> Mesh:
    return primitive(shape, fine).parts[0].mesh


def one_of(mesh: Mesh, vertex: int) -> vertex_sets.VertexSet:
    return np.arange(len(mesh.positions)) == vertex


def test_growing_reaches_the_neighbours_that_other_libraries_find_and_shrinking_undoes_it_inside() -> None:
    ball = trimesh.creation.icosphere(subdivisions=3)
    mesh = mesh_from(ball.vertices, ball.faces)
    chosen, wanted = one_of(mesh, 77), {77}
    for _ in range(3):
        inner, wanted = wanted, wanted | {other for each in wanted for other in ball.vertex_neighbors[each]}
        chosen = vertex_sets.grown(mesh, chosen)
        assert set(np.flatnonzero(chosen)) == wanted
    assert set(np.flatnonzero(vertex_sets.shrunk(mesh, chosen))) == inner


def test_growing_crosses_the_seams_where_a_file_splits_vertices() -> None:
    ball = of("sphere", 24)
    assert ball.welded[1] < len(ball.positions)
    smooth = trimesh.Trimesh(ball.positions, ball.triangles, process=True)  # trimesh merges what is in one place
    at = int(np.argmin(np.linalg.norm(ball.positions - [0, 0, 1], axis=1)))
    where = int(np.argmin(np.linalg.norm(smooth.vertices - ball.positions[at], axis=1)))
    found = ball.positions[vertex_sets.grown(ball, vertex_sets.together(ball, one_of(ball, at)))]
    near = smooth.vertices[[where, *smooth.vertex_neighbors[where]]]
    apart = np.linalg.norm(found[:, None] - near[None], axis=2)
    assert apart.min(axis=0).max() < 1e-5 and apart.min(axis=1).max() < 1e-5


def test_a_connected_piece_is_what_trimesh_splits_off() -> None:
    balls = [trimesh.creation.icosphere(subdivisions=1).apply_translation((3.0 * i, 0, 0)) for i in range(3)]
    both = trimesh.util.concatenate(balls)
    mesh = mesh_from(both.vertices, both.faces)
    found = vertex_sets.connected(mesh, one_of(mesh, int(np.argmax(both.vertices[:, 0]))))
    (last,) = (piece for piece in both.split() if piece.centroid[0] > 5)
    assert found.sum() == len(last.vertices) and mesh.positions[found][:, 0].min() > 4


def test_a_flat_region_ends_where_the_edge_bends_more() -> None:
    block = trimesh.creation.box((2, 2, 2)).subdivide().subdivide()
    mesh = mesh_from(block.vertices, block.faces)
    seed = one_of(mesh, int(np.argmin(np.linalg.norm(block.vertices - [0, 1, 0], axis=1))))
    top = vertex_sets.flat_region(mesh, seed, 30)
    assert (top == (block.vertices[:, 1] > 0.999)).all()  # one of six faces
    assert vertex_sets.flat_region(mesh, seed, 91).all()  # a box bends by 90°


def test_an_edge_ring_runs_across_the_quads_of_a_grid() -> None:
    grid = of("plane", 6)
    side = np.unique(grid.positions[:, 0].round(5))
    rows = np.unique(grid.positions[:, 2].round(5))
    edge = np.isin(grid.positions[:, 0].round(5), side[2:4]) & (grid.positions[:, 2].round(5) == rows[0])
    assert edge.sum() == 2
    ring = vertex_sets.edge_ring(grid, edge)
    assert (ring == np.isin(grid.positions[:, 0].round(5), side[2:4])).all() and ring.sum() == 2 * len(rows)


def test_an_outline_is_filled_by_the_even_odd_rule() -> None:
    turn = np.pi / 2 + np.arange(5) * 4 * np.pi / 5
    star = np.column_stack([np.cos(turn), np.sin(turn)])  # five crossing lines: its middle is outside by this rule
    at = np.array([[0.0, 0.0], [0.0, 0.8], [0.0, -0.8], [2.0, 0.0]])
    assert vertex_sets.in_outline(at, star).tolist() == [False, True, False, False]


def test_ranges_hold_what_they_say() -> None:
    ball = of("sphere", 48)
    points, normals = ball.positions, ball.normals
    assert (Heights(-0.2, 0.5).holds(points, normals) == ((points[:, 1] >= -0.2) & (points[:, 1] <= 0.5))).all()
    # On a unit ball, 60° about +y and 1 m from the pole are the same cap: the chord of 60° is 1.
    cap, near = Facing((0, 2, 0), 60).holds(points, points), Distances((0, 1, 0), 1.0).holds(points, normals)
    edge = np.abs(points[:, 1] - 0.5) < 1e-4
    assert (cap[~edge] == near[~edge]).all() and (cap[~edge] == (points[~edge, 1] > 0.5)).all()
    with pytest.raises(BadValue, match="direction"):
        Facing((0, 0, 0), 10).holds(points, normals)


def test_of_a_ball_the_eye_sees_what_lies_before_its_horizon() -> None:
    ball = of("sphere", 64)
    eye = np.array([0.0, 0.0, 4.0])
    seen = Occluders([(ball, np.eye(4))]).seen_from(eye, ball.positions)
    beyond = ball.positions[:, 2] - 1 / 4  # a unit ball's horizon from d is at z = 1/d
    assert seen[beyond > 0.05].all() and not seen[beyond < -0.12].any()
    screen = of("plane", 2)
    aside = np.eye(4)
    aside[:3, :3] = [[1, 0, 0], [0, 0, -1], [0, 1, 0]]
    aside[:3, 3] = (0, 0, 2)
    hidden = Occluders([(ball, np.eye(4)), (screen, aside)]).seen_from(eye, ball.positions)
    assert hidden.sum() < seen.sum() / 2
