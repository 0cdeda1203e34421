"""Which range each output is expected to keep: its own, or what the inputs it feeds expect."""

from __future__ import annotations

from soft_lantern.graph.document import Material, node_of, port_ref
from soft_lantern.graph.kinds import type_of

Range = tuple[float, float]


def expected_by_inputs(material: Material) -> dict[str, Range]:
    """The expected range of every input that has one, by "node.port"."""
    found = {}
    for node_id, node in material.nodes.items():
        node_type = type_of(material, node)
        for port in node_type.inputs if node_type else ():
            if port.carries.expected:
                found[port_ref(node_id, port.name)] = port.carries.expected
    return found


def expected_by_outputs(material: Material) -> dict[str, Range]:
    """The expected range of every output: what all the inputs it feeds expect, or what it promises itself."""
    found: dict[str, Range] = {}
    for node_id, node in material.nodes.items():
        node_type = type_of(material, node)
        for port in node_type.outputs if node_type else ():
            if port.carries.expected:
                found[port_ref(node_id, port.name)] = port.carries.expected
    wanted = expected_by_inputs(material)
    for into, out in material.wires.items():
        if into in wanted and node_of(out) in material.nodes:
            low, high = found.get(out, wanted[into])
            found[out] = (max(low, wanted[into][0]), min(high, wanted[into][1]))
    return found
