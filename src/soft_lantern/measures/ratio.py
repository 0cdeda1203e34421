"""The time of one thing beside that of another."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable

import numpy as np

FEWEST, MOST = 15, 99
SECONDS = 2.0
"""Rounds, and what is spent on them where the most do not fit."""


def ratio(
    one: Callable[[float], object],
    other: Callable[[float], object],
    fewest: int = FEWEST,
    most: int = MOST,
    clock: Callable[[], float] = time.perf_counter,
) -> float:
    """The time of one beside that of the other, taken in turns: the middle of all rounds, which no hiccup moves.

    Each is called with another number every round, of which nothing is known yet. Garbage is not looked for meanwhile,
    as the window does not while a hand works: what was made before would be looked through in one of them by chance.
    """
    times: tuple[list[float], list[float]] = ([], [])
    collected = gc.isenabled()
    gc.collect()
    gc.disable()
    end = time.monotonic() + SECONDS
    while len(times[0]) < fewest or (len(times[0]) < most and time.monotonic() < end):
        for call, taken in zip((one, other), times, strict=True):
            turn, started = len(taken), clock()
            call(0.3 + 0.05 * turn)
            taken.append(clock() - started)
    if collected:
        gc.enable()
    return float(np.median(np.array(times[0]) / np.array(times[1])))
