"""Files of colour layers: read back bit for bit, and by trimesh as any glTF."""

from __future__ import annotations

import json
import struct
from pathlib import Path

import numpy as np
import pytest
import trimesh
from tests.khronos import complaints

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats.assets import read_model
from soft_lantern.formats.glb import attribute_names, write_glb
from soft_lantern.formats.gltf import Document
from soft_lantern.formats.layer_files import read_layers, write_layers
from soft_lantern.scene.colour_layers import at_corners, in_precision, places
from soft_lantern.scene.mesh import ColourLayer, Part
from soft_lantern.scene.primitives import primitive

BALL, CUBE = (primitive(shape, 6).parts[0].mesh for shape in ("sphere", "cube"))


def layers() -> list[ColourLayer]:
    chance = np.random.default_rng(3)

    def layer(name: str, domain: str, precision: str, use: str) -> ColourLayer:
        values = chance.random((places(BALL, domain), 4), np.float32)  # type: ignore[arg-type]
        return ColourLayer(name, in_precision(values, precision), domain, precision, use)  # type: ignore[arg-type]

    return [
        layer("Edge wear", "corner", "8 bit", "data"),
        layer("Tint", "vertex", "8 bit", "colour"),
        layer("Moss", "corner", "16 bit", "data"),
        layer("Glow", "vertex", "float", "colour"),
    ]


def test_layers_come_back_bit_for_bit_in_their_order_and_trimesh_reads_the_same(tmp_path: Path) -> None:
    made = layers()
    plain = ColourLayer("Plain", np.ones((len(CUBE.positions), 4), np.float32))
    write_layers(tmp_path / "l.glb", {"ball": (BALL, made), "cube": (CUBE, [plain])})
    read = read_layers(tmp_path / "l.glb")
    assert list(read) == ["ball", "cube"]
    stood, kept = read["ball"]
    assert (stood.positions == BALL.positions).all() and (stood.triangles == BALL.triangles).all()
    for before, after in zip(made, kept, strict=True):
        assert (before.name, before.domain, before.precision, before.use) == (
            *(after.name, after.domain, after.precision, after.use),
        )
        assert (before.values == after.values).all()
    scene = trimesh.load(tmp_path / "l.glb", process=False)
    by_vertex = next(g for g in scene.geometry.values() if len(g.vertices) == len(BALL.positions))
    tint = np.asarray(by_vertex.visual.vertex_colors)
    assert (tint == np.rint(made[1].values * 255)).all()


def test_a_damaged_file_is_refused_in_one_sentence(tmp_path: Path) -> None:
    path = tmp_path / "l.glb"
    with pytest.raises(BadFile, match="missing"):
        read_layers(path)
    write_layers(path, {"ball": (BALL, layers())})
    whole = path.read_bytes()
    size = struct.unpack_from("<I", whole, 12)[0]
    text = json.loads(whole[20 : 20 + size])
    for spoil, harm in (("name", 99), ("domain", 99), ("set", 99), ("set", float("inf")), ("precision", 99)):
        told = text["meshes"][0]["extras"]["layers"][0]
        kept, told[spoil] = told[spoil], harm
        body = json.dumps(text).encode().ljust(size + 64)
        head = struct.pack("<III", 0x46546C67, 2, 0) + struct.pack("<II", len(body), 0x4E4F534A)
        path.write_bytes(head + body + whole[20 + size :])
        if spoil == "name":
            assert read_layers(path)["ball"][1][0].name == "99"
        else:
            with pytest.raises(BadFile, match="no sound file of colour layers"):
                read_layers(path)
        told[spoil] = kept
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(BadFile):
        read_layers(path)
    with pytest.raises(BadValue, match="has 3 values"):
        write_layers(path, {"ball": (BALL, [ColourLayer("Short", np.ones((3, 4), np.float32))])})


def test_a_mesh_leaves_with_its_colours_as_glTF_has_them_and_data_under_names_of_their_own(tmp_path: Path) -> None:
    """COLOR_n of the glTF 2.0 specification, section 3.7.2.1; by it, names that begin with _ are free for use."""
    made = layers()
    assert attribute_names(made) == ["_EDGE_WEAR", "COLOR_0", "_MOSS", "COLOR_1"]
    assert attribute_names([made[0], made[0]]) == ["_EDGE_WEAR", "_EDGE_WEAR_2"]
    path = tmp_path / "ball.glb"
    write_glb(path, [Part("ball", BALL, layers=tuple(made))])
    assert complaints(path) == []  # the Khronos validator
    document = Document(path)
    (primitive_,) = document.json["meshes"][0]["primitives"]
    order = document.numbers(primitive_["indices"]).reshape(-1)
    for name, layer in zip(attribute_names(made), made, strict=True):
        assert (document.numbers(primitive_["attributes"][name])[order] == at_corners(layer, BALL)).all(), name
    points = document.numbers(primitive_["attributes"]["POSITION"])[order]
    assert (points == BALL.positions[BALL.triangles.reshape(-1)]).all()
    (read,) = trimesh.load(path, process=False).geometry.values()
    colours = np.asarray(read.visual.vertex_colors)[np.asarray(read.faces).reshape(-1)]
    assert (colours == np.rint(at_corners(made[1], BALL) * 255)).all()
    again = read_model(path).parts[0].mesh  # and by us: the first colour is the mesh's own
    assert again.has_colours and (again.colours[again.triangles.reshape(-1)] == at_corners(made[1], BALL)).all()
