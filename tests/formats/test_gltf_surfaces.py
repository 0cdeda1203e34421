"""Materials of glTF files, held against trimesh's own reading of the same files and against numbers worked by hand."""

from __future__ import annotations

import base64
import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image as Pillow

from soft_lantern.errors import BadFile
from soft_lantern.formats.assets import Imported, bring_in, load_models
from soft_lantern.formats.images import load_images
from soft_lantern.graph.document import Asset, Project, changed
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notice import Severity
from soft_lantern.graph.notices.project import check_project
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.refine import halved
from soft_lantern.values.colour import srgb_to_linear


def png(*pixels: tuple[int, ...]) -> bytes:
    """A picture one pixel high."""
    held = io.BytesIO()
    Pillow.fromarray(np.array([pixels], np.uint8)).save(held, "PNG")
    return held.getvalue()


def glb(path: Path, materials: list[dict[str, Any]], images: list[bytes] = (), **more: Any) -> Path:
    """One triangle for each material, with two sets of texture coordinates, and embedded images."""
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
    normals, uvs = np.tile([0, 0, 1], (3, 1)).astype("<f4"), np.array([[0, 0], [1, 0], [0, 1]], "<f4")
    blob, views = b"", []
    for data in (points.tobytes(), normals.tobytes(), uvs.tobytes(), (1 - uvs).astype("<f4").tobytes(), *images):
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(data)})
        blob += data + b"\0" * (-len(data) % 4)
    kinds = ("VEC3", "VEC3", "VEC2", "VEC2")
    accessors = [{"bufferView": i, "componentType": 5126, "count": 3, "type": kind} for i, kind in enumerate(kinds)]
    accessors[0] |= {"min": [0, 0, 0], "max": [1, 1, 0]}
    attributes = {"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2, "TEXCOORD_1": 3}
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": list(range(len(materials)))}],
        "nodes": [{"name": f"leaf {i}", "mesh": i} for i in range(len(materials))],
        "meshes": [{"primitives": [{"attributes": attributes, "material": i}]} for i in range(len(materials))],
        "materials": materials,
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": views,
        "accessors": accessors,
    }
    if images:
        document["images"] = [{"bufferView": 4 + i, "mimeType": "image/png"} for i in range(len(images))]
        document["textures"] = [{"source": i} for i in range(len(images))]
    document |= more
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(blob), 0x004E4942) + blob
    path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks)
    return path


def brought(path: Path, folder: Path) -> tuple[Imported, Project]:
    found = bring_in(path, folder)
    project = found.into(Project(name="P"))
    assert not [n for n in check_project(project, load_images(project, folder)[0]) if n.severity is not Severity.INFO]
    return found, project


def surface_at(project: Project, folder: Path, worn: str, **inputs: tuple[float, ...]) -> dict[str, np.ndarray]:
    """Every value of the surface of a look, where the inputs are."""
    found = look(project, worn)
    assert found
    images, notices = load_images(project, folder)
    assert not notices
    lowered = lower(found.material)
    values = uniform_values(lowered, found.material, found.values, images)
    leaves = {name: leaf(each.default) for name, each in INPUTS.items()}
    leaves |= {name: leaf(value) for name, value in values.items()} | {n: leaf(v) for n, v in inputs.items()}
    computed = evaluate(lowered.surface.values(), leaves)
    return {name: np.ravel(computed[expr]) for name, expr in lowered.surface.items()}


