"""Every notice of a project that can be told from the document alone."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from soft_lantern.graph.document import Material, Parameter, Project, port_ref
from soft_lantern.graph.edits import trouble_with_parameter
from soft_lantern.graph.instances import ancestry, fits
from soft_lantern.graph.kinds import label_of, type_of
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.graph.notices import Notice, Severity
from soft_lantern.ir.expr import Expr, Op
from soft_lantern.ir.interval import Interval, bounds, exactly
from soft_lantern.values.kinds import Kind, components


def check_project(project: Project) -> list[Notice]:
    """What is wrong anywhere in the project, errors first."""
    found = [n for material in project.materials.values() for n in check_material(material)]
    found += _check_instances(project)
    found += _check_scenes(project)
    order = [Severity.ERROR, Severity.WARNING, Severity.INFO]
    return sorted(found, key=lambda n: order.index(n.severity))


def check_material(material: Material, lowered: Lowered | None = None) -> list[Notice]:
    """What is wrong with one material, from its graph and from the bounds that follow from its limits."""
    lowered = lowered or lower(material)
    found = list(lowered.notices)
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            found.append(Notice(Severity.ERROR, "parameter", trouble, material.id))
    return found + list(_possible_divisions_by_zero(material, lowered))


def uniform_bounds(material: Material, lowered: Lowered) -> dict[str, Interval]:
    """The bound of every uniform: parameters by their limits, typed values exactly."""
    typed = uniform_values(lowered, material, {})
    found = {}
    for name, source in lowered.uniforms.items():
        parameter = material.parameter(source.parameter) if source.parameter else None
        found[name] = limits(parameter) if parameter else exactly(*typed[name])
    return found


def limits(parameter: Parameter) -> Interval:
    """The bound a parameter's hard limits give each component; a colour without limits keeps to 0–1."""
    widest = (0.0, 1.0) if parameter.kind is Kind.COLOUR else (-inf, inf)
    low = widest[0] if parameter.low is None else parameter.low
    high = widest[1] if parameter.high is None else parameter.high
    return Interval((low,) * parameter.kind.width, (high,) * parameter.kind.width)


def _possible_divisions_by_zero(material: Material, lowered: Lowered) -> Iterator[Notice]:
    wired = list(lowered.wires.values()) + list(lowered.inputs.values())
    known = bounds(wired, uniform_bounds(material, lowered))
    for node_id, node in material.nodes.items():
        node_type = type_of(node)
        if node_type is None:
            continue
        inputs = {lowered.inputs.get(port_ref(node_id, p.name)) for p in node_type.inputs}
        outputs = [lowered.wires.get(port_ref(node_id, p.name)) for p in node_type.outputs]
        for expr in _own_expressions([o for o in outputs if o is not None], inputs):
            if expr.op is Op.DIV and known[expr.args[1]].contains(0.0):
                name = label_of(node)
                text = f"{name} may divide by zero: {_reach(material, lowered, expr.args[1], known)}"
                yield Notice(Severity.WARNING, "division", text, material.id, node_id, "b")


def _own_expressions(outputs: list[Expr], inputs: set[Expr | None]) -> Iterator[Expr]:
    """What a node's function built itself, between its inputs and its outputs."""
    seen: set[Expr] = set()
    waiting = outputs
    while waiting:
        expr = waiting.pop()
        if expr not in seen and expr not in inputs:
            seen.add(expr)
            yield expr
            waiting.extend(expr.args)


def _reach(material: Material, lowered: Lowered, divisor: Expr, known: dict[Expr, Interval]) -> str:
    bound = known[divisor]
    source = lowered.uniforms.get(str(divisor.data)) if divisor.op is Op.UNIFORM else None
    parameter = material.parameter(source.parameter) if source else None
    if parameter:
        if parameter.low is None and parameter.high is None:
            return f"the parameter {parameter.label} has no limits, so it can be 0"
        return f"the parameter {parameter.label} may be {bound.low[0]:g} to {bound.high[0]:g}"
    if source:
        return "its divisor is 0"
    if (min(bound.low), max(bound.high)) == (-inf, inf):
        return "nothing keeps its divisor from 0"
    return f"its divisor may be {min(bound.low):g} to {max(bound.high):g}"


def _check_instances(project: Project) -> Iterator[Notice]:
    for instance in project.instances.values():
        chain, material = ancestry(project, instance.id)
        if material is None:
            looped = chain[-1].parent in project.instances
            text = f"{instance.name} is its own ancestor" if looped else f"{instance.name}’s parent is missing"
            yield Notice(Severity.ERROR, "parent", text, instance.id)
            continue
        for parameter_id, value in instance.values.items():
            parameter = material.parameter(parameter_id)
            if parameter is None or not fits(parameter.kind.width, value):
                text = f"{instance.name} keeps a value for a parameter {material.name} no longer has as it was"
                yield Notice(Severity.INFO, "orphan", text, instance.id)
            else:
                bound = limits(parameter)
                if any(not bound.low[0] <= part <= bound.high[0] for part in components(value)):
                    text = f"{instance.name}’s {parameter.label} is outside {bound.low[0]:g} to {bound.high[0]:g}"
                    yield Notice(Severity.WARNING, "outside-limits", text, instance.id)


def _check_scenes(project: Project) -> Iterator[Notice]:
    for scene in project.scenes.values():
        for thing in scene.objects:
            if thing.asset not in project.assets:
                text = f"{thing.name} in {scene.name} shows an asset that is gone"
                yield Notice(Severity.ERROR, "missing-asset", text, scene.id)
            for worn in thing.wears.values():
                if worn not in project.instances and worn not in project.materials:
                    text = f"{thing.name} in {scene.name} wears something that is gone; plain grey stands in"
                    yield Notice(Severity.ERROR, "missing-look", text, scene.id)
