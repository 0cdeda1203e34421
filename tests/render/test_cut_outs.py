"""Cut-outs, what blends, smaller copies of textures, cards: in both renderers, against geometry and by hand."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Environment, Project, Scene, StageObject, View, changed
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.mip_levels import changes_worked_out, with_levels
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.render.card import Card, card_frame
from soft_lantern.render.frame import Frame, Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.mesh_fit import unfit_meshes
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.primitives import PRIMITIVES, primitive
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

SIZE = (120, 120)
BARE = StageOptions(backdrop=False, floor=False, grid=False, tone_map=False, gauge=False, glow=False, shadow=False)


def pond(view: View, *, hidden_in: str = "dry", alpha_mode: str = "blend", **ball: object) -> Frame:
    """A white unlit sheet at y = 0 and, hidden, a ball of radius 1 round the origin that cuts out "dry"."""
    m = Authoring("water")
    m.add("unlit_surface", colour="#ffffff", alpha_mode=alpha_mode, hidden_in=hidden_in)
    assets = {name: Asset(id=name, name=name, primitive=name) for name in ("plane", "sphere")}
    sheet = StageObject(id="sheet", name="sheet", asset="plane", scale=(3, 1, 3), wears={"": "water"})
    hollow = StageObject(id="ball", name="ball", asset="sphere", cut_outs={"": "dry"}, hidden=("",))
    scene = Scene(id="s", name="s", objects=(sheet, changed(hollow, **ball)), view=view)
    project = changed(m.into_project(Project(name="P")), assets=assets)
    models = {"plane": primitive("plane", 4), "sphere": primitive("sphere", 96)}
    return frame_of(project, scene, models, camera_for(view, SIZE), SIZE, BARE, LoweredMaterials())


@pytest.mark.parametrize("alpha_mode", ["blend", "opaque"])
def test_a_surface_does_not_show_inside_a_cut_out(renderer: Renderer, alpha_mode: str) -> None:
    """The sheet is missing exactly where it is within 1 m of the ball's middle, seen from above and from the side."""
    for view in (View(target=(0, 0, 0), pitch=89, distance=9), View(target=(0, 0, 0), yaw=30, pitch=25, distance=9)):
        frame = pond(view, alpha_mode=alpha_mode)
        white = renderer.render(frame).linear[..., 0] > 0.9
        for radius, shown in ((0.93, False), (1.07, True), (0.0, False)):
            for turn in np.linspace(0, 2 * np.pi, 24, endpoint=False):
                point = np.array([[radius * np.cos(turn), 0, radius * np.sin(turn)]])
                x, y, _ = frame.camera.project(point, SIZE)[0]
                assert white[int(y), int(x)] == shown, (radius, turn)


def test_a_camera_inside_the_cut_out_sees_the_sheet_outside(renderer: Renderer) -> None:
    """The eye stands in a ball of 4 m: what of the sheet is in it is gone, what is beyond is there."""
    view = View(target=(0, 0, 0), yaw=0, pitch=30, distance=2.5)
    inside = renderer.render(pond(view, scale=(2.0, 2.0, 2.0))).linear[..., 0] > 0.9
    frame = pond(view, scale=(2.0, 2.0, 2.0))
    for z, shown in ((-1.8, False), (-2.3, True), (0.0, False)):
        x, y, _ = frame.camera.project(np.array([[0, 0, z]]), SIZE)[0]
        assert inside[int(y), int(x)] == shown


def test_other_materials_ids_and_no_ids_are_not_cut(renderer: Renderer) -> None:
    view = View(target=(0, 0, 0), pitch=80, distance=9)
    for hidden_in in ("", "another"):
        linear = renderer.render(pond(view, hidden_in=hidden_in)).linear
        assert linear[60, 60, 0] > 0.9


def test_open_cut_outs_and_ids_that_nothing_has_are_told() -> None:
    m = Authoring("water")
    m.add("surface", alpha_mode="blend", double_sided="yes", hidden_in="dry, dyr")
    assets = {name: Asset(id=name, name=name, primitive=name) for name in ("plane", "sphere")}
    wears = {"": "water"}
    objects = (
        StageObject(id="a", name="Lid", asset="plane", cut_outs={"": "dry"}),
        StageObject(id="b", name="Ball", asset="sphere", wears=wears),
    )
    scene = Scene(id="s", name="Pond", objects=objects)
    project = changed(m.into_project(Project(name="P")), assets=assets)
    models = {name: primitive(name, 24) for name in assets}
    told = {
        n.kind: n.text for n in unfit_meshes(project, scene, models, camera_for(View(), (1, 1)), LoweredMaterials())
    }
    assert "Lid should cut out dry, but plane is open" in told["open-cut-out"]
    assert "hidden in dyr" in told["no-cut-out"]
    assert "blends both its sides" in told["blend-both-sides"]


