"""Scenes as glTF 2.0: sound by the Khronos validator, read by others, and as far off as they say."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from PIL import Image as Picture

from khronos import complaints
from soft_lantern.baked_assets.kept import _place, _read
from soft_lantern.baked_assets.scene import SceneFile
from soft_lantern.baked_assets.sheets import Sheets
from soft_lantern.baked_assets.surfaces import CANNOT
from soft_lantern.baked_assets.target import gltf_target
from soft_lantern.commands.baking import bake_scene
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.gltf import Document
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.project_source import from_disk
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Instance, Project, Scene, StageObject, Texture, changed, with_records
from soft_lantern.graph.instances.values import put_instance
from soft_lantern.ir.expr import Op, Type, const, input_, make, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.surface_inputs import vertex
from soft_lantern.progress import silent
from soft_lantern.scene.colour_layers import by_vertex, kept_selection
from soft_lantern.scene.mesh import ColourLayer, Model
from soft_lantern.scene.primitives import primitive
from soft_lantern.values.images import Image


def plain() -> tuple[Project, dict[str, Model]]:
    """A ball whose colour goes across it with u, and whose rough half is worn by hand."""
    m = Authoring("Across")
    u = m.add("texture_coordinates").into("separate_2").x
    tint = m.expose("Tint", (0.8, 0.4, 0.2, 1.0))
    colour = m.add("mix", a=(0.0, 0.0, 0.0, 1.0), b=tint, factor=u)
    m.add("surface", base_colour=colour, roughness=u, metallic=0.25, emissive=(0.0, 2.0, 0.5, 1.0))
    project = m.into_project(Project(name="Across"))
    project = put_instance(
        project, Instance(id="blue", name="Blue", parent=m.material.id, values={"tint": (0.0, 0.0, 1.0, 1.0)})
    )
    asset = Asset(id="ball", name="Ball", primitive="sphere", subdivision=32)
    thing = StageObject(id="one", name="One", asset="ball", position=(1.0, 2.0, 3.0), wears={"": m.material.id})
    scene = Scene(id="s", name="S", objects=(thing,))
    return with_records(project, asset, scene), {"ball": primitive("sphere", 32)}


def picture(document: Document, index: int) -> np.ndarray:
    source = document.json["images"][document.json["textures"][index]["source"]]
    view = document.json["bufferViews"][source["bufferView"]]
    data = document.blob[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]
    return np.asarray(Picture.open(io.BytesIO(bytes(data))))


def test_what_is_the_same_all_over_leaves_as_its_numbers_however_many_texels_there_are(tmp_path: Path) -> None:
    m = Authoring("Plain")
    m.add("surface", base_colour=(0.3, 0.7, 0.1, 1.0), roughness=0.3)
    project, models = plain()
    worn = changed(project.scenes["s"].objects[0], wears={"": m.material.id})
    scene = Scene(id="s", name="S", objects=(worn,))
    file = SceneFile(m.into_project(project), scene, models, {}, Sheets(512))
    path = tmp_path / "s.glb"
    path.write_bytes(file.made({m.material.id}))
    (material,) = Document(path).json["materials"]
    told = material["pbrMetallicRoughness"]
    assert told["baseColorFactor"] == pytest.approx([0.3, 0.7, 0.1, 1.0], abs=1e-6)
    assert told["roughnessFactor"] == pytest.approx(0.3, abs=1e-6)
    assert not any(each["most"] for each in file.told[0]["off_by_steps_of_255"].values())


def test_a_look_is_in_its_pictures_and_the_others_are_variants(tmp_path: Path) -> None:
    project, models = plain()
    scene, (material,) = project.scenes["s"], project.materials.values()
    file = SceneFile(project, scene, models, {}, Sheets(64))
    path = tmp_path / "s.glb"
    path.write_bytes(file.made({material.id}))
    assert complaints(path) == []  # the Khronos validator
    again = SceneFile(project, scene, models, {}, Sheets(64)).made({material.id})
    assert path.read_bytes() == again
    fewer = tmp_path / "fewer.glb"
    fewer.write_bytes(SceneFile(project, scene, models, {}, Sheets(64), looks=()).made({material.id}))
    assert [each["name"] for each in Document(fewer).json["extensions"]["KHR_materials_variants"]["variants"]] == [
        "Across"
    ]
    document = Document(path)
    held = document.json
    assert [each["name"] for each in held["extensions"]["KHR_materials_variants"]["variants"]] == ["Across", "Blue"]
    ((only,),) = (mesh["primitives"] for mesh in held["meshes"])
    mappings = only["extensions"]["KHR_materials_variants"]["mappings"]
    assert [each["variants"] for each in mappings] == [[0], [1]] and mappings[0]["material"] == only["material"]
    own, blue = (held["materials"][each["material"]] for each in mappings)
    rough = own["pbrMetallicRoughness"]
    assert rough["roughnessFactor"] == rough["metallicFactor"] == 1.0 and "normalTexture" not in own
    texels = picture(document, rough["metallicRoughnessTexture"]["index"])
    middles = (np.arange(64) + 0.5) / 64
    assert np.abs(texels[32, :, 1] / 255 - middles).max() < 1.5 / 255  # green is roughness, u by u
    assert np.abs(texels[..., 2] / 255 - 0.25).max() < 1 / 255  # blue is metallic
    base = picture(document, rough["baseColorTexture"]["index"]).astype(float) / 255
    linear = np.where(base <= 0.04045, base / 12.92, ((base + 0.055) / 1.055) ** 2.4)  # IEC 61966-2-1
    assert np.abs(linear[32, :, :3] - middles[:, None] * [0.8, 0.4, 0.2]).max() < 0.01
    assert own["emissiveFactor"] == pytest.approx([0.0, 1.0, 0.25])
    strength = own["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"]
    assert strength == pytest.approx(2.0)
    tinted = picture(document, blue["pbrMetallicRoughness"]["baseColorTexture"]["index"])
    assert not tinted[..., :2].any() and tinted[..., 2].max() > 250
    (row, _) = file.told
    assert row["cannot_be_baked"] == [] and row["off_by_steps_of_255"]["roughness"]["most"] < 2.5
    other = trimesh.load_scene(path)
    assert np.allclose(other.bounds.mean(axis=0), (1.0, 2.0, 3.0), atol=1e-5)


def test_objects_share_pictures_where_they_look_the_same_and_have_their_own_where_they_do_not() -> None:
    project, models = plain()
    (one,), (across,) = project.scenes["s"].objects, project.materials.values()
    m = Authoring("Ramp")
    height = m.add("position").into("separate").y
    m.add("surface", base_colour=m.add("mix", a=(0.0, 0.0, 0.0, 1.0), b=(1.0, 1.0, 1.0, 1.0), factor=height / 4))
    project = m.into_project(project)
    higher = changed(one, id="two", name="Two", position=(1.0, 3.0, 3.0))

    def materials(look: str) -> tuple[int, int]:
        scene = Scene(id="s", name="S", objects=tuple(changed(each, wears={"": look}) for each in (one, higher)))
        file = SceneFile(project, scene, models, {}, Sheets(32))
        file.made({look})
        return len(file.file.materials), len(file.told)

    assert materials(across.id) == (2, 4)  # two looks; told for either object
    assert materials(m.material.id) == (2, 2)  # one look of the world's height, at two heights


def test_what_cannot_be_baked_is_said_and_a_part_without_coordinates_is_unfolded(tmp_path: Path) -> None:
    home = tmp_path / "p"
    write_demo(home)
    project = open_project(home).project
    models, images = from_disk(home)(project)
    file = SceneFile(project, project.scenes["nectar_basin"], models, images, Sheets(32))
    path = tmp_path / "n.glb"
    path.write_bytes(file.made(set(project.materials)))
    assert complaints(path) == []
    told = {(row["part"], row["look"]): row for row in file.told}
    nectar = next(row for (part, _), row in told.items() if part == "nectar")
    assert set(nectar["cannot_be_baked"]) >= {CANNOT[key] for key in ("time", "depth", "view", "offset", "cut")}
    stones = next(row for (part, look), row in told.items() if part == "stone 1" and look == "Wet stone")
    assert not set(stones["cannot_be_baked"]) & {CANNOT["depth"], CANNOT["behind"]}
    held = json.loads(json.dumps(Document(path).json))
    unfolded = [row for row in file.told if "unfolded_anew_because" in row]
    assert unfolded
    sets = {m.get("texCoord", 0) for each in held["materials"] for m in _textures(each)}
    assert sets >= {0, 1}  # beside the asset's own coordinates, which stay
    for mesh in held["meshes"]:
        for each in mesh["primitives"]:
            assert not any(name.startswith("COLOR_") for name in each["attributes"])


def _textures(value: object) -> list[dict[str, int]]:
    if not isinstance(value, dict):
        return []
    own = [each for key, each in value.items() if key.endswith("Texture")]
    return own + [found for each in value.values() for found in _textures(each)]


def test_colours_painted_at_corners_are_in_the_pictures_and_tint_nothing(tmp_path: Path) -> None:
    """A part whose mesh was split for its colours, with a selection kept beside them."""
    m = Authoring("Painted")
    m.add("unlit_surface", colour=m.add("vertex_colour"))
    project = m.into_project(Project(name="Painted"))
    (part,) = primitive("plane", 1).parts
    corners = np.tile([1.0, 0.0, 0.0, 1.0], (len(part.mesh.triangles) * 3, 1)).astype(np.float32)
    corners[3:] = (0.0, 0.0, 1.0, 1.0)  # the first triangle red, all others blue
    layer = ColourLayer("Halves", corners, "corner")
    chosen = kept_selection("Some", np.ones(len(part.mesh.positions), bool))
    split, values = by_vertex(part.mesh, [layer])
    painted = replace(part, mesh=split.recoloured(values[0]), layers=(layer, chosen), under=part.mesh)
    asset = Asset(id="sheet", name="Sheet", primitive="plane", subdivision=1)
    thing = StageObject(id="one", name="One", asset="sheet", wears={"": m.material.id})
    scene = Scene(id="s", name="S", objects=(thing,))
    path = tmp_path / "p.glb"
    file = SceneFile(with_records(project, asset, scene), scene, {"sheet": Model((painted,))}, {}, Sheets(64))
    path.write_bytes(file.made({m.material.id}))
    assert complaints(path) == []
    document = Document(path)
    ((only,),) = (mesh["primitives"] for mesh in document.json["meshes"])
    assert "_HALVES" in only["attributes"] and "_SOME" not in only["attributes"]
    (material,) = document.json["materials"]
    texels = picture(document, material["pbrMetallicRoughness"]["baseColorTexture"]["index"])
    shares = [(texels[..., :3] == each).all(axis=2).mean() for each in ([255, 0, 0], [0, 0, 255])]
    assert sum(shares) > 0.95 and min(shares) > 0.1


def test_a_texture_that_is_only_tiled_and_tinted_goes_out_as_it_is(tmp_path: Path) -> None:
    """Source: KHR_texture_transform; the pictures hold the texels themselves, so that nothing is off."""
    chance = np.random.default_rng(3)
    rough, bumps = (chance.integers(0, 256, (8, 8, 4), np.uint8) for _ in range(2))
    rough[..., 3] = bumps[..., 3] = 255
    bumps[..., 2] = 200
    leaf = chance.integers(0, 256, (4, 4, 4), np.uint8)
    m = Authoring("Tiled")
    uv = m.add("tile_coordinates", tiling=(3.0, 2.0), offset=(0.25, -0.5))
    read = m.add("image", texture="leaf", uv=uv)
    tinted = m.add("multiply_tint", colour=read.colour, tint=m.expose("Tint", (0.5, 1.0, 0.25, 1.0)))
    packed = m.add("image", texture="rough", uv=uv).colour.into("separate_colour")
    m.add(
        "surface",
        base_colour=tinted,
        alpha_mode="blend",
        roughness=packed.g,
        metallic=packed.b,
        normal=m.add("normal_map", texture="bumps", uv=uv, scale=0.5),
    )
    textures = [
        Texture(id="leaf", name="Leaf", file="leaf.png", filter="nearest", wrap="mirror"),
        *(Texture(id=key, name=key, file=f"{key}.png", encoding="data") for key in ("rough", "bumps")),
    ]
    images = {
        "leaf": Image(leaf, "colour", "nearest", "mirror"),
        "rough": Image(rough, "data"),
        "bumps": Image(bumps, "data"),
    }
    thing = StageObject(id="one", name="One", asset="ball", wears={"": m.material.id})
    scene = Scene(id="s", name="S", objects=(thing,))
    asset = Asset(id="ball", name="Ball", primitive="sphere", subdivision=32)
    project = with_records(m.into_project(Project(name="Tiled")), *textures, asset, scene)
    file = SceneFile(project, scene, {"ball": primitive("sphere", 32)}, images, Sheets(64))
    path = tmp_path / "t.glb"
    path.write_bytes(file.made({m.material.id}))
    assert complaints(path) == []
    document = Document(path)
    (material,) = document.json["materials"]
    base = material["pbrMetallicRoughness"]
    placed = {"scale": [3.0, 2.0], "offset": [0.25, -0.5]}
    for use, wanted in (
        (base["baseColorTexture"], leaf),
        (base["metallicRoughnessTexture"], rough[..., :3]),
        (material["normalTexture"], bumps[..., :3]),
    ):
        assert use["extensions"]["KHR_texture_transform"] == placed
        assert np.array_equal(picture(document, use["index"]), wanted)
    assert base["baseColorFactor"] == [0.5, 1.0, 0.25, 1.0] and material["normalTexture"]["scale"] == 0.5
    sampler = document.json["samplers"][document.json["textures"][base["baseColorTexture"]["index"]]["sampler"]]
    assert sampler == {"magFilter": 9728, "minFilter": 9728, "wrapS": 33648, "wrapT": 33648}  # glTF 2.0, 5.26
    (row,) = file.told
    assert row["textures"] == [] and row["textures_as_they_are"] == ["base_colour", "metallic_roughness", "normal"]
    assert all(each["most"] <= 0.1 for each in row["off_by_steps_of_255"].values())


def test_light_that_was_baked_leaves_beside_the_scene(tmp_path: Path) -> None:
    home = tmp_path / "p"
    write_demo(home)
    bake_scene(home, "night_grotto", 1, 1, None, silent)
    project = open_project(home).project
    alone = changed(project, scenes={"night_grotto": project.scenes["night_grotto"]})
    made = gltf_target(home, side=16)["gltf"].files(alone, [project.materials["vine_bark"]], silent)
    light = json.loads(made["night_grotto.light.json"])
    maps = {row["light_map"] for row in light["light_maps"]}
    assert maps and maps <= made.keys() and {row["mesh"] for row in light["light_maps"]} <= made.keys()
    assert light["probes"]["coefficients"]
    (row,) = (each for each in light["light_maps"] if each["object"] == "Grotto rock")
    mesh = tmp_path / "rock.glb"
    mesh.write_bytes(bytes(made[row["mesh"]]))  # type: ignore[arg-type]
    held = Document(mesh).json
    assert {each["name"] for each in held["meshes"]} == row["coordinate_set"].keys()
    for each in held["meshes"]:
        (only,) = each["primitives"]
        assert f"TEXCOORD_{row['coordinate_set'][each['name']]}" in only["attributes"]


def test_thousands_of_steps_in_a_row_are_no_trouble() -> None:
    uv, offset = input_("uv", Type.VEC2), surface_input("object_y") * 0.1
    colour = make(Op.TEXTURE, uniform("leaf", Type.SAMPLER), uv)
    for _ in range(3000):
        uv, colour, offset = uv + const(0.001, 0.0), colour * 0.999, offset + offset
    assert _place(uv) is None and _read(colour) is None  # baked, and not told as they are
    assert vertex(offset)["position_world"].type is Type.VEC3
