"""Edits and questions of whole families of instances: who inherits what, copies, new parents, what differs, search."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping
from enum import StrEnum

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import Instance, Parameter, Project, changed, new_id
from soft_lantern.graph.instances.limits import Limits, with_limits
from soft_lantern.graph.instances.values import (
    Look,
    ancestry,
    children,
    fits,
    instance_of,
    locked_by,
    look,
    override,
    put_instance,
    put_material,
    reset,
)
from soft_lantern.graph.parameters.edits import check_parameter, held
from soft_lantern.values.colour import colour_from_hex, is_hex_colour
from soft_lantern.values.kinds import Kind, Value, components, conversion, fitted
from soft_lantern.values.words import first_numbered


class Standing(StrEnum):
    """Where a value of an instance comes from, seen from the instance."""

    INHERITED = "inherited"
    OVERRIDDEN = "overridden"
    EQUAL = "equal to its parent’s"
    LOCKED = "locked"


def standings(project: Project, instance: Instance, parameters: Iterable[Parameter]) -> dict[str, Standing]:
    """Whether values come from the parent, are set here, or are set here to what the parent has; by parameter id."""
    locked = {each for ancestor in ancestry(project, instance.id)[0][1:] for each in ancestor.locks}
    above = look(project, instance.parent)

    def of(parameter: Parameter) -> Standing:
        if parameter.id in locked:
            return Standing.LOCKED
        if parameter.id not in instance.values:
            return Standing.INHERITED
        same = above is not None and value_of(above, parameter) == instance.values[parameter.id]
        return Standing.EQUAL if same else Standing.OVERRIDDEN

    return {parameter.id: of(parameter) for parameter in parameters}


def value_of(found: Look, parameter: Parameter) -> Value:
    """A look's value of one of its material's parameters."""
    return found.values.get(parameter.id, parameter.default)


def all_values(found: Look) -> dict[str, Value]:
    """A look's value of every parameter, by the parameter's id."""
    return {p.id: value_of(found, p) for p in found.material.parameters}


def outside(parameter: Parameter, value: Value) -> bool:
    """Whether a value that fits its parameter's kind leaves its limits."""
    return fits(parameter, value) and held(parameter, value) != fitted(value, parameter.kind)


def clamped(project: Project, instance_id: str, *parameter_ids: str) -> Project:
    """The project with an instance's own values held to their limits: all of them, or those of some parameters."""
    instance, found = instance_of(project, instance_id), look(project, instance_id)
    values = dict(instance.values)
    for parameter in found.parameters if found else ():
        wanted = not parameter_ids or parameter.id in parameter_ids
        if wanted and parameter.id in values and fits(parameter, values[parameter.id]):
            values[parameter.id] = held(parameter, values[parameter.id])
    return put_instance(project, changed(instance, values=values))


def differing(one: Look, other: Look) -> list[tuple[Parameter, Value, Value]]:
    """The parameters that both looks have under one identifier but with other values, with both values."""
    theirs = {p.identifier: p for p in other.material.parameters}
    found = []
    for parameter in one.material.parameters:
        match = theirs.get(parameter.identifier)
        if match and match.kind is parameter.kind:
            values = value_of(one, parameter), value_of(other, match)
            if values[0] != values[1]:
                found.append((parameter, *values))
    return found


def copied(found: Look, group: str | None = None) -> dict[str, Value]:
    """A look's values by identifier, of all parameters or of one group, for `pasted`."""
    return {p.identifier: value_of(found, p) for p in found.material.parameters if group in (None, p.group)}


def pasted(project: Project, instance_id: str, values: Mapping[str, Value]) -> Project:
    """The project with values by identifier taken over by an instance, those that it has a parameter for and may set.

    What it would inherit anyway stays inherited. Raises BadEdit where that is none of them.
    """
    found, above = look(project, instance_id), look(project, instance_of(project, instance_id).parent)
    taken = 0
    for parameter in found.parameters if found else ():
        value = values.get(parameter.identifier)
        if value is None or not fits(parameter, value) or locked_by(project, instance_id, parameter.id):
            continue
        taken += 1
        if above is not None and value_of(above, parameter) == held(parameter, value):
            project = reset(project, instance_id, parameter.id)
        else:
            project = override(project, instance_id, parameter.id, value)
    if not taken:
        raise BadEdit(f"{project.instances[instance_id].name} has no parameter for what was copied")
    return project


