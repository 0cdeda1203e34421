"""Gradients and sprites as they leave: atlases, shaders, tables and indices, held to what others make of them."""

from __future__ import annotations

import json
import subprocess
import zlib
from pathlib import Path

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from ramp_cases import NECTAR, gradient, moth
from soft_lantern.bake.atlas import atlas_of, table_of
from soft_lantern.errors import BadEdit, BadFile, BadValue
from soft_lantern.formats.atlas import write_atlas
from soft_lantern.formats.colour_tables import (
    gradient_table,
    palettes_table,
    read_gradient_table,
    read_palettes_table,
)
from soft_lantern.formats.gimp import gradient_text, read_gradient
from soft_lantern.formats.images import read_image
from soft_lantern.formats.shader_gradients import shipped, with_gradients
from soft_lantern.formats.shader_package import package, write_package
from soft_lantern.formats.sprites import Picture, file_traps, indexed, pictures_in, pixels_of, reencoded_sprites
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Gradient,
    Instance,
    Material,
    Palette,
    Project,
    Scene,
    StageObject,
    Stop,
    changed,
    with_records,
)
from soft_lantern.graph.gradients.colour_vision import WITHOUT, seen_without
from soft_lantern.graph.gradients.of_mixes import as_gradient, with_gradient
from soft_lantern.graph.instances.values import look, put_instance
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.palettes.indexing import (
    decoded,
    distinct_colours,
    palette_of,
    reencoded,
    room_words,
    shades_like,
)
from soft_lantern.graph.palettes.recolour import replaced, tint_failure, tinted
from soft_lantern.graph.palettes.swap_sets import grown, pick_of_swaps, sprites_of, swap_of, swap_set, with_palette
from soft_lantern.graph.ramps.images import colours_at, expression, image_of_gradient, oklab_of, ramp_images, side_of
from soft_lantern.ir.expr import Type, uniform
from soft_lantern.ir.glsl_program import HEADS
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.ir.ramp import ROW_AT
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu
from soft_lantern.render.ramp_usage import usage_of
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import View
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, srgb_bytes
from soft_lantern.values.kinds import Kind

AT = uniform("at", Type.FLOAT)
HELD = gradient((0, "#203050", "constant"), (0.4, "#c08040", "smooth"), (0.4, "#f0e0a0", "ease in"), (1, "#301020"))
ROUND = changed(gradient((0, "#c03030"), (0.5, "#30a050", "ease out"), (1, "#3040c0")), mixing="oklch", hue="longer")


def ramped(**more: Gradient) -> tuple[Project, Material]:
    """A material whose gradient is a parameter and whose place is v."""
    m = Authoring("Ramped")
    ramp = m.expose("Depths", NECTAR.id, kind=Kind.GRADIENT)
    at = m.add("texture_coordinates").into("separate_2").y
    m.add("surface", base_colour=m.add("gradient_lookup", gradient=ramp, at=at))
    project = m.into_project(Project(name="t", gradients={NECTAR.id: NECTAR, **more}))
    return project, project.materials["ramped"]


# Gradients in shaders


@pytest.mark.parametrize("held", [NECTAR, HELD, ROUND], ids=["oklab", "shapes", "oklch"])
def test_a_gradient_written_out_is_the_same_in_opengl(held: Gradient, gl: GlRenderer) -> None:
    """The expression that is exported as exact, through the driver, against the editor's own colours."""
    places = np.linspace(-0.2, 1.2, 701).astype(np.float32)
    away = np.abs(places - 0.4) > 1e-6  # at a jump itself rounding decides
    found = evaluate_on_gpu(gl, {"c": expression(held, AT)}, {"at": places}, len(places))["c"]
    assert np.abs(found - colours_at(held, places))[away].max() < 2e-5


