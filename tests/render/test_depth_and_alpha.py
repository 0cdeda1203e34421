"""What the stage makes of depth, alpha, textures and normals: known distances, and both renderers alike."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Project, Scene, StageObject, Texture, View, changed
from soft_lantern.render.frame import Frame, Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.points import on_objects
from soft_lantern.render.soft import SoftRenderer, drawn
from soft_lantern.render.staging import LoweredMaterials, StageOptions, WireView, frame_of
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

SIZE = (97, 97)
FROM_ABOVE = View(target=(0, 0, 0), yaw=0, pitch=89.9, distance=10)
PLAIN = StageOptions(backdrop=False, floor=False, grid=False, tone_map=False)


def stage(written: Authoring, others: tuple[Authoring, ...] = (), images: dict[str, Image] | None = None) -> Any:
    """A project with a sheet 2 m across at height 0 in the material, over a bed 2 m below it."""
    bed = Authoring("Bed")
    bed.add("surface", base_colour="#808080")
    project = Project(name="p", assets={"sheet": Asset(id="sheet", name="Sheet", primitive="plane", subdivision=2)})
    for each in (written, bed, *others):
        project = each.into_project(project)
    objects = (
        StageObject(id="bed", name="Bed", asset="sheet", position=(0, -2, 0), scale=(4, 1, 4), wears={"": "bed"}),
        StageObject(id="top", name="Top", asset="sheet", wears={"": written.material.id}),
    )
    textures = {i: Texture(id=i, name=i) for i in images or {}}
    return changed(project, scenes={"s": Scene(id="s", name="s", objects=objects)}, textures=textures)


def framed(project: Project, options: StageOptions = PLAIN, images: dict[str, Image] | None = None) -> Frame:
    models = {"sheet": primitive("plane", 2)}
    camera = camera_for(FROM_ABOVE, SIZE)
    return frame_of(project, project.scenes["s"], models, camera, SIZE, options, LoweredMaterials(), images=images)


@pytest.mark.parametrize("samples", [0, 4])
def test_depth_behind_is_metres_to_the_opaque_surface_along_the_line_of_sight(renderer: Renderer, samples: int) -> None:
    """Seen from 10 m above, the bed lies 2 m behind in the middle, and 2 m / cos of the angle aside."""
    m = Authoring("Water")
    behind = m.add("depth_behind")
    m.add("surface", base_colour="#4080ff", alpha=0.5, roughness=m.add("saturate", value=behind), alpha_mode="blend")
    wire = WireView("water", behind.ref, "0 to 1")
    frame = replace(framed(stage(m), StageOptions(False, False, False, False, wire=wire)), samples=samples)
    shown = renderer.render(frame).linear[..., 0]
    assert shown[48, 48] == pytest.approx(2.0, abs=1e-3)
    aside = 60
    place = (aside + 0.5 - SIZE[0] / 2) / SIZE[0] * 2 * np.tan(np.radians(18))
    assert shown[48, aside] == pytest.approx(2.0 * np.sqrt(1 + place**2), rel=1e-3)


def test_a_depth_mask_is_common_practices_formula_on_both_renderers(gl: GlRenderer) -> None:
    """mask = clamp((scene depth − (surface depth + offset)) · strength, 0, 1): 2 m less 0.5 m times 0.4 is 0.6."""
    m = Authoring("Water")
    mask = m.add("depth_mask", offset=0.5, strength=0.4)
    m.add("surface", roughness=mask, alpha_mode="blend")
    for draw in (gl, SoftRenderer()):
        view = StageOptions(False, False, False, False, wire=WireView("water", mask.ref))
        assert draw.render(framed(stage(m), view)).linear[48, 48, 0] == pytest.approx(0.6, abs=1e-3)


def test_blend_mixes_with_what_lies_behind_and_mask_cuts(gl: GlRenderer) -> None:
    for draw in (gl, SoftRenderer()):
        seen = {}
        for mode, alpha in (("opaque", 0.25), ("blend", 0.25), ("mask", 0.25), ("mask", 0.75)):
            m = Authoring("Water")
            m.add("unlit_surface", colour="#ffffff", alpha=alpha, alpha_mode=mode)
            seen[mode, alpha] = draw.render(framed(stage(m))).linear[48, 48, :3].mean()
        bed = seen["mask", 0.25]
        assert seen["opaque", 0.25] == seen["mask", 0.75] == 1.0
        assert seen["blend", 0.25] == pytest.approx(0.25 + 0.75 * bed, abs=1e-4) and bed < 0.9


def test_textures_normals_and_everything_at_once_look_alike_on_both_renderers(gl: GlRenderer) -> None:
    random = np.random.default_rng(9)
    images = {
        "stones": Image(random.integers(0, 256, (16, 16, 4)).astype(np.uint8), "colour", "linear", "mirror"),
        "bumps": Image(random.integers(100, 156, (8, 8, 4)).astype(np.uint8), "data", "linear", "repeat"),
    }
    m = Authoring("Stone")
    uv = m.add("tile_coordinates", tiling=(2.3, 1.7))
    texel = m.add("image", texture="stones", uv=uv)
    normal = m.add("normal_map", texture="bumps", uv=uv, scale=0.7)
    m.add("surface", base_colour=texel, normal=normal, roughness=0.3, specular_colour="#ffd0a0", occlusion=0.8)
    frame = framed(stage(m, images=images), StageOptions(floor=False, grid=False, glow=False), images)
    by_gl, by_numpy = (draw.render(frame).pixels.astype(int) for draw in (gl, SoftRenderer()))
    assert np.abs(by_gl - by_numpy).mean() <= 0.5 and np.percentile(np.abs(by_gl - by_numpy), 99.5) <= 3
    assert len(np.unique(by_gl[30:60, 30:60].reshape(-1, 4), axis=0)) > 200


def test_measuring_on_an_object_knows_what_lies_behind_it() -> None:
    m = Authoring("Water")
    m.add("surface", roughness=m.add("depth_mask"), alpha_mode="blend")
    project, camera = stage(m), camera_for(FROM_ABOVE, SIZE)
    points = on_objects(project.scenes["s"], {"sheet": primitive("plane", 2)}, camera, SIZE, "top")
    assert points is not None
    assert points.inputs["depth_behind"].min() == pytest.approx(2.0, abs=1e-2)
    assert np.abs(points.inputs["uv_dx"][0] * 97 - 0).max() > 0 and points.inputs["tangent_world"].shape[0] == 3


def test_linear_depth_is_what_the_projection_says(gl: GlRenderer) -> None:
    """By hand from the matrix of OpenGL's own clip space: for the window depth z, with n and f the nearest and farthest
    seen, d = 2·f·n / (f + n − (2z − 1)·(f − n)). Both renderers' linear depth is that d."""
    m = Authoring("Slope")
    m.add("unlit_surface", colour=m.add("surface_depth"))
    frame = framed(stage(m))
    near, far = frame.camera.range
    item = next(each for each in frame.items if not each.prop)
    size = frame.size
    hits = drawn(item, frame.inputs, frame.camera.view_projection, size, np.full(size[0] * size[1], np.inf))
    by_hand = 2 * far * near / (far + near - (2 * hits.depths - 1) * (far - near))
    for draw in (gl, SoftRenderer()):
        found = draw.render(frame).linear[..., 0].ravel()[hits.pixels]
        assert np.percentile(np.abs(found / by_hand - 1), 99) < 1e-4
