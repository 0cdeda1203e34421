"""Which pixels triangles cover, by whole numbers on the grid of subpixels (OpenGL 3.3, section 3.6.1)."""

from __future__ import annotations

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from soft_lantern.render.raster import SUBPIXELS, rasterise

SIZE = (13, 9)
near, far = st.integers(-1000, 4000), st.integers(-(10**9), 10**9)
coordinates = st.one_of(near, near.map(lambda at: at // 128 * 128), far)
places = st.tuples(coordinates, coordinates)


@settings(max_examples=300)
@example((128, 128), (3072, 0), (0, 2048))  # corners and edges on middles of pixels
@example((0, 1152), (1024, 1024), (1024, -1024))  # between them runs a row of middles
@given(places, places, places)
def test_a_pixel_of_two_triangles_side_by_side_is_drawn_by_one(
    at: tuple[int, int], first: tuple[int, int], second: tuple[int, int]
) -> None:
    """Two halves of a parallelogram: each middle within is covered once, none outside, on its sides at most once."""
    corners = [at, _sum(at, first), _sum(at, first, second), _sum(at, second)]
    spots = np.array(corners) / (np.array(SIZE) * SUBPIXELS) * 2 - 1
    clip = np.column_stack([spots, np.zeros(4), np.ones(4)])
    triangles, depth = np.array([(0, 1, 2), (0, 2, 3)]), np.full(SIZE[0] * SIZE[1], np.inf)
    drawn = rasterise(triangles, clip, {}, SIZE, depth, every=True)
    counts = np.bincount(drawn.pixels, minlength=len(depth)).reshape(SIZE[::-1])[::-1]
    area = first[0] * second[1] - first[1] * second[0]
    y, x = np.indices(counts.shape) * SUBPIXELS + SUBPIXELS // 2 - np.array(at[::-1])[:, None, None]
    shares = np.stack([x * second[1] - y * second[0], first[0] * y - first[1] * x]) * np.sign(area)
    within = ((shares > 0) & (shares < abs(area))).all(axis=0)
    outside = ((shares < 0) | (shares > abs(area))).any(axis=0) | (area == 0)
    assert (counts[within] == 1).all() and (counts[outside] == 0).all() and counts.max() <= 1


def _sum(*places: tuple[int, int]) -> tuple[int, int]:
    return sum(place[0] for place in places), sum(place[1] for place in places)
