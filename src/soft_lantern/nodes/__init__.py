"""The node library: one module per family; each node is one function over ir values."""

from importlib import import_module

from soft_lantern.nodes.definition import LIBRARY, NodeType, Port, Role, Setting, role_of

FAMILIES = (
    *("arithmetic", "trigonometry", "exponentials", "rounding", "ranges", "logic", "vectors", "channels"),
    *("constants", "flow", "geometry", "screen", "clock", "colour", "masks", "noises", "patterns", "textures"),
    "outputs",
)
"""The modules whose nodes make up the library, in the order the finder lists them."""

for _family in FAMILIES:
    import_module(f"soft_lantern.nodes.{_family}")

__all__ = ["FAMILIES", "LIBRARY", "NodeType", "Port", "Role", "Setting", "role_of"]
