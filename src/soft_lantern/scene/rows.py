"""Rows that are alike, of vertices, corners and edges, and the members of runs of rows."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Numbers = npt.NDArray[np.int64]


def distinct_rows(values: npt.NDArray[np.number]) -> tuple[Numbers, Numbers]:
    """Of rows, (n, k): where each different one stands first, in ascending order of the rows, and which each is, (n,).

    Column after column: rows compared as a whole are slow to sort, and let no other thread run meanwhile.
    """
    order = np.lexsort(values.T[::-1])
    differs = np.zeros(len(values), bool)
    differs[:1] = True
    for column in values.T:
        held = column.take(order)
        differs[1:] |= held[1:] != held[:-1]
    which = np.empty(len(values), np.int64)
    which[order] = np.cumsum(differs) - 1
    return order[differs], which


def within_runs(counts: Numbers) -> Numbers:
    """Of runs of so many, one after another, the place of each member within its run, from 0."""
    return np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
