"""Edits of scenes and the objects in them: pure functions from a project or scene to the next."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Collection, Mapping, Sequence

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import (
    Asset,
    Bookmark,
    LightGroup,
    LightRole,
    Project,
    Scene,
    StageObject,
    Vector,
    View,
    changed,
    new_id,
    with_records,
)
from soft_lantern.values.words import first_numbered, free_name


def edited_scene(project: Project, scene_id: str, edit: Callable[[Scene], Scene]) -> Project:
    """The project with one scene edited. Raises BadEdit where it is gone."""
    scene = project.scenes.get(scene_id)
    if scene is None:
        raise BadEdit("that scene is gone")
    after = edit(scene)
    return project if after is scene else with_records(project, after)


def new_scene(project: Project) -> Scene:
    """An empty scene with a name of its own."""
    taken = {scene.name for scene in project.scenes.values()}
    return Scene(id=new_id("scene"), name=first_numbered("Scene", taken))


def added_object(project: Project, scene_id: str, asset: Asset, wears: Mapping[str, str], object_id: str) -> Project:
    """The project with an asset standing in a scene as a new object. Raises BadEdit where the scene is gone."""
    thing = StageObject(id=object_id, name=asset.name, asset=asset.id, wears=dict(wears))
    after = edited_scene(project, scene_id, lambda scene: changed(scene, objects=(*scene.objects, thing)))
    return after if asset.id in after.assets else with_records(after, asset)


def changed_object(scene: Scene, object_id: str, fields: Mapping[str, object]) -> Scene:
    """The scene with some fields of an object replaced. Raises BadEdit where it is gone."""
    _there(scene, object_id)
    return changed(scene, objects=tuple(changed(o, **fields) if o.id == object_id else o for o in scene.objects))


def scattered(
    scene: Scene, object_id: str, copy_ids: Sequence[str], *, radius: float, seed: int, turned: bool = True
) -> Scene:
    """The scene with copies of an object strewn on the level it stands on, within a radius in metres round it.

    Each stands where, of several places by chance, it is farthest from the others; `turned`: about Y by chance as well.
    The same seed gives the same places. Raises BadEdit where the object is gone.
    """
    thing, chance = _there(scene, object_id), random.Random(seed)
    x, y, z = thing.position
    taken, names, copies = [(x, z)], {each.name for each in scene.objects}, []
    for copy_id in copy_ids:
        places = []
        for _ in range(_CANDIDATES):
            far, way = radius * math.sqrt(chance.random()), chance.uniform(0.0, math.tau)
            places.append((x + far * math.cos(way), z + far * math.sin(way)))
        at = max(places, key=lambda place: min(math.dist(place, other) for other in taken))
        pitch, yaw, roll = thing.rotation
        yaw = chance.uniform(0.0, 360.0) if turned else yaw
        name = numbered(thing.name, names)
        copies.append(changed(thing, id=copy_id, name=name, position=(at[0], y, at[1]), rotation=(pitch, yaw, roll)))
        taken.append(at)
        names.add(name)
    return changed(scene, objects=(*scene.objects, *copies))


_CANDIDATES = 8
"""Places of which a strewn copy gets the loneliest: Mitchell's best candidate (1991)."""


def own_copy(project: Project, scene_id: str, copy_id: str) -> Project:
    """The project with a designer's own copy of a scene. Raises BadEdit where that is gone."""
    scene = project.scenes.get(scene_id)
    if scene is None:
        raise BadEdit("that scene is gone")
    name = free_name(f"{scene.name} (mine)", {each.name for each in project.scenes.values()})
    return with_records(project, changed(scene, id=copy_id, name=name, own=True))


def numbered(name: str, taken: Collection[str]) -> str:
    """The next free name of the kind: "Mushroom 6" after "Mushroom 5"."""
    stem = name.rstrip("0123456789").rstrip() or name
    endings = [each[len(stem) :].strip() for each in taken if each.startswith(stem)]
    used = [int(digits) for digits in endings if digits.isdecimal()]
    return f"{stem} {max([1, *used]) + 1}"


def light_role(thing: StageObject, part: str) -> LightRole:
    """How a part of an object is meant to take part when light is baked."""
    return thing.light.get(part) or thing.light.get("") or LightRole()


def with_light_role(scene: Scene, object_id: str, part: str, fields: Mapping[str, object]) -> Scene:
    """The scene with a part taking part otherwise: fields of `LightRole`. Raises BadEdit where the object is gone."""
    thing = _there(scene, object_id)
    light = {**thing.light, part: changed(light_role(thing, part), **fields)}
    return changed_object(scene, object_id, {"light": light})


def with_bake(scene: Scene, **fields: object) -> Scene:
    """The scene with its light baked otherwise: fields of `LightBake`."""
    return changed(scene, baked=changed(scene.baked, **fields))


def with_group(scene: Scene, name: str, colour: Vector, strength: float) -> Scene:
    """The scene with the light of a group tuned."""
    tuned = LightGroup(colour=colour, strength=strength)
    return with_bake(scene, groups={**scene.baked.groups, name: tuned})


def with_bookmark(scene: Scene, view: View) -> Scene:
    """The scene with a view kept under the next free name."""
    taken = {each.name for each in scene.bookmarks}
    return changed(scene, bookmarks=(*scene.bookmarks, Bookmark(name=first_numbered("View", taken), view=view)))


def without_bookmark(scene: Scene, name: str) -> Scene:
    """The scene without a kept view."""
    return changed(scene, bookmarks=tuple(mark for mark in scene.bookmarks if mark.name != name))


def _there(scene: Scene, object_id: str) -> StageObject:
    thing = scene.object(object_id)
    if thing is None:
        raise BadEdit("that object is gone")
    return thing
