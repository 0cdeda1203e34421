"""Every record of a project that people choose, found by words wherever it stands, and what uses it."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from soft_lantern.graph.document import Material, Project
from soft_lantern.graph.kinds import label_of

KINDS = {
    "materials": "material",
    "instances": "instance",
    "picks": "pick",
    "snippets": "snippet",
    "textures": "texture",
    "gradients": "gradient",
    "palettes": "palette",
    "assets": "asset",
    "scenes": "scene",
}
"""The fields of a project that hold records people choose, and what one of those is called."""


class Place(Struct, frozen=True):
    """A record, or something within it: `what` it is, the `record` it stands in, and the part of that, "" for itself.

    `part` is the id of a node of a graph, of a parameter or of an object of a scene, as `what` says.
    """

    what: str
    record: str
    name: str
    part: str = ""
    within: str = ""

    @property
    def words(self) -> str:
        """The place as a line for people."""
        return f"{self.name} · {self.what}" + (f" in {self.within}" if self.within else "")

    @property
    def home(self) -> str:
        """The name of the record."""
        return self.within or self.name


def records(project: Project) -> list[Place]:
    """The records of every kind, by kind and name."""
    return [
        Place(what, record.id, record.name)
        for field, what in KINDS.items()
        for record in sorted(getattr(project, field).values(), key=lambda each: each.name.lower())
    ]


def places(project: Project) -> Iterator[Place]:
    """All there is to find: records, and the nodes and parameters of graphs and the objects of scenes after them."""
    yield from records(project)
    for graph in (*project.materials.values(), *project.snippets.values()):
        for parameter in graph.parameters:
            yield Place("parameter", graph.id, parameter.label, parameter.id, graph.name)
        for node_id, node in graph.nodes.items():
            yield Place("node", graph.id, node.name or label_of(graph, node), node_id, graph.name)
    for scene in project.scenes.values():
        for thing in scene.objects:
            yield Place("object", scene.id, thing.name, thing.id, scene.name)


def found(project: Project, text: str) -> list[Place]:
    """The places in whose line every word of a text stands: whose name begins with it, then holds it, then the rest."""
    words, start = text.lower().split(), text.strip().lower()
    hits = [each for each in places(project) if all(word in each.words.lower() for word in words)]

    def rank(place: Place) -> tuple[bool, bool]:
        name = place.name.lower()
        return not name.startswith(start), not all(word in name for word in words)

    return sorted(hits, key=rank)


def users(project: Project, record_id: str) -> list[Place]:
    """Where a record is used: graphs by the node or parameter, looks, palettes, and scenes by the object."""
    found: list[Place] = []
    for graph in (*project.materials.values(), *project.snippets.values()):
        found += _in_graph(graph, record_id)
    for instance in project.instances.values():
        if record_id == instance.parent or record_id in instance.values.values():
            found.append(Place("instance", instance.id, instance.name))
    for pick in project.picks.values():
        if record_id in pick.looks:
            found.append(Place("pick", pick.id, pick.name))
    for texture in project.textures.values():
        if texture.indexes == record_id:
            found.append(Place("texture", texture.id, texture.name))
    for palette in project.palettes.values():
        if palette.swaps == record_id:
            found.append(Place("palette", palette.id, palette.name))
    for scene in project.scenes.values():
        for thing in scene.objects:
            if record_id in (thing.asset, *thing.wears.values(), *thing.cut_outs.values()):
                found.append(Place("object", scene.id, thing.name, thing.id, scene.name))
    return found


def _in_graph(graph: Material, record_id: str) -> Iterator[Place]:
    for parameter in graph.parameters:
        held = (preset.values.get(parameter.id) for preset in graph.presets)
        if record_id in (parameter.default, *held):
            yield Place("parameter", graph.id, parameter.label, parameter.id, graph.name)
    for node_id, node in graph.nodes.items():
        if record_id in node.values.values() or node.settings.get("snippet") == record_id:
            yield Place("node", graph.id, node.name or label_of(graph, node), node_id, graph.name)
