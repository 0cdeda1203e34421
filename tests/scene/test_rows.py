from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.bake.light.surfaces import MOST_CELLS, divisions_for
from soft_lantern.scene.rows import distinct_rows


@pytest.mark.parametrize("shape", [(0, 3), (1, 1), (4000, 3), (4000, 1)])
def test_rows_are_told_apart_as_numpy_does_it_row_by_row(shape: tuple[int, int]) -> None:
    rows = np.random.default_rng(3).integers(-4, 5, shape) * np.where(np.arange(shape[1]) % 2, 0.5, -0.0)
    rows[::3] += np.random.default_rng(4).integers(0, 9, (len(rows[::3]), shape[1]))
    _, first, which = np.unique(rows, axis=0, return_index=True, return_inverse=True)
    ours = distinct_rows(rows)
    assert np.array_equal(ours[0], first) and np.array_equal(ours[1], which.reshape(-1))


def test_the_cells_of_many_surfaces_are_no_more_than_those_of_one_may_be() -> None:
    walls = np.tile(np.array([[0, 0, 0], [40, 0, 0], [0, 40, 0]], np.float32), (3000, 1, 1))
    whole = (divisions_for(walls, 400.0) ** 2).sum()
    assert MOST_CELLS * 0.9 < whole <= MOST_CELLS
    assert sum((divisions_for(part, 400.0, 1 / 3) ** 2).sum() for part in np.split(walls, 3)) == whole
