"""Finds what is wrong with values: from the bounds that follow from the graph, and from what was measured.

Each rule looks at one node and what it makes of its inputs, so a notice stands where the trouble starts.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator, Mapping
from math import inf

from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.graph.document import Material, Node, Parameter, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import choose_setting, disconnect
from soft_lantern.graph.expectations import Range, expected_by_inputs
from soft_lantern.graph.flow import reached
from soft_lantern.graph.kinds import counting, label_of, type_of
from soft_lantern.graph.lowering import Lowered, parameter_uniform
from soft_lantern.graph.notice import Fix, Notice, Severity
from soft_lantern.graph.notices import fixes
from soft_lantern.ir.expr import Expr, Op, reads, topological
from soft_lantern.ir.inputs import BEHIND
from soft_lantern.ir.interval import Interval, may_be_zero
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.ir.statistics import SLACK, Statistics
from soft_lantern.ir.surface_inputs import read_inputs
from soft_lantern.nodes import NodeType, Role
from soft_lantern.turns import give_way
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import counted

DARK = 0.1
"""A product under this share of the darker colour's brightest channel is as good as black."""


_VARYING, _OBJECT, _WORLD, _SOUND = 1, 2, 4, 8
"""What a value comes of, in bits: what a surface or a designer brings; positions in either space; and directions that
are taken to be sound, which textures hold or which lead to the camera."""
_SPACES = _OBJECT | _WORLD
_READ_AS = {"position_object": _OBJECT, "position_world": _WORLD, "camera_position": _SOUND}
"""Of inputs, by name."""


class Case(Struct, frozen=True, eq=False, dict=True):
    """A graph with all that is known of its values; `statistics` and `values` are empty where nothing was measured."""

    material: Material
    lowered: Lowered
    bounds: Mapping[Expr, Interval]
    statistics: Mapping[str, Statistics] = field(default_factory=dict)
    values: Mapping[str, Array] = field(default_factory=dict)

    @functools.cached_property
    def reads(self) -> dict[Expr, int]:
        """What each expression of the graph comes of, in bits: found in one go through all of them."""
        found: dict[Expr, int] = {}
        for expr in topological([*self.lowered.wires.values(), *self.lowered.inputs.values()]):
            bits = 0
            if expr.op is Op.INPUT:
                bits = _VARYING | _READ_AS.get(str(expr.data), 0)
            elif expr.op is Op.UNIFORM:
                bits = _VARYING if _is_handed_in(self, str(expr.data)) else 0
            elif expr.op is Op.TEXTURE:
                bits = _SOUND
            for arg in expr.args:
                bits |= found[arg]
            found[expr] = bits
        return found

    def brightest(self, wire: str) -> float | None:
        """The largest channel, alpha apart, of a measured colour; None where it was not measured."""
        value = self.values.get(wire)
        return None if value is None or value.ndim < 2 else float(value[:3].max())

    def notice(
        self,
        severity: Severity,
        kind: str,
        node_id: str,
        text: str,
        *,
        port: str = "",
        expr: Expr | None = None,
        wire: str = "",
        mend: tuple[Fix, ...] = (),
    ) -> Notice:
        """A notice at a node, with the measured and the possible range of what it speaks of."""
        reach = self.statistics.get(wire)
        bound = self.bounds.get(expr) if expr is not None else None
        return Notice(
            severity,
            kind,
            text,
            self.material.id,
            node_id,
            port,
            measured=_range(reach.low, reach.high) if reach else "",
            possible=_range(min(bound.low), max(bound.high)) if bound else "",
            fixes=mend,
        )


def diagnose(case: Case) -> list[Notice]:
    """Every notice about the values of a graph."""
    used = _upstream_of_outputs(case.material)
    found: list[Notice] = []
    for node_id, node in case.material.nodes.items():
        give_way()
        node_type = type_of(case.material, node)
        if node_type is None:
            continue
        if node_type.outputs and node_id not in used:
            text = f"{label_of(case.material, node)} leads nowhere"
            mend = (Fix("Delete it", fixes.delete(node_id)),)
            found.append(case.notice(Severity.INFO, "unused", node_id, text, mend=mend))
            continue
        own = list(_own_trouble(case, node_id, node, node_type))
        found += _with_lost_values(case, node_id, node, node_type, own)
        found += _black_tint(case, node_id, node, node_type)
        found += _never_varies(case, node_id, node, node_type)
    found += _left_ranges(case, used)
    found += _unheard_alpha(case)
    found += _squared_alpha(case)
    found += _behind_twice(case)
    found += _unread_parameters(case)
    return found