@pytest.mark.parametrize("shape", PRIMITIVES)
def test_what_is_closed(shape: str) -> None:
    assert primitive(shape, 24).parts[0].mesh.closed == (shape not in ("plane", "card"))


def test_far_layers_of_one_mesh_lie_under_near_ones(renderer: Renderer) -> None:
    """Porter and Duff's "over", twice: a half of red over a half of green over the grey backdrop, by hand, wherever
    the eye stands; the mesh is coloured by its own x."""
    m = Authoring("glass")
    x = m.add("position", space="object").into("separate").x
    side = m.add("step", edge=0.0, value=x)
    colour = m.add("mix", a=m.expose("Low", "#00ff00"), b=m.expose("High", "#ff0000"), factor=side)
    m.add("unlit_surface", colour=colour, alpha=0.5, alpha_mode="blend", double_sided="yes")
    project = m.into_project(Project(name="P"))
    asset = Asset(id="cube", name="cube", primitive="cube", subdivision=4)
    thing = StageObject(id="o", name="o", asset="cube", wears={"": "glass"})
    scene = Scene(id="s", name="s", objects=(thing,))
    project = changed(project, assets={"cube": asset}, scenes={"s": scene})
    models = {"cube": primitive("cube", 4)}
    for yaw, near, far in ((90, [1, 0, 0], [0, 1, 0]), (-90, [0, 1, 0], [1, 0, 0])):
        view = View(target=(0, 0, 0), yaw=yaw, pitch=0, distance=8)
        frame = frame_of(project, scene, models, camera_for(view, SIZE), SIZE, BARE, LoweredMaterials())
        under = 0.5 * np.array(far) + 0.5 * 0.18
        wanted = 0.5 * np.array(near) + 0.5 * under
        assert renderer.render(frame).linear[60, 60, :3] == pytest.approx(wanted, abs=1e-4)


def test_the_level_is_the_logarithm_of_texels_between_pixels() -> None:
    """OpenGL 3.3, section 3.8.11: λ = log₂ ρ, ρ the longer of the two steps in texels; by hand."""
    sampler = uniform("picture", Type.SAMPLER)
    tiled = with_levels(f.texture(sampler, surface_input("uv") * 2.0))
    (level,) = changes_worked_out([tiled.args[2]])
    leaves = {
        "picture": Image(np.zeros((64, 128, 4), np.uint8)),
        "uv": np.array([[0.3], [0.6]]),
        "uv_dx": np.array([[4 / 128, 1 / 128], [0, 0]]),
        "uv_dy": np.array([[0, 0], [1 / 64, 0.1 / 64]]),
    }
    assert evaluate([level], leaves, np.float64)[level] == pytest.approx([np.log2(8.0), np.log2(2.0)])


def test_smaller_copies_are_means_and_are_mixed_by_level() -> None:
    """Worked by hand on a checkerboard of linear 0 and 1: every copy is a half; a third of the way lies between."""
    board = (np.indices((8, 8)).sum(axis=0) % 2 * 255).astype(np.uint8)
    image = Image(np.dstack([board] * 3 + [np.full_like(board, 255)]), "data")
    assert [level.shape[:2] for level in image.levels] == [(4, 4), (2, 2), (1, 1)]
    assert all(np.allclose(level[..., 0], 127.5 / 255) for level in image.levels)
    place = np.array([[0.5 / 8], [0.5 / 8]])
    assert image.read(place)[0, 0] == 0.0
    assert image.read(place, np.array([1 / 3]))[0, 0] == pytest.approx(0.5 / 3)
    assert image.read(place, np.array([99.0]))[0, 0] == pytest.approx(0.5)
    assert not replace(image, filter="nearest").levels


