"""Wires baked to textures: what they hold, how small they may be, and what the graph comes to with them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from soft_lantern.bake.wire_maps import LIMIT, hindered, least_map
from soft_lantern.errors import BadEdit
from soft_lantern.formats.images import new_texture
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.baked_wires import with_image
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir.cost import cost
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf


def waves(turns: float) -> Authoring:
    """A number that waves along u, made a roughness and, twice, a colour; a parameter beside it."""
    m = Authoring("Waves")
    u = m.add("texture_coordinates").into("separate_2").x
    wave = m.add("sine", angle=u * (turns * 2 * np.pi)) * 0.4 + 0.5
    colour = m.add("mix", a=(0.1, 0.2, 0.3, 1.0), b=(1.0, 0.5, 0.0, 1.0), factor=wave)
    m.add("surface", base_colour=colour, roughness=wave, metallic=m.expose("Shine", 0.5) * wave)
    return m


def wire_into(m: Authoring, port: str) -> str:
    (into,) = (each for each in m.material.wires if each.endswith(f".{port}"))
    return m.material.wires[into]


@pytest.mark.parametrize(("turns", "side"), [(1.0, 32), (4.0, 128)])
def test_the_least_size_follows_from_how_fast_a_wire_changes(turns: float, side: int) -> None:
    """Between texels h apart a sine of frequency w is off by a·(w·h)²/8 at most: the bound of linear interpolation."""
    m = waves(turns)
    made = least_map(m.material, wire_into(m, "roughness"), {})
    bound = 0.4 * (turns * 2 * np.pi / side) ** 2 / 8
    assert made.side == side and made.off[0] <= min(LIMIT, bound * 1.05)
    assert 0.4 * (turns * 2 * np.pi / (side / 2)) ** 2 / 8 > LIMIT  # half of it would not have done
    middles = (np.arange(side) + 0.5) / side
    assert np.abs(made.pixels[3, :, 0] - (0.4 * np.sin(turns * 2 * np.pi * middles) + 0.5)).max() < 1e-5
    assert made.saved >= 4 and made.reads == 0


@pytest.mark.parametrize("port", ["roughness", "base_colour"])
def test_a_graph_with_the_texture_comes_to_the_same_and_costs_less(port: str, tmp_path: Path) -> None:
    m = waves(1.0)
    wire = wire_into(m, port)
    made = least_map(m.material, wire, {})
    texture, image = new_texture(made.pixels, "waves", tmp_path, floats=port == "base_colour")
    baked = with_image(m.material, wire, texture.id, texture.name)
    uv = np.random.default_rng(2).uniform(0.05, 0.95, (2, 500)).astype(np.float32)
    found = []
    for material in (m.material, baked):
        lowered = lower(material)
        held = uniform_values(lowered, material, {}, {texture.id: image})
        leaves = {"uv": uv, **{name: leaf(value) for name, value in held.items()}}
        names = ("base_colour", "roughness", "metallic")
        values = [lowered.surface[name] for name in names]
        worked_out = evaluate(values, leaves)
        found.append(np.concatenate([as_rows(worked_out[value], 500) for value in values], axis=1))
    assert np.abs(found[1] - found[0]).max() < LIMIT * 1.5
    if port == "roughness":  # all three read it: the wave itself is gone
        assert not any(node.type == "sine" for node in baked.nodes.values())
        before, after = (cost(lower(each).surface.values()) for each in (m.material, baked))
        assert after.operations < before.operations and after.texture_reads == 1
    else:  # the others still read the wave
        assert any(node.type == "sine" for node in baked.nodes.values())
        assert not any(node.type == "mix" for node in baked.nodes.values())


def test_what_depends_on_more_is_refused_in_a_sentence() -> None:
    m = waves(1.0)
    assert "Shine" in hindered(m.material, wire_into(m, "metallic"))
    height = m.add("position").into("separate").y
    assert "more than texture coordinates" in hindered(m.material, height.ref)
    assert "Select" in hindered(m.material, "")
    even = m.add("number", value=2.0).ref
    with pytest.raises(BadEdit, match="the same everywhere"):
        least_map(m.material, even, {})