def _unheard_alpha(case: Case) -> Iterator[Notice]:
    """Alpha that is wired or typed though nothing heeds it, and depth behind on a surface that hides it."""
    node_id = counting(case.material, Role.SURFACE)
    lowered, mode = case.lowered, case.lowered.alpha_mode
    if not node_id or mode == "blend":
        return
    name = label_of(case.material, case.material.nodes[node_id])
    to_blend = Fix("Let it blend", lambda m: choose_setting(m, node_id, "alpha_mode", "blend"))
    to_mask = Fix("Let it mask", lambda m: choose_setting(m, node_id, "alpha_mode", "mask"))
    alpha = lowered.inputs.get(port_ref(node_id, "alpha"))
    bound = case.bounds.get(alpha) if alpha is not None else None
    if mode == "opaque" and bound and min(bound.low) < 1.0:
        text = f"{name} has an alpha, but its alpha mode is opaque: it does nothing"
        yield case.notice(Severity.WARNING, "alpha-unheard", node_id, text, port="alpha", mend=(to_blend, to_mask))
    read = read_inputs([e for k, e in lowered.surface.items() if mode == "mask" or k not in ("alpha", "alpha_cutoff")])
    if {"depth_behind", "scene_depth"} & set(read):
        text = f"{name} reads the depth behind it, but hides it: only what blends has anything behind"
        yield case.notice(Severity.WARNING, "depth-behind-opaque", node_id, text, mend=(to_blend,))


def _squared_alpha(case: Case) -> Iterator[Notice]:
    """Alpha wired from the very colour whose own alpha counts already."""
    node_id = counting(case.material, Role.SURFACE)
    inputs = {port: case.lowered.inputs.get(port_ref(node_id, port)) for port in ("base_colour", "colour", "alpha")}
    colour = inputs["base_colour"] if inputs["base_colour"] is not None else inputs["colour"]
    alpha = inputs["alpha"]
    if node_id and colour is not None and alpha is not None and alpha.op is not Op.CONST and colour.w is alpha:
        name = label_of(case.material, case.material.nodes[node_id])
        text = f"{name} gets one alpha twice: its colour’s own counts already, so it is squared"
        mend = (Fix("Take the alpha wire off", lambda m: disconnect(m, port_ref(node_id, "alpha"))),)
        yield case.notice(Severity.WARNING, "alpha-twice", node_id, text, port="alpha", mend=mend)


def _behind_twice(case: Case) -> Iterator[Notice]:
    """A surface that shows what lies behind it by its colour, and lets it through as well."""
    node_id, lowered = counting(case.material, Role.SURFACE), case.lowered
    if node_id and lowered.alpha_mode == "blend" and reads(lowered.surface.values(), BEHIND):
        name = label_of(case.material, case.material.nodes[node_id])
        text = f"{name} reads the colour behind it and blends over it too, so that it shows twice"
        mend = (Fix("Let it be opaque", lambda m: choose_setting(m, node_id, "alpha_mode", "opaque")),)
        yield case.notice(Severity.WARNING, "behind-twice", node_id, text, port="alpha_mode", mend=mend)
    if lowered.offset is not None and reads([lowered.offset], BEHIND):
        offset = counting(case.material, Role.OFFSET)
        text = "Vertices cannot be moved by the colour behind them: only pixels have it"
        yield case.notice(Severity.ERROR, "behind-offset", offset, text)


