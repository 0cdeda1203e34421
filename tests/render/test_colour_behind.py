"""What lies behind a surface as a colour: in both renderers, on export, and in the notices."""

from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pytest

from soft_lantern.formats.shader_package import package
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Project, Scene, StageObject, View, changed
from soft_lantern.graph.lowering import lower
from soft_lantern.graph.notices.project import check_material
from soft_lantern.ir.cost import cost
from soft_lantern.ir.glsl_program import HEADS
from soft_lantern.render.frame import Frame, Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.colour import colour_from_hex

SIZE = (128, 96)
BARE = StageOptions(backdrop=False, floor=False, grid=False, tone_map=False, gauge=False, glow=False, shadow=False)
LEFT, RIGHT = "#e04020", "#2060e0"


def glass(shift: tuple[float, float] = (0.0, 0.0), roughness: float = 0.0, *, mode: str = "opaque") -> Authoring:
    m = Authoring("Glass")
    m.add("unlit_surface", colour=m.add("colour_behind", shift=shift, roughness=roughness), alpha_mode=mode)
    return m


def frame(m: Authoring, *, pane: bool = True) -> Frame:
    """A wall, red on the left and blue on the right, and a pane of glass before all of it."""
    wall = Authoring("Wall")
    side = wall.add("step", edge=0.0, value=wall.add("position").into("separate").x)
    red, blue = (wall.add("colour", value=text) for text in (LEFT, RIGHT))
    wall.add("unlit_surface", colour=wall.add("mix", a=red, b=blue, factor=side))
    project = m.into_project(wall.into_project(Project(name="P")))
    project = changed(project, assets={"cube": Asset(id="cube", name="cube", primitive="cube")})
    thin = {"asset": "cube", "name": "n"}
    things = [StageObject(id="wall", scale=(40, 40, 0.1), position=(0, 0, -3), wears={"": "wall"}, **thin)]
    if pane:
        things.append(StageObject(id="pane", scale=(40, 40, 0.02), position=(0, 0, 0), wears={"": "glass"}, **thin))
    view = View(target=(0, 0, 0), yaw=0, pitch=0, distance=6)
    scene = Scene(id="s", name="s", objects=tuple(things), view=view)
    models = {"cube": primitive("cube", 1)}
    return frame_of(project, scene, models, camera_for(view, SIZE), SIZE, BARE, LoweredMaterials())


def test_clear_glass_shows_exactly_what_is_behind_it(renderer: Renderer) -> None:
    through = renderer.render(frame(glass())).linear
    assert np.abs(through[..., :3] - renderer.render(frame(glass(), pane=False)).linear[..., :3]).max() < 1e-3
    assert np.ptp(through[..., 0]) > 0.3  # both halves of the wall are there


def test_a_shift_bends_the_view_by_a_share_of_the_pictures_height(renderer: Renderer) -> None:
    """The edge of the two colours moves left by the shift: a pixel shows what lies to its right."""

    def edge(shift: float) -> int:
        row = renderer.render(frame(glass((shift, 0.0)))).linear[SIZE[1] // 2, :, 0]
        return int(np.argmax(row < (row.max() + row.min()) / 2))

    middle = edge(0.0)
    for share in (0.125, -0.25):
        assert edge(share) == pytest.approx(middle - share * SIZE[1], abs=1)


def test_rough_glass_blurs_up_to_the_mean_of_the_whole_picture(renderer: Renderer) -> None:
    rows = {r: renderer.render(frame(glass(roughness=r))).linear[SIZE[1] // 2] for r in (0.0, 0.5, 1.0)}
    steepest = [float(np.abs(np.diff(row[..., 0])).max()) for row in rows.values()]
    assert steepest[0] > 4 * steepest[1] > 4 * steepest[2]
    mean = (np.array(colour_from_hex(LEFT)[:3]) + np.array(colour_from_hex(RIGHT)[:3])) / 2
    assert np.abs(rows[1.0][SIZE[0] // 2, :3] - mean).max() < 0.02


def test_both_renderers_agree(gl: GlRenderer) -> None:
    soft = SoftRenderer()
    for m in (glass((0.1, -0.05)), glass(roughness=0.4)):
        one, other = (r.render(frame(m)).pixels.astype(int) for r in (gl, soft))
        assert np.abs(one - other).mean() < 0.5


def test_a_graph_that_reads_it_costs_a_read_and_leaves_as_shader_text(tmp_path: Path) -> None:
    material = glass().material
    assert cost(lower(material).surface.values()).texture_reads == 1
    files = []
    for target in HEADS:
        for name, text in package(material, target).items():
            if name.endswith(".glsl"):
                files.append(tmp_path / f"{target}.{name.split('.')[-2]}")
                files[-1].write_text(text)
                assert ("uniform sampler2D scene_colour;" in text) is ("frag" in name)
    done = subprocess.run(["glslangValidator", *map(str, files)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_what_blends_as_well_and_what_moves_vertices_by_it_is_told() -> None:
    found = {n.kind: n for n in check_material(glass(mode="blend").material)}
    mended = found["behind-twice"].fixes[0].edit(glass(mode="blend").material)
    assert "behind-twice" not in {n.kind for n in check_material(mended)}
    assert not check_material(glass().material)
    m = glass()
    m.add("vertex_offset", offset=m.add("colour_behind"))
    assert "behind-offset" in {n.kind for n in check_material(m.material)}
