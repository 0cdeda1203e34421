"""Every recipe: the effects, and one for every mask."""

from __future__ import annotations

import functools

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import node_and_port, port_ref
from soft_lantern.graph.recipes import effects
from soft_lantern.graph.recipes.recipe import RECIPES, Recipe
from soft_lantern.graph.unfold import unfold
from soft_lantern.nodes import LIBRARY, NodeType

__all__ = ["RECIPES", "effects", "every_recipe"]


def every_recipe() -> list[Recipe]:
    """The recipes, and one for every mask that unfolds into plain nodes."""
    return [*RECIPES, *_masks()]


@functools.cache
def _masks() -> tuple[Recipe, ...]:
    return tuple(_unfolded(t) for t in LIBRARY.values() if t.family == "masks")


def _unfolded(node_type: NodeType) -> Recipe:
    def body(m: Authoring) -> Wire:
        made = m.add(node_type.key)
        held = [m.add("elbow", value=getattr(made, port.name)) for port in node_type.outputs]
        m.material = unfold(m.material, made.node_id)
        node_id, port = node_and_port(m.material.wires[port_ref(held[0].node_id, "value")])
        for elbow in held:
            m.remove(elbow)
        return Wire(m, node_id, port)

    sets = effects.BLENDS if node_type.key == "depth_mask" else {}
    title = f"{node_type.title} from parts"
    return Recipe(title, ("unfolded", *node_type.also), node_type.summary, body, sets=sets)
