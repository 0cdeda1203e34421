"""Edits of what a material exposes: pure functions from a material to a material.

Each raises a BadEdit or BadValue with a sentence for people where it cannot be done.
"""

from __future__ import annotations

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import Material, Node, Parameter, changed, new_id, node_and_port, port_ref
from soft_lantern.graph.edits import add_node, change_node, connect
from soft_lantern.graph.kinds import input_kind, known_type, output_kinds, shown_name
from soft_lantern.graph.lowering import typed_value
from soft_lantern.ir.glsl_words import as_identifier, trouble_with_identifier
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.values.kinds import Kind, Value, components, fitted


def add_parameter(material: Material, parameter: Parameter, at: int | None = None) -> Material:
    """The material with one more parameter, last or at a place in the order."""
    check_parameter(material, parameter)
    listed = list(material.parameters)
    listed.insert(len(listed) if at is None else at, parameter)
    return changed(material, parameters=tuple(listed))


def change_parameter(material: Material, parameter_id: str, **fields: object) -> Material:
    """The material with some fields of one parameter replaced; the default is held to the limits."""
    old = material.parameter(parameter_id)
    if old is None:
        raise BadEdit("that parameter is gone")
    new = changed(old, **fields)
    new = changed(new, default=held(new, new.default))
    check_parameter(material, new)
    return changed(material, parameters=tuple(new if p.id == parameter_id else p for p in material.parameters))


def limits_in_words(parameter: Parameter) -> str:
    """A parameter's hard limits as people read them."""
    low, high = ("" if end is None else f"{end:g}" for end in (parameter.low, parameter.high))
    return f"{low} to {high}"


def with_choices(parameter: Parameter, choices: tuple[str, ...]) -> Parameter:
    """The parameter as a drop-down of these choices, which set its limits; with none, as a plain number."""
    if not choices:
        return changed(parameter, choices=())
    chosen = changed(parameter, choices=choices, low=0.0, high=len(choices) - 1.0, step=1.0)
    return changed(chosen, default=held(chosen, chosen.default))


def move_parameter(material: Material, parameter_id: str, to: int) -> Material:
    """The material with one parameter at another place in the order designers see."""
    listed = [p for p in material.parameters if p.id != parameter_id]
    moved = material.parameter(parameter_id)
    if moved is None:
        raise BadEdit("that parameter is gone")
    listed.insert(to, moved)
    return changed(material, parameters=tuple(listed))


def expose(material: Material, node_id: str, port_name: str) -> tuple[Material, str]:
    """The material with the value typed at a port exposed as a parameter, and the parameter's id.

    A constant node becomes the parameter's node; any other port gets a parameter node wired into it.
    """
    node = material.nodes[node_id]
    node_type = known_type(material, node)
    port = node_type.input(port_name)
    if port is None or port_ref(node_id, port_name) in material.wires:
        raise BadEdit("only a value that is typed, not wired, can be exposed")
    kind = input_kind(material, node_id, port, output_kinds(material))
    is_constant = not port.carries.takes_wire
    label = node.name or (node_type.title if is_constant else f"{node_type.title} {port.label}")
    taken = {p.identifier for p in material.parameters} | set(INPUTS)
    low, high = port.carries.expected or (None, None)
    value = typed_value(node, node_type, port_name)
    parameter = Parameter(
        id=new_id("parameter"),
        identifier=as_identifier(label, taken, "parameter"),
        label=label,
        kind=kind,
        default=fitted(value, kind),
        low=low if kind is Kind.NUMBER else None,
        high=high if kind is Kind.NUMBER else None,
        unit=port.carries.unit,
        control="slider" if low is not None and kind is Kind.NUMBER else "field",
    )
    if port.carries.chooses:
        parameter = with_choices(parameter, _offered(material, node_id))
    material = add_parameter(material, parameter)
    shown = {"parameter": parameter.id}
    if is_constant:
        return change_node(material, node_id, type="parameter", values={}, settings=shown), parameter.id
    row = [p.name for p in node_type.inputs].index(port_name)
    new = new_id("parameter")
    placed = Node(type="parameter", x=node.x - 190.0, y=node.y + 40.0 * row, settings=shown)
    material = add_node(material, new, placed)
    return connect(material, port_ref(new, "out"), port_ref(node_id, port_name)), parameter.id


