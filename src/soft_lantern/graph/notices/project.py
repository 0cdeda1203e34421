"""Every notice of a project."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import partial
from math import inf

from msgspec import Struct

from soft_lantern.graph.document import Material, Parameter, Project, changed, edited_record, node_of, port_ref
from soft_lantern.graph.instances.limits import narrowed
from soft_lantern.graph.instances.values import ancestry, fits
from soft_lantern.graph.kinds import label_of, type_of
from soft_lantern.graph.lowering import Lowered, lower, read_ids, uniform_values
from soft_lantern.graph.notice import Fix, Notice, Severity, with_accepted
from soft_lantern.graph.notices.diagnosis import Case, diagnose
from soft_lantern.graph.parameters.edits import hard_limits, held, limits_in_words, trouble_with_parameter
from soft_lantern.graph.texture_use import DATA, uses
from soft_lantern.ir.expr import Expr
from soft_lantern.ir.inputs import BRIGHTEST
from soft_lantern.ir.interval import Interval, bounds, exactly, within
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.ir.statistics import Statistics
from soft_lantern.nodes import Role
from soft_lantern.values.images import MISSING, Image
from soft_lantern.values.kinds import Kind, fitted


def check_project(project: Project, images: Mapping[str, Image] | None = None) -> list[Notice]:
    """What is wrong anywhere in the project, as far as the document alone tells, errors first."""
    graphs = [*project.materials.values(), *project.snippets.values()]
    found = [n for graph in graphs for n in _of_graph(graph, images or {})]
    found += [n for graph in graphs for n in check_textures(project, graph)]
    found += _check_instances(project)
    found += _check_scenes(project)
    order = [Severity.ERROR, Severity.WARNING, Severity.INFO]
    return sorted(found, key=lambda n: order.index(n.severity))


class _Checked(Struct, frozen=True):
    """A graph that was looked through, with the textures whose bounds counted by id; None where any may be chosen."""

    graph: Material
    read: frozenset[str] | None
    bounds: Mapping[str, tuple[float, float]]
    notices: list[Notice]


GRAPHS_KEPT = 4096
_checked: dict[str, _Checked] = {}
"""By the graph's id, as it was looked through last: an edit changes one of many, the rest need no second look."""


def _of_graph(graph: Material, images: Mapping[str, Image]) -> list[Notice]:
    """What the document alone tells of one graph; worked out where it, or what its textures hold, is not as before."""
    kept = _checked.get(graph.id)
    if kept is None or kept.graph is not graph or kept.bounds != _ends(images, kept.read):
        lowered = lower(graph)
        by_parameter = any(each.parameter and each.kind.is_read for each in lowered.uniforms.values())
        read = None if by_parameter else frozenset(read_ids(lowered, graph).values())
        if len(_checked) >= GRAPHS_KEPT:
            _checked.clear()
        found = check_material(graph, lowered, images=images)
        kept = _checked[graph.id] = _Checked(graph, read, _ends(images, read), found)
    return kept.notices


def _ends(images: Mapping[str, Image], read: frozenset[str] | None) -> dict[str, tuple[float, float]]:
    return {key: image.bound for key, image in images.items() if read is None or key in read}


def named_place(project: Project, place: str) -> str:
    """What people call the place of a notice: a material, snippet, instance, scene, mesh or texture by its id."""
    tables = (project.materials, project.snippets, project.instances, project.scenes, project.assets, project.textures)
    found = next((table[place] for table in tables if place in table), None)
    return found.name if found else place


def check_material(
    material: Material,
    lowered: Lowered | None = None,
    statistics: Mapping[str, Statistics] | None = None,
    values: Mapping[str, Array] | None = None,
    images: Mapping[str, Image] | None = None,
    known: Mapping[Expr, Interval] | None = None,
) -> list[Notice]:
    """What is wrong with one material: its graph, its parameters, the bounds that follow, and what was measured.

    `known`: the bounds, where `bounds_of` has found them already.
    """
    lowered = lowered or lower(material)
    found = list(lowered.notices)
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            found.append(Notice(Severity.ERROR, "parameter", trouble, material.id))
    known = known or bounds_of(material, lowered, images)
    found += diagnose(Case(material, lowered, known, statistics or {}, values or {}))
    return with_accepted(material, found)


def bounds_of(
    material: Material, lowered: Lowered, images: Mapping[str, Image] | None = None
) -> Mapping[Expr, Interval]:
    """The bounds of everything that a wire carries or a port gets, from the limits of what is exposed."""
    wired = [*lowered.wires.values(), *lowered.inputs.values()]
    return bounds(wired, uniform_bounds(material, lowered, images))


