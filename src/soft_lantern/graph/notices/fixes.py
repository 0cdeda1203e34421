"""One-click mends for notices: ordinary edits of a material."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.graph.document import Material, Node, Parameter, changed, new_id, port_ref
from soft_lantern.graph.edits import add_node, change_node, connect, dissolve, insert, remove_nodes, type_value
from soft_lantern.graph.kinds import known_type
from soft_lantern.graph.layout import pushed_down
from soft_lantern.graph.lowering import typed_value
from soft_lantern.graph.notice import Fix
from soft_lantern.graph.parameters.edits import change_parameter, unexpose

Edit = Callable[[Material], Material]
GUARD = 0.0001
"""The smallest divisor a guard lets through."""


def delete(node_id: str) -> Edit:
    """Take a node away."""
    return lambda material: remove_nodes(material, [node_id])


def dissolved(node_id: str) -> Edit:
    """Take a node out and join the wire through it."""
    return lambda material: dissolve(material, [node_id])


def unexposed(parameter_id: str) -> Edit:
    """A parameter taken back into the graph."""
    return lambda material: unexpose(material, parameter_id)


def swapped(node_id: str, first: str, second: str) -> Edit:
    """What feeds two inputs of a node, or is typed into them, the other way round."""

    def edit(material: Material) -> Material:
        node, wires = material.node(node_id), dict(material.wires)
        refs = (port_ref(node_id, first), port_ref(node_id, second))
        fed = [wires.pop(ref, "") for ref in refs]
        wires |= {ref: out for ref, out in zip(refs, reversed(fed), strict=True) if out}
        typed = [typed_value(node, known_type(material, node), port) for port in (first, second)]
        values = {**node.values, first: typed[1], second: typed[0]}
        return change_node(changed(material, wires=wires), node_id, values=values)

    return edit


def for_edges(node_id: str, low: str, high: str) -> tuple[Fix, ...]:
    """Ways to put a smoothstep's edges right: with its result turned round, which keeps the look, or without."""
    swap = swapped(node_id, low, high)

    def turned_round(material: Material) -> Material:
        material = swap(material)
        readers = [into for into, out in material.wires.items() if out == port_ref(node_id, "out")]
        for number, into in enumerate(readers):
            if number == 0:
                material = _inserted(material, Node(type="complement"), into)
            else:
                material = connect(material, material.wires[readers[0]], into)
        return material

    return Fix("Swap the edges and invert", turned_round), Fix("Swap the edges", swap)


def clamped(into: str, expected: tuple[float, float]) -> Edit:
    """A clamp to the range put into the wire that feeds a port."""

    def edit(material: Material) -> Material:
        values = {"low": expected[0], "high": expected[1]}
        return _inserted(material, Node(type="clamp", values={n: float(v) for n, v in values.items()}), into)

    return edit


def halved(into: str) -> Edit:
    """A multiplication by a half put into the wire that feeds a port."""
    return lambda material: _inserted(material, Node(type="multiply", name="Half", values={"b": 0.5}), into)


def for_divisor(material: Material, node_id: str, port: str, parameter: Parameter | None) -> tuple[Fix, ...]:
    """Ways to keep a divisor from 0: the limit of the parameter it is, and a guard before the division."""
    mends = []
    if parameter and parameter.default == parameter.default and _above_zero(parameter):
        least = min(0.1, (parameter.high or 1.0) / 100)

        def limit(m: Material) -> Material:
            return change_parameter(m, parameter.id, low=least)

        mends.append(Fix(f"Limit {parameter.label} to at least {least:g}", limit))
    into = port_ref(node_id, port)
    if port and into in material.wires:
        text = f"divisor < 0.0 ? min(divisor, -{GUARD:.4f}) : max(divisor, {GUARD:.4f})"
        guard = Node(type="formula", name="Guard", settings={"expression": text})
        mends.append(Fix("Guard the division", lambda m: _inserted(m, guard, into)))
    elif port:
        mends.append(Fix("Divide by 1", lambda m: type_value(m, node_id, port, 1.0)))
    return tuple(mends)


def at_least(material: Material, node_id: str, port: str, least: float) -> tuple[Fix, ...]:
    """The value of a wired port kept from going below a least value."""
    into = port_ref(node_id, port)
    if not port or into not in material.wires:
        return ()
    floor = Node(type="formula", name="At least", settings={"expression": f"max(value, {least:.4f})"})
    return (Fix(f"Keep {port} at {least:g} or more", lambda m: _inserted(m, floor, into)),)


def mix_instead(node_id: str) -> Edit:
    """A multiplication turned into an even mix of the same two values."""

    def edit(material: Material) -> Material:
        node = material.nodes[node_id]
        mixed = change_node(material, node_id, type="mix", values={**node.values, "factor": 0.5})
        return pushed_down(material, mixed, node_id)

    return edit


def _above_zero(parameter: Parameter) -> bool:
    low = parameter.low if parameter.low is not None else 0.0
    return low >= 0 and isinstance(parameter.default, float | int) and parameter.default > 0


def _inserted(material: Material, node: Node, into: str) -> Material:
    """A node put into the wire that feeds a port, where the port's node stood."""
    target = material.nodes[into.rpartition(".")[0]]
    node_id = new_id(node.type)
    placed = changed(node, x=target.x, y=target.y + 40.0)
    return insert(add_node(material, node_id, placed), node_id, into)
