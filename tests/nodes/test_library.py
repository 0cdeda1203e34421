"""Textures, snippets, recipes, unfolding and help: what is built on the node library."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import test_nodes_materialx
from PIL import Image as Pillow
from scipy import ndimage

from soft_lantern.errors import BadEdit, BadFile
from soft_lantern.formats.images import bring_in_image, load_images, load_texture
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.formats.shader_package import package
from soft_lantern.graph import unfold as unfolding
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Material, Node, Project, Texture, changed, port_ref
from soft_lantern.graph.edits import add_node, connect, type_value
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.nesting import attached
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.recipes.joining import joined
from soft_lantern.graph.recipes.library import RECIPES, every_recipe
from soft_lantern.graph.recipes.recipe import Recipe
from soft_lantern.graph.snippets import collapse, expand, put_snippet, remove_snippet
from soft_lantern.graph.unfold import can_unfold, unfold
from soft_lantern.ir import cost
from soft_lantern.ir.expr import Type, uniform
from soft_lantern.ir.glsl_program import HEADS
from soft_lantern.ir.hand_point import hand_point
from soft_lantern.ir.numpy_reader import Array, evaluate, leaf
from soft_lantern.nodes import LIBRARY
from soft_lantern.nodes.explain import explain
from soft_lantern.render.measuring import Measuring
from soft_lantern.render.points import flat_card
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.images import Image

ROOT = Path(__file__).parents[2]


def measured(material: Material, images: dict[str, Image] | None = None) -> dict[str, Array]:
    """The value of every wire on a flat card."""
    lowered = lower(material)
    return Measuring().measure(lowered, uniform_values(lowered, material, {}, images), flat_card(24), 0.4).values


def surfaced(piece: Material, end: str, into: str = "base_colour") -> Material:
    """A piece of graph with a surface at its end."""
    return connect(add_node(piece, "end", Node(type="surface")), end, f"end.{into}")


# Textures


@pytest.mark.parametrize(("wrap", "mode"), [("repeat", "grid-wrap"), ("clamp", "nearest"), ("mirror", "reflect")])
def test_images_are_read_as_an_independent_library_does(wrap: Any, mode: str) -> None:
    """Bilinear reading with each wrap of glTF 2.0, section 3.8.4, against scipy.ndimage.map_coordinates."""
    random = np.random.default_rng(4)
    texels = random.integers(0, 256, (6, 9, 4)).astype(np.uint8)
    uv = random.uniform(-2.5, 3.5, (2, 500)).astype(np.float32)
    got = Image(texels, "data", "linear", wrap).read(uv)
    place = np.stack([uv[1] * 6 - 0.5, uv[0] * 9 - 0.5]).astype(float)
    for channel in range(4):
        theirs = ndimage.map_coordinates(texels[..., channel] / 255.0, place, order=1, mode=mode)
        assert got[channel] == pytest.approx(theirs, abs=2e-5)


def test_colour_is_decoded_before_it_is_filtered() -> None:
    """Half way between black and white in linear light is 0.5, not the 0.214 that decoding afterwards would give."""
    texels = np.array([[[0, 0, 0, 255], [255, 255, 255, 255]]], np.uint8)
    assert Image(texels, "colour", "linear", "clamp").read(np.float32([[0.5], [0.5]]))[0] == pytest.approx(0.5)


def test_an_image_is_brought_in_read_and_told_when_it_is_gone(tmp_path: Path) -> None:
    folder, source = tmp_path / "p", tmp_path / "Wall_Normal.png"
    pixels = np.random.default_rng(1).integers(0, 256, (5, 7, 4)).astype(np.uint8)
    Pillow.fromarray(pixels).save(source)
    Pillow.fromarray((np.arange(16, dtype=np.uint16) * 4000).reshape(4, 4)).save(tmp_path / "deep.png")
    save_project(Project(name="p"), folder)
    texture, image = bring_in_image(source, folder)
    deep, _ = bring_in_image(tmp_path / "deep.png", folder)
    assert (texture.name, texture.encoding, deep.encoding) == ("Wall Normal", "data", "colour")
    assert (image.texels == pixels).all()
    assert load_texture(changed(deep, encoding="data"), folder).linear()[0, 1, 0] == pytest.approx(4000 / 65535)
    save_project(Project(name="p", textures={t.id: t for t in (texture, deep)}), folder)
    opened = open_project(folder).project
    assert opened.textures[texture.id] == texture
    (folder / texture.file).unlink()
    images, notices = load_images(opened, folder)
    assert list(images) == [deep.id] and [n.kind for n in notices] == ["texture"]


@pytest.mark.parametrize("data", [b"", b"not a picture", b"\x89PNG\r\n\x1a\n" + b"\x00" * 40])
def test_a_damaged_image_is_refused_and_nothing_is_copied(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "bad.png").write_bytes(data)
    with pytest.raises(BadFile, match=r"bad\.png"):
        bring_in_image(tmp_path / "bad.png", tmp_path / "p")
    assert not (tmp_path / "p").exists()


def test_an_index_texture_decoded_as_colour_is_told_with_a_mend_and_data_is_not() -> None:
    m = Authoring("Sprite")
    index = m.add("index_texture")
    m.material = type_value(m.material, index.node_id, "texture", "t")
    m.add("surface", base_colour=index)
    texture = Texture(id="t", name="Cells", encoding="colour")
    project = put_material(Project(name="p", textures={"t": texture}), m.material)
    (notice,) = [n for n in check_project(project) if n.kind == "decoded-data"]
    mended = notice.fixes[0].mended(project, "sprite")
    assert not [n for n in check_project(mended) if n.kind == "decoded-data"]
    gone = changed(project, textures={})
    with pytest.raises(BadEdit, match="no longer among the textures"):
        notice.fixes[0].mended(gone, "sprite")
    assert [n.kind for n in check_project(gone) if n.node == index.node_id] == ["missing-texture"]


# Snippets


def two_masks() -> tuple[Authoring, list[str]]:
    """A graph whose middle is to become a snippet."""
    m = Authoring("M")
    strength = m.expose("Strength", 0.7, limits=(0, 1))
    rim, up = m.add("rim_mask"), m.add("height_mask", origin=-0.5)
    both = m.add("combine_masks", name="Both", a=rim, b=up)
    scaled = m.add("multiply", name="Scaled", a=both, b=strength)
    m.add("surface", base_colour=m.add("mix", name="Result", a="#000000", b="#ffffff", factor=scaled), roughness=both)
    return m, [both.node_id, scaled.node_id, up.node_id]


def test_collapsing_into_a_snippet_and_expanding_again_change_no_value() -> None:
    m, inside = two_masks()
    before = measured(m.material)["result.out"]
    collapsed, snippet = collapse(m.material, inside, "Glow mask")
    project = put_material(put_snippet(Project(name="p"), snippet), collapsed)
    material = project.materials["m"]
    assert not set(inside) & set(material.nodes) and not lower(material).notices
    assert (measured(material)["result.out"] == before).all()
    (node_id,) = [i for i, n in material.nodes.items() if n.type == "snippet"]
    again = expand(material, node_id)
    assert len(again.nodes) == len(m.material.nodes) and (measured(again)["result.out"] == before).all()


def test_a_snippet_edited_in_place_changes_every_material_that_uses_it(tmp_path: Path) -> None:
    m, inside = two_masks()
    collapsed, snippet = collapse(m.material, inside, "Glow mask")
    project = put_snippet(Project(name="p"), snippet)
    for name in ("one", "two"):
        project = put_material(project, changed(collapsed, id=name, name=name))
    lowered = lower(project.materials["one"]).surface
    edited = type_value(project.snippets[snippet.id], "height_mask", "origin", -1.5)
    project = put_material(project, edited)
    assert lower(project.materials["one"]).surface == lowered, "a typed value compiles nothing anew"
    values = [measured(project.materials[name])["result.out"] for name in ("one", "two")]
    assert (values[0] == values[1]).all() and (values[0] != measured(collapsed)["result.out"]).any()
    save_project(project, tmp_path)
    assert "snippets" not in json.loads((tmp_path / "materials" / "one.json").read_text())
    assert open_project(tmp_path).project == project
    with pytest.raises(BadEdit, match="used in one, two"):
        remove_snippet(project, snippet.id)


def test_a_snippet_cannot_hold_itself_and_a_file_that_says_so_is_told() -> None:
    m, inside = two_masks()
    collapsed, snippet = collapse(m.material, inside, "Glow mask")
    project = put_material(put_snippet(Project(name="p"), snippet), collapsed)
    looped = changed(snippet, nodes={**snippet.nodes, "me": Node(type="snippet", settings={"snippet": snippet.id})})
    with pytest.raises(BadEdit, match="cannot hold itself"):
        put_snippet(project, looped)
    forced = attached(changed(project, snippets={snippet.id: looped}))
    assert "result.out" in measured(forced.materials["m"])
    assert {n.kind for n in check_project(forced) if n.node == "me"} & {"unknown-node", "cycle"}


def test_snippets_inside_snippets_keep_their_values() -> None:
    m, inside = two_masks()
    before = measured(m.material)["result.out"]
    collapsed, inner = collapse(m.material, inside, "Inner")
    (node_id,) = [i for i, n in collapsed.nodes.items() if n.type == "snippet"]
    twice, outer = collapse(collapsed, [node_id], "Outer")
    project = put_snippet(put_snippet(Project(name="p"), inner), outer)
    assert (measured(put_material(project, twice).materials["m"])["result.out"] == before).all()


# Recipes and unfolding


@pytest.mark.parametrize("recipe", every_recipe(), ids=lambda r: r.title)
def test_every_recipe_is_sound_and_compiles_for_both_targets(recipe: Recipe, tmp_path: Path) -> None:
    m = Authoring(recipe.title)
    m.add("surface")
    done = joined(m.material, recipe, (0.0, 0.0), "" if recipe.into else "surface.roughness")
    whole = done.material
    assert whole.wires and all(each in whole.nodes for each in done.node_ids)
    project = put_material(Project(name="p"), changed(whole, id="m", name=recipe.title))
    wrong = [n for n in check_project(project) if n.open and n.kind not in ("unused",)]
    assert not wrong, [n.text for n in wrong]
    files = []
    for target in HEADS:
        for name, text in package(project.materials["m"], target).items():
            if name.endswith(".glsl"):
                files.append(tmp_path / f"{target}.{name.split('.')[-2]}")
                files[-1].write_text(text)
    done = subprocess.run(["glslangValidator", *map(str, files)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout
    assert all(np.isfinite(values).all() for values in measured(whole).values())


def _join(material: Material, *titles: str) -> tuple[Material, list[str]]:
    """The material with recipes one after the other, and what each said it did."""
    told = []
    for title in titles:
        done = joined(material, next(r for r in RECIPES if r.title == title), (0.0, 0.0))
        material = done.material
        told.append(done.words)
    assert not lower(material).notices
    return material, told


def _surface(material: Material, value: str, **point: tuple[float, ...]) -> Array:
    lowered = lower(material)
    leaves = {n: leaf(parts) for n, parts in uniform_values(lowered, material, {}).items()}
    leaves |= {n: leaf(parts) for n, parts in hand_point(point).items()}
    expr = lowered.offset if value == "offset" else lowered.surface[value]
    assert expr is not None
    return evaluate([expr], leaves)[expr].ravel()


def test_a_pulse_multiplies_an_emissive_that_is_there_and_a_rim_adds_to_it() -> None:
    m = Authoring("M")
    m.add("surface", emissive=m.add("colour", value=(0.5, 0.25, 1.0, 1.0)))
    pulsing, told = _join(m.material, "Pulse glow")
    assert told == ["Pulse glow multiplies it by a pulse (emissive)"]
    assert [p.label for p in pulsing.parameters] == ["Period", "Lowest glow"]  # the colour is what was there
    assert _surface(pulsing, "emissive", time=(0.5,)) == pytest.approx((0.5, 0.25, 1.0))  # a quarter of 2 s: sin 90°
    assert _surface(pulsing, "emissive", time=(1.5,)) == pytest.approx((0.125, 0.0625, 0.25))  # the floor, 0.25
    rimmed, told = _join(pulsing, "Rim glow")
    assert told == ["Rim glow adds its light (emissive)"]
    away = {"camera_position": (0.0, 0.0, 5.0)}
    facing, grazing = {"normal_world": (0.0, 0.0, 1.0)}, {"normal_world": (1.0, 0.0, 0.0)}
    assert _surface(rimmed, "emissive", time=(0.5,), **facing, **away) == pytest.approx((0.5, 0.25, 1.0), abs=1e-5)
    assert (_surface(rimmed, "emissive", time=(0.5,), **grazing, **away) > (1.4, 0.7, 1.1)).all()


def test_dust_lies_over_the_base_colour_that_is_there() -> None:
    m = Authoring("M")
    m.add("surface", base_colour=m.add("colour", value=(0.1, 0.2, 0.3, 1.0)))
    dusty, told = _join(m.material, "Dust on top")
    assert told == ["Dust on top lets dust settle on it (base colour)"]
    assert _surface(dusty, "base_colour", normal_world=(0.0, -1.0, 0.0)) == pytest.approx((0.1, 0.2, 0.3))
    assert _surface(dusty, "base_colour", normal_world=(0.0, 1.0, 0.0)) == pytest.approx(
        colour_from_hex("#cfc4a4")[:3], rel=1e-4
    )


def test_a_swell_stands_beside_ripples_and_a_second_one_adds_to_it() -> None:
    m = Authoring("M")
    m.add("surface")
    water, told = _join(m.material, "Moving ripples from two normal maps", "Swell with normals", "Wind sway")
    assert told == [
        "Moving ripples from two normal maps feeds normal",
        "Swell with normals feeds the vertex offset",
        "Wind sway adds to the vertex offset",
    ]
    alone, _ = _join(m.material, "Swell with normals")
    swaying, _ = _join(m.material, "Wind sway")
    at: dict[str, tuple[float, ...]] = {"position": (0.3, 0.8, -0.2), "time": (0.7,)}
    at = {"position_world": at["position"], "time": at["time"]}
    total = _surface(alone, "offset", **at) + _surface(swaying, "offset", **at)
    assert _surface(water, "offset", **at) == pytest.approx(total, abs=1e-6)


def test_a_recipe_sets_what_its_effect_needs_and_says_so() -> None:
    m = Authoring("M")
    m.add("surface")
    gone, told = _join(m.material, "Dissolve with a glowing edge")
    assert told == ["Dissolve with a glowing edge feeds alpha, feeds emissive, sets alpha mode to mask"]
    surface = next(n for n in gone.nodes.values() if n.type == "surface")
    assert surface.settings["alpha_mode"] == "mask"
    random = np.random.default_rng(3)
    for place in random.uniform(-2, 2, (60, 3)):
        at = tuple(map(float, place))
        alpha, glow = _surface(gone, "alpha", position_world=at), _surface(gone, "emissive", position_world=at)
        assert alpha[0] in (0.0, 1.0)
        assert alpha[0] == 1.0 or not glow.any()  # only what is left glows


def test_the_frames_of_a_sheet_are_shown_row_by_row_from_the_upper_left() -> None:
    """glTF 2.0, section 3.8.3: texture coordinates start at the upper left corner, v downwards."""
    sheet = np.zeros((4, 4, 4), np.float32)
    sheet[..., 0], sheet[..., 3] = np.arange(16).reshape(4, 4) / 15, 1
    recipe = next(r for r in RECIPES if r.title == "Frames of a sprite sheet in turn")
    m = Authoring("M")
    m.add("surface")
    material = joined(m.material, recipe, (0.0, 0.0)).material
    image = next(i for i, n in material.nodes.items() if n.type == "image")
    material = type_value(material, image, "texture", "sheet")
    lowered = lower(material)
    picture = Image(sheet, "data", filter="nearest")
    for frame in range(18):  # 16 frames at 12 a second, then again from the first
        leaves = {n: leaf(p) for n, p in uniform_values(lowered, material, {}, {"sheet": picture}).items()}
        point = hand_point({"uv": (0.5, 0.5), "time": ((frame + 0.5) / 12,)})
        leaves |= {n: leaf(p) for n, p in point.items()}
        expr = lowered.surface["base_colour"]
        assert evaluate([expr], leaves)[expr].ravel()[0] == pytest.approx((frame % 16) / 15, abs=1e-6), frame


def test_recipes_are_found_by_what_artists_call_them() -> None:
    asked = {r.title for r in RECIPES}
    assert asked >= {
        *("Height ramp", "Depth tint", "Distance blend", "Rim glow", "Pulse glow", "Colour bands by noise height"),
        *("Three masked details", "Dust on top", "Palette swap", "Two-tone recolour keeping shading"),
        *("Moving ripples from two normal maps", "Edge wear from vertex colour"),
        *("Swell with normals", "Shore fade", "Dissolve with a glowing edge", "Holographic scan", "Wind sway"),
        *("Tint by part", "Frames of a sprite sheet in turn", "Sprite with swap palettes"),
    }
    masks = {t.title for t in LIBRARY.values() if t.family == "masks"}
    assert {f"{title} from parts" for title in masks} <= {r.title for r in every_recipe()}


ONE_PIECE = {
    *("hsv_adjust", "hsv_to_rgb", "rgb_to_hsv", "temperature_tint", "blend", "colour_match", "exchange_colour"),
    *("exchange_shades", "oklab_mix", "srgb_to_linear", "linear_to_srgb", "gradient_lookup", "palette_lookup"),
    *("cell_noise_2d", "cell_noise_3d", "cells_2d", "cells_3d", "colour_behind"),
}
"""Nodes that call a function no other node stands for."""
OF_THE_POINT = {
    *("convert_space", "object_scale", "vertex_colour", "bounds_position", "screen_coordinates", "camera_range"),
    *("height_to_normal", "height_to_tangent_normal"),
}
"""Nodes that read what no other node gives."""
NO_COMPUTATION = {"texture", "gradient", "palette", "parameter", "snippet_input"}


def _unfolds(key: str) -> bool:
    m = Authoring("M")
    made = m.add(key)
    return can_unfold(m.material, made.node_id)


UNFOLDED = sorted(key for key, node_type in LIBRARY.items() if node_type.outputs and _unfolds(key))


def test_every_node_unfolds_that_is_made_of_what_nodes_give() -> None:
    plain = {"arctangent", "saturate", "choose", *(key for key, _ in unfolding.NODES.values())}
    plain |= {key for key, _, _ in unfolding.INPUT_NODES.values()}
    plain |= {"number", "vector_2", "vector_3", "vector_4", "combine", "combine_2", "combine_4"}
    ends = {key for key, node_type in LIBRARY.items() if not node_type.outputs}
    assert set(UNFOLDED) == set(LIBRARY) - ends - ONE_PIECE - OF_THE_POINT - NO_COMPUTATION - plain | {"image"}


@pytest.mark.parametrize("key", UNFOLDED)
def test_unfolding_a_node_changes_no_value(key: str) -> None:
    m = Authoring("M")
    made = m.add(key)
    node_type = LIBRARY[key]
    held = [m.add("elbow", value=getattr(made, port.name)) for port in node_type.outputs]
    after = unfold(m.material, made.node_id)
    assert made.node_id not in after.nodes
    then, now = measured(m.material), measured(after)
    for elbow in held:
        was, is_ = (v[port_ref(elbow.node_id, "out")] for v in (then, now))
        assert np.broadcast_to(is_, np.broadcast_shapes(was.shape, is_.shape)) == pytest.approx(was, rel=1e-5, abs=1e-6)


# Help


def test_every_node_tells_what_it_is_with_no_empty_cell() -> None:
    for node_type in LIBRARY.values():
        told = explain(node_type)
        cells = (told.summary, told.formula, told.ranges, told.example, str(told.cost), told.source)
        assert all(cells), node_type.title
        assert "=" in told.formula and "nan" not in told.example, (node_type.title, told.example)


def test_what_is_said_to_equal_a_standard_is_compared_with_it() -> None:
    compared = {pair.key for pair in test_nodes_materialx.PAIRS} | test_nodes_materialx.CHAINS
    claimed = {key for key, t in LIBRARY.items() if t.source.startswith("MaterialX")}
    assert claimed <= compared, claimed - compared


def test_costs_count_shared_parts_once_and_functions_whole() -> None:
    a, b = uniform("a", Type.VEC3), uniform("b", Type.FLOAT)
    assert cost.cost([a * b]) == cost.Cost(3, 0, 7)
    both = (a * b) + (a * b)
    assert cost.cost([both]).operations == 6
    assert (
        cost.cost(
            LIBRARY["perlin_noise_3d"].apply({"at": a, "scale": b, "time": b}, {"movement": "still"}).values()
        ).operations
        > 200
    )
    assert explain(LIBRARY["detail_layer"]).cost.texture_reads == 2
