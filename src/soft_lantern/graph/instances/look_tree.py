"""Who stands where among a project's looks, apart from their values: worked out anew only when that is another.

Tuning makes a new project at every step of a hand, in which one instance holds another value; thousands of others, and
what they are called, stay as they are. Views hold on to a `Shape` and compare it by identity.
"""

from __future__ import annotations

import operator
from collections.abc import Mapping
from typing import Any

from msgspec import Struct

from soft_lantern.graph.document import Instance, Material, Pick, Project
from soft_lantern.graph.identity import by_identity, differing


class Shape(Struct, frozen=True, eq=False):
    """`children`: the instances below each look, by name. `looks`: every look with its name, families together."""

    children: Mapping[str, tuple[str, ...]]
    looks: tuple[tuple[str, str], ...]


_last: list[tuple[Project, Shape]] = []


@by_identity(16)
def look_tree_of(project: Project) -> Shape:
    """The shape of a project: the same object as the last one's as long as nothing of it differs."""
    shape = _last[0][1] if _last and _same(_last[0][0], project) else _worked_out(project)
    _last[:] = [(project, shape)]
    return shape


def _same(one: Project, other: Project) -> bool:
    return (
        _alike(one.instances, other.instances, _standing)
        and _alike(one.materials, other.materials, _name)
        and _alike(one.picks, other.picks, _holding)
    )


def _alike(one: Mapping[str, Any], other: Mapping[str, Any], told: Any) -> bool:
    """Whether two mappings have the same keys in the same order, with records that tell the same."""
    if one is other:
        return True
    if len(one) != len(other) or not (all(map(operator.is_, one, other)) or list(one) == list(other)):
        return False
    return all(told(one[key]) == told(other[key]) for key in differing(one, other))


def _name(record: Any) -> str:
    return str(record.name)


def _holding(pick: Pick) -> tuple[object, ...]:
    return (pick.name, pick.looks)


def _standing(i: Instance) -> tuple[object, ...]:
    return (i.name, i.parent, i.folder, i.tags, i.favourite, i.locks)


def _worked_out(project: Project) -> Shape:
    below: dict[str, list[Instance]] = {}
    for instance in project.instances.values():
        below.setdefault(instance.parent, []).append(instance)
    for siblings in below.values():
        siblings.sort(key=_in_order)
    looks: list[tuple[str, str]] = []

    waiting: list[Material | Instance] = sorted(project.materials.values(), key=_in_order, reverse=True)
    while waiting:
        look = waiting.pop()
        looks.append((look.id, look.name))
        waiting += reversed(below.get(look.id, ()))
    return Shape({parent: tuple(i.id for i in siblings) for parent, siblings in below.items()}, tuple(looks))


def _in_order(look: Material | Instance) -> str:
    return look.name.lower()


def look_choices(project: Project) -> tuple[tuple[str, str], ...]:
    """Every material and instance by id, with a name to choose it by; instances stand under their material."""
    return look_tree_of(project).looks
