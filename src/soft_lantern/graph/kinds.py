"""What a graph's nodes are, and which kind every port carries once its wires are known."""

from __future__ import annotations

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Material, Node, Parameter, node_and_port, node_of, port_ref
from soft_lantern.graph.flow import beside_each
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.nesting import snippet_in
from soft_lantern.nodes import LIBRARY, NodeType, Port, Role, Setting
from soft_lantern.nodes.definition import SNIPPET, Carries
from soft_lantern.nodes.formula import formula_type, result_kind
from soft_lantern.nodes.formula_text import FormulaError
from soft_lantern.values.kinds import Conversion, Kind, conversion, kind_named, widest


def type_of(material: Material, node: Node) -> NodeType | None:
    """The type of a node of a material; formulas and snippets have ports of their own. None where it is not known."""
    found = LIBRARY.get(node.type)
    if found is not None:
        return found.shaped(node.settings)
    if node.role is Role.SNIPPET:
        inner = snippet_in(material, node)
        return snippet_type(inner) if inner else None
    if node.role is Role.FORMULA:
        try:
            return formula_type(node.settings.get("expression", ""))
        except FormulaError:
            return None
    return None


def known_type(material: Material, node: Node) -> NodeType:
    """The same, for nodes that must be known. Raises BadEdit."""
    found = type_of(material, node)
    if found is None:
        raise BadEdit(f"{label_of(material, node)} is of a type this version does not have")
    return found


def label_of(material: Material, node: Node) -> str:
    """What people call a node: its own name, or its type's title."""
    if node.name:
        return node.name
    known = type_of(material, node)
    return known.title if known else node.settings.get("expression", node.type)


def parameter_of(material: Material, node: Node) -> Parameter | None:
    """The parameter a node stands for; None for other nodes, and where the parameter is gone."""
    return material.parameter(node.settings.get("parameter", "")) if node.role is Role.PARAMETER else None


def counting(material: Material, role: Role) -> str:
    """The node of a role that counts where there are several, such as surfaces: the first; "" where there is none."""
    return next((node_id for node_id, node in material.nodes.items() if node.role is role), "")


def shown_name(material: Material, node: Node) -> str:
    """What a node's slip is headed: its own name, the parameter it stands for, or its type's title."""
    parameter = parameter_of(material, node)
    return parameter.label if parameter and not node.name else label_of(material, node)


@by_identity(256)
def snippet_type(snippet: Material) -> NodeType:
    """The node type of a snippet: a port for each snippet input and output in it, from the top.

    Ports are named by the ids of those nodes, so that wires hold when they are renamed.
    """
    inputs, outputs = [], []
    known = output_kinds(snippet)
    for node_id, node in sorted(snippet.nodes.items(), key=lambda each: (each[1].y, each[1].x)):
        if node.role is Role.ENTRY:
            kind = known[port_ref(node_id, "out")]
            inputs.append(Port(node_id, Carries(kind), node.values.get("value", 0.0), title=node.name or "value"))
        elif node.role is Role.EXIT:
            kind = known.get(snippet.wires.get(port_ref(node_id, "value"), ""), Kind.NUMBER)
            outputs.append(Port(node_id, Carries(kind), title=node.name or "out"))
    settings = (Setting("snippet", (), ""),)

    def not_alone(*_: object, **__: object) -> None:
        """A graph of its own, used here as one node. Double-click it to edit it everywhere it is used."""
        raise BadEdit("a snippet is lowered with its graph")

    ports = (tuple(inputs), tuple(outputs))
    return NodeType(SNIPPET, snippet.name, "snippets", (), *ports, settings, not_alone, role=Role.SNIPPET)


@by_identity(64)
def evaluation_order(material: Material) -> tuple[list[str], list[str]]:
    """Node ids with every node after those that feed it, and the ids left over because they feed themselves.

    The same lists for the same material: not to be changed.
    """
    nodes = material.nodes
    feeding, fed = beside_each(material.wires)
    waiting_for = {node_id: sum([source in nodes for source in feeding.get(node_id, ())]) for node_id in nodes}
    ready = [node_id for node_id, count in waiting_for.items() if count == 0]
    order: list[str] = []
    while ready:
        node_id = ready.pop()
        order.append(node_id)
        for target in fed.get(node_id, ()):
            if target in nodes:
                waiting_for[target] -= 1
                if waiting_for[target] == 0:
                    ready.append(target)
    done = set(order)
    return order, [node_id for node_id in material.nodes if node_id not in done]