def _unread_parameters(case: Case) -> Iterator[Notice]:
    """Parameters that are exposed, though nothing on the way to an output reads them."""
    lowered = case.lowered
    reached = set(topological([*lowered.surface.values(), *([lowered.offset] if lowered.offset is not None else [])]))
    read = {str(e.data) for e in reached if e.op is Op.UNIFORM}
    for parameter in case.material.parameters:
        if str(parameter_uniform(parameter).data) not in read:
            text = f"{parameter.label} is exposed, but changes nothing: nothing on the way to the surface reads it"
            mend = (Fix("Stop exposing it", fixes.unexposed(parameter.id)),)
            yield case.notice(Severity.INFO, "unread-parameter", "", text, port=parameter.id, mend=mend)


def _own_trouble(case: Case, node_id: str, node: Node, node_type: NodeType) -> Iterator[Notice]:
    """What can go wrong inside a node: divisions, roots and powers, idle clamps, mixed spaces."""
    inputs = {
        e: p.name for p in node_type.inputs if (e := case.lowered.inputs.get(port_ref(node_id, p.name))) is not None
    }
    outputs = [e for p in node_type.outputs if (e := case.lowered.wires.get(port_ref(node_id, p.name))) is not None]
    name = label_of(case.material, node)
    for expr in _own_expressions(outputs, set(inputs)):
        if expr.op is Op.DIV and may_be_zero(expr.args[1], case.bounds):
            port = inputs.get(expr.args[1], "")
            does = "does" if case.bounds[expr.args[1]].low == case.bounds[expr.args[1]].high else "may"
            text = f"{name} {does} divide by zero: {_divisor_in_words(case, expr.args[1])}"
            mend = fixes.for_divisor(case.material, node_id, port, _parameter_of(case, expr.args[1]))
            yield case.notice(Severity.WARNING, "division", node_id, text, port=port, expr=expr.args[1], mend=mend)
        elif expr.op is Op.SMOOTHSTEP and _reversed(case, expr):
            text = f"{name} has its edges the wrong way round: the low one is not below the high one"
            ports = [inputs.get(edge, "") for edge in expr.args[:2]]
            mend = fixes.for_edges(node_id, *ports) if all(ports) else ()
            yield case.notice(Severity.WARNING, "reversed-edges", node_id, text, port=ports[0], mend=mend)
        elif (least := _LEAST.get(expr.op)) and _goes_below(case.bounds[expr.args[0]], least[0], strict=least[1]):
            port = inputs.get(expr.args[0], "")
            mend = fixes.at_least(case.material, node_id, port, least[0] + (1e-4 if least[1] else 0.0))
            text = f"{name} is not defined {least[2]}, which {port or 'its inside'} may be"
            yield case.notice(Severity.WARNING, "undefined", node_id, text, port=port, expr=expr.args[0], mend=mend)
        elif expr.op is Op.NORMALIZE and case.bounds[expr.args[0]].contains(0.0) and _may_vanish(case, expr.args[0]):
            text = f"{name} gives no direction where the vector is zero"
            yield case.notice(Severity.INFO, "undefined", node_id, text, expr=expr.args[0])
        elif (
            node.type in ("clamp", "saturate") and expr.op is Op.CLAMP and _within(*(case.bounds[a] for a in expr.args))
        ):
            text = f"{name} changes nothing: what comes in is already within"
            mend = (Fix("Take it out", fixes.dissolved(node_id)),)
            yield case.notice(Severity.INFO, "idle-clamp", node_id, text, expr=expr.args[0], mend=mend)
        elif expr.op in (Op.SUB, Op.DOT) and (case.reads[expr.args[0]] ^ case.reads[expr.args[1]]) & _SPACES == _SPACES:
            text = f"{name} puts an object-space and a world-space position together"
            yield case.notice(Severity.WARNING, "spaces", node_id, text)


_LEAST: dict[Op, tuple[float, bool, str]] = {
    Op.SQRT: (0.0, False, "below 0"),
    Op.POW: (0.0, False, "for a base below 0"),
    Op.LOG: (0.0, True, "at 0 and below"),
    Op.LOG2: (0.0, True, "at 0 and below"),
}


