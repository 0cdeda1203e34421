"""Where wires can go, and wiring several nodes at once."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Material, changed, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import change_node, connect
from soft_lantern.graph.flow import reached
from soft_lantern.graph.kinds import input_kind, output_kinds, parameter_of, type_of
from soft_lantern.graph.parameters.edits import RESERVED
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.nodes import LIBRARY, Port, Role
from soft_lantern.values.kinds import Kind, conversion

TYPE_TITLES = frozenset(node_type.title for node_type in LIBRARY.values() if node_type.role is Role.CONSTANT)
GENERIC = frozenset({"a", "b", "value", "vector", "colour", "x", "y", "z", "w", "low", "high", "in", "out", "option"})
"""What ports are called that says nothing of what they are for."""


def wired(material: Material, out: str, into: str) -> Material:
    """The material with a wire; what was only called by its type is now called by what it feeds.

    Raises what `connect` raises.
    """
    material = connect(material, out, into)
    label = purpose(material, into)
    node_id = node_of(out)
    node = material.node(node_id)
    if not label or node.name:
        return material
    if node.role is Role.CONSTANT:
        return change_node(material, node_id, name=label)
    parameter = parameter_of(material, node)
    if parameter and parameter.label in TYPE_TITLES:
        taken = {p.identifier for p in material.parameters if p.id != parameter.id} | RESERVED
        follows = parameter.identifier if parameter.shipped else as_identifier(label, taken, "parameter")
        renamed = changed(parameter, label=label, identifier=follows)
        return changed(material, parameters=tuple(renamed if p.id == parameter.id else p for p in material.parameters))
    return material


def purpose(material: Material, into: str) -> str:
    """What an input is for, as people read it; "" where its name says nothing."""
    node_id, name = node_and_port(into)
    node_type = type_of(material, material.node(node_id))
    port = node_type.input(name) if node_type else None
    label = port.label if port else ""
    return "" if label in GENERIC or label.rstrip("0123456789 ") in GENERIC else label[:1].upper() + label[1:]


def targets(material: Material, out: str) -> set[str]:
    """The inputs that a wire from an output may go to, as far as kinds and circles tell."""
    given = output_kinds(material).get(out)
    before = reached(material, [node_of(out)], upstream=True)
    found = set()
    for node_id, node in material.nodes.items():
        node_type = type_of(material, node)
        if given and node_type and node_id not in before:
            found |= {port_ref(node_id, p.name) for p in node_type.inputs if _takes(p, given)}
    return found


def sources(material: Material, into: str) -> set[str]:
    """The outputs that may feed an input, as far as kinds and circles tell."""
    node_id, name = node_and_port(into)
    node_type = type_of(material, material.node(node_id))
    port = node_type.input(name) if node_type else None
    if port is None:
        return set()
    after = reached(material, [node_id], upstream=False)
    return {out for out, kind in output_kinds(material).items() if node_of(out) not in after and _takes(port, kind)}


def chained(material: Material, node_ids: Sequence[str]) -> Material:
    """The material with some nodes wired one after the other: the first output of each into what fits of the next.

    An input without a wire comes before one that has one. Raises BadEdit where two do not go together.
    """
    for left, right in itertools.pairwise(node_ids):
        outputs = [out for out in output_kinds(material) if node_of(out) == left]
        if not outputs:
            raise BadEdit(f"{left} has no output to wire on")
        open_to = targets(material, outputs[0])
        node_type = type_of(material, material.node(right))
        ports = [port_ref(right, p.name) for p in (node_type.inputs if node_type else ())]
        fitting = [ref for ref in ports if ref in open_to]
        kinds = output_kinds(material)
        exact = [ref for ref in fitting if _kind(material, ref) in (None, kinds[outputs[0]])]
        free = [ref for ref in [*exact, *fitting] if ref not in material.wires]
        if not fitting:
            raise BadEdit(f"nothing of {right} takes what {left} gives")
        material = wired(material, outputs[0], (free or exact or fitting)[0])
    return material


def _kind(material: Material, ref: str) -> Kind | None:
    node_id, name = node_and_port(ref)
    node_type = type_of(material, material.node(node_id))
    port = node_type.input(name) if node_type else None
    return input_kind(material, node_id, port, output_kinds(material)) if port else None


def _takes(port: Port, given: Kind) -> bool:
    if not port.carries.takes_wire:
        return False
    if port.carries.kind is None:
        return not (port.carries.numeric and given.is_read)
    return conversion(given, port.carries.kind) is not None