@pytest.mark.parametrize(("bits", "encoding"), [(8, "colour"), (8, "data"), (16, "colour"), (16, "data")])
def test_atlas_rows_read_through_opengl_keep_to_the_stated_error(
    bits: int, encoding: str, gl: GlRenderer, tmp_path: Path
) -> None:
    others = [changed(HELD, id="held"), NECTAR, changed(ROUND, id="round")]
    atlas = atlas_of(others, 128, bits, encoding)  # type: ignore[arg-type]
    path, _ = write_atlas(atlas, tmp_path / "atlas.png")
    image = read_image(path, atlas.encoding)
    image = type(image)(image.texels, image.encoding, "linear", "clamp")
    assert (image.texels == atlas.texels).all() and image.texels.dtype.itemsize * 8 == bits
    places = np.linspace(0, 1, 513).astype(np.float32)
    row, sampler = uniform("row", Type.FLOAT), uniform("atlas", Type.SAMPLER)
    root = ROW_AT(sampler, AT, row)
    for number, (held, each) in enumerate(zip(others, atlas.rows, strict=True)):
        assert each.v == (number + 0.5) / 3
        leaves = {"at": places, "row": leaf([each.v]), "atlas": image}
        away = np.abs(places - 0.4) > 1.5 / 127 if held.id == "held" else np.ones(len(places), bool)
        exact = colours_at(held, places)
        for found in (evaluate([root], leaves)[root].T, evaluate_on_gpu(gl, {"c": root}, leaves, len(places))["c"]):
            # A GPU may weigh texels in 256 steps (OpenGL 3.3, section 3.8.8 leaves the precision open).
            steps = np.abs(np.diff(atlas.image.linear()[number], axis=0)).max() / 256
            assert np.abs(found - exact)[away].max() <= each.error + steps + 2e-5
    assert atlas.rows[1].error < (1.2 / 255 if bits == 8 else 0.5 / 255)


def test_a_sixteen_bit_atlas_is_a_png_by_the_standard(tmp_path: Path) -> None:
    """Read by hand after PNG 1.2: header, one deflate stream, filters 0 to 4, big-endian samples."""
    see_through = changed(NECTAR, stops=tuple(changed(s, colour=(*s.colour[:3], s.at)) for s in NECTAR.stops))
    atlas = atlas_of([see_through, HELD], 16, 16, "data")
    path, table = write_atlas(atlas, tmp_path / "deep.png")
    assert (by_the_standard(path.read_bytes()) == atlas.texels).all()
    assert (read_image(path, "data").texels == atlas.texels).all()
    told = json.loads(table.read_text())
    assert (told["width"], told["rows"], told["bits"], told["encoding"]) == (16, 2, 16, "linear")
    assert [each["v"] for each in told["gradients"]] == [0.25, 0.75] and told == table_of(atlas)


