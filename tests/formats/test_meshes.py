"""Meshes: primitives, glTF and OBJ, held against trimesh's own reading of the same files."""

from __future__ import annotations

import base64
import json
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from trimesh.ray.ray_pyembree import RayMeshIntersector

from soft_lantern.errors import BadFile
from soft_lantern.formats.assets import bring_in, load_models, read_model
from soft_lantern.formats.gltf import read_gltf
from soft_lantern.graph.document import Asset, Project
from soft_lantern.scene.mesh import Mesh, Model
from soft_lantern.scene.picking import nearest_hit
from soft_lantern.scene.primitives import PRIMITIVES, primitive


def world_triangles(model: Model) -> np.ndarray:
    """All triangles' corners in the model's own space, (n, 3, 3)."""
    placed = []
    for part in model.parts:
        points = part.mesh.positions @ part.transform[:3, :3].T + part.transform[:3, 3]
        placed.append(points[part.mesh.triangles])
    return np.concatenate(placed)


def facing(mesh: Mesh) -> np.ndarray:
    """For every triangle, the cosine between its own normal and the normals at its corners."""
    a, b, c = (mesh.positions[mesh.triangles[:, i]] for i in range(3))
    own = np.cross(b - a, c - a)
    has_area = np.linalg.norm(own, axis=1) > 1e-9
    own, given = own[has_area], mesh.normals[mesh.triangles].mean(axis=1)[has_area]
    return np.einsum("ij,ij->i", own, given) / np.linalg.norm(own, axis=1) / np.linalg.norm(given, axis=1)


@pytest.mark.parametrize("shape", PRIMITIVES)
def test_primitives_face_outwards_and_have_unit_normals(shape: str) -> None:
    mesh = primitive(shape, 24).parts[0].mesh
    assert facing(mesh).min() > 0.9
    assert np.linalg.norm(mesh.normals, axis=1) == pytest.approx(1, abs=1e-5)
    low, high = mesh.bounds
    assert high - low == pytest.approx([2, 0 if shape == "plane" else 2, 0 if shape == "card" else 2], abs=0.02)
    assert len(primitive(shape, 96).parts[0].mesh.triangles) > len(mesh.triangles)


@pytest.mark.parametrize("name", ["terrace_cliff", "lantern_post"])
def test_demo_meshes_read_as_trimesh_reads_them(demo_folder: Path, name: str) -> None:
    path = demo_folder / "meshes" / name / f"{name}.glb"
    model = read_gltf(path)
    other = trimesh.load_scene(path)
    theirs = other.to_geometry()
    ours = world_triangles(model)
    assert len(model.parts) == len(other.geometry) >= 4
    assert ours.reshape(-1, 3).min(axis=0) == pytest.approx(theirs.bounds[0], abs=1e-5)
    assert ours.reshape(-1, 3).max(axis=0) == pytest.approx(theirs.bounds[1], abs=1e-5)
    areas = np.linalg.norm(np.cross(ours[:, 1] - ours[:, 0], ours[:, 2] - ours[:, 0]), axis=1) / 2
    assert areas.sum() == pytest.approx(theirs.area, rel=1e-5)
    assert np.median(np.concatenate([facing(p.mesh) for p in model.parts])) > 0.9


def gltf(tmp_path: Path, **changes: Any) -> Path:
    """A square as .gltf with a buffer file: interleaved and normalised data, a nested and turned node, a strip."""
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], "<f4")
    uvs = np.array([[0, 65535], [65535, 65535], [0, 0], [65535, 0]], "<u2")
    rows = b"".join(p.tobytes() + u.tobytes() for p, u in zip(points, uvs, strict=True))
    strip = np.array([0, 1, 2, 3], "<u1").tobytes()
    (tmp_path / "square data.bin").write_bytes(rows + strip)
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [
            {"name": "parent", "children": [1], "translation": [10, 0, 0]},
            {"name": "leaf", "mesh": 0, "rotation": [0, 0, 0.7071067811865476, 0.7071067811865476], "scale": [2, 2, 2]},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2, "mode": 5}]}],
        "buffers": [{"uri": "square%20data.bin", "byteLength": 68}],
        "bufferViews": [
            {"buffer": 0, "byteLength": 64, "byteStride": 16},
            {"buffer": 0, "byteOffset": 64, "byteLength": 4},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"},
            {"bufferView": 0, "byteOffset": 12, "componentType": 5123, "normalized": True, "count": 4, "type": "VEC2"},
            {"bufferView": 1, "componentType": 5121, "count": 4, "type": "SCALAR"},
        ],
    }
    document.update(changes)
    path = tmp_path / "square.gltf"
    path.write_text(json.dumps(document))
    return path


def test_strips_strides_normalised_numbers_and_nested_nodes(tmp_path: Path) -> None:
    """Worked by hand: a quarter turn about z, doubled, then 10 m along x."""
    model = read_gltf(gltf(tmp_path))
    (part,) = model.parts
    assert part.name == "leaf"
    # Without normals it is flat-shaded (section 3.7.2.1): each triangle has corners of its own.
    assert part.mesh.triangles.tolist() == [[0, 1, 2], [3, 4, 5]]
    assert part.mesh.uvs.tolist() == [[0, 1], [1, 1], [0, 0], [1, 1], [1, 0], [0, 0]]
    assert world_triangles(model)[0] == pytest.approx(np.array([[10, 0, 0], [10, 2, 0], [8, 0, 0]]), abs=1e-6)


def test_bringing_in_copies_what_the_file_needs(tmp_path: Path) -> None:
    source = tmp_path / "from"
    source.mkdir()
    found = bring_in(gltf(source), tmp_path / "project")
    asset, model = found.asset, found.model
    models, notices = load_models(Project(name="P", assets={asset.id: asset}), tmp_path / "project")
    assert not notices
    assert world_triangles(models[asset.id]).tolist() == world_triangles(model).tolist()


