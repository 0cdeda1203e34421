"""Edits that place several objects of a scene at once: pure functions from a scene to the next. Metres, degrees."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Literal

from soft_lantern.graph.document import Scene, StageObject, Vector, changed
from soft_lantern.graph.scenes import numbered
from soft_lantern.scene.mesh import Matrix

Box = tuple[Matrix, Matrix]
"""The lowest and highest corner of an object in the world, (3,) each."""
Side = Literal["lowest", "middle", "highest"]
SIDES: tuple[Side, ...] = ("lowest", "middle", "highest")
AXES = "xyz"


def without_objects(scene: Scene, ids: Collection[str]) -> Scene:
    """The scene without some objects."""
    return changed(scene, objects=tuple(each for each in scene.objects if each.id not in ids))


def in_row(scene: Scene, ids: Sequence[str], copy_ids: Sequence[str], step: Vector) -> Scene:
    """The scene with copies of some objects, each set of them a step from the one before; so many as there are ids.

    `copy_ids`: for the first set in the order of the objects, then for the next.
    """
    originals, names = _of(scene, ids), {each.name for each in scene.objects}
    copies = []
    for number, copy_id in enumerate(copy_ids[: len(copy_ids) // max(len(originals), 1) * len(originals)]):
        thing, away = originals[number % len(originals)], number // len(originals) + 1
        name = numbered(thing.name, names)
        names.add(name)
        copies.append(changed(thing, id=copy_id, name=name, position=_plus(thing.position, step, away)))
    return changed(scene, objects=(*scene.objects, *copies))


def on_floor(scene: Scene, boxes: Mapping[str, Box], floor: float = 0.0) -> Scene:
    """The scene with each object that has a box standing on the floor, at a height in metres."""
    return _moved(scene, {each: (0.0, floor - float(low[1]), 0.0) for each, (low, _) in boxes.items()})


def aligned(scene: Scene, boxes: Mapping[str, Box], to: str, axis: str, side: Side) -> Scene:
    """The scene with each object that has a box moved along an axis until a side of it is where that of one is."""
    number, wanted = AXES.index(axis), SIDES.index(side) / 2

    def at(box: Box) -> float:
        return float(box[0][number] * (1 - wanted) + box[1][number] * wanted)

    ways = {}
    for each, box in boxes.items():
        way = [0.0, 0.0, 0.0]
        way[number] = at(boxes[to]) - at(box)
        ways[each] = (way[0], way[1], way[2])
    return _moved(scene, ways)


def placed_together(scene: Scene, first: str, others: Collection[str], field: str, value: Vector) -> Scene:
    """The scene with an object's position, rotation or scale set, and others moved, turned or scaled by as much.

    Each is turned and scaled about its own origin.
    """
    thing = scene.object(first)
    if thing is None:
        return scene
    before: Vector = getattr(thing, field)

    def of(other: StageObject) -> Vector:
        own: Vector = getattr(other, field)
        if field == "position":
            return _plus(own, (value[0] - before[0], value[1] - before[1], value[2] - before[2]))
        if field == "scale":
            x, y, z = (a * (b / c if c else 1.0) for a, b, c in zip(own, value, before, strict=True))
            return (x, y, z)
        from scipy.spatial.transform import Rotation  # slow to import, and only wanted here

        now, was, its = (Rotation.from_euler("xyz", each, degrees=True) for each in (value, before, own))
        x, y, z = (float(part) for part in (now * was.inv() * its).as_euler("xyz", degrees=True).round(3))
        return (x, y, z)

    def place(each: StageObject) -> StageObject:
        if each.id == first:
            return changed(each, **{field: value})
        return changed(each, **{field: of(each)}) if each.id in others else each

    return changed(scene, objects=tuple(place(each) for each in scene.objects))


def grouped(scene: Scene, ids: Collection[str], group: str) -> Scene:
    """The scene with some objects in a group by its name; "" takes them out of theirs."""
    return changed(scene, objects=tuple(changed(o, group=group) if o.id in ids else o for o in scene.objects))


def put_before(scene: Scene, ids: Collection[str], before: str, group: str) -> Scene:
    """The scene with some objects in a group, listed before another object; "" lists them last."""
    moved = [changed(each, group=group) for each in scene.objects if each.id in ids]
    rest = [each for each in scene.objects if each.id not in ids]
    at = next((n for n, each in enumerate(rest) if each.id == before), len(rest))
    return changed(scene, objects=(*rest[:at], *moved, *rest[at:]))


def _of(scene: Scene, ids: Collection[str]) -> list[StageObject]:
    return [each for each in scene.objects if each.id in ids]


def _moved(scene: Scene, ways: Mapping[str, Vector]) -> Scene:
    """The scene with objects moved by so many metres."""
    still = (0.0, 0.0, 0.0)
    placed = (
        changed(o, position=_plus(o.position, ways[o.id])) if ways.get(o.id, still) != still else o
        for o in scene.objects
    )
    return changed(scene, objects=tuple(placed))


def _plus(point: Vector, way: Vector, times: float = 1.0) -> Vector:
    x, y, z = (round(a + b * times, 6) for a, b in zip(point, way, strict=True))
    return (x, y, z)