def check_textures(project: Project, graph: Material) -> Iterator[Notice]:
    """What a graph reads that is gone, or textures that are decoded as colour where numbers are wanted."""
    wanted = uses(graph)
    for node_id, node in graph.nodes.items():
        node_type = type_of(graph, node)
        for port in node_type.inputs if node_type else ():
            ref = port_ref(node_id, port.name)
            if port.carries.kind is None or not port.carries.kind.is_read or node_type is None:
                continue
            source = graph.nodes.get(node_of(graph.wires.get(ref, "")), node)
            if ref in graph.wires and source.role is not Role.CONSTANT:
                continue
            chosen = str(source.values.get("value" if ref in graph.wires else port.name, ""))
            name, texture = label_of(graph, node), project.textures.get(chosen)
            if chosen in project.gradients or chosen in project.palettes:
                continue
            if chosen and texture is None:
                text = f"{name} reads a {port.carries.kind.words} that is gone; grey stands in"
                yield Notice(Severity.ERROR, "missing-texture", text, graph.id, node_id, port.name)
            elif texture and texture.indexes and texture.filter == "linear":
                text = f"{name} reads the indices of {texture.name} blended between texels; they name other cells then"
                nearest = partial(_read_as_indices, texture_id=texture.id)
                mend = (Fix(f"Read {texture.name} by nearest texel, as data", of_project=nearest),)
                yield Notice(Severity.WARNING, "filtered-indices", text, graph.id, node_id, port.name, fixes=mend)
            elif texture and (texture.indexes or wanted.get(texture.id) == {DATA}) and texture.encoding == "colour":
                text = f"{name} wants the numbers of {texture.name}, which is decoded as colour"
                mend = (Fix(f"Read {texture.name} as data", of_project=partial(_read_as_data, texture_id=texture.id)),)
                yield Notice(Severity.WARNING, "decoded-data", text, graph.id, node_id, port.name, fixes=mend)


def _read_as_data(project: Project, texture_id: str) -> Project:
    return edited_record(project, "textures", texture_id, lambda now: changed(now, encoding="data"))


def _read_as_indices(project: Project, texture_id: str) -> Project:
    return edited_record(project, "textures", texture_id, lambda now: changed(now, encoding="data", filter="nearest"))


def uniform_bounds(
    material: Material, lowered: Lowered, images: Mapping[str, Image] | None = None
) -> dict[str, Interval]:
    """The bound of every uniform: parameters by their limits, typed values exactly, textures by their texels."""
    typed = uniform_values(lowered, material, {}, images)
    found = {}
    for name, source in lowered.uniforms.items():
        parameter, value = material.parameter(source.parameter) if source.parameter else None, typed[name]
        entry = material.nodes.get(source.node) if not source.snippet else None
        if entry is not None and entry.role is Role.ENTRY and not source.kind.is_read:  # whatever a snippet is handed
            found[name] = Interval((-inf,) * source.kind.width, (inf,) * source.kind.width)
        elif source.stage:
            found[name] = Interval((0.0,) * 4, (BRIGHTEST,) * 4)
        elif source.kind.is_read:
            shown = [value] if isinstance(value, Image) and not parameter else [MISSING, *(images or {}).values()]
            ends = [image.bound for image in shown]
            found[name] = Interval((min(low for low, _ in ends),) * 4, (max(high for _, high in ends),) * 4)
        elif not isinstance(value, Image):
            found[name] = limits(parameter) if parameter else exactly(*value)
    return found


def limits(parameter: Parameter) -> Interval:
    """The bound a parameter's hard limits give each component; alpha keeps to 0–1."""
    low, high = hard_limits(parameter)
    if parameter.kind is Kind.COLOUR:
        return within((low, low, low, 0.0), (high, high, high, 1.0))
    return within((low,) * parameter.kind.width, (high,) * parameter.kind.width)


def _check_instances(project: Project) -> Iterator[Notice]:
    for instance in project.instances.values():
        chain, material = ancestry(project, instance.id)
        if material is None:
            looped = chain[-1].parent in project.instances
            text = f"{instance.name} is its own ancestor" if looped else f"{instance.name}’s parent is missing"
            yield Notice(Severity.ERROR, "parent", text, instance.id)
            continue
        known = {p.id: p for p in narrowed(material.parameters, chain)}
        for parameter_id, value in instance.values.items():
            parameter = known.get(parameter_id)
            if parameter is None or not fits(parameter, value):
                former = next((p for p in material.retired if p.id == parameter_id), parameter)
                what = f"its value of {former.label}" if former else "a value for a parameter"
                text = f"{instance.name} keeps {what}, which {material.name} no longer has as it was"
                yield Notice(Severity.INFO, "orphan", text, instance.id)
            elif held(parameter, value) != fitted(value, parameter.kind):
                text = f"{instance.name}’s {parameter.label} is outside its limits, {limits_in_words(parameter)}"
                yield Notice(Severity.WARNING, "outside-limits", text, instance.id)


def _check_scenes(project: Project) -> Iterator[Notice]:
    for scene in project.scenes.values():
        for thing in scene.objects:
            if thing.asset not in project.assets:
                text = f"{thing.name} in {scene.name} shows an asset that is gone"
                yield Notice(Severity.ERROR, "missing-asset", text, scene.id)
            for worn in thing.wears.values():
                if worn and not any(worn in held for held in (project.instances, project.materials, project.picks)):
                    text = f"{thing.name} in {scene.name} wears something that is gone; plain grey stands in"
                    yield Notice(Severity.ERROR, "missing-look", text, scene.id)
