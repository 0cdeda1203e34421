"""Objects placed together: against what trimesh finds of the same meshes under the same matrices."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from soft_lantern.graph.document import Scene, StageObject, changed
from soft_lantern.render.staging import object_boxes
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.placing import (
    AXES,
    SIDES,
    aligned,
    grouped,
    in_row,
    on_floor,
    placed_together,
    put_before,
    without_objects,
)
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import placement

MODELS: dict[str, Model] = {"ball": primitive("sphere", 16), "block": primitive("cube", 1)}
number = st.floats(-5, 5, allow_nan=False)
degrees = st.floats(-180, 180, allow_nan=False)
triples = st.tuples(number, number, number)


def scene_of(*things: StageObject) -> Scene:
    return Scene(id="s", name="S", objects=things)


def box_of(thing: StageObject) -> np.ndarray:
    """The bounds by trimesh, (2, 3)."""
    (part,) = MODELS[thing.asset].parts
    return trimesh.Trimesh(part.mesh.positions, part.mesh.triangles).apply_transform(placement(thing)).bounds


@settings(max_examples=30)
@given(st.lists(st.tuples(triples, st.tuples(degrees, degrees, degrees)), min_size=2, max_size=4))
def test_aligned_sides_meet_and_what_is_on_the_floor_stands_on_it(placed: list) -> None:
    things = [
        StageObject(id=str(n), name=str(n), asset=("ball", "block")[n % 2], position=at, rotation=turn)
        for n, (at, turn) in enumerate(placed)
    ]
    scene, ids = scene_of(*things), [thing.id for thing in things]
    boxes = object_boxes(scene, MODELS, ids)
    for axis in AXES:
        for place, side in zip((lambda b: b[0], lambda b: b.mean(axis=0), lambda b: b[1]), SIDES, strict=True):
            after = aligned(scene, boxes, "0", axis, side)
            sides = [place(box_of(thing))[AXES.index(axis)] for thing in after.objects]
            assert np.ptp(sides) < 1e-4 and after.objects[0] == things[0]
    floored = on_floor(scene, boxes, 0.0)
    assert max(abs(box_of(thing)[0][1]) for thing in floored.objects) < 1e-4


def test_what_is_selected_together_goes_as_far_turns_and_grows_as_much() -> None:
    a = StageObject(id="a", name="A", asset="ball", position=(1, 2, 3), rotation=(10, 20, 30), scale=(1, 2, 1))
    b = StageObject(id="b", name="B", asset="ball", position=(0, 0, 1), rotation=(-40, 5, 60), scale=(3, 1, 1))
    c = StageObject(id="c", name="C", asset="ball")
    scene = scene_of(a, b, c)
    moved = placed_together(scene, "a", ["b"], "position", (2, 2, 2))
    assert [o.position for o in moved.objects] == [(2, 2, 2), (1, 0, 0), (0, 0, 0)]
    grown = placed_together(scene, "a", ["b"], "scale", (2, 2, 1))
    assert [o.scale for o in grown.objects] == [(2, 2, 1), (6, 1, 1), (1, 1, 1)]
    now = (50.0, -10.0, 95.0)
    turned = placed_together(scene, "a", ["b"], "rotation", now)

    def matrix(thing: StageObject) -> np.ndarray:
        return placement(changed(thing, scale=(1.0, 1.0, 1.0)))[:3, :3]

    way = matrix(turned.objects[0]) @ matrix(a).T
    assert turned.objects[0].rotation == now and turned.objects[2] is c
    assert np.abs(way @ matrix(b) - matrix(turned.objects[1])).max() < 1e-4
    assert placed_together(scene, "gone", ["b"], "scale", (2, 2, 2)) is scene


def test_rows_groups_and_order() -> None:
    a, b, c = (StageObject(id=n, name=f"Post {n}", asset="block", position=(i, 0, 0)) for i, n in enumerate("123"))
    scene = scene_of(a, b, c)
    row = in_row(scene, ["1", "2"], ["p", "q", "r", "s"], (0, 0, 2))
    assert [(o.id, o.position) for o in row.objects[3:]] == [
        *(("p", (0, 0, 2)), ("q", (1, 0, 2))),
        *(("r", (0, 0, 4)), ("s", (1, 0, 4))),
    ]
    assert len({o.name for o in row.objects}) == 7
    assert [o.id for o in put_before(scene, ["3"], "1", "").objects] == ["3", "1", "2"]
    last = put_before(scene, ["1", "2"], "", "Fence")
    assert [(o.id, o.group) for o in last.objects] == [("3", ""), ("1", "Fence"), ("2", "Fence")]
    assert grouped(last, ["1", "2"], "").objects[1].group == ""
    assert [o.id for o in without_objects(scene, ["1", "3"]).objects] == ["2"]
    assert in_row(scene, ["gone"], ["x"], (1, 0, 0)) == scene or pytest.fail("a copy of nothing")
