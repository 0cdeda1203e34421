"""Every notice of a project."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from math import inf

from soft_lantern.graph.diagnosis import Case, diagnose
from soft_lantern.graph.document import Material, Parameter, Project
from soft_lantern.graph.instances import ancestry, fits
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.graph.notices import Notice, Severity, with_accepted
from soft_lantern.graph.parameters import held, trouble_with_parameter
from soft_lantern.ir.interval import Interval, bounds, exactly, single
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.ir.reach import Reach
from soft_lantern.values.kinds import Kind, fitted


def check_project(project: Project) -> list[Notice]:
    """What is wrong anywhere in the project, as far as the document alone tells, errors first."""
    found = [n for material in project.materials.values() for n in check_material(material)]
    found += _check_instances(project)
    found += _check_scenes(project)
    order = [Severity.ERROR, Severity.WARNING, Severity.INFO]
    return sorted(found, key=lambda n: order.index(n.severity))


def check_material(
    material: Material,
    lowered: Lowered | None = None,
    reaches: Mapping[str, Reach] | None = None,
    values: Mapping[str, Array] | None = None,
) -> list[Notice]:
    """What is wrong with one material: its graph, its parameters, the bounds that follow, and what was measured."""
    lowered = lowered or lower(material)
    found = list(lowered.notices)
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            found.append(Notice(Severity.ERROR, "parameter", trouble, material.id))
    wired = [*lowered.wires.values(), *lowered.inputs.values()]
    known = bounds(wired, uniform_bounds(material, lowered))
    found += diagnose(Case(material, lowered, known, reaches or {}, values or {}))
    return with_accepted(material, found)


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
    return Interval((single(low),) * parameter.kind.width, (single(high),) * parameter.kind.width)


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
            elif held(parameter, value) != fitted(value, parameter.kind):
                low = "" if parameter.low is None else f"{parameter.low:g}"
                high = "" if parameter.high is None else f"{parameter.high:g}"
                text = f"{instance.name}’s {parameter.label} is outside its limits, {low} to {high}"
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
