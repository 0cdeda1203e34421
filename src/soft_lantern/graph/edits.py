"""Edits of a material's graph and parameters: pure functions from a material to a material.

Each raises a BadEdit (WrongKind, WouldCycle) or BadValue with a sentence for people where it cannot be done.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping

from soft_lantern.errors import BadEdit, WouldCycle, WrongKind
from soft_lantern.graph.document import (
    Material,
    Node,
    Note,
    changed,
    new_id,
    node_and_port,
    node_of,
    port_ref,
)
from soft_lantern.graph.flow import feeds, reached
from soft_lantern.graph.kinds import input_kind, known_type, label_of, output_kinds, shared_kind, type_of
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.nodes import LIBRARY, NodeType, Port, Role
from soft_lantern.nodes.formula import formula_type
from soft_lantern.values.kinds import Kind, Value, conversion, fitted

COLUMN = 184.0
"""How far apart columns of nodes stand on the canvas."""


def add_node(material: Material, node_id: str, node: Node) -> Material:
    """The material with one more node."""
    if node_id in material.nodes or "." in node_id or not node_id:
        raise BadEdit(f"“{node_id}” cannot be a new node’s id")
    if node.role is Role.FORMULA:
        formula_type(node.settings.get("expression", ""))  # says what is wrong, and where
    elif node.type not in LIBRARY and node.role is not Role.SNIPPET:
        raise BadEdit(f"there is no node type “{node.type}”")
    return changed(material, nodes={**material.nodes, node_id: node})


def remove_nodes(material: Material, node_ids: Iterable[str]) -> Material:
    """The material without those nodes and the wires on them."""
    gone = set(node_ids)
    return changed(
        material,
        nodes={i: n for i, n in material.nodes.items() if i not in gone},
        wires={
            into: out for into, out in material.wires.items() if node_of(into) not in gone and node_of(out) not in gone
        },
    )


def change_node(material: Material, node_id: str, **fields: object) -> Material:
    """The material with some fields of one node replaced, such as its name."""
    return changed(material, nodes={**material.nodes, node_id: changed(material.node(node_id), **fields)})


def move_nodes(material: Material, places: Mapping[str, tuple[float, float]]) -> Material:
    """The material with some nodes elsewhere on the canvas; nothing that is compiled changes."""
    moved = {i: changed(material.node(i), x=x, y=y) for i, (x, y) in places.items()}
    return changed(material, nodes={**material.nodes, **moved})


def type_value(material: Material, node_id: str, port: str, value: Value) -> Material:
    """The material with a value typed into an unwired port."""
    node = material.node(node_id)
    found = known_type(material, node).input(port)
    if found is None:
        raise BadEdit(f"{label_of(material, node)} has no input “{port}”")
    shaped = fitted(value, found.carries.kind) if found.carries.kind else value
    return change_node(material, node_id, values={**node.values, port: shaped})


def choose_setting(material: Material, node_id: str, setting: str, choice: str) -> Material:
    """The material with one setting of a node changed."""
    node = material.node(node_id)
    return change_node(material, node_id, settings={**node.settings, setting: choice})


def connect(material: Material, out: str, into: str) -> Material:
    """The material with a wire from output `out` to input `into`, replacing what fed `into`.

    Raises WrongKind if no conversion exists, WouldCycle if `into` already feeds `out`.
    """
    _output_port(material, out)
    node_id, port = _input_port(material, into)
    if feeds(material, node_id, node_of(out)):
        name = label_of(material, material.node(node_id))
        raise WouldCycle(f"this would make {name} feed itself")
    wired = changed(material, wires={**material.wires, into: out})
    kinds = output_kinds(wired)
    given = kinds[out]
    node_type = known_type(material, material.node(node_id))
    if port.carries.kind is None:
        if shared_kind(wired, node_id, node_type, kinds) is None:
            others = shared_kind(changed(wired, wires=_without(wired.wires, into)), node_id, node_type, kinds)
            already = others.words if others else "mixture"
            raise WrongKind(f"a {given.words} does not go with the {already} already in {node_type.title}")
    elif conversion(given, port.carries.kind) is None:
        raise WrongKind(_why_not(given, port.carries.kind, port))
    _refuse_kinds_broken_downstream(material, wired, kinds)
    return wired


def disconnect(material: Material, into: str) -> Material:
    """The material without the wire into that input."""
    return changed(material, wires=_without(material.wires, into))


def insertable(material: Material, node_id: str, into: str) -> bool:
    """Whether a node could be put into the wire that feeds `into`."""
    try:
        insert(material, node_id, into)
    except BadEdit:
        return False
    return True


def insert(material: Material, node_id: str, into: str) -> Material:
    """The material with a node put into the wire that feeds `into`; what lies downstream moves aside to make room.

    Raises BadEdit where the node has no input and output that fit the wire.
    """
    node_type = known_type(material, material.node(node_id))
    entry = next((p for p in node_type.inputs if p.carries.takes_wire), None)
    if entry is None or not node_type.outputs:
        raise BadEdit(f"{label_of(material, material.node(node_id))} has nothing to put into a wire")
    out = material.wires.get(into)
    if out is None:
        raise BadEdit("that wire is gone")
    wired = connect(disconnect(material, into), out, port_ref(node_id, entry.name))
    wired = connect(wired, port_ref(node_id, node_type.outputs[0].name), into)
    return _made_room(wired, node_id)


def dissolve(material: Material, node_ids: Iterable[str]) -> Material:
    """The material without those nodes, each wire through one joined up where the kinds allow it."""
    for node_id in node_ids:
        source = _first_source(material, node_id)
        readers = [i for i, o in material.wires.items() if node_of(o) == node_id]
        material = remove_nodes(material, [node_id])
        for into in readers if source else []:
            with contextlib.suppress(BadEdit):
                material = connect(material, source, into)
    return material


def change_formula(material: Material, node_id: str, expression: str) -> Material:
    """The material with another expression in a formula; wires into ports that are gone come off.

    Raises FormulaError with the column of what is wrong.
    """
    node_type = formula_type(expression)
    node = material.node(node_id)
    names = {p.name for p in node_type.inputs}
    kept = {
        into: out for into, out in material.wires.items() if node_of(into) != node_id or node_and_port(into)[1] in names
    }
    return change_node(changed(material, wires=kept), node_id, settings={**node.settings, "expression": expression})


def add_note(material: Material, note: Note) -> Material:
    """The material with a note area, in place of the one of the same id."""
    return changed(material, notes=(*(n for n in material.notes if n.id != note.id), note))


def remove_note(material: Material, note_id: str) -> Material:
    """The material without a note area; the slips in it stay."""
    return changed(material, notes=tuple(n for n in material.notes if n.id != note_id))


def rename_note(material: Material, note_id: str, title: str) -> Material:
    """The material with another title on a note area."""
    return add_note(material, changed(_note(material, note_id), title=title))


def put_note_at(
    material: Material, was: Note, places: Mapping[str, tuple[float, float]], dx: float, dy: float
) -> Material:
    """The material with a note area, and the nodes in it, so far from where they were."""
    material = add_note(material, changed(_note(material, was.id), x=was.x + dx, y=was.y + dy))
    return move_nodes(material, {i: (x + dx, y + dy) for i, (x, y) in places.items()})


def _note(material: Material, note_id: str) -> Note:
    for note in material.notes:
        if note.id == note_id:
            return note
    raise BadEdit("that note is gone")


def fitting_inputs(material: Material, out: str) -> list[tuple[NodeType, Port]]:
    """For each node type that could be fed by `out`, its first input that takes the kind, best fit first."""
    given = output_kinds(material)[out]
    found = []
    for node_type in LIBRARY.values():
        takes = [p for p in node_type.inputs if p.carries.takes_wire]
        takes = [p for p in takes if not (p.carries.kind is None and p.carries.numeric and given.is_read)]
        exact = [p for p in takes if p.carries.kind in (None, given)]
        loose = [p for p in takes if p.carries.kind and conversion(given, p.carries.kind) is not None]
        if exact or loose:
            # What is made for colours comes before what takes anything; for numbers arithmetic is as near as the rest.
            made_for = given is Kind.NUMBER or any(p.carries.kind is given for p in exact)
            found.append((0 if exact and made_for else 1 if exact else 2, node_type, (exact or loose)[0]))
    return [(node_type, port) for _, node_type, port in sorted(found, key=lambda each: each[0])]


def fitting_outputs(material: Material, into: str) -> list[tuple[NodeType, Port]]:
    """For each node type that could feed `into`, its first output of a fitting kind, best fit first."""
    node_id, port = _input_port(material, into)
    wanted = input_kind(material, node_id, port, output_kinds(material)) if port.carries.kind else None
    found = []
    for node_type in LIBRARY.values():
        kinds = [(p, p.carries.kind) for p in node_type.outputs]
        kinds = [(p, k) for p, k in kinds if not (k is None and p.carries.numeric and wanted and wanted.is_read)]
        kinds = [(p, k) for p, k in kinds if not (wanted is None and port.carries.numeric and k and k.is_read)]
        exact = [p for p, kind in kinds if wanted is None or kind in (None, wanted)]
        loose = [p for p, kind in kinds if wanted and kind and conversion(kind, wanted) is not None]
        if exact or loose:
            found.append((not exact, node_type, (exact or loose)[0]))
    return [(node_type, port) for _, node_type, port in sorted(found, key=lambda each: each[0])]


def fragment(material: Material, node_ids: Iterable[str]) -> Material:
    """Those nodes, the wires among them and the parameters they show: what copying takes."""
    kept = set(node_ids)
    nodes = {i: n for i, n in material.nodes.items() if i in kept}
    shown = {n.settings.get("parameter") for n in nodes.values()}
    return Material(
        id=material.id,
        name=material.name,
        nodes=nodes,
        wires={into: out for into, out in material.wires.items() if node_of(into) in kept and node_of(out) in kept},
        parameters=tuple(p for p in material.parameters if p.id in shown),
    )


def paste(material: Material, piece: Material, dx: float, dy: float) -> tuple[Material, list[str]]:
    """The material with a copied piece put in under new ids, and those ids.

    Parameters the material does not have come along, under another identifier where theirs is taken.
    """
    renamed = {old: new_id(node.type) for old, node in piece.nodes.items()}
    nodes = {renamed[old]: changed(node, x=node.x + dx, y=node.y + dy) for old, node in piece.nodes.items()}
    wires = {}
    for into, out in piece.wires.items():
        (to, to_port), (source, source_port) = node_and_port(into), node_and_port(out)
        if to in renamed and source in renamed:
            wires[port_ref(renamed[to], to_port)] = port_ref(renamed[source], source_port)
    parameters = list(material.parameters)
    for parameter in piece.parameters:
        if material.parameter(parameter.id) is None:
            taken = {p.identifier for p in parameters}
            parameters.append(changed(parameter, identifier=as_identifier(parameter.identifier, taken)))
    pasted = changed(
        material,
        nodes={**material.nodes, **nodes},
        wires={**material.wires, **wires},
        parameters=tuple(parameters),
    )
    return pasted, list(nodes)


def _first_source(material: Material, node_id: str) -> str:
    """What feeds the first wired input of a node; "" where nothing does."""
    node_type = known_type(material, material.node(node_id))
    refs = [port_ref(node_id, p.name) for p in node_type.inputs]
    return next((material.wires[ref] for ref in refs if ref in material.wires), "")


def _made_room(material: Material, node_id: str) -> Material:
    """What the node feeds, moved right until a column lies between, and everything further on with it."""
    node = material.node(node_id)
    downstream = reached(material, [node_id], upstream=False) - {node_id}
    nearest = min((material.nodes[other].x for other in downstream), default=node.x + COLUMN)
    shift = node.x + COLUMN - nearest
    if shift <= 0:
        return material
    places = {other: (material.nodes[other].x + shift, material.nodes[other].y) for other in downstream}
    return move_nodes(material, places)


def _without(wires: dict[str, str], into: str) -> dict[str, str]:
    return {i: o for i, o in wires.items() if i != into}


def _output_port(material: Material, ref: str) -> tuple[str, Port]:
    node_id, port_name = node_and_port(ref)
    node = material.nodes.get(node_id)
    node_type = type_of(material, node) if node else None
    port = node_type.output(port_name) if node_type else None
    if port is None:
        raise BadEdit(f"there is no output “{ref}”")
    return node_id, port


def _input_port(material: Material, ref: str) -> tuple[str, Port]:
    node_id, port_name = node_and_port(ref)
    node = material.nodes.get(node_id)
    node_type = type_of(material, node) if node else None
    port = node_type.input(port_name) if node_type else None
    if port is None:
        raise BadEdit(f"there is no input “{ref}”")
    if not port.carries.takes_wire:
        raise BadEdit(f"{port.label} is typed on the node and takes no wire")
    return node_id, port


def _why_not(given: Kind, wanted: Kind, port: Port) -> str:
    if given.width > wanted.width:
        return f"{port.label} takes a {wanted.words}; Separate the {given.words} to choose which part"
    return f"{port.label} takes a {wanted.words}; a {given.words} has too few parts, so Combine it first"


def _refuse_kinds_broken_downstream(before: Material, after: Material, kinds: dict[str, Kind]) -> None:
    """A new wire may change what its node gives, which must still fit everything further on."""
    was = output_kinds(before)
    differs = {ref for ref, kind in kinds.items() if was.get(ref) is not kind}
    for into, out in after.wires.items():
        if out not in differs:
            continue
        node_id, port = _input_port(after, into)
        node_type = known_type(after, after.nodes[node_id])
        fixed = port.carries.kind
        broken = conversion(kinds[out], fixed) is None if fixed else not shared_kind(after, node_id, node_type, kinds)
        if broken:
            name = label_of(after, after.nodes[node_id])
            raise WrongKind(f"this would hand a {kinds[out].words} to {name}, which cannot take one there")