def _with_lost_values(case: Case, node_id: str, node: Node, node_type: NodeType, own: list[Notice]) -> Iterator[Notice]:
    """The node's notices, and an error where values are now infinite or not a number that were finite on the way in.

    A possible trouble that has come about is told once, as the error, with its mends.
    """
    lost = _lost(case, node_id, node_type)
    cause = next((n for n in own if n.kind in ("division", "undefined")), None) if lost else None
    for notice in own:
        if notice is cause:
            text = notice.text.replace(" may divide by zero", " does divide by zero", 1)
            text = f"{text}. {counted(lost, 'value is', 'values are')} now infinite or not a number"
            yield replace(notice, severity=Severity.ERROR, text=text)
        else:
            yield notice
    if lost and not cause:
        values = counted(lost, "value that is", "values that are")
        text = f"{label_of(case.material, node)} gives {values} infinite or not a number"
        yield case.notice(Severity.ERROR, "not-finite", node_id, text)


def _lost(case: Case, node_id: str, node_type: NodeType) -> int:
    incoming = [case.material.wires.get(port_ref(node_id, p.name), "") for p in node_type.inputs]
    if any(case.statistics[wire].not_finite for wire in incoming if wire in case.statistics):
        return 0
    outgoing = [case.statistics.get(port_ref(node_id, p.name)) for p in node_type.outputs]
    return max((reach.not_finite for reach in outgoing if reach), default=0)


def _black_tint(case: Case, node_id: str, node: Node, node_type: NodeType) -> Iterator[Notice]:
    """A colour multiplied by a colour that shares no channel with it: yellow times blue is black."""
    wire = port_ref(node_id, "out")
    if node_type.key != "multiply" or case.lowered.kinds.get(wire) is not Kind.COLOUR:
        return
    sides = [case.brightest(case.material.wires.get(port_ref(node_id, port), "")) for port in ("a", "b")]
    product = case.brightest(wire)
    if product is None or sides[0] is None or sides[1] is None:
        return
    if product < DARK * min(sides[0], sides[1]):
        name = label_of(case.material, node)
        text = f"{name} turns dark: the two colours share no channel; mix or replace the colour instead"
        mend = (Fix("Mix instead", fixes.mix_instead(node_id)),)
        yield case.notice(Severity.WARNING, "black-tint", node_id, text, wire=wire, mend=mend)


def _never_varies(case: Case, node_id: str, node: Node, node_type: NodeType) -> Iterator[Notice]:
    """Arithmetic on typed constants alone: its result could be typed instead."""
    wired = any(port_ref(node_id, p.name) in case.material.wires for p in node_type.inputs)
    outputs = [e for p in node_type.outputs if (e := case.lowered.wires.get(port_ref(node_id, p.name))) is not None]
    if not wired or not outputs or node_type.role is Role.ELBOW:
        return
    if not any(case.reads[each] & _VARYING for each in outputs):
        wire = port_ref(node_id, node_type.outputs[0].name)
        text = f"{label_of(case.material, node)} never varies: everything it is made of is typed"
        yield case.notice(Severity.INFO, "constant", node_id, text, wire=wire)


def _is_handed_in(case: Case, name: str) -> bool:
    """Whether a uniform is a parameter, or what a snippet is handed where it is used."""
    source = case.lowered.uniforms.get(name)
    node = case.material.nodes.get(source.node) if source and not source.snippet else None
    return name.startswith("parameter:") or bool(node and node.role is Role.ENTRY)


