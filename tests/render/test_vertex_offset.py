"""Vertices moved by a graph: the normals that follow, both renderers, and meshes too coarse for it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.errors import BadEdit
from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Asset, Project, Scene, StageObject, View, changed
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir import surface_inputs
from soft_lantern.render.frame import frame_inputs, placed_inputs
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.mesh_fit import unfit_meshes
from soft_lantern.render.soft import SoftRenderer, shaded_vertices, vertex_leaves
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.mesh import Mesh, Model
from soft_lantern.scene.primitives import plane, primitive, sphere
from soft_lantern.scene.transforms import camera_for, placement

STRAIGHT = StageObject(id="o", name="o", asset="a")
ASKEW = StageObject(id="o", name="o", asset="a", position=(1, -2, 3), rotation=(30, 50, -20), scale=(0.5, 2.0, 1.3))


def moved(mesh: Mesh, offset: Any, thing: StageObject = STRAIGHT) -> dict[str, np.ndarray]:
    """World positions and normals of a mesh whose material's vertex offset `offset` writes."""
    m = Authoring("Offset")
    wire, settings = offset(m)
    m.add("vertex_offset", offset=wire, **settings)
    lowered = lower(m.material)
    wanted = surface_inputs.vertex(lowered.offset)
    inputs = {**frame_inputs(camera_for(View(), (4, 4)), (4, 4), 0.7), **placed_inputs(placement(thing))}
    leaves = vertex_leaves(mesh, wanted, inputs, uniform_values(lowered, m.material, {}))
    return shaded_vertices(mesh, wanted, leaves)


def along_normal(amount: float) -> Any:
    return lambda m: (m.add("multiply", a=m.add("normal", space="object"), b=amount), {})


def test_a_sphere_grown_along_its_normals_is_a_larger_sphere() -> None:
    """Analytic: radius 1 moved by 0.25 is a sphere of radius 1.25, whose normals point away from its centre."""
    got = moved(sphere(64), along_normal(0.25))
    position, normal = got["position_world"], got["carried_normal"]
    assert np.linalg.norm(position, axis=1) == pytest.approx(np.full(len(position), 1.25), abs=1e-6)
    assert normal == pytest.approx(position / 1.25, abs=3e-3)


def sine_of(coordinate: Any, height: float, turns: float) -> Any:
    def offset(m: Authoring) -> tuple[Wire, dict[str, str]]:
        wave = m.add("sine", angle=m.add("multiply", a=coordinate(m), b=turns))
        return m.add("combine", y=m.add("multiply", a=wave, b=height)), {}

    return offset


def test_waves_by_position_have_the_analytic_normal() -> None:
    """y = 0.3·sin(4x): the normal is (−1.2·cos(4x), 1, 0), normalised, at every vertex."""
    mesh = plane(20)
    got = moved(mesh, sine_of(lambda m: m.add("position", space="object").into("separate").x, 0.3, 4.0))
    x = mesh.positions[:, 0].astype(float)
    slope = 1.2 * np.cos(4 * x)
    by_hand = np.stack([-slope, np.ones_like(x), x * 0], axis=1) / np.sqrt(1 + slope**2)[:, None]
    assert got["carried_normal"] == pytest.approx(by_hand, abs=1e-5)


def test_waves_by_texture_coordinates_have_the_analytic_normal() -> None:
    """The plane is 2 m wide, so u = x / 2 + ½, and y = 0.1·sin(12u) has the slope 0.6·cos(12u)."""
    mesh = plane(20)
    got = moved(mesh, sine_of(lambda m: m.add("texture_coordinates").into("separate_2").x, 0.1, 12.0))
    slope = 0.6 * np.cos(12 * mesh.uvs[:, 0].astype(float))
    by_hand = np.stack([-slope, np.ones_like(slope), slope * 0], axis=1) / np.sqrt(1 + slope**2)[:, None]
    assert got["carried_normal"] == pytest.approx(by_hand, abs=1e-4)


@pytest.mark.parametrize("thing", [STRAIGHT, ASKEW], ids=["straight", "askew"])
@pytest.mark.parametrize("space", ["object", "world"])
def test_normals_of_noise_agree_with_finite_differences(thing: StageObject, space: str) -> None:
    """Against the very same offset taken at places a little along and across, on a plane turned and scaled unevenly."""
    mesh, step = plane(12), 2e-4

    def offset(m: Authoring) -> tuple[Wire, dict[str, str]]:
        noise = m.add("layered_noise_3d", at=m.add("position", space=space), scale=1.3)
        sideways = m.add("perlin_noise_3d", at=m.add("position", space=space), scale=0.9)
        return m.add("combine", x=m.add("multiply", a=sideways, b=0.2), y=noise), {"space": space}

    got = moved(mesh, offset, thing)
    ends = []
    for axis in (0, 2):
        shift = np.zeros(3, np.float32)
        shift[axis] = step
        there, back = (
            moved(
                Mesh(mesh.positions + s * shift, mesh.normals, mesh.uvs, mesh.colours, mesh.triangles, mesh.uv1s),
                offset,
                thing,
            )
            for s in (1, -1)
        )
        ends.append(there["position_world"] - back["position_world"])
    normal = np.cross(ends[1], ends[0])
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    assert np.abs(got["carried_normal"] - normal).max() < 5e-3


