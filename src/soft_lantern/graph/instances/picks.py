"""What an object wears: looks named outright, and picks that give each object one of several by chance."""

from __future__ import annotations

import math
import zlib
from collections import Counter
from collections.abc import Collection, Iterator
from itertools import accumulate

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import Pick, Project, Scene, StageObject, changed, new_id
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.instances.look_tree import look_choices
from soft_lantern.graph.instances.values import ancestry, look
from soft_lantern.values.words import first_numbered


def picked(pick: Pick, object_id: str) -> str:
    """The look that an object gets of a pick by its own chance, always the same for the same seed; "" of none."""
    weights = shares(pick)
    if not any(weights):
        return ""
    chance = _chance(pick, object_id)
    if len(set(weights)) == 1:
        return pick.looks[chance % len(pick.looks)]
    at = chance / 2**32 * sum(weights)
    place = next((n for n, reached in enumerate(accumulate(weights)) if at < reached), len(weights) - 1)
    return pick.looks[place]


def shares(pick: Pick) -> tuple[float, ...]:
    """The weight of each look of a pick, in their order: finite and not below 0, and 1 for each where all are 0."""
    given = (*pick.weights, *[1.0] * len(pick.looks))[: len(pick.looks)]
    sound = tuple(max(w, 0.0) if math.isfinite(w) else 0.0 for w in given)
    return sound if any(sound) else (1.0,) * len(sound)


def dealt(pick: Pick, object_ids: Collection[str]) -> dict[str, str]:
    """The look that each of several objects gets, as often as the weights say, to the whole object.

    Shares are rounded by largest remainder; who gets which follows from each object's own chance, so that an object
    more or fewer changes few of the others.
    """
    weights = shares(pick)
    if not weights:
        return dict.fromkeys(object_ids, "")
    wanted = [len(object_ids) * weight / sum(weights) for weight in weights]
    counts = [int(each) for each in wanted]
    by_rest = sorted(range(len(weights)), key=lambda n: (counts[n] - wanted[n], n))
    for place in by_rest[: len(object_ids) - sum(counts)]:
        counts[place] += 1
    deck = [look for look, count in zip(pick.looks, counts, strict=True) for _ in range(count)]
    return dict(zip(sorted(object_ids, key=lambda each: (_chance(pick, each), each)), deck, strict=True))


def worn(project: Project, thing: StageObject, part: str = "") -> str:
    """The id of the look that a part of an object wears, "" where it wears nothing."""
    named = thing.wears.get(part, thing.wears.get("", ""))
    pick = project.picks.get(named)
    if pick is None:
        return named
    if pick.even:
        scene = next((s for s in project.scenes.values() if s.object(thing.id)), None)
        if scene:
            return _dealt_in(scene).get(pick).get(thing.id) or picked(pick, thing.id)
    return picked(pick, thing.id)


class _Dealt:
    """What the objects of one scene get of picks that spread evenly."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.known: dict[str, tuple[Pick, dict[str, str]]] = {}

    def get(self, pick: Pick) -> dict[str, str]:
        """The look of each object of the scene that wears a pick, by the object's id."""
        before = self.known.get(pick.id)
        if before is None or before[0] is not pick:
            wearing = [thing.id for thing in self.scene.objects if pick.id in thing.wears.values()]
            before = self.known[pick.id] = pick, dealt(pick, wearing)
        return before[1]


_dealt_in = by_identity(8)(_Dealt)


def _chance(pick: Pick, object_id: str) -> int:
    return zlib.crc32(f"{pick.seed}:{object_id}".encode())


def worn_looks(project: Project, thing: StageObject) -> list[str]:
    """Every look that an object wears, part by part as it names them."""
    return [worn(project, thing, part) for part in thing.wears]


def wearers(project: Project, scene: Scene, look_ids: set[str]) -> Iterator[tuple[StageObject, str]]:
    """The objects of a scene and their parts, "" for all others, that wear one of some looks, picks included."""
    for thing in scene.objects:
        for part in thing.wears:
            if worn(project, thing, part) in look_ids:
                yield thing, part


def ramps_worn(project: Project, scene: Scene) -> list[str]:
    """The ids of the gradients and palettes that what is worn in a scene reads, gradients first."""
    read = _read_by_worn(project, scene)
    return [*(i for i in read if i in project.gradients), *(i for i in read if i in project.palettes)]


def files_shown(project: Project, scene: Scene) -> set[str]:
    """The ids of the assets that stand in a scene, and of the textures that what is worn there reads."""
    read = _read_by_worn(project, scene)
    return {thing.asset for thing in scene.objects} | {each for each in read if each in project.textures}


def _read_by_worn(project: Project, scene: Scene) -> dict[str, None]:
    """The texts among the values of what is worn: ids of what it reads."""
    found: dict[str, None] = {}
    for thing in scene.objects:
        for look_id in worn_looks(project, thing):
            whole = look(project, look_id)
            if whole:
                typed = [value for node in whole.material.nodes.values() for value in node.values.values()]
                defaults = [whole.values.get(p.id, p.default) for p in whole.material.parameters]
                found |= dict.fromkeys(str(value) for value in (*typed, *defaults) if isinstance(value, str))
    return found


