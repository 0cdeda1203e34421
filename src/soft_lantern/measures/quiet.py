"""Whether the machine was quiet while it was measured: a virtual one is at times without its cores."""

from __future__ import annotations

from pathlib import Path

from soft_lantern.measures.table import Row

Ticks = tuple[int, int]
_STAT = Path("/proc/stat")
_STOLEN = 7
"""Which of the first line's numbers it is; what follows is counted in others already. Source: proc_stat(5)."""


def ticks() -> Ticks:
    """How long the host has kept the cores from this machine, and all the time there was, since it began."""
    counted = [int(word) for word in _STAT.read_text().split("\n", 1)[0].split()[1:]] if _STAT.exists() else [0] * 8
    return counted[_STOLEN], sum(counted[: _STOLEN + 1])


def quiet_since(before: Ticks) -> Row:
    """Above its limit, longest waits tell of the host and not of the program."""
    stolen, whole = (now - was for now, was in zip(ticks(), before, strict=True))
    return Row("share of the time that the machine's host kept its cores", stolen / max(whole, 1), 0.02)
