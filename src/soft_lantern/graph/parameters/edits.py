"""Edits of what a material exposes: pure functions from a material to a material.

Each raises a BadEdit or BadValue with a sentence for people where it cannot be done.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Mapping

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import (
    Material,
    Node,
    Parameter,
    Preset,
    changed,
    new_id,
    node_and_port,
    node_of,
    port_ref,
)
from soft_lantern.graph.edits import add_node, change_node, connect, remove_nodes, type_value
from soft_lantern.graph.kinds import input_kind, known_type, output_kinds, shown_name
from soft_lantern.graph.layout import SLIP_WIDTH, free_place
from soft_lantern.graph.lowering import typed_value
from soft_lantern.ir.glsl_words import HLSL_WORDS, as_identifier, trouble_with_exposed
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.nodes import Port, Role
from soft_lantern.values.kinds import LARGEST, Kind, Value, components, fitted, is_single


def add_parameter(material: Material, parameter: Parameter, at: int | None = None) -> Material:
    """The material with one more parameter, at a place in the order, or last of its group, or last of all."""
    check_parameter(material, parameter)
    listed = list(material.parameters)
    group = [place + 1 for place, other in enumerate(listed) if other.group == parameter.group]
    listed.insert((group[-1] if group else len(listed)) if at is None else at, parameter)
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


def with_shipped(material: Material) -> Material:
    """The material with every parameter marked as gone out under its identifier; the same one where all are."""
    if all(parameter.shipped for parameter in material.parameters):
        return material
    return changed(material, parameters=tuple(changed(p, shipped=True) for p in material.parameters))


def limits_in_words(parameter: Parameter) -> str:
    """A parameter's hard limits as people read them."""
    low, high = hard_limits(parameter)
    if math.isinf(low) and math.isinf(high):
        return "any"
    if math.isinf(high):
        return f"{low:g} or more"
    return f"{high:g} or less" if math.isinf(low) else f"{low:g} to {high:g}"


def choice_of(parameter: Parameter, text: str) -> float:
    """The number of one of a parameter's choices, written as its name, whatever the case, or as the number.

    Raises BadValue with all of them.
    """
    with contextlib.suppress(ValueError):
        return float(text.replace(",", "."))
    names = [name.lower() for name in parameter.choices]
    if text.strip().lower() not in names:
        listed = ", ".join(parameter.choices)
        raise BadValue(f"{parameter.identifier}: “{text}” is none of its choices, which are {listed}")
    return float(names.index(text.strip().lower()))


def with_choices(parameter: Parameter, choices: tuple[str, ...]) -> Parameter:
    """The parameter as a drop-down of these choices, which set its limits; with none, as a plain number."""
    if not choices:
        return changed(parameter, choices=())
    chosen = changed(parameter, choices=choices, low=0.0, high=len(choices) - 1.0, step=1.0)
    return changed(chosen, default=held(chosen, chosen.default))


def slider_ends(parameter: Parameter) -> tuple[float, float] | None:
    """Where a parameter's slider begins and ends: its soft limits, or its hard ones; None where it has no slider."""
    low = parameter.low if parameter.soft_low is None else parameter.soft_low
    high = parameter.high if parameter.soft_high is None else parameter.soft_high
    return (low, high) if low is not None and high is not None and low < high else None


def is_offered(parameter: Parameter, values: Mapping[str, Value], known: Mapping[str, Parameter]) -> bool:
    """Whether a parameter is to be shown beside these values, by parameter id: what it hangs on is switched so."""
    ruler = known.get(parameter.shown_when)
    if ruler is None or ruler.id == parameter.id:
        return True
    now = components(values.get(ruler.id, ruler.default))
    return bool(now) and round(now[0]) == round(parameter.shown_value)