def new_pick(project: Project, looks: tuple[str, ...]) -> Pick:
    """A pick of some looks with a name of its own."""
    taken = {pick.name for pick in project.picks.values()}
    return Pick(id=new_id("pick"), name=first_numbered("Pick", taken), looks=looks)


def with_looks(pick: Pick, look_ids: Collection[str]) -> Pick:
    """The pick with more looks at its end, none of them twice."""
    return changed(pick, looks=(*pick.looks, *(each for each in dict.fromkeys(look_ids) if each not in pick.looks)))


def without_look(pick: Pick, place: int) -> Pick:
    """The pick without the look at a place, the others as often beside one another as before."""
    looks, weights = list(pick.looks), list(pick.weights)
    del looks[place]
    del weights[place : place + 1]
    return changed(pick, looks=tuple(looks), weights=tuple(weights))


def with_weight(pick: Pick, place: int, weight: float) -> Pick:
    """The pick with the look at a place so often beside the others. Raises BadValue below 0."""
    if not (math.isfinite(weight) and weight >= 0):
        raise BadValue("a weight is 0 or more")
    weights = [*pick.weights, *[1.0] * len(pick.looks)][: len(pick.looks)]
    weights[place] = weight
    return changed(pick, weights=tuple(weights) if set(weights) != {1.0} else ())


def family_of(project: Project, pick: Pick) -> str:
    """The id of the one material whose looks a pick holds, "" where they are of several or none."""
    materials = {material.id for each in pick.looks if (material := ancestry(project, each)[1])}
    return materials.pop() if len(materials) == 1 else ""


def put_pick(project: Project, pick: Pick) -> Project:
    """The project with a pick added or replaced. Raises BadEdit where it holds a look that is not there."""
    for look_id in pick.looks:
        if look_id not in project.instances and look_id not in project.materials:
            raise BadEdit(f"{pick.name} cannot hold “{look_id}”, which is gone")
    return changed(project, picks={**project.picks, pick.id: pick})


LIKE_THE_OBJECT = "="
"""What a part wears that has nothing of its own."""
AS_WHOLE, NOTHING = "as the whole object", "plain grey"
"""What that, and wearing nothing, are called."""


def with_worn(scene: Scene, object_id: str, part: str, look_id: str) -> Scene:
    """The scene with a part of an object, "" for the whole, wearing a look or pick.

    "" undresses it down to plain grey; LIKE_THE_OBJECT lets a part wear what the whole object does.
    """

    def clad(thing: StageObject) -> StageObject:
        kept = {name: each for name, each in thing.wears.items() if name != part}
        bare = look_id == LIKE_THE_OBJECT or not (look_id or part)
        return changed(thing, wears=kept if bare else kept | {part: look_id})

    return changed(scene, objects=tuple(clad(o) if o.id == object_id else o for o in scene.objects))


def all_wear(scene: Scene, ids: Collection[str], look_id: str) -> Scene:
    """The scene with some objects wearing a look or pick in all their parts; "" undresses them."""
    worn = {"": look_id} if look_id else {}
    return changed(scene, objects=tuple(changed(o, wears=worn) if o.id in ids else o for o in scene.objects))


def wearables(project: Project) -> list[tuple[str, str]]:
    """All that an object can wear by id, with its name: looks, then picks."""
    picks = sorted(project.picks.values(), key=lambda pick: pick.name.lower())
    return [*look_choices(project), *((pick.id, f"{pick.name} (pick)") for pick in picks)]


def worn_materials(project: Project, scene_id: str) -> Counter[str]:
    """How many objects and parts of a scene wear each material, by its id."""
    scene = project.scenes.get(scene_id)
    looks = [look_id for thing in (scene.objects if scene else ()) for look_id in worn_looks(project, thing)]
    worn = [ancestry(project, look_id)[1] for look_id in looks]
    return Counter(material.id for material in worn if material)


def most_worn(project: Project, scene_id: str) -> str:
    """The id of the material that most objects and parts of a scene wear, or the first; "" where there is none."""
    counts = worn_materials(project, scene_id)
    return max(sorted(project.materials), key=lambda i: counts[i], default="")


def wearing(project: Project, scene: Scene, from_id: str, to_id: str) -> Project:
    """The project where what wears one look in a scene wears another instead.

    Where nothing wears the first, or "" is given, what wears a look of the other's material does, and where there is
    none of that either, everything.
    """
    scene = project.scenes.get(scene.id, scene)
    _, material = ancestry(project, to_id)
    everything = {w for o in scene.objects for w in worn_looks(project, o)}
    family = {from_id} & everything or {w for w in everything if ancestry(project, w)[1] is material}

    def instead(look_id: str) -> str:
        return to_id if look_id in family or not family else look_id

    objects = tuple(
        changed(o, wears={part: instead(worn(project, o, part)) for part in (o.wears or {"": ""})})
        for o in scene.objects
    )
    return changed(project, scenes={**project.scenes, scene.id: changed(scene, objects=objects)})


def wears_family_of(project: Project, scene: Scene, look_id: str) -> bool:
    """Whether anything in a scene wears a look of the same material as a look."""
    _, material = ancestry(project, look_id)
    return any(ancestry(project, w)[1] is material for o in scene.objects for w in worn_looks(project, o))