def test_object_space_offsets_turn_with_the_object_and_world_space_ones_do_not() -> None:
    turned = StageObject(id="o", name="o", asset="a", rotation=(0, 0, 90))
    for space, wanted in (("object", (-0.5, 0, 0)), ("world", (0, 0.5, 0))):
        mesh = plane(2)
        still, there = (
            moved(mesh, lambda m, y=y, space=space: (m.add("combine", y=y), {"space": space}), turned)
            for y in (0.0, 0.5)
        )
        shift = there["position_world"] - still["position_world"]
        assert shift == pytest.approx(np.tile(wanted, (len(shift), 1)), abs=1e-6)


def _staged(material: Authoring, subdivision: int, shape: str = "sphere") -> tuple[Project, Scene, dict[str, Model]]:
    asset = Asset(id="a", name="Ball", primitive=shape, subdivision=subdivision)  # type: ignore[arg-type]
    thing = StageObject(id="o", name="Ball", asset="a", wears={"": material.material.id}, position=(0, 1, 0))
    scene = Scene(id="s", name="s", objects=(thing,))
    project = material.into_project(Project(name="p", assets={"a": asset}, scenes={"s": scene}))
    return project, scene, {"a": primitive(shape, subdivision)}


def rippled(scale: float) -> Authoring:
    m = Authoring("Rippled")
    noise = m.add("perlin_noise_3d", scale=scale)
    height = m.add("multiply", a=noise, b=0.2)
    m.add("vertex_offset", offset=m.add("multiply", a=m.add("normal", space="object"), b=height))
    m.add("surface", base_colour="#7090b0", roughness=0.4)
    return m


def test_both_renderers_draw_a_moved_surface_alike(gl: GlRenderer) -> None:
    project, scene, models = _staged(rippled(2.0), 64)
    camera = camera_for(View(distance=4.0), (160, 160))
    frame = frame_of(project, scene, models, camera, (160, 160), StageOptions(), LoweredMaterials())
    by_gl, by_numpy = (r.render(frame).pixels.astype(int) for r in (gl, SoftRenderer()))
    assert np.abs(by_gl - by_numpy).mean() <= 0.5
    flat = frame_of(project, scene, models, camera, (160, 160), StageOptions(), LoweredMaterials())
    still = replace(flat, items=())
    assert (np.abs(by_gl - gl.render(still).pixels.astype(int)).max(axis=2) > 8).mean() > 0.1


def test_a_mesh_too_coarse_for_its_offset_is_told_with_a_mend_and_a_fine_one_is_not() -> None:
    for scale, subdivision, told in ((6.0, 12, True), (6.0, 128, False), (0.5, 12, False)):
        project, scene, models = _staged(rippled(scale), subdivision)
        notices = list(unfit_meshes(project, scene, models, camera_for(View(), (1, 1)), LoweredMaterials()))
        assert [n.kind for n in notices] == (["coarse-mesh"] if told else []), (scale, subdivision)
        if told:
            mended = notices[0].fixes[0].mended(project, "rippled")
            with pytest.raises(BadEdit, match="no longer among the assets"):
                notices[0].fixes[0].mended(changed(project, assets={}), "rippled")
            finer = {"a": primitive("sphere", mended.assets["a"].subdivision)}
            assert not list(unfit_meshes(mended, scene, finer, camera_for(View(), (1, 1)), LoweredMaterials()))


def test_a_mesh_without_vertex_colours_is_told_where_they_are_read() -> None:
    m = Authoring("Painted")
    m.add("surface", base_colour=m.add("vertex_colour", without="#ff0000"))
    project, scene, models = _staged(m, 8)
    camera, part = camera_for(View(), (1, 1)), models["a"].parts[0]
    assert [n.kind for n in unfit_meshes(project, scene, models, camera, LoweredMaterials())] == ["no-vertex-colours"]
    painted = Model((replace(part, mesh=replace(part.mesh, has_colours=True)),))
    assert not list(unfit_meshes(project, scene, {"a": painted}, camera, LoweredMaterials()))
