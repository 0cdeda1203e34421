"""Gradients and palettes held to CSS Color 4, colour-science, Pillow, and what other readers make of their files."""

from __future__ import annotations

import re
from pathlib import Path

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import GimpGradientFile, GimpPaletteFile
from PIL import Image as Pillow

from ramp_cases import NECTAR, gradient, moth
from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadEdit, BadFile, BadValue
from soft_lantern.formats.gimp import gradient_text, palette_text, read_gradient, read_palette
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    AlphaStop,
    Gradient,
    Instance,
    Palette,
    Project,
    Stop,
    Texture,
    changed,
    with_records,
)
from soft_lantern.graph.gradients.editing import (
    baked_row,
    column_coordinate,
    fitted_gradient,
    jumps,
    mirrored,
    read_row,
    reversed_,
    rotated,
    row_coordinate,
    spaced_evenly,
    width_advice,
    width_error,
)
from soft_lantern.graph.instances.values import put_instance
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.palettes.indexing import (
    Counted,
    capacity,
    cell_byte,
    decoded,
    distinct_colours,
    hue_turned,
    index_image,
    index_traps,
    mapped,
    merged,
    palette_of,
    quantised,
    recoloured,
)
from soft_lantern.graph.palettes.recolour import replaced_all, touched
from soft_lantern.graph.palettes.sprite_material import ready_material
from soft_lantern.graph.palettes.swap_sets import pick_of_swaps
from soft_lantern.graph.ramps.images import colours_at, oklab_of, ramp_images
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.ir.oklch import oklch_from_linear
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu
from soft_lantern.values.colour import colour_from_hex, srgb_bytes

Four = tuple[float, float, float, float]
PLACES = np.linspace(0, 1, 401)


# Mixing


def test_mixing_in_oklab_is_that_of_colour_science() -> None:
    """The middle of two colours in OKLab, worked out by colour-science from the same ends."""
    ends = [np.array(colour_from_hex(each)[:3]) for each in ("#ff0000", "#0000ff")]
    labs = [colour.XYZ_to_Oklab(colour.RGB_to_XYZ(e, "sRGB", apply_cctf_decoding=False)) for e in ends]
    middle = colour.XYZ_to_RGB(colour.Oklab_to_XYZ((labs[0] + labs[1]) / 2), "sRGB", apply_cctf_encoding=False)
    assert colours_at(gradient((0, "#ff0000"), (1, "#0000ff")), [0.5])[0, :3] == pytest.approx(middle, abs=1e-3)


@pytest.mark.parametrize(
    ("way", "hue"),
    # CSS Color 4, section 12.4: from 30° to 330° the shorter way goes through 0°, the longer through 180°.
    [("shorter", 0.0), ("longer", 180.0), ("increasing", 180.0), ("decreasing", 0.0)],
)
def test_the_hue_goes_round_as_css_color_4_says(way: str, hue: float) -> None:
    from soft_lantern.ir.oklch import linear_from_oklch

    ends = [(*linear_from_oklch((0.7, 0.1, degrees)), 1.0) for degrees in (30.0, 330.0)]
    stops = tuple(Stop(at=float(n), colour=end) for n, end in enumerate(ends))  # type: ignore[arg-type]
    found = oklch_from_linear(
        colours_at(Gradient(id="g", name="G", stops=stops, mixing="oklch", hue=way), [0.5])[0, :3]
    )  # type: ignore[arg-type]
    assert found[0] == pytest.approx(0.7, abs=1e-3) and found[1] == pytest.approx(0.1, abs=1e-3)
    assert abs((found[2] - hue + 180) % 360 - 180) < 0.5


def test_shapes_of_segments_and_stops_of_alpha() -> None:
    held = gradient((0, "#000000", "constant"), (0.5, "#ffffff"), mixing="linear")
    assert colours_at(held, [0.0, 0.49, 0.5])[:, 0] == pytest.approx([0, 0, 1])
    smooth = gradient((0, "#000000", "smooth"), (1, "#ffffff"), mixing="linear")
    assert colours_at(smooth, [0.25])[0, 0] == pytest.approx(3 * 0.25**2 - 2 * 0.25**3)  # GLSL smoothstep
    apart = changed(smooth, alphas=(AlphaStop(at=0.0, alpha=0.0), AlphaStop(at=0.5, alpha=1.0)))
    assert colours_at(apart, [0.0, 0.25, 0.75])[:, 3] == pytest.approx([0.0, 0.5, 1.0])
    jump = gradient((0, "#000000"), (0.5, "#000000"), (0.5, "#ffffff"), (1, "#ffffff"), mixing="linear")
    assert colours_at(jump, [0.4999, 0.5])[:, 0] == pytest.approx([0, 1]) and jumps(jump) == [0.5]