def by_the_standard(data: bytes) -> np.ndarray:
    """A 16-bit RGBA PNG, decoded with nothing but zlib."""
    assert data[:8] == b"\x89PNG\r\n\x1a\n"
    at, stream, width, height = 8, b"", 0, 0
    while at < len(data):
        length, kind = int.from_bytes(data[at : at + 4], "big"), data[at + 4 : at + 8]
        body = data[at + 8 : at + 8 + length]
        if kind == b"IHDR":
            width, height = int.from_bytes(body[:4], "big"), int.from_bytes(body[4:8], "big")
            assert tuple(body[8:13]) == (16, 6, 0, 0, 0)
        stream += body if kind == b"IDAT" else b""
        at += 12 + length
    raw, rows, stride = zlib.decompress(stream), [], width * 8
    before = [0] * stride
    for row in range(height):
        how, *line = raw[row * (stride + 1) : (row + 1) * (stride + 1)]
        for i in range(stride):
            a, b, c = (line[i - 8] if i >= 8 else 0), before[i], (before[i - 8] if i >= 8 else 0)
            near = min((abs(b - c), 0, a), (abs(a - c), 1, b), (abs(a + b - 2 * c), 2, c))[2]
            line[i] = line[i] + (0, a, b, (a + b) // 2, near)[how] & 255
        rows.append(line)
        before = line
    return np.array(rows, np.uint8).reshape(height, width, 4, 2) @ np.array([256, 1])


def test_shaders_carry_gradients_as_rows_or_exactly_with_cost_and_error(gl: GlRenderer, tmp_path: Path) -> None:
    project, material = ramped(held=changed(HELD, id="held"), idle=changed(ROUND, id="idle"))
    project = put_instance(project, Instance(id="i", name="Held", parent="ramped", values={"depths": "held"}))
    for form in ("row", "exact"):
        files = write_package(material, tmp_path / form, project=project, form=form)  # type: ignore[arg-type]
        table = json.loads((tmp_path / form / "ramped.parameters.json").read_text())
        listed = {each["name"]: each for each in table["gradients"]["listed"]}
        assert len(table["gradients"]["listed"]) == 2  # what nothing holds stays at home
        (depths,) = table["parameters"]
        fragment = (tmp_path / form / "ramped.frag.glsl").read_text()
        if form == "row":
            assert depths["type"] == "float" and depths["default"] == [0.25] and len(depths["rows"]) == 2
            assert "    float depths;" in fragment and "uniform sampler2D gradient_atlas;" in fragment
            assert (tmp_path / form / "ramped.gradients.png") in files
            assert all(each["row"]["texture_reads"] == 1 and each["row"]["error"] > 0 for each in listed.values())
        else:
            assert "sampler2D" not in fragment and depths["type"] == "" and len(files) == 3
            assert all(each["exact"]["texture_reads"] == 0 for each in listed.values())
    for target in HEADS:
        for form in ("row", "exact"):
            for name, text in package(material, target, shipped(project, material, form)).items():  # type: ignore[arg-type]
                if name.endswith(".glsl"):
                    path = tmp_path / f"{target}_{form}.{name.split('.')[-2]}"
                    path.write_text(text)
                    done = subprocess.run(["glslangValidator", path], capture_output=True, text=True, check=False)
                    assert done.returncode == 0, done.stdout
    sent = shipped(project, material, "row")
    lowered = lower(material)
    done_, rows = with_gradients(list(lowered.surface.values()), material, lowered, sent)
    assert sent.atlas and rows == {"row:depths": "depths"}
    places = np.linspace(0, 1, 200).astype(np.float32)
    leaves = {"uv": np.stack([places * 0, places]), "gradient_atlas": sent.atlas.image}
    leaves["row:depths"] = leaf([sent.row("held")])  # as an engine sets the row of an instance
    root = done_[lowered.surface["base_colour"]]
    found = evaluate_on_gpu(gl, {"c": root}, leaves, 200)["c"]
    away = np.abs(places - 0.4) > 0.05
    stated = max(row.error for row in sent.atlas.rows) + 1e-3
    assert np.abs(found - colours_at(HELD, places)[:, :3])[away].max() < stated


def test_mixes_that_one_number_rules_become_a_gradient_within_the_stated_error() -> None:
    m = Authoring("Layered")
    low, middle, top = (
        m.expose(name, hex_) for name, hex_ in (("Low", "#102a40"), ("Mid", "#c08040"), ("Top", "#fff0c0"))
    )
    height = m.add("position", space="world").into("separate").y
    rise = m.add("clamp", name="Rise", value=height / 4.0)
    under = m.add("mix", a=low, b=middle, factor=m.add("smoothstep", value=rise, low=0.0, high=0.5))
    over = m.add("mix", name="Layers", a=under, b=top, factor=m.add("smoothstep", value=rise, low=0.5, high=1.0))
    m.add("surface", base_colour=over, roughness=rise)
    project = m.into_project(Project(name="t"))
    material = project.materials["layered"]
    found = as_gradient(material, over.ref, 0.004)
    assert found.by == rise.ref and set(found.parameters) == {"Low", "Mid", "Top"} and found.error < 0.01
    after = with_gradient(project, material, found)
    left = after.materials["layered"]
    assert {n.type for n in left.nodes.values()} >= {"gradient_lookup", "clamp"} and over.node_id not in left.nodes
    assert not any(n.type in ("mix", "smoothstep") for n in left.nodes.values())
    assert not [n for n in check_project(after) if n.severity == "error"]
    heights = np.linspace(-1, 5, 200).astype(np.float32)
    leaves = {"position_world": np.stack([heights * 0, heights, heights * 0])}
    labs = []
    for each in (project, after):
        graph = each.materials["layered"]
        lowered = lower(graph)
        given = {k: leaf(v) for k, v in uniform_values(lowered, graph, {}, ramp_images(each)).items()}
        root = lowered.surface["base_colour"]
        labs.append(oklab_of(evaluate([root], leaves | given)[root].T.astype(float)))
    assert np.linalg.norm(labs[0] - labs[1], axis=1).max() <= found.error + 1e-3
    inner = changed(material, id="inner")
    within = with_gradient(Project(name="t", snippets={"inner": inner}), inner, as_gradient(inner, over.ref, 0.004))
    assert not within.materials and over.node_id not in within.snippets["inner"].nodes
    with pytest.raises(BadEdit, match="more than one number"):
        as_gradient(two_rulers(), "both.out", 0.01)


def two_rulers() -> Material:
    m = Authoring("Two")
    place = m.add("texture_coordinates").into("separate_2")
    black, red, blue = m.expose("Black", "#000000"), m.expose("Red", "#ff0000"), m.expose("Blue", "#0000ff")
    one = m.add("mix", a=black, b=red, factor=place.x)
    m.add("surface", base_colour=m.add("mix", name="both", a=one, b=blue, factor=place.y))
    return m.material


def test_usage_counts_where_the_picture_reads_the_gradient() -> None:
    """A card that faces the camera and reads by v uses every part alike."""
    project, _ = ramped()
    scene = Scene(id="s", name="S", objects=(StageObject(id="o", name="O", asset="card", wears={"": "ramped"}),))
    models = {"card": primitive("card", 1)}
    view = View(target=(0.0, 0.0, 0.0), yaw=0.0, pitch=0.0, distance=4.0)
    found = usage_of(project, NECTAR.id, scene, models, view, ramp_images(project), LoweredMaterials())
    share = found.counts / found.counts.sum()
    assert found.parts == 1 and found.low < 0.02 and found.high > 0.98 and np.abs(share - 1 / 64).max() < 0.012
    assert not usage_of(project, "other", scene, models, view, ramp_images(project), LoweredMaterials()).counts.any()
    other = put_instance(project, Instance(id="i", name="I", parent="ramped", values={"depths": "other"}))
    worn = changed(scene, objects=(changed(scene.objects[0], wears={"": "i"}),))
    assert usage_of(other, "other", worn, models, view, ramp_images(project), LoweredMaterials()).parts == 1
    assert usage_of(other, NECTAR.id, worn, models, view, ramp_images(project), LoweredMaterials()).parts == 0


def test_beyond_its_ends_a_gradient_is_held_repeated_or_run_back() -> None:
    row = image_of_gradient(changed(gradient((0, "#000000"), (1, "#ffffff")), mixing="linear"))
    at = np.array([-0.25, 0.25, 1.25, 1.75, 2.25], np.float32)
    wanted = {
        "clamp": [0, 0.25, 1, 1, 1],
        "repeat": [0.75, 0.25, 0.25, 0.75, 0.25],
        "mirror": [0.25, 0.25, 0.75, 0.25, 0.25],
    }
    for beyond, values in wanted.items():
        m = Authoring("Beyond")
        place = m.expose("Place", 0.0)
        m.add("surface", base_colour=m.add("gradient_lookup", gradient="g", at=place, beyond=beyond))
        lowered = lower(m.material)
        root = lowered.surface["base_colour"]
        leaves = {name: leaf(v) for name, v in uniform_values(lowered, m.material, {}, {"g": row}).items()}
        assert evaluate([root], leaves | {"parameter:place": at})[root][0] == pytest.approx(values, abs=2e-3)


# Tables and eyes


def test_colour_vision_matches_colour_science() -> None:
    """The severity 1 matrices of Machado 2009 as colour-science holds them, for linear light."""
    names = {"protanopia": "Protanomaly", "deuteranopia": "Deuteranomaly", "tritanopia": "Tritanomaly"}
    for sight, name in names.items():
        reference = np.asarray(colour.blindness.CVD_MATRICES_MACHADO2010[name][1.0])
        assert np.array(WITHOUT[sight]) == pytest.approx(reference, abs=1e-6)
        assert seen_without(np.ones((1, 3)), sight) == pytest.approx(np.ones((1, 3)), abs=1e-5)  # white stays white


def test_gradients_go_to_csv_and_back_brighter_than_white_included(tmp_path: Path) -> None:
    bright = changed(HELD, stops=(*HELD.stops[:-1], Stop(at=1.0, colour=(6.0, 1.5, 0.25, 0.5))))
    path = tmp_path / "held.csv"
    path.write_text(gradient_table(bright))
    back = read_gradient_table(path)
    assert [(s.at, s.shape) for s in back.stops] == [(s.at, s.shape) for s in bright.stops]
    for one, other in zip(back.stops, bright.stops, strict=True):
        # hex has 8 bits of the sRGB curve, whose steepest step is 2.3/255 / 2 of the brightest part
        assert np.abs(np.subtract(one.colour, other.colour)).max() < 0.005 * max(1.0, *other.colour)
    for text, words in (
        ("place,colour\n0,#fff\n", "columns “at” and “colour” are missing"),
        ("at,colour\n0,#ffffff\nx,#000000\n", "line 3, column at"),
        ("at,colour\n0,red\n", "line 2, column colour"),
        ("at,colour,shape\n0,#ffffff,round\n", "line 2, column shape"),
        ("at,colour\n1.5,#ffffff\n", "line 2"),
        ("at,colour\n", "holds no stop"),
    ):
        path.write_text(text)
        with pytest.raises(BadFile, match=words):
            read_gradient_table(path)


def test_palettes_go_to_json_and_back_as_a_swap_set(tmp_path: Path) -> None:
    base = Palette(id="b", name="Base", colours=tuple(colour_from_hex(h) for h in ("#102030", "#a0b0c080")), side=3)
    other = changed(base, id="o", name="Other", colours=base.colours[::-1], swaps="b", locked=(1,))
    path = tmp_path / "set.json"
    path.write_text(palettes_table([base, other]))
    one, two = read_palettes_table(path)
    assert (one.name, side_of(one), two.swaps, two.locked) == ("Base", 3, one.id, (1,))
    assert [colour_to_hex(c) for c in two.colours] == ["#a0b0c080", "#102030"]
    for text, words in (
        ("[]", "no list of palettes"),
        ('{"palettes": [{"name": "x"}]}', "palette 1: it has no list of colours"),
        ('{"palettes": [{"colours": ["#zz"]}]}', "palette 1"),
        ('{"palettes": [{"colours": ["#ffffff"], "locked": [4]}]}', "locked places"),
        ("{", "cannot be read"),
    ):
        path.write_text(text)
        with pytest.raises(BadFile, match=words):
            read_palettes_table(path)


def test_a_gradient_without_stops_is_black_wherever_it_goes(tmp_path: Path) -> None:
    empty = Gradient(id="e", name="Empty")
    assert (colours_at(empty, [0, 1]) == [0, 0, 0, 1]).all() and atlas_of([empty], 4).rows[0].error == 0
    (tmp_path / "e.ggr").write_text(gradient_text(empty))
    assert (colours_at(read_gradient(tmp_path / "e.ggr"), [0, 1]) == [0, 0, 0, 1]).all()


# Sprites


@given(st.integers(0, 10_000), st.integers(2, 9), st.integers(2, 9))
def test_growing_names_the_same_cells(seed: int, old: int, new: int) -> None:
    random = np.random.default_rng(seed)
    count = min(old * old, new * new)
    colours = tuple((*random.random(3), 1.0) for _ in range(count))
    small = Palette(id="p", name="P", colours=colours, side=old)
    place = random.integers(0, count, (5, 7))
    codes = np.array([round(255 * cell / (old - 1)) for cell in range(old)])
    indices = np.dstack([codes[place % old], codes[place // old], place * 0, place * 0 + 255]).astype(np.uint8)
    again = reencoded(indices, old, new)
    assert (decoded(again, changed(small, side=new), new) == decoded(indices, small, old)).all()
    if new < old:
        with pytest.raises(BadValue, match="too few"):
            reencoded(np.full((1, 1, 4), 255, np.uint8), old, new)


def test_a_folder_of_sprites_shares_one_palette_and_survives_its_growing(tmp_path: Path) -> None:
    home, given_ = tmp_path / "p", tmp_path / "sprites"
    given_.mkdir()
    sheets = {f"moth_{n}": moth(4, 8 + n) for n in range(3)}
    for name, pixels in sheets.items():
        Pillow.fromarray(pixels, "RGBA").save(given_ / f"{name}.png")
    (given_ / "read me.txt").write_text("not an image")
    pictures = pictures_in([given_])
    assert [p.name for p in pictures] == sorted(sheets)
    joined = np.concatenate([p.pixels.reshape(1, -1, 4) for p in pictures], axis=1)
    listed = [c.colour for c in distinct_colours(joined[joined[..., 3] > 0][None])]
    palette = palette_of(listed, Palette(id="p", name="P"))
    sprites = indexed(pictures, palette, home)
    assert not any(sprites.missing.values())
    project = Project(name="t", palettes={"p": palette}, textures={t.id: t for t in sprites.textures})
    side = side_of(palette)
    after = grown(project, "p", side + 2, reencoded_sprites(project, palette, side + 2, home))
    for texture in sprites_of(after, "p"):
        source = sheets[texture.name.lower().replace(" ", "_")]
        pixels = pixels_of(read_image(home / texture.file, "data"))
        back = decoded(pixels, after.palettes["p"], side + 2)
        seen = source[..., 3] > 0
        assert (back[seen][:, :3] == source[seen][:, :3]).all() and (back[..., 3] == source[..., 3]).all()
    assert all((home / t.file).is_file() for t in project.textures.values())  # so that growing can be undone
    with pytest.raises(BadValue, match="do not hold"):
        reencoded_sprites(project, palette, 1, home)
    with pytest.raises(BadEdit, match="changed meanwhile"):
        grown(project, "p", side + 2, {})
    empty = tmp_path / "empty"
    empty.mkdir()
    with pytest.raises(BadFile, match="no image"):
        pictures_in([empty])


def test_traps_of_files_and_of_how_indices_are_read(tmp_path: Path) -> None:
    pixels = moth(2, 6)
    Pillow.fromarray(pixels, "RGBA").convert("P").save(tmp_path / "indexed.png")
    Pillow.fromarray(pixels[..., :3], "RGB").save(tmp_path / "lossy.jpg")
    Pillow.fromarray(pixels, "RGBA").save(tmp_path / "sound.png")
    assert "indexed mode" in file_traps(tmp_path / "indexed.png")[0]
    assert "loss" in file_traps(tmp_path / "lossy.jpg")[0] and not file_traps(tmp_path / "sound.png")
    palette = palette_of([c.colour for c in distinct_colours(pixels)], Palette(id="p", name="P"))
    (texture,) = indexed([Picture("moth", pixels)], palette, tmp_path).textures
    m = Authoring("Sprite")
    m.add(
        "unlit_surface", colour=m.add("palette_lookup", index=m.add("index_texture", texture=texture.id), palette="p")
    )
    for wrong, kind in (({"filter": "linear"}, "filtered-indices"), ({"encoding": "colour"}, "decoded-data")):
        read = changed(texture, **wrong)
        project = m.into_project(Project(name="t", palettes={"p": palette}, textures={texture.id: read}))
        (notice,) = [n for n in check_project(project) if n.kind == kind]
        fix = notice.fixes[0].of_project
        assert fix and fix(project).textures[texture.id] == texture


def test_swap_sets_follow_their_base_and_make_a_pick() -> None:
    base = Palette(id="b", name="Base", colours=tuple(colour_from_hex(h) for h in ("#402010", "#a06040", "#20a060")))
    project = Project(name="t", palettes={"b": base})
    one = swap_of(project, base, "Base turned", base.colours[::-1])
    project = with_records(project, one)
    two = swap_of(project, one, "Base turned", base.colours)
    project = with_records(project, two)
    assert [p.name for p in swap_set(project, two.id)] == ["Base", "Base turned", "Base turned 2"]
    longer = changed(base, colours=(*base.colours, *[(0.5, 0.5, 0.5, 1.0)] * 2), side=4)
    project = with_palette(project, longer)
    assert all(len(p.colours) == 5 and side_of(p) == 4 for p in swap_set(project, "b"))
    assert project.palettes[one.id].colours[:3] == base.colours[::-1]
    tinted = with_palette(project, changed(longer, colours=longer.colours[::-1]))
    assert all(tinted.palettes[each] is project.palettes[each] for each in (one.id, two.id))  # nothing to draw anew
    with pytest.raises(BadEdit, match="expose its palette"):
        pick_of_swaps(project, "b", 3)
    m = Authoring("Sprite")
    m.add("unlit_surface", colour=m.add("palette_lookup", palette=m.expose("Dust", "b", kind=Kind.PALETTE)))
    project, pick = pick_of_swaps(m.into_project(project), one.id, 3)
    held = [look(project, i) for i in pick.looks]
    assert [h.values["dust"] for h in held if h] == ["b", one.id, two.id] and pick.seed == 3
    again, same = pick_of_swaps(project, "b", 4)
    assert (same.id, same.looks, again.instances) == (pick.id, pick.looks, project.instances)


def test_capacity_warns_before_the_last_row_and_when_full() -> None:
    def held(count: int) -> str:
        return room_words(Palette(id="p", name="P", colours=((0.1, 0.1, 0.1, 1.0),) * count, side=4))

    assert held(12) == "12 of 16 cells used, 4 free" and "last row" in held(13) and "full" in held(16)


# Recolouring


def test_a_replaced_colour_takes_its_shades_along_and_leaves_the_rest() -> None:
    yellow, blue = colour_from_hex("#e8c020"), colour_from_hex("#2050c0")
    lab = oklab_of(np.array([yellow[:3]]))[0]
    shade = tuple(float(c) for c in np.clip(evaluated_oklab(lab * 0.5), 0, 1))
    row = [srgb_bytes(yellow), srgb_bytes((*shade, 1.0)), (0, 0, 0, 255), (40, 160, 60, 255), (232, 192, 32, 90)]
    pixels = np.array([row], np.uint8)
    done = replaced(pixels, yellow, blue, 0.12, 0.05)
    assert np.abs(done[0, 0].astype(int) - srgb_bytes(blue)).max() <= 1
    lights = oklab_of(linear(done[0, :2]))[:, 0]
    assert lights[1] / lights[0] == pytest.approx(0.5, abs=0.02)  # the shadow tone keeps its share of the light
    assert (done[0, 2:4] == pixels[0, 2:4]).all() and done[0, 4, 3] == 90
    # Multiplying yellow by blue gives black (common practice), which the comparison says.
    pure = np.full((2, 2, 4), (255, 255, 0, 255), np.uint8)
    assert (tinted(pure, (0.0, 0.0, 1.0, 1.0))[..., :3] == 0).all()
    failure = tint_failure(pure, (1.0, 1.0, 0.0, 1.0), (0.0, 0.0, 1.0, 1.0), 0.12, 0.05)
    assert failure.black == 1.0 and failure.apart == pytest.approx(np.linalg.norm(oklab_of(np.array([[0, 0, 1.0]]))))
    ramp = Palette(id="p", name="P", colours=(yellow, (*shade, 1.0), colour_from_hex("#2f8f50")))
    assert shades_like(ramp, 0) == (0, 1)


def linear(pixels: np.ndarray) -> np.ndarray:
    return np.asarray(colour.models.eotf_sRGB(pixels[:, :3] / 255.0))


def evaluated_oklab(lab: np.ndarray) -> np.ndarray:
    """Linear sRGB of OKLab by colour-science."""
    return np.asarray(colour.XYZ_to_RGB(colour.Oklab_to_XYZ(lab), "sRGB"))
