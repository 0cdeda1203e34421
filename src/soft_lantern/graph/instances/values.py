"""Material instances: where each value comes from, and edits of the family tree."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import Instance, Material, Parameter, Project, changed
from soft_lantern.graph.instances.limits import narrowed
from soft_lantern.graph.instances.look_tree import look_tree_of
from soft_lantern.graph.instances.shade import NONE, Shade, combined, shaded
from soft_lantern.graph.nesting import attached
from soft_lantern.graph.parameters.edits import held
from soft_lantern.graph.snippets import put_snippet
from soft_lantern.graph.texture_use import settled
from soft_lantern.limits import ANCESTORS
from soft_lantern.nodes.definition import SNIPPET
from soft_lantern.values.kinds import Kind, Value, components


class Look(Struct, frozen=True):
    """What an instance, or a material worn as it is, comes down to: the material and the values that differ from it.

    `origins` says whose override each value is, by parameter id. `shade` is the layer over its colours, which `values`
    are without and `shown` has. `parameters` are the material's with the limits that are narrowed for it.
    """

    material: Material
    values: dict[str, Value]
    origins: dict[str, str]
    parameters: tuple[Parameter, ...]
    shade: Shade = NONE

    def parameter(self, parameter_id: str) -> Parameter | None:
        """A parameter with the limits it has here."""
        return next((p for p in self.parameters if p.id == parameter_id), None)

    @property
    def shown(self) -> dict[str, Value]:
        """The values as they are drawn: with the layer over every colour."""
        if self.shade == NONE:
            return self.values
        found = dict(self.values)
        for parameter in self.material.parameters:
            if parameter.kind is Kind.COLOUR:
                colour = components(found.get(parameter.id, parameter.default))
                found[parameter.id] = shaded(colour, self.shade, hdr=parameter.hdr)
        return found


def ancestry(project: Project, instance_id: str) -> tuple[list[Instance], Material | None]:
    """The instance and its parents, nearest first, and the material they end in; None where the chain is broken.

    A chain of more than `limits.ANCESTORS` counts as broken.
    """
    chain: list[Instance] = []
    seen: set[str] = set()
    at = instance_id
    while at in project.instances and at not in seen and len(chain) < ANCESTORS:
        seen.add(at)
        chain.append(project.instances[at])
        at = chain[-1].parent
    return chain, project.materials.get(at)


def look(project: Project, look_id: str) -> Look | None:
    """The look of an instance or material by its id, or None where no material stands behind it.

    A value that an ancestor has locked comes from that ancestor, whatever stands below it.
    """
    chain, material = ancestry(project, look_id)
    if material is None:
        return None
    values: dict[str, Value] = {}
    origins: dict[str, str] = {}
    locked: set[str] = set()
    known = {p.id: p for p in material.parameters}
    for instance in reversed(chain):
        for parameter_id, value in instance.values.items():
            parameter = known.get(parameter_id)
            if parameter and parameter_id not in locked and fits(parameter, value):
                values[parameter_id] = value
                origins[parameter_id] = instance.id
        locked.update(instance.locks)
    return Look(material, values, origins, narrowed(material.parameters, chain), combined(chain))


def fits(parameter: Parameter, value: Value) -> bool:
    """Whether a value kept in a file still has the shape its parameter takes."""
    if isinstance(value, str):
        return parameter.kind.is_read
    return not parameter.kind.is_read and len(components(value)) == parameter.kind.width


def locked_by(project: Project, instance_id: str, parameter_id: str) -> Instance | None:
    """The ancestor that locks a parameter for an instance, if one does."""
    chain, _ = ancestry(project, instance_id)
    return next((ancestor for ancestor in chain[1:] if parameter_id in ancestor.locks), None)


def children(project: Project, parent_id: str) -> list[Instance]:
    """The instances whose parent is that material or instance, by name."""
    return [project.instances[each] for each in look_tree_of(project).children.get(parent_id, ())]


def put_material(project: Project, material: Material) -> Project:
    """The project with a material, or a snippet's graph, added or replaced."""
    if material.id in project.snippets:
        return put_snippet(project, material)
    project = changed(project, materials={**project.materials, material.id: material})
    return attached(project) if any(n.type == SNIPPET for n in material.nodes.values()) else project


def edited_graph(project: Project, graph_id: str, edit: Callable[[Material], Material]) -> Project:
    """The project with one material or snippet edited. Raises BadEdit where it is gone."""
    graph = project.graph(graph_id)
    if graph is None:
        raise BadEdit("that graph is gone")
    after = edit(graph)
    return project if after is graph else settled(project, put_material(project, after), graph_id)


def put_instance(project: Project, instance: Instance) -> Project:
    """The project with an instance added or replaced. Raises BadEdit if its parent is missing or its own descendant."""
    candidate = changed(project, instances={**project.instances, instance.id: instance})
    chain, material = ancestry(candidate, instance.id)
    if material is None:
        looped = chain[-1].parent in candidate.instances
        raise BadEdit(f"{instance.name} cannot be its own ancestor" if looped else f"{instance.name} has no parent")
    return candidate


def instance_of(project: Project, instance_id: str) -> Instance:
    """An instance. Raises BadEdit where it is gone."""
    instance = project.instances.get(instance_id)
    if instance is None:
        raise BadEdit("that instance is gone")
    return instance


def edited_instance(project: Project, instance_id: str, edit: Callable[[Instance], Instance]) -> Project:
    """The project with one instance edited. Raises BadEdit where it is gone, or would be its own ancestor."""
    return put_instance(project, edit(instance_of(project, instance_id)))


def override(project: Project, instance_id: str, parameter_id: str, value: Value) -> Project:
    """The project with one value of an instance set, held to the parameter's hard limits.

    Raises BadValue where the value does not have the parameter's shape, BadEdit where an ancestor has locked it.
    """
    instance = instance_of(project, instance_id)
    found = look(project, instance_id)
    parameter = found.parameter(parameter_id) if found else None
    if parameter is None:
        raise BadValue(f"{instance.name} has no parameter “{parameter_id}”")
    lock = locked_by(project, instance_id, parameter_id)
    if lock:
        raise BadEdit(f"{parameter.label} is locked in {lock.name}, so {instance.name} cannot set it")
    kept = held(parameter, value)
    return put_instance(project, changed(instance, values={**instance.values, parameter_id: kept}))


def reset(project: Project, instance_id: str, *parameter_ids: str) -> Project:
    """The project with some values of an instance inherited again."""
    instance = instance_of(project, instance_id)
    left = {p: v for p, v in instance.values.items() if p not in parameter_ids}
    return put_instance(project, changed(instance, values=left))


def remove_instance(project: Project, instance_id: str) -> Project:
    """The project without an instance: its children keep their values, who wore it wears its parent."""
    gone = instance_of(project, instance_id)
    instances = {
        i: changed(x, parent=gone.parent, values={**gone.values, **x.values}) if x.parent == instance_id else x
        for i, x in project.instances.items()
        if i != instance_id
    }
    picks = {
        pick_id: changed(pick, looks=tuple(gone.parent if each == instance_id else each for each in pick.looks))
        for pick_id, pick in project.picks.items()
    }
    scenes = {
        scene_id: changed(
            scene,
            objects=tuple(
                changed(o, wears={part: gone.parent if w == instance_id else w for part, w in o.wears.items()})
                for o in scene.objects
            ),
        )
        for scene_id, scene in project.scenes.items()
    }
    return changed(project, instances=instances, picks=picks, scenes=scenes)