def test_a_material_reads_as_trimesh_reads_it(tmp_path: Path) -> None:
    """Written by trimesh's own exporter, with a picture, and read back by both."""
    picture = Pillow.fromarray(np.array([[[200, 40, 90], [12, 250, 3]]], np.uint8))
    material = trimesh.visual.material.PBRMaterial(
        name="glaze",
        baseColorFactor=[128, 255, 64, 255],
        baseColorTexture=picture,
        metallicFactor=0.3,
        roughnessFactor=0.7,
        emissiveFactor=[0.1, 0.2, 0.0],
        doubleSided=True,
        alphaMode="MASK",
        alphaCutoff=0.25,
    )
    box = trimesh.creation.box()
    visual = trimesh.visual.TextureVisuals(uv=np.full((len(box.vertices), 2), 0.25), material=material)
    path = tmp_path / "pot.glb"
    trimesh.Trimesh(box.vertices, box.faces, visual=visual, process=False).export(path)
    (theirs,) = trimesh.load_scene(path).geometry.values()
    said = theirs.visual.material
    found, project = brought(path, tmp_path / "project")
    (instance,) = project.instances.values()
    assert instance.name == said.name == "glaze"
    got = surface_at(project, tmp_path / "project", found.wears[""], uv=(0.25, 0.5))
    texel = np.array(said.baseColorTexture.convert("RGB"))[0, 0]
    factor = np.asarray(said.baseColorFactor, float)
    factor = factor / 255 if factor.max() > 1 else factor
    wanted = [srgb_to_linear(t / 255) * k for t, k in zip(texel, factor[:3], strict=True)]
    assert got["base_colour"] == pytest.approx(wanted, abs=2e-3)
    assert got["metallic"] == pytest.approx(said.metallicFactor) and got["roughness"] == pytest.approx(
        said.roughnessFactor
    )
    assert got["emissive"] == pytest.approx(np.asarray(said.emissiveFactor, float), abs=1e-6)
    assert got["alpha_cutoff"] == pytest.approx(said.alphaCutoff)
    (made,) = project.materials.values()
    assert lower(made).traits["alpha_mode"] == "mask" and lower(made).traits["double_sided"] == "yes"


def test_every_factor_texture_and_extension_by_hand(tmp_path: Path) -> None:
    """glTF 2.0, section 3.9.2: roughness is green, metallic blue, occlusion red with 1 + strength·(r − 1);
    emissive strength and specular by their extensions; the texture transform moves u by a half."""
    images = [png((255, 255, 255, 255), (0, 0, 0, 255)), png((102, 153, 51, 204))]
    given = {
        "name": "bell",
        "pbrMetallicRoughness": {
            "baseColorFactor": [0.5, 0.25, 1.0, 0.5],
            "baseColorTexture": {"index": 0, "extensions": {"KHR_texture_transform": {"offset": [0.5, 0]}}},
            "metallicFactor": 0.5,
            "roughnessFactor": 0.5,
            "metallicRoughnessTexture": {"index": 1},
        },
        "occlusionTexture": {"index": 1, "strength": 0.5, "texCoord": 1},
        "emissiveFactor": [1.0, 0.5, 0.0],
        "alphaMode": "BLEND",
        "extensions": {
            "KHR_materials_emissive_strength": {"emissiveStrength": 8.0},
            "KHR_materials_specular": {
                "specularFactor": 0.5,
                "specularTexture": {"index": 1},
                "specularColorFactor": [1.0, 0.5, 0.5],
            },
        },
    }
    path = glb(tmp_path / "bell.glb", [given], images)
    found, project = brought(path, tmp_path / "project")
    got = surface_at(project, tmp_path / "project", found.wears[""], uv=(0.75, 0.5), uv1=(0.0, 0.0))
    # u = 0.75 + 0.5 = 1.25, which repeats to the middle of the white half.
    assert got["base_colour"] == pytest.approx([0.5, 0.25, 1.0], abs=1e-6) and got["alpha"] == pytest.approx(0.5)
    assert got["metallic"] == pytest.approx(0.5 * 0.2) and got["roughness"] == pytest.approx(0.5 * 0.6)
    assert got["occlusion"] == pytest.approx(1 + 0.5 * (0.4 - 1))
    assert got["emissive"] == pytest.approx([8.0, 4.0, 0.0])
    assert got["specular"] == pytest.approx(0.5 * 0.8) and got["specular_colour"] == pytest.approx([1, 0.5, 0.5])
    encodings = {t.name: t.encoding for t in project.textures.values()}
    assert sorted(encodings.values()) == ["colour", "data"]


def test_alike_surfaces_share_a_material_and_every_part_wears_its_own(tmp_path: Path) -> None:
    plain = [
        {"name": name, "pbrMetallicRoughness": {"roughnessFactor": r}} for name, r in (("dull", 0.9), ("shiny", 0.1))
    ]
    path = glb(tmp_path / "two.glb", [*plain, {"name": "lamp", "extensions": {"KHR_materials_unlit": {}}}])
    found, project = brought(path, tmp_path / "project")
    assert len(project.materials) == 2 and len(project.instances) == 3
    worn = {part: project.instances[i].name for part, i in found.wears.items()}
    assert worn == {"leaf 0": "dull", "leaf 1": "shiny", "leaf 2": "lamp"}
    for part, roughness in (("leaf 0", 0.9), ("leaf 1", 0.1)):
        got = surface_at(project, tmp_path / "project", found.wears[part])
        assert got["roughness"] == pytest.approx(roughness)
    assert lower(project.materials[project.instances[found.wears["leaf 2"]].parent]).unlit