def test_edits_of_a_whole_gradient() -> None:
    exact = colours_at(NECTAR, PLACES)
    assert colours_at(reversed_(NECTAR), PLACES) == pytest.approx(exact[::-1], abs=1e-9)
    eased = gradient((0, "#102030", "ease in"), (0.4, "#c08040", "constant"), (1, "#ffffff"))
    inner = PLACES[(PLACES > 0.001) & (np.abs(PLACES - 0.4) > 0.01) & (PLACES < 0.399)]
    assert colours_at(reversed_(eased), 1 - inner) == pytest.approx(colours_at(eased, inner), abs=1e-9)
    assert [stop.at for stop in spaced_evenly(NECTAR).stops] == [0.0, 0.25, 0.5, 0.75, 1.0]
    both = colours_at(mirrored(NECTAR), PLACES)
    assert both == pytest.approx(both[::-1], abs=1e-9) and both[:201] == pytest.approx(exact[::2], abs=1e-9)
    moved, away = colours_at(rotated(NECTAR, 0.25), PLACES), np.abs(PLACES - 0.25) > 0.004
    assert moved[away] == pytest.approx(colours_at(NECTAR, (PLACES - 0.25) % 1.0)[away], abs=2e-3)


def test_a_fit_has_few_stops_and_states_its_error() -> None:
    fitted, error = fitted_gradient(colours_at(NECTAR, np.linspace(0, 1, 129)), 0.004, changed(NECTAR, stops=()))
    assert len(fitted.stops) <= 6 and error <= 0.006
    straight = gradient((0, "#203040"), (1, "#f0d0a0"))
    two, error = fitted_gradient(colours_at(straight, np.linspace(0, 1, 65)), 1e-3, straight)
    assert len(two.stops) == 2 and error < 1e-6
    coarse, _ = fitted_gradient(colours_at(NECTAR, np.linspace(0, 1, 129)), 0.2, NECTAR)
    assert len(coarse.stops) == 2
    with pytest.raises(BadValue, match="finite"):
        fitted_gradient([[np.nan, 0, 0, 1]], 0.1, NECTAR)


# Baking


def test_a_baked_row_is_read_by_the_graph_as_the_gradient_within_the_stated_error(gl: GlRenderer) -> None:
    """The shader's half-texel rule and linear filter over a row of 1,024, in OpenGL and NumPy, against the gradient."""
    m = Authoring("Ramped")
    at = m.add("texture_coordinates").into("separate_2").x
    m.add("surface", base_colour=m.add("gradient_lookup", gradient="g", at=at))
    project = m.into_project(Project(name="t", gradients={"g": NECTAR}))
    lowered = lower(project.materials["ramped"])
    values = uniform_values(lowered, project.materials["ramped"], {}, ramp_images(project))
    places = np.linspace(0, 1, 300)
    leaves = {name: leaf(value) for name, value in values.items()}
    leaves["uv"] = np.stack([places, np.zeros_like(places)]).astype(np.float32)
    root = lowered.surface["base_colour"]
    exact = colours_at(NECTAR, places)[:, : root.type.width]
    stated = width_error(NECTAR, 1024).error + 2e-4
    assert np.abs(evaluate([root], leaves)[root].T - exact).max() <= stated
    assert np.abs(evaluate_on_gpu(gl, {"c": root}, leaves, len(places))["c"] - exact).max() <= stated + 1 / 256 / 8