def readers(material: Material, parameter_id: str) -> list[str]:
    """What reads a parameter, as people call it: each node and the input it comes in by."""
    placed = {
        port_ref(node_id, "out")
        for node_id, node in material.nodes.items()
        if node.role is Role.PARAMETER and node.settings.get("parameter") == parameter_id
    }
    found = []
    for into, out in material.wires.items():
        node_id, port = node_and_port(into)
        if out in placed and node_id in material.nodes:
            entry = known_type(material, material.node(node_id)).input(port)
            found.append(f"{shown_name(material, material.node(node_id))}: {entry.label if entry else port}")
    return sorted(found)


def move_parameter(material: Material, parameter_id: str, to: int, group: str | None = None) -> Material:
    """The material with one parameter at another place in the order designers see, perhaps in another group."""
    listed = [p for p in material.parameters if p.id != parameter_id]
    moved = material.parameter(parameter_id)
    if moved is None:
        raise BadEdit("that parameter is gone")
    listed.insert(to, moved if group is None else changed(moved, group=group))
    return changed(material, parameters=tuple(listed))


def put_preset(material: Material, preset: Preset) -> Material:
    """The material with a named set of values added, or put in place of the one of that name."""
    kept = tuple(p for p in material.presets if p.name != preset.name)
    return changed(material, presets=(*kept, preset))


def remove_preset(material: Material, name: str) -> Material:
    """The material without the set of values of that name."""
    return changed(material, presets=tuple(p for p in material.presets if p.name != name))


def expose(material: Material, node_id: str, port_name: str) -> tuple[Material, str]:
    """The material with the value typed at a port exposed as a parameter, and the parameter's id.

    A constant node becomes the parameter's node; any other port gets a parameter node wired into it. What was once
    exposed under the same identifier comes back as it was, but for its default.
    """
    node = material.node(node_id)
    node_type = known_type(material, node)
    port = node_type.input(port_name)
    if port is None or port_ref(node_id, port_name) in material.wires:
        raise BadEdit("only a value that is typed, not wired, can be exposed")
    kind = input_kind(material, node_id, port, output_kinds(material))
    is_constant = not port.carries.takes_wire
    label = exposed_label(material, node_id, port)
    taken = {p.identifier for p in material.parameters} | RESERVED
    value = typed_value(node, node_type, port_name)
    parameter = Parameter(
        id=new_id("parameter"),
        identifier=as_identifier(label, taken, "parameter"),
        label=label,
        kind=kind,
        default=fitted(value, kind),
        unit=port.carries.unit,
    )
    if kind is Kind.NUMBER and port.carries.expected:
        parameter = _limited(parameter, *port.carries.expected)
    if port.carries.chooses:
        parameter = with_choices(parameter, _offered(material, node_id))
    if kind is Kind.COLOUR:
        parameter = changed(parameter, hdr=max(components(parameter.default)[:3]) > 1.0)
    before = next((p for p in material.retired if (p.identifier, p.kind) == (parameter.identifier, kind)), None)
    if before:
        parameter = changed(before, default=held(before, parameter.default))
        material = changed(material, retired=tuple(p for p in material.retired if p is not before))
    material = add_parameter(material, parameter)
    shown = {"parameter": parameter.id}
    if is_constant:
        return change_node(material, node_id, type="parameter", values={}, settings=shown), parameter.id
    row = [p.name for p in node_type.inputs].index(port_name)
    new = new_id("parameter")
    x, y = free_place(material, (node.x - 190.0, node.y + 40.0 * row), (SLIP_WIDTH, 130.0))
    placed = Node(type="parameter", x=x, y=y, settings={**shown, PLACED: "yes"})
    material = add_node(material, new, placed)
    return connect(material, port_ref(new, "out"), port_ref(node_id, port_name)), parameter.id


RESERVED = frozenset(INPUTS) | HLSL_WORDS
"""Identifiers that no parameter may have in exported shaders."""


def exposed_label(material: Material, node_id: str, port: Port) -> str:
    """What designers read of a port that is exposed: what it is for, without saying a word twice.

    The port's own name, where it says enough by itself and no other parameter has it; else the node's before it.
    """
    node = material.node(node_id)
    title = node.name or known_type(material, node).title
    if not port.carries.takes_wire:
        return title
    own = port.label[:1].upper() + port.label[1:]
    taken = {p.label for p in material.parameters}
    if node.role is Role.SURFACE or (len(port.label) > 2 and port.label not in _VAGUE and own not in taken):
        return own
    more = [word for word in port.label.split() if word.lower() not in title.lower().split()]
    return " ".join([title, *more])