@by_identity(64)
def output_kinds(material: Material) -> dict[str, Kind]:
    """The kind of every output, by "node.port". Not to be changed: the same one for the same material.

    It stays the same dictionary after an edit that changes no kind, which is found out where the edit was made.
    """
    before = _newest.get(material.id)
    found = _unchanged(material, *before) if before else None
    if found is None:
        found = _all_kinds(material)
    if len(_newest) > _KEPT:
        _newest.clear()
    _newest[material.id] = (material, found)
    return found


_KEPT = 256
_newest: dict[str, tuple[Material, dict[str, Kind]]] = {}
"""By graph id, the one whose kinds were asked for last."""


def _unchanged(material: Material, old: Material, kinds: dict[str, Kind]) -> dict[str, Kind] | None:
    """The kinds of an older state of a graph, if nodes and wires that differ since give what they gave; else None."""
    same_names = material.nodes is old.nodes or material.nodes.keys() == old.nodes.keys()
    if not same_names or material.parameters is not old.parameters or material.snippets is not old.snippets:
        return None
    touched = set()
    if material.nodes is not old.nodes:
        touched = {node_id for node_id, node in material.nodes.items() if node is not old.nodes[node_id]}
    if material.wires is not old.wires:
        touched |= {node_of(into) for into, _ in material.wires.items() ^ old.wires.items()}
    for node_id in touched & material.nodes.keys():
        node_type, was = type_of(material, material.nodes[node_id]), type_of(old, old.nodes[node_id])
        if node_type is None or was is None or [p.name for p in node_type.outputs] != [p.name for p in was.outputs]:
            return None
        shared = shared_kind(material, node_id, node_type, kinds)
        for port in node_type.outputs:
            if kinds.get(port_ref(node_id, port.name)) is not (port.carries.kind or shared or Kind.NUMBER):
                return None
    return kinds


def _all_kinds(material: Material) -> dict[str, Kind]:
    found: dict[str, Kind] = {}
    order, looped = evaluation_order(material)
    for node_id in order + looped:
        node_type = type_of(material, material.nodes[node_id])
        if node_type:
            shared = shared_kind(material, node_id, node_type, found)
            for port in node_type.outputs:
                found[port_ref(node_id, port.name)] = port.carries.kind or shared or Kind.NUMBER
    return found


def shared_kind(material: Material, node_id: str, node_type: NodeType, known: dict[str, Kind]) -> Kind | None:
    """The kind that a node's open ports take on from its wires; None where the wires do not go together."""
    if node_type.role is Role.PARAMETER:
        parameter = parameter_of(material, material.nodes[node_id])
        return parameter.kind if parameter else Kind.NUMBER
    if node_type.role is Role.ENTRY:
        return kind_named(material.nodes[node_id].settings.get("kind", ""))
    if node_type.own_kinds:
        return result_kind(node_type, {p.name: _wired_kind(material, node_id, p, known) for p in node_type.inputs})
    open_ports = node_type.open_inputs
    if not open_ports:
        return Kind.NUMBER
    wires = material.wires
    fed_by = [known.get(wires.get(port_ref(node_id, p.name), "")) for p in open_ports]
    shared = widest([kind for kind in fed_by if kind is not None])
    return None if shared and shared.is_read and any(p.carries.numeric for p in open_ports) else shared


def input_kind(material: Material, node_id: str, port: Port, known: dict[str, Kind]) -> Kind:
    """The kind an input takes: its own, or what its node's wires make of it."""
    if port.carries.kind:
        return port.carries.kind
    node_type = known_type(material, material.nodes[node_id])
    if node_type.own_kinds:
        return _wired_kind(material, node_id, port, known)
    return shared_kind(material, node_id, node_type, known) or Kind.NUMBER


def wire_conversion(material: Material, into: str, known: dict[str, Kind]) -> Conversion | None:
    """What the wire into that input does to its value, or None where it cannot carry it."""
    node_id, port_name = node_and_port(into)
    node_type = type_of(material, material.nodes[node_id])
    port = node_type.input(port_name) if node_type else None
    given = known.get(material.wires[into])
    if port is None or given is None:
        return None
    wanted = input_kind(material, node_id, port, known)
    if port.carries.kind is None and given is Kind.NUMBER and wanted is not Kind.NUMBER:
        return Conversion.SPLAT
    return conversion(given, wanted)


def _wired_kind(material: Material, node_id: str, port: Port, known: dict[str, Kind]) -> Kind:
    """The kind that comes in by a port's own wire; a number where there is none."""
    return known.get(material.wires.get(port_ref(node_id, port.name), ""), Kind.NUMBER)
