"""Nested mixes of a graph as one gradient: what depends on a single number becomes a lookup by that number."""

from __future__ import annotations

import contextlib

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Gradient, Material, Node, Project, changed, new_id, node_of, port_ref
from soft_lantern.graph.edits import add_node, connect, remove_nodes
from soft_lantern.graph.gradients.editing import FIT_PLACES, fitted_gradient
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.kinds import label_of, output_kinds
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.snippets import put_snippet
from soft_lantern.ir.expr import Expr, Op, Type, reads, topological, uniform
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.ir.rewrite import replace
from soft_lantern.progress import Progress, silent
from soft_lantern.values.kinds import Kind

MIXES = ("mix", "oklab_mix")
_PLACE = uniform("place", Type.FLOAT)


class Replacement(Struct, frozen=True):
    """What the mixes come to: a gradient by the number on a wire, its largest ΔE OK, and the parameters it takes in."""

    gradient: Gradient
    output: str
    by: str
    error: float
    parameters: tuple[str, ...]


def as_gradient(material: Material, output: str, tolerance: float) -> Replacement:
    """The gradient that the colour at an output comes to, by the nearest number from 0 to 1 that alone rules it.

    Parameters that take part count with their defaults. Raises BadEdit where the colour depends on more than a number.
    """
    lowered = lower(material)
    wanted = lowered.wires.get(output)
    if wanted is None or output_kinds(material).get(output) is not Kind.COLOUR:
        raise BadEdit("only a colour can become a gradient")
    order = topological([wanted])
    numbers = {expr: wire for wire, expr in lowered.wires.items() if lowered.kinds[wire] is Kind.NUMBER}
    values = {name: leaf(value) for name, value in uniform_values(lowered, material, {}).items()}
    for ruler in reversed([expr for expr in order if expr in numbers and expr.op is not Op.UNIFORM]):
        over = replace([wanted], {ruler: _PLACE})[wanted]
        leaves = [expr for expr in topological([over]) if expr.op is Op.INPUT]
        if leaves or not reads([over], _PLACE):
            continue
        places = np.linspace(0.0, 1.0, FIT_PLACES)
        found = evaluate([over], {**values, "place": places}, np.float64)[over]
        empty = Gradient(id=new_id("gradient"), name=label_of(material, material.nodes[node_of(output)]))
        gradient, error = fitted_gradient(as_rows(found, FIT_PLACES), tolerance, empty)
        return Replacement(gradient, output, numbers[ruler], error, _taking_part(material, over))
    raise BadEdit("this colour depends on more than one number from 0 to 1, so no gradient can stand for it")


def every_replacement(material: Material, tolerance: float, told: Progress = silent) -> list[Replacement]:
    """What each of a graph's mixes comes to that a gradient can stand for. Raises Cancelled."""
    outputs = [
        output
        for output, kind in output_kinds(material).items()
        if kind is Kind.COLOUR and material.nodes[node_of(output)].type in MIXES
    ]
    found = []
    for number, output in enumerate(outputs):
        told(number / len(outputs), "Looking through mixes")
        with contextlib.suppress(BadEdit):
            found.append(as_gradient(material, output, tolerance))
    return found


def with_gradient(project: Project, material: Material, found: Replacement) -> Project:
    """The project with a lookup in the mixes' place; nodes that fed nothing else are taken away.

    Raises BadEdit where the graph is no longer the one that the mixes were found in.
    """
    if project.graph(material.id) is not material:
        raise BadEdit(f"{material.name} changed meanwhile; look through its mixes again")
    old = node_of(found.output)
    fed = [into for into, out in material.wires.items() if out == found.output]
    lookup = new_id("gradient_lookup")
    place = material.nodes[old]
    made = Node(type="gradient_lookup", x=place.x, y=place.y, values={"gradient": found.gradient.id}, name=place.name)
    after = connect(add_node(material, lookup, made), found.by, port_ref(lookup, "at"))
    for into in fed:
        after = connect(after, port_ref(lookup, "out"), into)
    gone = [old]
    while gone:
        feeding = {node_of(out) for into, out in after.wires.items() if node_of(into) in gone}
        after = remove_nodes(after, gone)
        used = {node_of(out) for out in after.wires.values()}
        gone = [node_id for node_id in feeding if node_id in after.nodes and node_id not in used]
    gradients = {**project.gradients, found.gradient.id: found.gradient}
    put = put_snippet if material.id in project.snippets else put_material
    return changed(put(project, after), gradients=gradients)


def _taking_part(material: Material, over: Expr) -> tuple[str, ...]:
    read = {str(expr.data) for expr in topological([over]) if expr.op is Op.UNIFORM}
    return tuple(p.label for p in material.parameters if f"parameter:{p.id}" in read)
