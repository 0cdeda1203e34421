"""Thumbnails of wires, beside IEC 61966-2-1 worked out anew."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.ir.statistics import statistics_of
from soft_lantern.render.measuring import pictured
from soft_lantern.render.points import flat_card
from soft_lantern.values.kinds import Kind

CARD = flat_card(16)


def by_the_standard(linear: np.ndarray) -> np.ndarray:
    """sRGB of 8 bits (IEC 61966-2-1), of what is held to 0–1; not a number is black."""
    held = np.clip(np.nan_to_num(linear.astype(np.float64), nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    curve = np.where(held <= 0.0031308, held * 12.92, 1.055 * held ** (1 / 2.4) - 0.055)
    return curve * 255


@pytest.mark.parametrize("width", [1, 2, 3, 4])
@pytest.mark.parametrize("strange", [(), (np.nan, np.inf, -np.inf, 1e30), (3e5, -3e5)])
def test_a_picture_of_values_is_as_the_standard_has_it(width: int, strange: tuple[float, ...]) -> None:
    chance = np.random.default_rng(width)
    value = chance.uniform(-0.5, 1.5, (width, CARD.count)).astype(np.float32)
    value[0, : len(strange)] = strange
    value = value[0] if width == 1 else value
    kind = {1: Kind.NUMBER, 2: Kind.VECTOR2, 3: Kind.VECTOR3, 4: Kind.COLOUR}[width]
    shown = pictured(CARD, value, kind)
    assert np.array_equal(shown, pictured(CARD, value, kind, statistics_of(value)))  # whatever is known of it
    rows = np.atleast_2d(value)[:3]
    wanted = by_the_standard(np.repeat(rows, 3, axis=0) if width == 1 else rows)
    found = shown.reshape(-1, 4).T.astype(float)
    # 4,096 steps of linear light: near black, a step is as wide as 0.4 of a byte
    assert np.abs(found[: len(wanted)] - wanted).max() <= 0.5 + 0.4 + 1e-6
    assert (found[3] == 255).all() and not found[len(wanted) : 3].any()


def test_what_is_the_same_everywhere_fills_its_picture() -> None:
    shown = pictured(CARD, np.float32([0.5]), Kind.NUMBER)
    assert (shown.reshape(-1, 4) == [188, 188, 188, 255]).all()  # 0.5 linear, from the standard's curve: 187.5
