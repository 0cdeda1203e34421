"""Nodes that follow the clock."""

from __future__ import annotations

from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Seconds, node


@node("Time", family="time", also=("clock", "seconds", "animate", "pulse", "scroll"))
def time() -> Seconds:
    """Seconds since the clock started.

    out = time
    """
    return surface_input("time")