def reparent(project: Project, instance_id: str, parent_id: str, *, keep: bool) -> Project:
    """The project with an instance under another parent.

    `keep`: it looks as before, by overrides where the new parent differs; else what it did not set comes from the new
    parent. Under another material, its values go to the parameters of the same identifier and kind; others stay aside.
    Raises BadEdit where it would be its own ancestor, or there is no such parent.
    """
    instance, before = instance_of(project, instance_id), look(project, instance_id)
    if parent_id == instance.parent:
        return project
    moved = put_instance(project, changed(instance, parent=parent_id))
    after = look(moved, instance_id)
    if before is None or after is None:
        return moved
    values = dict(instance.values)
    theirs = {p.identifier: p for p in before.material.parameters}
    above = look(moved, parent_id)
    for parameter in after.parameters:
        match = theirs.get(parameter.identifier)
        if match is None or match.kind is not parameter.kind:
            continue
        if keep and above and value_of(before, match) != value_of(above, parameter):
            values[parameter.id] = held(parameter, value_of(before, match))
        elif match.id in instance.values and match.id != parameter.id:
            values[parameter.id] = held(parameter, instance.values[match.id])
    return put_instance(moved, changed(moved.instances[instance_id], values=values))


def duplicated(project: Project, instance_id: str, copy_id: str, *, descendants: bool = False) -> Project:
    """The project with a copy of an instance beside it, with copies of its descendants if asked.

    Raises BadEdit where the instance is gone.
    """
    instance = instance_of(project, instance_id)
    copy = changed(instance, id=copy_id, name=free_name(project, instance.name))
    result = put_instance(project, copy)

    def below(old: str, new: str) -> None:
        nonlocal result
        for child in children(project, old):
            made = changed(child, id=new_id("instance"), parent=new)
            result = put_instance(result, made)
            below(child.id, made.id)

    if descendants:
        below(instance_id, copy.id)
    return result


def free_name(project: Project, name: str) -> str:
    """The name, or the first of it with a number behind that no instance has."""
    taken = {instance.name for instance in project.instances.values()}
    stem = re.sub(r" \d+\Z", "", name)
    return name if name not in taken else first_numbered(stem, taken, 2)


def narrow(project: Project, instance_id: str, parameter_id: str, limits: Limits | None) -> Project:
    """The project with a parameter's limits narrowed for an instance and its descendants; None, as they are above.

    Their own values are held to them. Raises BadValue where they cannot be, BadEdit where the instance is gone.
    """
    instance, found = instance_of(project, instance_id), look(project, instance_id)
    parameter = found.material.parameter(parameter_id) if found else None
    if parameter is None:
        raise BadValue(f"{instance.name} has no parameter “{parameter_id}”")
    project = put_instance(project, with_limits(instance, parameter, limits))
    for each in (instance_id, *(below.id for below in descendants(project, instance_id))):
        if parameter_id in project.instances[each].values:
            project = clamped(project, each, parameter_id)
    return project


def with_lock(project: Project, instance_id: str, parameter_id: str, *, locked: bool) -> Project:
    """The project with a parameter of an instance's descendants locked, or free again."""
    instance = instance_of(project, instance_id)
    kept = tuple(each for each in instance.locks if each != parameter_id)
    return put_instance(project, changed(instance, locks=(*kept, parameter_id) if locked else kept))


# Search

_COMPARED: dict[str, Callable[[float, float], bool]] = {
    "<=": lambda a, b: a <= b,
    ">=": lambda a, b: a >= b,
    "!=": lambda a, b: abs(a - b) > 1e-6,
    "=": lambda a, b: abs(a - b) <= 1e-6,
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
}
_TERM = re.compile(r"(?P<name>\w+)\s*(?P<how><=|>=|!=|=|<|>)\s*(?P<value>\S+)|(?P<word>\S+)")


def searcher(project: Project, text: str) -> Callable[[Instance], bool]:
    """What tells whether an instance is sought: every word in its name, folder or tags, every comparison true.

    A comparison is an identifier, one of = != < > <= >=, and a number, hex colour or name; `tag=…` and `folder=…` too.
    """
    terms = [match.groupdict() for match in _TERM.finditer(text)]

    def sought(instance: Instance) -> bool:
        words = " ".join((instance.name, instance.folder, *instance.tags)).lower()
        return all(
            term["word"].lower() in words
            if term["word"]
            else _compares(project, instance, term["name"], term["how"], term["value"])
            for term in terms
        )

    return sought


