"""Which kind every port of a graph carries, once its wires are known."""

from __future__ import annotations

from soft_lantern.graph.document import Material, node_and_port, port_ref
from soft_lantern.nodes import LIBRARY, NodeType, Port
from soft_lantern.values.kinds import Conversion, Kind, conversion, widest


def evaluation_order(material: Material) -> tuple[list[str], list[str]]:
    """Node ids with every node after those that feed it, and the ids left over because they feed themselves."""
    feeds: dict[str, set[str]] = {node_id: set() for node_id in material.nodes}
    waiting_for = dict.fromkeys(material.nodes, 0)
    for into, out in material.wires.items():
        source, target = node_and_port(out)[0], node_and_port(into)[0]
        if source in feeds and target in feeds and target not in feeds[source]:
            feeds[source].add(target)
            waiting_for[target] += 1
    ready = [node_id for node_id, count in waiting_for.items() if count == 0]
    order: list[str] = []
    while ready:
        node_id = ready.pop()
        order.append(node_id)
        for target in feeds[node_id]:
            waiting_for[target] -= 1
            if waiting_for[target] == 0:
                ready.append(target)
    done = set(order)
    return order, [node_id for node_id in material.nodes if node_id not in done]


def output_kinds(material: Material) -> dict[str, Kind]:
    """The kind of every output, by "node.port"."""
    found: dict[str, Kind] = {}
    order, looped = evaluation_order(material)
    for node_id in order + looped:
        node_type = LIBRARY.get(material.nodes[node_id].type)
        if node_type:
            shared = shared_kind(material, node_id, node_type, found)
            for port in node_type.outputs:
                found[port_ref(node_id, port.name)] = port.carries.kind or shared or Kind.NUMBER
    return found


def shared_kind(material: Material, node_id: str, node_type: NodeType, known: dict[str, Kind]) -> Kind | None:
    """The kind that a node's open ports take on from its wires; None where the wires do not go together."""
    if node_type.key == "parameter":
        parameter = material.parameter(material.nodes[node_id].settings.get("parameter", ""))
        return parameter.kind if parameter else Kind.NUMBER
    wired = [material.wires.get(port_ref(node_id, p.name)) for p in node_type.inputs if p.carries.kind is None]
    return widest([known[w] for w in wired if w in known])


def input_kind(material: Material, node_id: str, port: Port, known: dict[str, Kind]) -> Kind:
    """The kind an input takes: its own, or what its node's wires make of it."""
    if port.carries.kind:
        return port.carries.kind
    node_type = LIBRARY[material.nodes[node_id].type]
    return shared_kind(material, node_id, node_type, known) or Kind.NUMBER


def wire_conversion(material: Material, into: str, known: dict[str, Kind]) -> Conversion | None:
    """What the wire into that input does to its value, or None where it cannot carry it."""
    node_id, port_name = node_and_port(into)
    node_type = LIBRARY.get(material.nodes[node_id].type)
    port = node_type.input(port_name) if node_type else None
    given = known.get(material.wires[into])
    if port is None or given is None:
        return None
    wanted = input_kind(material, node_id, port, known)
    if port.carries.kind is None and given is Kind.NUMBER and wanted is not Kind.NUMBER:
        return Conversion.SPLAT
    return conversion(given, wanted)