def test_obj_reads_as_trimesh_reads_it(tmp_path: Path) -> None:
    path = tmp_path / "two.obj"
    path.write_text(
        "o floor\nv 0 0 0\nv 1 0 0\nv 1 0 -1\nv 0 0 -1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
        "f 1/1 2/2 3/3 4/4\no flap\nv 0 1 0\nv 1 1 0\nv 0 2 0\nf 5 6 7\n"
    )
    model = read_model(path)
    parts = {p.name: p.mesh for p in model.parts}
    assert {name: len(mesh.triangles) for name, mesh in parts.items()} == {"floor": 2, "flap": 1}
    assert world_triangles(model).reshape(-1, 3).max(axis=0).tolist() == [1, 2, 0]
    # v runs upwards in OBJ and downwards here.
    corner = np.flatnonzero((parts["floor"].positions == [1, 0, -1]).all(axis=1))[0]
    assert parts["floor"].uvs[corner].tolist() == [1, 0]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"buffers": [{"uri": "gone.bin", "byteLength": 68}]}, "needs gone.bin beside it"),
        ({"buffers": [{"uri": "../../etc/passwd", "byteLength": 68}]}, "outside its own folder"),
        ({"nodes": [{"children": [0]}]}, "its own ancestor"),
        ({"nodes": [{"name": "empty"}]}, "holds no triangles"),
        ({"extensionsRequired": ["KHR_draco_mesh_compression"]}, "KHR_draco_mesh_compression"),
        ({"accessors": []}, "not a sound glTF"),
        ({"asset": {"version": "1.0"}}, "version 2"),
        ({"bufferViews": [{"buffer": 0, "byteLength": 9}, {"buffer": 0, "byteLength": 4}]}, "cut short"),
    ],
)
def test_broken_gltf_is_told_with_its_name(tmp_path: Path, changes: dict[str, Any], words: str) -> None:
    with pytest.raises(BadFile, match=words) as caught:
        read_gltf(gltf(tmp_path, **changes))
    assert "square.gltf" in str(caught.value)


def test_a_missing_mesh_leaves_the_rest_to_be_drawn(demo_folder: Path) -> None:
    (demo_folder / "meshes" / "lantern_post" / "lantern_post.glb").unlink()
    assets = {
        "gone": Asset(id="gone", name="Gone", file="meshes/lantern_post/lantern_post.glb"),
        "out": Asset(id="out", name="Out", file="../secret.glb"),
        "ball": Asset(id="ball", name="Ball", primitive="sphere"),
    }
    models, notices = load_models(Project(name="P", assets=assets), demo_folder)
    assert set(models) == {"ball"}
    assert ["missing" in n.text or "outside" in n.text for n in notices] == [True, True]


def test_mutated_meshes_never_crash(demo_folder: Path, tmp_path: Path) -> None:
    """Bytes of a .glb, a .gltf and an .obj changed at random: read, or refused with a sentence."""
    chance = random.Random(23)
    square = gltf(tmp_path)
    embedded = json.loads(square.read_text())
    data = base64.b64encode((tmp_path / "square data.bin").read_bytes()).decode()
    embedded["buffers"] = [{"uri": f"data:application/octet-stream;base64,{data}", "byteLength": 68}]
    sources = {
        "a.gltf": json.dumps(embedded).encode(),
        "b.glb": (demo_folder / "meshes" / "lantern_post" / "lantern_post.glb").read_bytes(),
        "c.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\nf 1/1/1 2/1/1 3/1/1\n" * 3,
    }
    refused = 0
    for turn in range(900):
        name, good = list(sources.items())[turn % 3]
        data_ = bytearray(good)
        for _ in range(chance.randint(1, 5)):
            at = chance.randrange(min(len(data_), 4000))
            data_[at : at + chance.randint(0, 6)] = bytes(
                chance.choices(b'0123456789-e.,"[]{}\x00\xff /', k=chance.randint(0, 4))
            )
        path = tmp_path / f"m_{name}"
        path.write_bytes(data_)
        try:
            read_model(path)
        except BadFile as error:
            refused += 1
            assert "\n" not in str(error)
    assert refused > 300


@pytest.mark.parametrize("shape", PRIMITIVES)
def test_rays_that_skip_blocks_meet_what_embree_meets(shape: str) -> None:
    """Intel's ray tracer, by way of trimesh; rays along the axes as well, where slopes are zero."""
    mesh = primitive(shape, 256).parts[0].mesh
    random = np.random.default_rng(8)
    starts = random.normal(size=(60, 3)) * 3
    rays = [(start, random.normal(size=3) * 0.6 - start) for start in starts]
    rays += [(-3.0 * axis, axis) for axis in np.eye(3)] + [(3.0 * axis + 0.01, -axis) for axis in np.eye(3)]
    origins, directions = (np.array(each) for each in zip(*rays, strict=True))
    caster = RayMeshIntersector(trimesh.Trimesh(mesh.positions, mesh.triangles, process=False))
    places, which, _ = caster.intersects_location(origins, directions, multiple_hits=False)
    nearest = {int(ray): float(np.linalg.norm(at - origins[ray])) for at, ray in zip(places, which, strict=True)}
    met = 0
    for number, (start, direction) in enumerate(rays):
        along = direction / np.linalg.norm(direction)
        hit = nearest_hit(start, along, [("it", mesh, np.eye(4))])
        assert (hit is None) == (number not in nearest)
        if hit:
            met += 1
            assert np.linalg.norm(hit.point - start) == pytest.approx(nearest[number], abs=1e-4)
    assert met > (10 if shape in ("plane", "card") else 30)
