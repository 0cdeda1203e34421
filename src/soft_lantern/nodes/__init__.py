"""The node library: one module per family; each node is one function over ir values."""

from soft_lantern.nodes import (
    arithmetic,
    channels,
    clock,
    colour,
    constants,
    exponentials,
    flow,
    geometry,
    logic,
    masks,
    noises,
    outputs,
    patterns,
    ranges,
    rounding,
    screen,
    textures,
    trigonometry,
    vectors,
)
from soft_lantern.nodes.definition import LIBRARY, NodeType, Port, Setting

FAMILIES = (
    arithmetic,
    channels,
    clock,
    colour,
    constants,
    exponentials,
    flow,
    geometry,
    logic,
    masks,
    noises,
    outputs,
    patterns,
    ranges,
    rounding,
    screen,
    textures,
    trigonometry,
    vectors,
)

__all__ = ["FAMILIES", "LIBRARY", "NodeType", "Port", "Setting"]