_VAGUE = ("value", "amount", "factor", "colour", "vector", "low", "high", "base", "strength")


def _limited(parameter: Parameter, low: float, high: float) -> Parameter:
    """A number with what its port expects as hard limits, and a slider; an end that is open gets an end of the slider.

    The slider ends at 10, or at a round number that leaves room above a larger default.
    """
    limited = changed(parameter, low=_finite(low), high=_finite(high), control="slider")
    if limited.low is not None and limited.high is None:
        wanted = max(10.0, 2 * components(parameter.default)[0], limited.low + 1)
        power = 10.0 ** math.floor(math.log10(wanted))
        end = next(power * step for step in (1, 2, 5, 10) if power * step >= wanted)
        return changed(limited, soft_low=0.0 if limited.low == 0 else max(limited.low, 0.1), soft_high=end)
    return limited if limited.low is not None else changed(limited, control="field")


def _finite(end: float) -> float | None:
    return end if math.isfinite(end) else None


PLACED = "placed"
"""Marks a parameter's node that exposing put before a port, and taking the parameter back takes away again."""
CONSTANTS = {
    Kind.NUMBER: "number",
    Kind.COLOUR: "colour",
    Kind.VECTOR2: "vector_2",
    Kind.VECTOR3: "vector_3",
    Kind.VECTOR4: "vector_4",
    Kind.TEXTURE: "texture",
    Kind.GRADIENT: "gradient",
    Kind.PALETTE: "palette",
}
"""The node that holds a value of each kind."""


def unexpose(material: Material, parameter_id: str) -> Material:
    """The material without a parameter: its default stands where the value was typed before it was exposed.

    Its other nodes become constants that hold the default. The parameter is kept aside, in case it comes back.
    """
    parameter = material.parameter(parameter_id)
    if parameter is None:
        raise BadEdit("that parameter is gone")
    for node_id, node in list(material.nodes.items()):
        if node.role is not Role.PARAMETER or node.settings.get("parameter") != parameter_id:
            continue
        fed = [into for into, out in material.wires.items() if node_of(out) == node_id]
        if node.settings.get(PLACED) and fed and all(_takes(material, into, parameter.kind) for into in fed):
            material = remove_nodes(material, [node_id])
            for into in fed:
                material = type_value(material, *node_and_port(into), parameter.default)
            continue
        constant = CONSTANTS[parameter.kind]
        name = node.name or parameter.label
        material = change_node(
            material, node_id, type=constant, name=name, values={"value": parameter.default}, settings={}
        )
    left = tuple(p for p in material.parameters if p.id != parameter_id)
    retired = (*(p for p in material.retired if p.identifier != parameter.identifier), parameter)
    return changed(material, parameters=left, retired=retired)


def _takes(material: Material, into: str, kind: Kind) -> bool:
    """Whether a value of a kind can be typed at an input just as it is."""
    node_id, name = node_and_port(into)
    port = known_type(material, material.node(node_id)).input(name) if node_id in material.nodes else None
    return port is not None and input_kind(material, node_id, port, output_kinds(material)) is kind


def check_parameter(material: Material, parameter: Parameter) -> None:
    """Raises BadEdit where the parameter's identifier or limits cannot be."""
    trouble = trouble_with_parameter(material, parameter)
    if trouble:
        raise BadEdit(trouble)


def trouble_with_parameter(material: Material, parameter: Parameter) -> str | None:
    """What is wrong with a parameter's identifier or limits, as a sentence, or None."""
    named = f"the identifier “{parameter.identifier}” of {parameter.label}"
    wrong = trouble_with_exposed(parameter.identifier)
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
    ends = (parameter.low, parameter.high, parameter.soft_low, parameter.soft_high, parameter.step)
    if not all(is_single(end) for end in ends if end is not None):
        return f"{parameter.label}’s limits are not finite numbers"
    if not all(is_single(part) for part in components(parameter.default)):
        return f"{parameter.label}’s default is not a finite number"
    return _trouble_with_slider(parameter)


