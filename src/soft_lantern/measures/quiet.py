"""Measures taken while the machine is quiet: a virtual one is at times without its cores, which tells of its host."""

from __future__ import annotations

import operator
import time
from collections.abc import Iterable, Iterator
from pathlib import Path

from soft_lantern.measures.row import Measure, Row

QUIET = 0.02
"""Up to this share of the time that work wanted, the host may have kept the cores."""
TRIES = 3
PATIENCE = 300.0
"""Seconds that are waited, in the whole of a table, for the host to leave the cores alone."""
_GLANCE, _PAUSE = 0.5, 3.0
"""Seconds of work that show whether it does, and between two such looks."""

_STAT = Path("/proc/stat")
_IDLE, _WAITING, _STOLEN = 3, 4, 7
"""Which of the first line's numbers they are; what follows is counted in others already. Source: proc_stat(5)."""


class Quiet:
    """Takes measures, and those again during which the host was loud; of several tries the quietest is told."""

    def __init__(self, patience: float = PATIENCE) -> None:
        self.loudest = 0.0
        self._patience = patience

    def rows(self, measures: Iterable[Measure]) -> Iterator[Row]:
        """What they find, one measure after the other."""
        for measure in measures:
            share, found = _taken(measure)
            for _ in range(TRIES - 1):
                if share > QUIET:
                    self._wait()
                    share, found = min((share, found), _taken(measure), key=operator.itemgetter(0))
            self.loudest = max(self.loudest, share)
            yield from found

    def row(self) -> Row:
        """The loudest of what was told: above its limit, longest waits tell of the host and not of the program."""
        return Row("the host kept the cores from a measure, share of its time", self.loudest, QUIET)

    def _wait(self) -> None:
        """Until the host is quiet, or patience is at an end."""
        began = time.monotonic()
        while time.monotonic() - began < self._patience and _taken(_glance)[0] > QUIET:
            time.sleep(_PAUSE)
        self._patience -= time.monotonic() - began


def _glance() -> list[Row]:
    until = time.perf_counter() + _GLANCE
    while time.perf_counter() < until:
        pass
    return []


def _taken(measure: Measure) -> tuple[float, list[Row]]:
    before = _ticks()
    found = measure()
    stolen, wanted = (now - was for now, was in zip(_ticks(), before, strict=True))
    return stolen / max(wanted, 1), found


def _ticks() -> tuple[int, int]:
    """How long the host has kept the cores from work, and how long work wanted them, since the machine began."""
    counted = [int(word) for word in _STAT.read_text().split("\n", 1)[0].split()[1:]] if _STAT.exists() else [0] * 8
    return counted[_STOLEN], sum(counted[: _STOLEN + 1]) - counted[_IDLE] - counted[_WAITING]