def unexpose(material: Material, parameter_id: str) -> Material:
    """The material without a parameter; its nodes become constants that hold the default."""
    parameter = material.parameter(parameter_id)
    if parameter is None:
        raise BadEdit("that parameter is gone")
    nodes = dict(material.nodes)
    for node_id, node in material.nodes.items():
        if node.type == "parameter" and node.settings.get("parameter") == parameter_id:
            nodes[node_id] = changed(
                node,
                type="colour" if parameter.kind is Kind.COLOUR else "number",
                name=node.name or parameter.label,
                values={"value": parameter.default},
                settings={},
            )
    left = tuple(p for p in material.parameters if p.id != parameter_id)
    return changed(material, nodes=nodes, parameters=left)


def check_parameter(material: Material, parameter: Parameter) -> None:
    """Raises BadEdit where the parameter's identifier or limits cannot be."""
    trouble = trouble_with_parameter(material, parameter)
    if trouble:
        raise BadEdit(trouble)


def trouble_with_parameter(material: Material, parameter: Parameter) -> str | None:
    """What is wrong with a parameter's identifier or limits, as a sentence, or None."""
    named = f"the identifier “{parameter.identifier}” of {parameter.label}"
    wrong = trouble_with_identifier(parameter.identifier)
    if wrong:
        return f"{named} {wrong}"
    if parameter.identifier in INPUTS:
        return f"{named} is the name of a surface input"
    other = next(
        (p for p in material.parameters if p.id != parameter.id and p.identifier == parameter.identifier), None
    )
    if other:
        return f"{named} is already {other.label}’s"
    if parameter.low is not None and parameter.high is not None and parameter.low > parameter.high:
        return f"{parameter.label}’s lower limit {parameter.low:g} is above its upper limit {parameter.high:g}"
    if parameter.choices and parameter.kind is not Kind.NUMBER:
        return f"{parameter.label} is a {parameter.kind.words}, and only a number can be a drop-down"
    if parameter.choices and (parameter.low, parameter.high) != (0.0, len(parameter.choices) - 1.0):
        count = len(parameter.choices)
        return f"{parameter.label} has {count} choices, so its limits are 0 and {count - 1}"
    if any(abs(part) == float("inf") or part != part for part in components(parameter.default)):
        return f"{parameter.label}’s default is not a finite number"
    return None


def held(parameter: Parameter, value: Value) -> Value:
    """The value in the parameter's kind, each component held to its limits and, of choices, to whole numbers.

    Raises BadValue where the value has the wrong number of components or is not a finite number.
    """
    shaped = fitted(value, parameter.kind)
    parts = components(shaped)
    if any(p != p or abs(p) == float("inf") for p in parts):
        raise BadValue(f"{parameter.label} must be a finite number")
    low = -float("inf") if parameter.low is None else parameter.low
    high = float("inf") if parameter.high is None else parameter.high
    kept = tuple(min(max(float(round(p)) if parameter.choices else p, low), high) for p in parts)
    return kept if isinstance(shaped, tuple) else kept[0]


def _offered(material: Material, node_id: str) -> tuple[str, ...]:
    """Names for what a node chooses among: what feeds each of its repeated inputs, or the input's label."""
    node_type = known_type(material, material.nodes[node_id])
    names: list[str] = []
    for port in node_type.inputs:
        if not port.repeated:
            continue
        wire = material.wires.get(port_ref(node_id, port.name), "")
        source = material.nodes.get(node_and_port(wire)[0]) if wire else None
        name = shown_name(material, source) if source else port.label
        name = name.replace(",", " ")
        names.append(f"{name} ({port.label})" if name in names else name)
    return tuple(names)
