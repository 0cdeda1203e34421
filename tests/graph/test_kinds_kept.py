"""The kinds of a graph's outputs after an edit are those of the whole graph asked anew, however they are found."""

from __future__ import annotations

import random

import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.errors import LanternError
from soft_lantern.graph import kinds
from soft_lantern.graph.document import Material, Node, changed, port_ref
from soft_lantern.graph.edits import add_node, choose_setting, connect, disconnect, remove_nodes
from soft_lantern.graph.kinds import output_kinds, type_of

MATERIALS = demo_project().materials


def one_edit(material: Material, chance: random.Random) -> Material:
    """A random edit, such as hands make; the same material where it is refused."""
    node_ids = sorted(material.nodes)
    node_id = chance.choice(node_ids)
    node_type = type_of(material, material.nodes[node_id])
    try:
        match chance.randrange(6):
            case 0 | 1 if node_type and node_type.inputs:
                out = chance.choice(sorted(output_kinds(material)))
                return connect(material, out, port_ref(node_id, chance.choice(node_type.inputs).name))
            case 2 if material.wires:
                return disconnect(material, chance.choice(sorted(material.wires)))
            case 3 if node_type and node_type.settings and node_type.settings[0].choices:
                setting = node_type.settings[0]
                return choose_setting(material, node_id, setting.name, chance.choice(setting.choices))
            case 4:
                added = Node(type=chance.choice(["mix", "add", "separate", "colour", "clamp"]))
                return add_node(material, f"added_{chance.random()}".replace(".", "_"), added)
            case 5 if len(node_ids) > 4:
                return remove_nodes(material, {node_id})
    except LanternError:
        pass
    return material


@pytest.mark.parametrize("key", ["height_ramp", "mossy_urn", "kettle_metal", "moth_sprite", "graded_nectar"])
def test_what_is_kept_of_a_graph_is_what_the_whole_of_it_says(key: str) -> None:
    chance = random.Random(key)
    material, edits, kept = MATERIALS[key], 0, 0
    before = output_kinds(material)
    for _ in range(300):
        after = one_edit(material, chance)
        if after is material:
            continue
        found = output_kinds(after)
        assert found == kinds._all_kinds(after)
        edits, kept = edits + 1, kept + (found is before)
        material, before = after, found
    assert edits > 60 and 5 < kept < edits  # both ways were taken


def test_a_node_that_becomes_another_type_under_its_name_is_seen() -> None:
    material = MATERIALS["height_ramp"]
    output_kinds(material)
    (mix,) = (i for i, node in material.nodes.items() if node.type == "mix")
    other = changed(material, nodes={**material.nodes, mix: Node(type="separate")})
    assert output_kinds(other) == kinds._all_kinds(other) != output_kinds(material)