USES = {
    Kind.NUMBER: ("", "whole", "switch"),
    Kind.VECTOR2: ("", "scale", "range"),
    Kind.VECTOR3: ("", "direction", "scale"),
    Kind.VECTOR4: ("", "scale"),
}
"""What a value of each kind may be said to be."""


def _trouble_with_slider(parameter: Parameter) -> str | None:
    name = parameter.label
    if parameter.use not in USES.get(parameter.kind, ("",)):
        return f"{name} is a {parameter.kind.words}, which cannot be a {parameter.use}"
    soft = [end for end in (parameter.soft_low, parameter.soft_high) if end is not None]
    if len(soft) == 2 and soft[0] >= soft[1]:
        return f"{name}’s slider would end at {soft[1]:g}, before it begins at {soft[0]:g}"
    low, high = hard_limits(parameter)
    if any(not low <= end <= high for end in soft):
        return f"{name}’s slider leaves its limits, {limits_in_words(parameter)}"
    ends = slider_ends(parameter)
    if parameter.scale != "linear" and not (ends and ends[0] > 0):
        return f"{name}’s slider runs by {parameter.scale}, so its ends must be above 0"
    return None


def held(parameter: Parameter, value: Value) -> Value:
    """The value in the parameter's kind, each component held to its limits, and to what the parameter says it is.

    Choices, switches and whole numbers are rounded, a direction has length 1, a range runs upwards, a colour that is
    not HDR keeps to 0–1, one without alpha is opaque. Raises BadValue where the value has the wrong number of
    components or is not a finite number.
    """
    shaped = fitted(value, parameter.kind)
    if isinstance(shaped, str):
        return shaped
    parts = components(shaped)
    if not all(is_single(part) for part in parts):
        raise BadValue(f"{parameter.label} must be a finite number, at most {LARGEST:g}")
    low, high = hard_limits(parameter)
    whole = parameter.choices or parameter.use in ("whole", "switch")
    kept = tuple(min(max(float(round(p)) if whole else p, low), high) for p in parts)
    if parameter.kind is Kind.COLOUR:
        alpha = min(max(parts[3], 0.0), 1.0) if parameter.alpha else 1.0
        kept = (*kept[:3], alpha)
    elif parameter.use == "direction":
        length = math.hypot(*parts)
        kept = tuple(p / length for p in parts) if length > 0 else (0.0, 1.0, 0.0)
    elif parameter.use == "range":
        kept = (min(kept), max(kept))
    return kept if isinstance(shaped, tuple) else kept[0]


def hard_limits(parameter: Parameter) -> tuple[float, float]:
    """What each component keeps to; infinite where nothing holds it. Of a colour, what red, green and blue keep to."""
    widest = (-math.inf, math.inf)
    if parameter.kind is Kind.COLOUR:
        widest = (0.0, math.inf if parameter.hdr else 1.0)
    elif parameter.use == "switch":
        widest = (0.0, 1.0)
    elif parameter.use == "direction":
        widest = (-1.0, 1.0)
    low = widest[0] if parameter.low is None else parameter.low
    high = widest[1] if parameter.high is None else parameter.high
    return low, high


def _offered(material: Material, node_id: str) -> tuple[str, ...]:
    """Names for what a node chooses among: what feeds each of its repeated inputs, or the input's label."""
    node_type = known_type(material, material.node(node_id))
    names: list[str] = []
    for port in node_type.inputs:
        if not port.repeated:
            continue
        wire = material.wires.get(port_ref(node_id, port.name), "")
        source = material.nodes.get(node_of(wire)) if wire else None
        name = shown_name(material, source) if source else port.label
        name = name.replace(",", " ")
        names.append(f"{name} ({port.label})" if name in names else name)
    return tuple(names)
