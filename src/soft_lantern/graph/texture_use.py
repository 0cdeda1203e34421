"""What a texture is read for: its colours, or its numbers as they are. Follows from where its texels go."""

from __future__ import annotations

import functools
from collections.abc import Iterator

from soft_lantern.graph.document import Material, Project, changed, node_and_port, port_ref, with_records
from soft_lantern.graph.identity import by_identity, differing
from soft_lantern.graph.kinds import type_of
from soft_lantern.nodes import LIBRARY, Role
from soft_lantern.values.kinds import Kind

DATA, COLOUR = "data", "colour"
_PASSES = ("channels", "flow")
"""Families of nodes that hand on what they are given, apart or joined."""


@by_identity(64)
def uses(graph: Material) -> dict[str, set[str]]:
    """By texture id, what a graph wants of it: DATA, COLOUR or both; nothing where its texels go nowhere.

    Not to be changed: the same one for the same graph.
    """
    found: dict[str, set[str]] = {}
    read = [*_read(graph)]
    readers: dict[str, list[str]] = {}
    for into, out in graph.wires.items() if read else ():
        readers.setdefault(out, []).append(into)
    for node_id, texture_id, is_data in read:
        wants = found.setdefault(texture_id, set())
        if is_data:
            wants.add(DATA)
        else:
            wants |= _wanted(graph, node_id, readers)
    return found


def settled(before: Project, after: Project, graph_id: str) -> Project:
    """`after` an edit of a graph, with each texture that is now read for another purpose decoded for that one.

    A texture that another graph reads for the opposite stays as it was: a notice says so.
    """
    old, new = before.graph(graph_id), after.graph(graph_id)
    if old is None or new is None or _same_reading(old, new):
        return after
    wanted_before, wanted = uses(old), uses(new)
    changes = {t: next(iter(w)) for t, w in wanted.items() if len(w) == 1 and w != wanted_before.get(t)}
    for texture_id, encoding in changes.items():
        texture = after.textures.get(texture_id)
        others = [g for g in (*after.materials.values(), *after.snippets.values()) if g.id != graph_id]
        agreed = all(uses(graph).get(texture_id, set()) <= {encoding} for graph in others)
        if texture and texture.encoding != encoding and agreed:
            after = with_records(after, changed(texture, encoding=encoding))
    return after


def _same_reading(old: Material, new: Material) -> bool:
    """Whether an edit surely leaves alone what is read: found out without going through the whole graph."""
    if old.wires is not new.wires and old.wires != new.wires:
        return False
    if old.nodes is new.nodes:
        return True
    nodes = [
        graph.nodes[each] for each in differing(old.nodes, new.nodes) for graph in (old, new) if each in graph.nodes
    ]
    return not any(node.role is Role.CONSTANT or _may_read(node.type) for node in nodes)


@functools.cache
def _may_read(key: str) -> bool:
    """Whether nodes of a type may have an input for a texture, whatever their settings."""
    found = LIBRARY.get(key)
    return found is None or bool(found.texture_inputs or found.repeat or found.gives)


def _read(graph: Material) -> Iterator[tuple[str, str, bool]]:
    """Nodes that read a texture by an id typed on them or on a constant: their id, the texture's, whether as data."""
    for node_id, node in graph.nodes.items():
        node_type = type_of(graph, node) if _may_read(node.type) else None
        for port in node_type.texture_inputs if node_type else ():
            wired = graph.nodes.get(node_and_port(graph.wires.get(port_ref(node_id, port.name), ""))[0])
            if wired is not None and wired.role is not Role.CONSTANT:
                continue
            chosen = wired.values.get("value", "") if wired else node.values.get(port.name, "")
            if chosen and node.role is not Role.CONSTANT:
                yield node_id, str(chosen), port.carries.data


def _wanted(graph: Material, node_id: str, readers: dict[str, list[str]]) -> set[str]:
    """What the texels that a node gives are wanted as, by where they go."""
    found: set[str] = set()
    seen: set[str] = set()
    waiting = [node_id]
    while waiting:
        each = waiting.pop()
        node_type = type_of(graph, graph.nodes[each])
        if each in seen or node_type is None:
            continue
        seen.add(each)
        for output in node_type.outputs:
            for into in readers.get(port_ref(each, output.name), ()):
                reader_id, name = node_and_port(into)
                reader = type_of(graph, graph.nodes[reader_id]) if reader_id in graph.nodes else None
                port = reader.input(name) if reader else None
                if reader is None or port is None or (each == node_id and output.carries.kind is Kind.NUMBER):
                    continue  # alpha is never decoded
                if port.carries.data or port.carries.kind is Kind.NUMBER:
                    found.add(DATA)
                elif reader.family in _PASSES or port.carries.kind is None:
                    waiting.append(reader_id)
                else:
                    found.add(COLOUR if port.carries.kind is Kind.COLOUR else DATA)
    return found
