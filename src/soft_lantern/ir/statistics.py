"""What an array of values comes to: lowest, highest, mean, and how many are not finite."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from soft_lantern.ir.numpy_reader import Array

SLACK = 1e-5
"""How far outside a range a value may lie before it counts as outside: rounding, not meaning."""

_SAFE = 1e30
"""Below this a single-precision sum over a buffer cannot overflow."""


class Statistics(Struct, frozen=True):
    """Lowest, highest and mean of the finite values over all components, and how many values are not finite."""

    low: float
    high: float
    mean: float
    not_finite: int = 0

    def leaves(self, expected: tuple[float, float]) -> bool:
        """Whether any value lies outside the expected range."""
        return self.low < expected[0] - SLACK or self.high > expected[1] + SLACK


def statistics_of(value: Array) -> Statistics:
    """The reach of an array of any shape."""
    low, high = float(np.minimum.reduce(value, axis=None)), float(np.maximum.reduce(value, axis=None))
    if low - low == 0 and high - high == 0:  # both finite, so all are
        largest = max(-low, high)
        if largest < _SAFE and value.dtype == np.float32:
            mean = np.add.reduce(value, axis=None) / np.float32(value.size)  # as `mean` does it, without its checks
        else:
            mean = value.mean(dtype=np.float64)
        return Statistics(low, high, float(mean))
    finite = value[np.isfinite(value)]
    lost = value.size - finite.size
    if not finite.size:
        return Statistics(0.0, 0.0, 0.0, lost)
    return Statistics(float(finite.min()), float(finite.max()), float(finite.mean(dtype=np.float64)), lost)