def _left_ranges(case: Case, used: set[str]) -> Iterator[Notice]:
    """Wires into ports that expect a range their values leave; told at the node that feeds the wire."""
    material = case.material
    told: set[str] = set()
    for into, expected in expected_by_inputs(material).items():
        out = material.wires.get(into, "")
        node_id = node_of(out)
        reader = node_of(into)
        if out not in case.lowered.wires or out in told or reader not in used or node_id not in material.nodes:
            continue
        expr, reach = case.lowered.wires[out], case.statistics.get(out)
        bound = case.bounds[expr]
        now = reach is not None and reach.leaves(expected)
        if not now and not _leaves(bound, expected):
            continue
        told.add(out)
        name, target = (label_of(material, material.nodes[i]) for i in (node_id, reader))
        port = node_and_port(into)[1].replace("_", " ")
        verb = "leaves" if now else "may leave"
        wanted = _range(*expected)
        if _adds_masks(case, node_id, expected):
            text = f"{name} adds two masks, so it {verb} {wanted}, which {target} expects of {port}"
            mend: tuple[Fix, ...] = (
                Fix("Halve the sum", fixes.halved(into)),
                Fix("Clamp it", fixes.clamped(into, expected)),
            )
            kind = "summed-masks"
        else:
            text = f"{name} {verb} {wanted}, which {target} expects of {port}"
            mend = (Fix("Clamp it", fixes.clamped(into, expected)),)
            kind = "range"
        yield case.notice(
            Severity.WARNING, kind, node_id, text, port=node_and_port(out)[1], expr=expr, wire=out, mend=mend
        )


def _adds_masks(case: Case, node_id: str, expected: Range) -> bool:
    """Whether a node is a sum of two values that each keep to the range."""
    if case.material.nodes[node_id].type != "add":
        return False
    sides = [case.lowered.inputs.get(port_ref(node_id, port)) for port in ("a", "b")]
    return all(e is not None and not _leaves(case.bounds[e], expected) and max(case.bounds[e].high) > 0 for e in sides)


def _own_expressions(outputs: list[Expr], inputs: set[Expr]) -> Iterator[Expr]:
    """What a node's function built itself, between its inputs and its outputs."""
    seen: set[Expr] = set()
    waiting = list(outputs)
    while waiting:
        expr = waiting.pop()
        if expr not in seen and expr not in inputs:
            seen.add(expr)
            yield expr
            waiting.extend(expr.args)


def _upstream_of_outputs(material: Material) -> set[str]:
    types = {node_id: type_of(material, node) for node_id, node in material.nodes.items()}
    ends = [node_id for node_id, node_type in types.items() if node_type and not node_type.outputs]
    return reached(material, ends, upstream=True)


def _parameter_of(case: Case, expr: Expr) -> Parameter | None:
    source = case.lowered.uniforms.get(str(expr.data)) if expr.op is Op.UNIFORM else None
    return case.material.parameter(source.parameter) if source else None


def _divisor_in_words(case: Case, divisor: Expr) -> str:
    bound, parameter = case.bounds[divisor], _parameter_of(case, divisor)
    if parameter:
        if parameter.low is None and parameter.high is None:
            return f"the parameter {parameter.label} has no limits, so it can be 0"
        return f"the parameter {parameter.label} may be {bound.low[0]:g} to {bound.high[0]:g}"
    if (min(bound.low), max(bound.high)) == (-inf, inf):
        return "nothing keeps its divisor from 0"
    if divisor.op is Op.UNIFORM:
        return "its divisor is 0"
    return f"its divisor may be {min(bound.low):g} to {max(bound.high):g}"


def _may_vanish(case: Case, vector: Expr) -> bool:
    """Whether zero is within the bound; directions read from textures or toward the camera are taken to be sound."""
    if case.reads[vector] & _SOUND:
        return False
    bound = case.bounds[vector]
    return all(low <= 0 <= high for low, high in zip(bound.low, bound.high, strict=True))


def _reversed(case: Case, smooth: Expr) -> bool:
    """Whether a smoothstep's low edge is at or above its high one, whatever comes in."""
    low, high = (case.bounds[edge] for edge in smooth.args[:2])
    return min(low.low) >= max(high.high)


def _goes_below(bound: Interval, least: float, *, strict: bool) -> bool:
    return min(bound.low) <= least if strict else min(bound.low) < least


def _within(value: Interval, low: Interval, high: Interval) -> bool:
    return min(value.low) >= max(low.high) and max(value.high) <= min(high.low) and not value.may_be_nan


def _leaves(bound: Interval, expected: Range) -> bool:
    return min(bound.low) < expected[0] - SLACK or max(bound.high) > expected[1] + SLACK


def _range(low: float, high: float) -> str:
    text = f"{low:.4g}" if low == high else f"{low:.4g} to {high:.4g}"
    return text.replace("-", "−").replace("inf", "∞")