def test_width_advice_names_the_least_width_under_one_255th() -> None:
    errors, least = width_advice(NECTAR)
    by_width = {each.width: each.error for each in errors}
    assert least and by_width[least] < 1 / 255 <= by_width[least // 2]
    assert sorted(by_width.values(), reverse=True) == [by_width[w] for w in sorted(by_width)]  # wider is never worse
    flat = gradient((0.3, "#808080"))
    assert width_advice(flat)[1] == 2
    held = gradient((0, "#000000", "constant"), (0.5, "#ffffff"), mixing="linear")
    assert width_error(held, 64).error == pytest.approx(0.0, abs=1e-9)  # but for a texel beside the jump
    row = baked_row(NECTAR, 16)
    assert row[0] == pytest.approx(colours_at(NECTAR, [0])[0]) and row[-1] == pytest.approx(colours_at(NECTAR, [1])[0])
    assert column_coordinate([0.0, 1.0], 16) == pytest.approx([0.5 / 16, 15.5 / 16])
    assert [row_coordinate(n, 4) for n in range(4)] == [0.125, 0.375, 0.625, 0.875]
    assert read_row(row, [1 / 15]) == pytest.approx(row[1:2])


# Files


def test_gradients_and_palettes_go_to_files_that_others_read_and_come_back(tmp_path: Path) -> None:
    screen = changed(NECTAR, mixing="srgb")
    path = tmp_path / "nectar.ggr"
    path.write_text(gradient_text(screen))
    back = read_gradient(path)
    assert colours_at(back, PLACES) == pytest.approx(colours_at(screen, PLACES), abs=2e-5) and back.name == "G"
    with path.open("rb") as file:  # Pillow's reader: 256 entries of 8-bit RGBA
        table, _ = GimpGradientFile.GimpGradientFile(file).getpalette(256)
    theirs = np.frombuffer(table, np.uint8).reshape(256, 4).astype(float)
    ours = colour.models.eotf_inverse_sRGB(colours_at(screen, np.linspace(0, 1, 256))[:, :3]) * 255
    assert np.abs(theirs[:, :3] - ours).max() <= 1.0
    swatches = Palette(id="p", name="Moth dust", colours=tuple(s.colour for s in NECTAR.stops))
    (tmp_path / "dust.gpl").write_text(palette_text(swatches))
    again = read_palette(tmp_path / "dust.gpl")
    assert again.name == "Moth dust" and np.abs(np.array(again.colours) - np.array(swatches.colours)).max() < 1e-6
    with (tmp_path / "dust.gpl").open("rb") as file:
        table, _ = GimpPaletteFile.GimpPaletteFile(file).getpalette()
    assert list(table[:6]) == [0xFF, 0xE2, 0xA0, 0xE8, 0xA2, 0x4A]


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.gpl", "GIMP Palette\nName: x\n1 2\n", "line 3"),
        ("a.gpl", "GIMP Palette\n1 2 900\n", "line 2: a component"),
        ("a.gpl", "JASC-PAL\n", "does not begin"),
        ("a.ggr", "GIMP Gradient\nName: x\n3\n0 .5 1 0 0 0 1 1 1 1 1 0 0\n", "says it has 3"),
        ("a.ggr", "GIMP Gradient\n1\n0 2 1 0 0 0 1 1 1 1 1 0 0\n", "line 3"),
        ("a.ggr", "GIMP Gradient\nx\n", "number of segments"),
    ],
)
def test_a_bad_file_is_refused_with_its_line(tmp_path: Path, name: str, text: str, words: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(BadFile, match=re.escape(words)):
        (read_palette if name.endswith("gpl") else read_gradient)(tmp_path / name)
    with pytest.raises(BadFile, match="cannot be read"):
        read_palette(tmp_path / "nothing.gpl")


# Palettes and indices

_BYTE = st.integers(0, 255)


def test_colours_are_counted_as_pillow_counts_them() -> None:
    pixels = moth()
    ours = {(c.colour[:3], c.count) for c in distinct_colours(pixels)}
    theirs = {(rgb, count) for count, rgb in Pillow.fromarray(pixels[..., :3].copy(), "RGB").getcolors()}  # type: ignore[union-attr]
    assert ours == theirs
    alphas = pixels.copy()
    alphas[: len(alphas) // 2, :, 3] //= 2
    assert len(distinct_colours(alphas, ignore_alpha=False)) > len(distinct_colours(alphas)) == len(ours)
    by_light = [oklab_of(np.array([[(p / 255) ** 2.2 for p in c.colour[:3]]]))[0, 0]
                for c in distinct_colours(pixels, order="luminance")]  # fmt: skip
    assert np.corrcoef(by_light, range(len(by_light)))[0, 1] > 0.9
    assert [c.count for c in distinct_colours(pixels)] == sorted(
        (c.count for c in distinct_colours(pixels)), reverse=True
    )


def test_near_colours_join_the_one_that_is_used_more() -> None:
    colours = [Counted((200, 100, 50, 255), 90), Counted((201, 100, 50, 255), 10), Counted((20, 30, 40, 255), 5)]
    assert merged(colours, 0.01) == [Counted((200, 100, 50, 255), 100), colours[2]]
    assert merged(colours, 0.0) == colours


def test_too_many_colours_come_down_to_a_count_with_the_error_told() -> None:
    ramp = np.zeros((4, 256, 4), np.uint8)
    ramp[..., 0], ramp[..., 3] = np.arange(256), 200
    few, error = quantised(ramp, 8)
    assert len(distinct_colours(few)) <= 8 and 0 < error < 12 and (few[..., 3] == 200).all()
    same, none = quantised(few, 8)
    assert none == 0.0 and (same == few).all()
    with pytest.raises(BadValue, match="1 to 256"):
        quantised(ramp, 0)


@pytest.mark.parametrize(("side", "bytes_"), [(4, [0, 85, 170, 255]), (16, [17 * n for n in range(16)])])
def test_cells_stand_at_the_bytes_of_the_rule(side: int, bytes_: list[int]) -> None:
    """Common practice: N = 4 gives 0, 85, 170, 255 and N = 16 the multiples of 17."""
    assert [cell_byte(cell, side) for cell in range(side)] == bytes_


@given(st.integers(1, 200), st.integers(0, 5))
def test_indices_decode_to_exactly_the_source(colours: int, spare: int) -> None:
    """Also with room to spare, and growing re-encodes without a change of what is seen."""
    pixels = moth(colours, colours)
    pixels[..., 3] = np.where(np.arange(40) % 3 == 0, 0, pixels[..., 3])
    listed = [c.colour for c in distinct_colours(pixels)]
    palette = palette_of(listed, Palette(id="p", name="P"))
    side = max(int(np.ceil(np.sqrt(len(listed)))), 2) + spare
    indexed = index_image(pixels, palette, side)
    assert not indexed.missing and (decoded(indexed.pixels, palette, side) == pixels).all()
    assert not index_traps(indexed.pixels, side, len(listed))
    assert capacity(palette, side) == (len(listed), side * side - len(listed))


def test_the_graph_reads_indices_as_the_decoder_does() -> None:
    pixels = moth(4, 13)
    pixels[..., 3] = 255
    palette = palette_of([c.colour for c in distinct_colours(pixels)], Palette(id="p", name="P"))
    indexed = index_image(pixels, palette)
    m = Authoring("Swapped")
    index = m.expose("Index", (0.0, 0.0, 0.0, 1.0))
    m.add("surface", base_colour=m.add("palette_lookup", index=index, palette="p"))
    project = m.into_project(Project(name="t", palettes={"p": palette}))
    lowered = lower(project.materials["swapped"])
    leaves = {
        name: leaf(value)
        for name, value in uniform_values(lowered, project.materials["swapped"], {}, ramp_images(project)).items()
    }
    leaves["parameter:index"] = (indexed.pixels.reshape(-1, 4).T / 255).astype(np.float32)
    root = lowered.surface["base_colour"]
    found = colour.models.eotf_inverse_sRGB(evaluate([root], leaves)[root].T[:, :3].astype(float)) * 255
    assert np.abs(found - pixels.reshape(-1, 4)[:, :3]).max() < 0.01


def test_traps_are_found_and_colours_that_are_missing_named() -> None:
    pixels = moth(2, 9)
    pixels[..., 3] = 255
    listed = [c.colour for c in distinct_colours(pixels)]
    palette = palette_of(listed[:-1], Palette(id="p", name="P"))
    indexed = index_image(pixels, palette, 4)
    assert [m.colour for m in indexed.missing] == [listed[-1]]
    small = np.asarray(Pillow.fromarray(indexed.pixels, "RGBA").resize((20, 12), Pillow.Resampling.BILINEAR))
    assert any("between cells" in told for told in index_traps(small, 4, 8))
    assert any("beyond the 2" in told for told in index_traps(indexed.pixels, 4, 2))
    assert any("blue" in told for told in index_traps(pixels, 4, 8))
    with pytest.raises(BadValue, match="cells hold 4"):
        index_image(pixels, palette, 2)


def test_several_colours_are_replaced_in_one_pass_and_some_are_held() -> None:
    red, blue, orange = (colour_from_hex(each) for each in ("#d02020", "#2040d0", "#e08030"))
    row = np.array([[srgb_bytes(c) for c in (red, blue, orange)]], np.uint8)
    swapped = replaced_all(row, [(red, blue), (blue, red)], [], 0.1, 0.01)
    assert np.abs(swapped[0, :2].astype(int) - row[0, 1::-1]).max() <= 1  # neither replaced what the other made
    assert (swapped[0, 2] == row[0, 2]).all()
    wide = replaced_all(row, [(red, blue)], [], 0.6, 0.01)
    held = replaced_all(row, [(red, blue)], [orange], 0.6, 0.01)
    assert (wide[0, 2] != row[0, 2]).any() and (held[0, 2] == row[0, 2]).all()
    assert touched(row, held).tolist() == [[True, False, False]]


def test_colours_under_alpha_0_stay_where_the_palette_holds_them() -> None:
    pixels = np.array([[[255, 0, 0, 0], [0, 200, 0, 255]]], np.uint8)
    palette = palette_of([(255, 0, 0, 255), (0, 200, 0, 255)], Palette(id="p", name="P"))
    assert (decoded(index_image(pixels, palette).pixels, palette) == pixels).all()


def test_a_pick_finds_palettes_that_instances_hold_and_a_sprite_gets_a_material_of_its_own() -> None:
    project = demo_project()
    lone = with_records(
        project,
        Palette(id="lone", name="Lone", colours=((1.0, 0.0, 0.0, 1.0),)),
        Palette(id="other", name="Other", colours=((0.0, 0.0, 1.0, 1.0),), swaps="lone"),
        Texture(id="lone_cells", name="Lone", indexes="lone", encoding="data", filter="nearest"),
    )
    held = Instance(id="held", name="Held", parent="moth_sprite", values={"palette": "other"})
    after, pick = pick_of_swaps(put_instance(lone, held), "lone", 3)
    assert {after.instances[i].values["palette"] for i in pick.looks} == {"lone", "other"} and "held" in pick.looks
    with pytest.raises(BadEdit, match="expose"):
        pick_of_swaps(lone, "lone", 3)
    ready = ready_material(lone, "lone", "fresh")
    assert [p.default for p in ready.materials["fresh"].parameters] == ["lone_cells", "lone"]
    assert not [n for n in check_project(ready) if n.place == "fresh" and n.kind not in ("missing-texture", "unused")]
    assert len(pick_of_swaps(ready, "lone", 3)[1].looks) == 2


def test_families_of_a_palette_keep_what_they_promise() -> None:
    palette = Palette(
        id="p", name="P", colours=tuple(colour_from_hex(h) for h in ("#7a3b2a", "#a8553c", "#d98a63", "#333333"))
    )
    turned = hue_turned(palette, 120.0, frozenset({1}))
    before, after = ([oklch_from_linear(c[:3]) for c in p.colours] for p in (palette, turned))
    assert turned.colours[1] == palette.colours[1]
    assert [b[0] for b in after] == pytest.approx([a[0] for a in before], abs=2e-3)
    assert (after[0][2] - before[0][2]) % 360 == pytest.approx(120, abs=2)
    along = mapped(palette, NECTAR, frozenset({3}))
    assert along.colours[3] == palette.colours[3]
    assert along.colours[0][:3] == pytest.approx(colours_at(NECTAR, [before[0][0]])[0, :3])
    back = mapped(palette, NECTAR, frozenset({3}), reverse=True)
    assert back.colours[0][:3] == pytest.approx(colours_at(NECTAR, [1 - before[0][0]])[0, :3])
    ranked = mapped(palette, NECTAR, frozenset({3}), in_order=True)  # they get lighter from the first to the third
    assert np.array(ranked.colours)[:3, :3] == pytest.approx(colours_at(NECTAR, [0.0, 0.5, 1.0])[:, :3])
    blue = recoloured(palette, (0, 1, 2), 1, colour_from_hex("#3c6aa8"))
    shades = [oklch_from_linear(c[:3]) for c in blue.colours[:3]]
    assert blue.colours[1][:3] == pytest.approx(colour_from_hex("#3c6aa8")[:3], abs=2e-3)
    assert shades[0][0] < shades[1][0] < shades[2][0]  # the shading is kept
    assert shades[2][0] - shades[1][0] == pytest.approx(before[2][0] - before[1][0], abs=0.02)