def test_a_finely_tiled_floor_is_even_from_afar_in_both_renderers(gl: GlRenderer) -> None:
    m = Authoring("tiles")
    uv = m.add("tile_coordinates", tiling=(60.0, 60.0))
    m.add("unlit_surface", colour=m.add("image", texture="board", uv=uv).colour)
    board = np.zeros((16, 16, 4), np.uint8)
    board[..., 3] = 255
    board[::2, :, :3] = 255
    images = {"board": Image(board, "data")}
    project = changed(m.into_project(Project(name="P")), assets={"p": Asset(id="p", name="p", primitive="plane")})
    scene = Scene(id="s", name="s", objects=(StageObject(id="o", name="o", asset="p", wears={"": "tiles"}),))
    view = View(target=(0, 0, 0), pitch=40, distance=5)
    models = {"p": primitive("plane", 2)}
    frame = frame_of(project, scene, models, camera_for(view, SIZE), SIZE, BARE, LoweredMaterials(), images=images)
    by_gl, by_numpy = (r.render(frame).linear[..., 0] for r in (gl, SoftRenderer()))
    assert np.abs(by_gl - by_numpy).max() < 3 / 255
    assert by_gl[50:70, 50:70] == pytest.approx(np.full((20, 20), 0.5), abs=0.02)


@pytest.mark.parametrize("scale", [1, 3, 8])
def test_every_texel_of_a_card_is_a_square_of_whole_pixels(renderer: Renderer, scale: int) -> None:
    """The picture's middle is the sprite's own bytes, repeated; see-through texels show the checker."""
    random = np.random.default_rng(scale)
    texels = random.integers(0, 256, (9, 13, 4)).astype(np.uint8)
    texels[..., 3] = np.where(texels[..., 3] > 99, 255, 0)
    m = Authoring("moth")
    picture = m.add("image", texture="sprite")
    m.add("unlit_surface", colour=picture.colour, alpha_mode="blend")
    project = m.into_project(Project(name="P"))
    options = StageOptions(tone_map=False)
    size, images = (130, 90), {"sprite": Image(texels)}
    frame = card_frame(
        project, "moth", Card(scale, moved=(2, -1)), size, options, LoweredMaterials(), Environment(), 0.0, images
    )
    pixels = renderer.render(frame).pixels
    left, top = (size[0] - 13 * scale) // 2 + 2, size[1] - (size[1] - 9 * scale) // 2 - 9 * scale - 1
    shown = pixels[top : top + 9 * scale, left : left + 13 * scale]
    wanted = np.repeat(np.repeat(texels, scale, axis=0), scale, axis=1)
    solid = wanted[..., 3] == 255
    assert (shown[solid] == wanted[solid]).all()
    assert len(np.unique(shown[~solid], axis=0)) == 2


def test_edges_and_evened_textures_and_solo(gl: GlRenderer) -> None:
    m = Authoring("tiles")
    m.add("unlit_surface", colour=m.add("image", texture="board").colour)
    board = np.zeros((2, 2, 4), np.uint8)
    board[0, 0], board[..., 3] = 255, 255
    images = {"board": Image(board, "data", "nearest")}
    assets = {"p": Asset(id="p", name="p", primitive="card")}
    project = changed(m.into_project(Project(name="P")), assets=assets)
    objects = tuple(
        StageObject(id=i, name=i, asset="p", position=(x, 0, 0), scale=(0.5, 0.5, 1), wears={"": "tiles"})
        for i, x in (("left", -0.6), ("right", 0.6))
    )
    scene = Scene(id="s", name="s", objects=objects)
    view = View(target=(0, 0, 0), yaw=0, pitch=0, distance=4)
    models = {"p": primitive("card", 1)}

    def drawn(renderer: GlRenderer | SoftRenderer, **fields: object) -> np.ndarray:
        options = replace(BARE, **fields)
        frame = frame_of(
            project, scene, models, camera_for(view, SIZE), SIZE, options, LoweredMaterials(), images=images
        )
        return renderer.render(frame).linear[..., 0]

    for renderer in (gl, SoftRenderer()):
        assert drawn(renderer, textures=False)[60, 30] == pytest.approx(0.25)
        alone = drawn(renderer, solo=("left", ""))
        assert alone[65, 30] == pytest.approx(0.0) and alone[60, 95] == pytest.approx(0.18)
        assert ((drawn(renderer, edges=True) - drawn(renderer)) != 0).mean() > 0.005


def test_the_renderers_own_textures_are_read_as_they_are() -> None:
    own: Expr = f.texture(uniform("stage:sky", Type.SAMPLER), surface_input("uv"))
    assert with_levels(own) is own