def test_samplers_and_what_is_not_read_are_told(tmp_path: Path) -> None:
    given = {
        "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}},
        "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 1.0}},
    }
    sampler = {"magFilter": 9728, "wrapS": 33648, "wrapT": 33071}
    path = glb(
        tmp_path / "tile.glb",
        [given],
        [png((9, 9, 9))],
        samplers=[sampler],
        textures=[{"source": 0, "sampler": 0}],
        extensionsUsed=["KHR_materials_clearcoat"],
    )
    found, project = brought(path, tmp_path / "project")
    (texture,) = project.textures.values()
    assert (texture.filter, texture.wrap) == ("nearest", "mirror")
    assert any("KHR_materials_clearcoat" in remark for remark in found.model.remarks)
    assert any("wraps differently" in remark for remark in found.model.remarks)


def test_a_texture_beside_the_file_is_copied_and_one_that_is_gone_is_said(tmp_path: Path) -> None:
    (tmp_path / "from").mkdir()
    (tmp_path / "from" / "a b.png").write_bytes(png((255, 0, 0)))
    given = {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}
    path = glb(tmp_path / "from" / "x.glb", [given])
    # As .gltf with its data in it, so that the picture is a file of its own.
    data = path.read_bytes()
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    document["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(data[28 + size :]).decode()
    document |= {"images": [{"uri": "a%20b.png"}, {"uri": "gone.png"}], "textures": [{"source": 0}, {"source": 1}]}
    beside = tmp_path / "from" / "x.gltf"
    beside.write_text(json.dumps(document))
    found, project = brought(beside, tmp_path / "project")
    got = surface_at(project, tmp_path / "project", found.wears[""], uv=(0.5, 0.5))
    assert got["base_colour"] == pytest.approx([1, 0, 0], abs=1e-6)
    document["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]["index"] = 1
    beside.write_text(json.dumps(document))
    again = bring_in(beside, tmp_path / "project").into(Project(name="P"))
    _, notices = load_images(again, tmp_path / "project")
    assert "is missing" in notices[0].text


@pytest.mark.parametrize("broken", [{"index": 7}, {"index": "no"}, {}])
def test_broken_materials_are_said_and_nothing_is_copied(tmp_path: Path, broken: dict[str, Any]) -> None:
    path = glb(tmp_path / "bad.glb", [{"normalTexture": {**broken, "scale": 1}}])
    with pytest.raises(BadFile, match=r"bad\.glb has materials"):
        bring_in(path, tmp_path / "project")
    assert not (tmp_path / "project").exists()


def test_refining_cuts_in_four_and_keeps_shape_and_coordinates(tmp_path: Path) -> None:
    mesh = primitive("cube", 8).parts[0].mesh
    fine = halved(mesh)
    assert len(fine.triangles) == 4 * len(mesh.triangles)
    # An edge has one new vertex, however many triangles share it.
    edges = np.unique(np.sort(mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1), axis=0)
    assert len(fine.positions) == len(mesh.positions) + len(edges)

    def area(m: Any) -> float:
        a, b, c = (m.positions[m.triangles[:, i]] for i in range(3))
        return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)

    assert area(fine) == pytest.approx(area(mesh)) == pytest.approx(24, rel=1e-5)
    assert np.abs(np.linalg.norm(fine.normals, axis=1) - 1).max() < 1e-5
    path = glb(tmp_path / "one.glb", [{}])
    asset = bring_in(path, tmp_path / "project").asset
    for times, wanted in ((0, 1), (3, 64)):
        held: Asset = changed(asset, refine=times)
        models, notices = load_models(Project(name="P", assets={asset.id: held}), tmp_path / "project")
        assert len(models[asset.id].parts[0].mesh.triangles) == wanted and not notices
    _, notices = load_models(Project(name="P", assets={asset.id: changed(asset, refine=12)}), tmp_path / "project")
    assert "at most" in notices[0].text
