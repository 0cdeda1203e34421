"""Colour layers: domains and precisions held against NumPy and trimesh, and what a conversion says it loses."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from soft_lantern.errors import BadValue
from soft_lantern.scene.colour_layers import (
    at_corners,
    converted,
    in_precision,
    layered,
    own_layers,
    places,
    white,
)
from soft_lantern.scene.mesh import ColourLayer
from soft_lantern.scene.primitives import primitive

BALL = primitive("sphere", 12).parts[0].mesh


def random_layer(domain: str, seed: int = 1, precision: str = "float") -> ColourLayer:
    values = np.random.default_rng(seed).random((places(BALL, domain), 4), np.float32)  # type: ignore[arg-type]
    return ColourLayer("Mask", in_precision(values, precision), domain, precision)  # type: ignore[arg-type]


@pytest.mark.parametrize(("precision", "dtype"), [("8 bit", np.uint8), ("16 bit", np.uint16)])
def test_a_precision_is_what_whole_numbers_hold(precision: str, dtype: type) -> None:
    """By glTF 2.0, section 3.6.2.2: c = round(f · 255) and f = c / 255, or 65535; held in NumPy's own whole numbers."""
    values = np.linspace(-0.2, 1.3, 5001, dtype=np.float32).reshape(-1, 1).repeat(4, 1)
    top, made = np.iinfo(dtype).max, in_precision(values, precision)  # type: ignore[arg-type]
    whole = np.rint(made.astype(np.float64) * top).astype(dtype)
    assert (whole / np.float32(top) == made).all()  # what a file of whole numbers gives back
    assert np.abs(made.astype(np.float64) - values.clip(0, 1)).max() <= 0.5 / top + 1e-7
    assert (in_precision(made, precision) == made).all()  # type: ignore[arg-type]


@given(st.integers(0, 1000), st.sampled_from(["8 bit", "16 bit", "float"]))
def test_from_vertices_to_corners_and_back_nothing_is_lost(seed: int, precision: str) -> None:
    layer = random_layer("vertex", seed, precision)
    there, loss = converted(layer, BALL, "corner")
    back, other = converted(there, BALL, "vertex")
    used = np.unique(BALL.triangles)
    assert (loss.largest, other.largest) == (0.0, pytest.approx(0.0, abs=1e-6))
    assert back.values[used] == pytest.approx(layer.values[used], abs=1e-6)


def test_corners_come_down_to_the_mean_at_each_vertex_with_the_loss_said() -> None:
    """Against trimesh, which averages what faces say over the corners of each vertex."""
    layer = random_layer("corner", 5)
    made, loss = converted(layer, BALL, "vertex")
    mesh = trimesh.Trimesh(BALL.positions, BALL.triangles, process=False)
    per_face = layer.values.reshape(-1, 3, 4)
    for vertex in np.unique(BALL.triangles)[[0, 40, -1]]:
        faces = mesh.vertex_faces[vertex]
        faces = faces[faces >= 0]
        mine = [per_face[face][list(BALL.triangles[face]).index(vertex)] for face in faces]
        assert made.values[vertex] == pytest.approx(np.mean(mine, axis=0), abs=1e-6)
    apart = np.abs(made.values[BALL.triangles.reshape(-1)] - layer.values)
    assert (loss.largest, loss.mean) == (pytest.approx(apart.max()), pytest.approx(apart.mean()))
    _, coarse = converted(random_layer("vertex", 3), BALL, precision="8 bit")
    assert 0 < coarse.mean < coarse.largest <= 0.5 / 255 + 1e-7


def test_the_first_layer_is_drawn_and_corners_that_differ_split_their_vertex() -> None:
    assert not layered(BALL, ()).has_colours and (layered(BALL, [white(BALL)]).colours == 1).all()
    smooth = random_layer("vertex", 2)
    same, _ = converted(smooth, BALL, "corner")
    assert len(layered(BALL, [same]).positions) == len(np.unique(BALL.triangles))  # nothing had to be split
    faces = np.repeat(np.random.default_rng(4).random((len(BALL.triangles), 4), np.float32), 3, axis=0)
    split = layered(BALL, [ColourLayer("Faces", faces, "corner", "float"), smooth])
    assert split.colours[split.triangles.reshape(-1)] == pytest.approx(faces)
    assert (split.positions[split.triangles] == BALL.positions[BALL.triangles]).all()
    assert (split.uvs[split.triangles] == BALL.uvs[BALL.triangles]).all()


def test_a_layer_that_does_not_fit_is_refused_in_words() -> None:
    short = ColourLayer("Edge wear", np.ones((7, 4), np.float32))
    for use in (at_corners, converted):
        with pytest.raises(BadValue, match="Edge wear has 7 values, and the mesh"):
            use(short, BALL)
    with pytest.raises(BadValue, match="finite"):
        in_precision(np.full((3, 4), np.nan, np.float32), "float")
    tinted = replace(BALL, has_colours=True)
    assert own_layers(BALL) == () and own_layers(tinted)[0].values is tinted.colours
    no_faces = replace(BALL, triangles=np.zeros((0, 3), np.uint32))
    assert converted(white(no_faces), no_faces, "corner")[1].largest == 0.0
