"""An image node in place of what fed a wire."""

from __future__ import annotations

from soft_lantern.graph.document import Material, Node, changed, new_id, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import add_node, connect, remove_nodes
from soft_lantern.graph.flow import reached
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.nodes import LIBRARY
from soft_lantern.values.kinds import Kind

_PARTS = {Kind.NUMBER: "r", Kind.VECTOR2: "rg", Kind.VECTOR3: "rgb", Kind.VECTOR4: "rgba", Kind.COLOUR: ""}
"""Which channels of a colour make a value of a kind again; a colour is one already."""
APART = 170.0
"""From one of the new nodes to the next, in the canvas's units."""
_JOINS = {2: "combine_2", 3: "combine", 4: "combine_4"}


def with_image(material: Material, wire: str, texture_id: str, name: str) -> Material:
    """The material with an image node where an output was read; what only fed that output is gone.

    Raises BadEdit where there is no such output, WrongKind where its kind is none that a texture holds.
    """
    kind = output_kinds(material)[wire]
    source, _ = node_and_port(wire)
    node = material.node(source)
    readers = [into for into, out in material.wires.items() if out == wire]
    ends = _ends(material)
    before = reached(material, ends, upstream=True)
    channels = _PARTS[kind]
    left = node.x - APART * (bool(channels) + (len(channels) > 1))  # the last of them stands where the wire began
    image = new_id("image")
    made = Node(type="image", name=name, values={"texture": texture_id}, x=left, y=node.y)
    material = add_node(material, image, made)
    out = port_ref(image, "colour")
    if channels:
        apart, split = new_id("separate"), Node(type="separate_colour", x=left + APART, y=node.y)
        material = connect(add_node(material, apart, split), out, port_ref(apart, "colour"))
        out = port_ref(apart, channels[0])
    if len(channels) > 1:
        join = new_id("combine")
        combine = Node(type=_JOINS[len(channels)], x=node.x, y=node.y)
        material = add_node(material, join, combine)
        for channel, port in zip(channels, LIBRARY[combine.type].inputs, strict=False):
            material = connect(material, port_ref(apart, channel), port_ref(join, port.name))
        out = port_ref(join, "out")
    wires = {**material.wires, **dict.fromkeys(readers, out)}
    material = changed(material, wires=wires)
    return remove_nodes(material, before - reached(material, ends, upstream=True))


def _ends(material: Material) -> set[str]:
    """The nodes that nothing is wired to from."""
    return set(material.nodes) - {node_of(out) for out in material.wires.values()}
