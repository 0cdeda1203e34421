"""A brush: what each way of painting makes of a value, how far it reaches, and that a stroke never adds up."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.errors import BadValue
from soft_lantern.scene.brush import Brush, Stroke, falloff
from soft_lantern.scene.mesh import ColourLayer

LINE = np.column_stack([np.linspace(0, 10, 101), np.zeros(101), np.zeros(101)])


def layer(value: float, precision: str = "float") -> ColourLayer:
    return ColourLayer("Mask", np.full((101, 4), value, np.float32), precision=precision)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("mode", "wanted"),
    [("replace", 0.4), ("add", 0.9), ("subtract", 0.1), ("multiply", 0.2), ("lighten", 0.5), ("darken", 0.4)],
)
def test_each_way_does_what_it_is_called_within_the_radius_alone(mode: str, wanted: float) -> None:
    """By hand: 0.5 under a colour of 0.4."""
    brush = Brush(1.0, hardness=0.9, mode=mode, colour=(0.4,) * 4, channels="ga")  # type: ignore[arg-type]
    stroke = Stroke(brush, layer(0.5), LINE)
    stroke.to((5, 0, 0))
    made = stroke.painted().values
    assert made[50] == pytest.approx((0.5, wanted, 0.5, wanted), abs=1e-6)
    outside = np.abs(LINE[:, 0] - 5) > 1.0
    assert (made[outside] == 0.5).all()


def test_going_over_a_place_again_and_again_adds_nothing_within_one_stroke() -> None:
    stroke = Stroke(Brush(1.0, strength=0.3, mode="add", colour=(1.0,) * 4), layer(0.2), LINE)
    for _ in range(20):
        stroke.to((4, 0, 0))
        stroke.to((6, 0, 0))
    assert stroke.painted().values[50] == pytest.approx(0.5) and stroke.painted().values.max() <= 0.5 + 1e-6
    second = Stroke(Brush(1.0, strength=0.3, mode="add", colour=(1.0,) * 4), stroke.painted(), LINE)
    second.to((5, 0, 0))
    assert second.painted().values[50] == pytest.approx(0.8)  # the next stroke does


def test_a_quick_hand_leaves_no_gaps_and_smoothing_brings_neighbours_together() -> None:
    stroke = Stroke(Brush(0.5, hardness=0.0, colour=(1.0,) * 4), layer(0.0), LINE)
    stroke.to((1, 0, 0))
    stroke.to((9, 0, 0))
    assert stroke.painted().values[10:91].min() > 0.7
    rough = layer(0.0)
    rough.values[::2] = 1.0
    smooth = Stroke(Brush(2.0, hardness=1.0, mode="smooth"), rough, LINE)
    smooth.to((5, 0, 0))
    middle = smooth.painted().values[35:66]
    assert middle.std() < 0.05 and middle.mean() == pytest.approx(0.5, abs=0.05)


def test_the_edge_falls_off_smoothly_and_precision_and_bad_sizes_are_kept_to() -> None:
    across = falloff(np.linspace(0, 1, 11), 0.4)
    assert (
        (across[:5] == 1).all() and across[-1] == 0 and (np.diff(across) <= 0).all() and across[7] == pytest.approx(0.5)
    )
    stroke = Stroke(Brush(1.0, strength=0.123), layer(0.0, "8 bit"), LINE)
    stroke.to((5, 0, 0))
    assert np.abs(stroke.painted().values * 255 - np.rint(stroke.painted().values * 255)).max() < 1e-4
    with pytest.raises(BadValue, match="radius"):
        Stroke(Brush(0.0), layer(0.0), LINE)
    with pytest.raises(BadValue, match="for 3 points"):
        Stroke(Brush(1.0), layer(0.0), LINE[:3])
    empty = Stroke(Brush(1.0), ColourLayer("None", np.zeros((0, 4), np.float32)), np.zeros((0, 3)))
    empty.to((0, 0, 0))
    assert len(empty.painted().values) == 0


def test_flow_builds_up_a_mirror_paints_twice_and_a_steady_hand_trails() -> None:
    """A dab of half flow gives half of what is left to give each time: 1 − ½ⁿ; both sides of a plane are alike; a hand
    that shakes by less than the brush trails paints one dab."""
    side = np.linspace(-1, 1, 41)
    points = np.stack([side, np.zeros(41), np.zeros(41)], axis=1)
    layer = ColourLayer("c", np.zeros((41, 4), np.float32), precision="float")
    stroke = Stroke(Brush(0.3, 1.0, 1.0, "replace", (1.0, 1.0, 1.0, 1.0), "r", flow=0.5), layer, points)
    for dabs in (1, 2, 3):
        stroke.to((0.5, 0, 0))
        assert stroke.painted().values[30, 0] == pytest.approx(1 - 0.5**dabs)
    mirrored = Stroke(Brush(0.2, 0.5, 1.0, "replace", (1.0, 1.0, 1.0, 1.0), "r", mirror="x"), layer, points)
    mirrored.to((0.6, 0, 0))
    painted = mirrored.painted().values[:, 0]
    assert np.allclose(painted, painted[::-1]) and painted[32] == 1
    steady = Stroke(Brush(0.1, 1.0, steady=0.2), layer, points)
    steady.to((0.0, 0, 0))
    before = steady.painted().values
    steady.to((0.15, 0, 0))
    assert np.array_equal(steady.painted().values, before)
    steady.to((0.7, 0, 0))
    reached = points[steady.painted().values[:, 0] > 0, 0].max()
    assert reached == pytest.approx(0.6, abs=0.051)  # 0.2 behind the hand, and a radius on
