"""Nodes that read the surface point."""

from __future__ import annotations

from typing import Literal

from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Metres3, node


@node("Position", family="geometry", also=("location", "height", "coordinates", "world", "object"))
def position(*, space: Literal["world", "object"] = "world") -> Metres3:
    """Where the surface point is, in metres.

    World space stays put when an object moves; object space travels with it. Y is up.
    """
    return surface_input("position_world" if space == "world" else "position_object")
