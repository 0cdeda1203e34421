"""Puts a recipe into a graph: joined to the surface, and to what is wired there already."""

from __future__ import annotations

from msgspec import Struct

from soft_lantern.graph.document import Material, Node, new_id, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import add_node, choose_setting, connect, paste, remove_nodes
from soft_lantern.graph.kinds import counting, known_type
from soft_lantern.graph.layout import SLIP_WIDTH, free_place, slip_height
from soft_lantern.graph.recipes.recipe import OFFSET, Recipe
from soft_lantern.nodes import Role

BESIDE = {"emissive": "add", "alpha": "multiply", OFFSET: "add"}
"""How a further end of a recipe joins what feeds its surface input already."""
_WORDS = {"add": "adds to", "multiply": "multiplies"}


class Joined(Struct, frozen=True):
    """A graph with a recipe in it: the ids of the new nodes, and in words what it did."""

    material: Material
    node_ids: list[str]
    words: str


def joined(material: Material, recipe: Recipe, at: tuple[float, float], into: str = "") -> Joined:
    """The graph with a recipe near a place; its main end goes into the input `into`, or where it is meant to.

    Raises what `connect` raises where `into` does not take it.
    """
    surface = counting(material, Role.SURFACE)
    target = into or _target(material, surface, recipe.into)
    piece = recipe.piece(over=bool(not into and target in material.wires))
    right = max(n.x for n in piece.material.nodes.values()) + SLIP_WIDTH
    bottom = max(n.y + slip_height(piece.material, n) for n in piece.material.nodes.values())
    material, ids = paste(material, piece.material, *free_place(material, at, (right, bottom)))
    renamed = dict(zip(piece.material.nodes, ids, strict=True))
    said: list[str] = []
    for number, (port, end) in enumerate(piece.ends.items()):
        node_id, name = node_and_port(end)
        out = port_ref(renamed[node_id], name)
        if into and number == 0:
            material = connect(material, out, into)
            continue
        if into:
            continue
        under = renamed.get(piece.under, "") if number == 0 else ""
        material = _end_joined(material, surface, port, out, under, said, recipe)
    if piece.under:
        material = remove_nodes(material, [renamed.pop(piece.under)])
    if surface and node_of(into or target) in ("", surface):
        material = _set(material, surface, recipe, said)
    words = ", ".join(said) or "stands by itself: wire it where you want it"
    words = f"{recipe.title} {words}"
    return Joined(material, [i for i in renamed.values() if i in material.nodes], words)


def effect(material: Material, recipe: Recipe) -> str:
    """What a recipe will do to a graph, in a line."""
    return joined(material, recipe, (0.0, 0.0)).words


def _target(material: Material, surface: str, port: str) -> str:
    if port == OFFSET:
        offset = counting(material, Role.OFFSET)
        return port_ref(offset, "offset") if offset else ""
    known = known_type(material, material.node(surface)) if surface else None
    if known and port == "base_colour" and known.input("base_colour") is None:
        port = "colour"  # of a surface without light
    return port_ref(surface, port) if known and known.input(port) else ""


def _end_joined(
    material: Material, surface: str, port: str, out: str, under: str, said: list[str], recipe: Recipe
) -> Material:
    """One end of a recipe at the surface input it is meant for; `under` stands for what feeds that already."""
    label = "the vertex offset" if port == OFFSET else port.replace("_", " ")
    if port == OFFSET and not counting(material, Role.OFFSET):
        node_id, beside = new_id("vertex_offset"), material.nodes.get(surface)
        x, y = (beside.x, beside.y - 140.0) if beside else (0.0, 0.0)
        material = add_node(material, node_id, Node(type="vertex_offset", x=x, y=y, settings={"space": "world"}))
    target = _target(material, surface, port)
    if not target:
        return material
    present = material.wires.get(target, "")
    if not present:
        said.append(f"feeds {label}")
        return connect(material, out, target)
    if under:
        for into, source in list(material.wires.items()):
            if node_of(source) == under:
                material = connect(material, present, into)
        said.append(f"{recipe.over} ({label})")
        return connect(material, out, target)
    how = BESIDE.get(port)
    if how is None:
        said.append(f"leaves {label} as it is wired")
        return material
    end = material.node(node_of(out))
    node_id = new_id(how)
    x, y = free_place(material, (end.x + 180.0, end.y), (SLIP_WIDTH, 130.0))
    material = add_node(material, node_id, Node(type=how, x=x, y=y))
    material = connect(material, present, port_ref(node_id, "a"))
    material = connect(material, out, port_ref(node_id, "b"))
    said.append(f"{_WORDS[how]} {label}")
    return connect(material, port_ref(node_id, "out"), target)


def _set(material: Material, surface: str, recipe: Recipe, said: list[str]) -> Material:
    """The surface with the settings a recipe needs."""
    known = known_type(material, material.node(surface))
    for name, choice in recipe.sets.items():
        if any(s.name == name for s in known.settings) and material.node(surface).settings.get(name) != choice:
            material = choose_setting(material, surface, name, choice)
            said.append(f"sets {name.replace('_', ' ')} to {choice}")
    return material