def _compares(project: Project, instance: Instance, name: str, how: str, wanted: str) -> bool:
    if name.lower() in ("tag", "folder"):
        held_here = instance.tags if name.lower() == "tag" else (instance.folder,)
        return (wanted.lower() in [each.lower() for each in held_here]) is not (how == "!=")
    found = look(project, instance.id)
    parameter = (
        next((p for p in found.material.parameters if p.identifier.lower() == name.lower()), None) if found else None
    )
    if found is None or parameter is None:
        return False
    value = value_of(found, parameter)
    if isinstance(value, str):
        named = project.textures[value].name if value in project.textures else value
        return (wanted.lower() in (value.lower(), named.lower())) is not (how == "!=")
    if is_hex_colour(wanted):
        near = parameter.kind is Kind.COLOUR and all(
            abs(a - b) < 2e-3 for a, b in zip(components(value)[:3], colour_from_hex(wanted)[:3], strict=True)
        )
        return near is not (how == "!=")
    if wanted in parameter.choices:
        return _COMPARED[how](components(value)[0], float(parameter.choices.index(wanted)))
    try:
        number = float(wanted.replace("−", "-").replace(",", "."))
    except ValueError:
        return False
    return all(_COMPARED[how](part, number) for part in components(value))


# A parameter of another kind


def converted_value(value: Value, old: Parameter, new: Parameter) -> Value | None:
    """A value of one kind in another where nothing of it is lost, or None."""
    if old.kind is new.kind:
        return value
    how = conversion(old.kind, new.kind)
    if how is None or isinstance(value, str) or new.kind.is_read:
        return None
    parts = components(value)
    if new.kind.width < len(parts):
        if old.kind is Kind.COLOUR and new.kind is Kind.VECTOR3 and parts[3] == 1.0:
            return parts[:3]
        equal = len(set(parts[:3] if old.kind is Kind.COLOUR and parts[3] == 1.0 else parts)) == 1
        return parts[0] if new.kind is Kind.NUMBER and equal else None
    try:
        return fitted(value, new.kind)
    except BadValue:
        return None


def with_parameter(project: Project, material_id: str, parameter: Parameter) -> Project:
    """The project with a parameter of a material changed, perhaps in kind: instances' values follow where lossless.

    A value that cannot follow stays aside in its instance as it was, and counts again if the kind comes back.
    """
    material = project.materials.get(material_id)
    old = material.parameter(parameter.id) if material else None
    if material is None or old is None:
        raise BadEdit("that parameter is gone")
    default = (
        converted_value(parameter.default, old, parameter) if old.kind is not parameter.kind else parameter.default
    )
    if default is None:
        raise BadEdit(
            f"{old.label}’s default cannot be a {parameter.kind.words} without loss; set another default first"
        )
    new = changed(parameter, default=held(parameter, default))
    check_parameter(material, new)
    listed = tuple(new if p.id == new.id else p for p in material.parameters)
    project = put_material(project, changed(material, parameters=listed))
    if old.kind is new.kind:
        return project
    instances = dict(project.instances)
    for instance in descendants(project, material.id):
        value = instance.values.get(new.id)
        follows = converted_value(value, old, new) if value is not None and fits(old, value) else None
        if follows is not None:
            instances[instance.id] = changed(instance, values={**instance.values, new.id: follows})
    return changed(project, instances=instances)


def descendants(project: Project, parent_id: str) -> Iterable[Instance]:
    """Every instance below a material or instance, parents before their children."""
    waiting, seen = list(reversed(children(project, parent_id))), {parent_id}
    while waiting:
        child = waiting.pop()
        if child.id not in seen:
            seen.add(child.id)
            yield child
            waiting += reversed(children(project, child.id))


def looks_of(project: Project, material_id: str, chosen: Collection[str] | None = None) -> list[str]:
    """The id of a material and those of its instances, parents first; `chosen`: which of these alone, None is all."""
    below = (each.id for each in descendants(project, material_id))
    return [material_id, *(each for each in below if chosen is None or each in chosen)]


def new_instance(project: Project, parent: str) -> Instance:
    """A fresh instance of a parent, named after it."""
    named = project.materials.get(parent) or project.instances[parent]
    taken = {i.name for i in project.instances.values()}
    return Instance(id=new_id("instance"), name=first_numbered(named.name, taken), parent=parent)
