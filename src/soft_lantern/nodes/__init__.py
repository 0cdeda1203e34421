"""The node library: one module per family; each node is one function over ir values."""

from soft_lantern.nodes import arithmetic, channels, clock, constants, flow, geometry, outputs, ranges
from soft_lantern.nodes.definition import LIBRARY, NodeType, Port, Setting

__all__ = [
    "LIBRARY",
    "NodeType",
    "Port",
    "Setting",
    "arithmetic",
    "channels",
    "clock",
    "constants",
    "flow",
    "geometry",
    "outputs",
    "ranges",
]
