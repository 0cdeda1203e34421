"""Instances made for what objects and their parts wear."""

from __future__ import annotations

from collections.abc import Iterable

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Project, StageObject, changed
from soft_lantern.graph.instances.family import new_instance
from soft_lantern.graph.instances.picks import with_worn, worn
from soft_lantern.graph.instances.values import put_instance
from soft_lantern.graph.scenes import edited_scene
from soft_lantern.values.words import free_name


def instance_on(project: Project, scene_id: str, object_id: str, part: str, otherwise: str = "") -> Project:
    """The project with a new instance on a part of an object, "" for the whole: a child of what is worn there.

    `otherwise`: the parent where nothing is worn. Raises BadEdit where there is neither, or the object is gone.
    """
    thing = _thing(project, scene_id, object_id)
    parent = worn(project, thing, part) or otherwise
    if parent not in project.instances and parent not in project.materials:
        raise BadEdit(f"{thing.name} wears nothing there; drop a look on it first")
    made = new_instance(project, parent)
    taken = {instance.name for instance in project.instances.values()}
    wanted = f"{thing.name} {part}".strip()
    name = free_name(wanted, taken)
    project = put_instance(project, changed(made, name=name))
    return edited_scene(project, scene_id, lambda scene: with_worn(scene, object_id, part, made.id))


def instance_per_part(
    project: Project, scene_id: str, object_id: str, parts: Iterable[str], otherwise: str = ""
) -> Project:
    """The project with an instance of its own on each of an object's parts."""
    listed = list(parts) or [""]
    for part in listed:
        project = instance_on(project, scene_id, object_id, part, otherwise)
    return project


def _thing(project: Project, scene_id: str, object_id: str) -> StageObject:
    scene = project.scenes.get(scene_id)
    thing = scene.object(object_id) if scene else None
    if thing is None:
        raise BadEdit("that object is gone")
    return thing
