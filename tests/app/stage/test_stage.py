"""The stage by hand: handles, light, judging aids, cut-outs, cards, tape, bookmarks, saving, and a lost driver."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PyQt6.QtCore import QCoreApplication, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from typer.testing import CliRunner

from by_hand import NONE, Open, click, drag, pixels, settled, until
from soft_lantern.app.pictures.pace import Pace
from soft_lantern.app.pictures.sight import Sight
from soft_lantern.app.session.imports import import_mesh
from soft_lantern.app.stage.recorder import SAMPLES, Wish, save_pictures
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.tasks import Task
from soft_lantern.cli import app
from soft_lantern.errors import Cancelled, NoGraphics
from soft_lantern.formats.images import write_exr
from soft_lantern.graph.document import StageObject, View
from soft_lantern.ir.expr import const
from soft_lantern.render import worker as worker_module
from soft_lantern.render.frame import Frame, Paint, Picture
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.worker import Job, RenderWorker
from soft_lantern.scene.skies import panorama_directions
from soft_lantern.scene.transforms import camera_for

pytestmark = pytest.mark.left_at("Dress", "nectar_basin")


def thing(window: MainWindow, object_id: str) -> StageObject:
    scene = window.session.scene
    found = scene.object(object_id) if scene else None
    assert found
    return found


@pytest.fixture
def dress(window: MainWindow) -> MainWindow:
    """The window on the basin scene, at the Dress desk; not large, so that software draws it sooner."""
    window.resize(1040, 660)
    settled(window, "dress")
    return window


@pytest.mark.left_at()
def test_what_follows_from_one_thing_is_one_picture(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    """And when nothing more happens, one in full quality, where that is any finer."""
    settled(window)
    session, stage = window.session, window.build.stage
    stage.pictures.samples = SAMPLES
    asked: list[bool] = []
    request = stage.pictures.request

    def noted(sight: Sight, size: tuple[int, int], *, still: bool, figures: bool) -> tuple[tuple[int, int], bool]:
        asked.append(still)
        return request(sight, size, still=still, figures=figures)

    monkeypatch.setattr(stage.pictures, "request", noted)
    stage.request(still=True)
    session.set_view(View(distance=9.0))
    session.models_changed.emit()
    assert not asked and not stage.pictures.still
    QCoreApplication.sendPostedEvents()
    assert asked == [False]
    until(lambda: stage.pictures.still)
    assert asked == [False, True]
    # Where nothing smooths edges and pictures are quick, the one of a moving hand is as fine as any.
    monkeypatch.setattr(stage.pictures, "pace", Pace())
    monkeypatch.setattr(stage.pictures.worker._drawing, "smooths", False)
    stage.request()
    until(lambda: stage.pictures.still)
    assert asked == [False, True, False] and not stage._settled.isActive()


def test_objects_are_turned_and_scaled_by_their_handles(dress: MainWindow) -> None:
    stage, session = dress.dress.stage, dress.session
    dress.dress.select("gate")
    for keys, kind in (("Turn handle", "turn"), ("Scale handle", "scale")):
        dress.commands.actions[keys].trigger()
        assert stage.modes.handle_kind == kind
    handles = stage.grasps.handles()
    assert handles
    start, end = handles.arms()["y"]
    before = thing(dress, "gate")
    drag(stage, end, end + (end - start))
    assert thing(dress, "gate").scale[1] == pytest.approx(2 * before.scale[1], rel=0.05)
    assert thing(dress, "gate").scale[0] == before.scale[0]
    session.undo.undo()
    assert thing(dress, "gate").scale == before.scale
    dress.commands.actions["Turn handle"].trigger()
    handles = stage.grasps.handles()
    assert handles
    ring = handles.rings()["y"]
    middle = stage.lens.place(np.array(before.position))
    grip = max(ring, key=lambda p: p.x())
    assert handles.at(grip) == "y"
    drag(stage, grip, middle + QPointF(0, -(grip.x() - middle.x())))
    turned = thing(dress, "gate").rotation[1] - before.rotation[1]
    assert 60 <= turned <= 120
    found = handles.dragged("y", grip, grip + QPointF(0, -40), snap=True)
    assert found
    snapped = found[1][1] - before.rotation[1]
    assert snapped == pytest.approx(round(snapped / 15) * 15, abs=1e-3) and abs(snapped) >= 15


def test_world_space_moss_stays_on_top_as_the_urn_turns(dress: MainWindow) -> None:
    """Dust on top: turned upside down, what was moss is clay, and the foot is moss (common practice)."""
    stage = dress.dress.stage
    stage.modes.solo("mossy_urn")
    stage.modes.set_options(show="base_colour", backdrop=False, floor=False, grid=False)
    dress.session.change_object("Place", "mossy_urn", position=(0, 0, 0), rotation=(0, 0, 0))
    dress.session.set_view(View(target=(0, 0.65, 0), yaw=0, pitch=35, distance=4))
    upright = settled(dress, "dress")
    dress.session.change_object("Turn", "mossy_urn", position=(0, 1.3, 0), rotation=(180, 0, 0))
    fallen = settled(dress, "dress")

    def mossy(picture: np.ndarray) -> np.ndarray:
        return (picture[..., 1] > picture[..., 0] + 8) & (picture[..., 1] > picture[..., 2] + 20)

    for picture in (upright, fallen):
        rows = np.flatnonzero(mossy(picture).any(axis=1))
        assert len(rows) and mossy(picture).sum() > 300
    assert 0.4 < mossy(fallen).sum() / mossy(upright).sum() < 2.5


def test_every_judging_aid_switches_by_its_key_and_shows(dress: MainWindow) -> None:
    stage = dress.dress.stage
    dress.dress.select("stones", "stone 1")
    dress.dress.select("bell")
    plain = settled(dress, "dress")
    for key, modifiers in (
        (Qt.Key.Key_F5, NONE),
        (Qt.Key.Key_F6, NONE),
        (Qt.Key.Key_F7, NONE),
        (Qt.Key.Key_F8, NONE),
        (Qt.Key.Key_F10, NONE),
        (Qt.Key.Key_F5, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_F6, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_F7, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_F9, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_F10, Qt.KeyboardModifier.ShiftModifier),
    ):
        QTest.keyClick(stage, key, modifiers)
        assert (settled(dress, "dress") != plain).any(), (key, modifiers)
        QTest.keyClick(stage, key, modifiers)
    assert (settled(dress, "dress") == plain).mean() > 0.999
    QTest.keyClick(stage, Qt.Key.Key_F11, Qt.KeyboardModifier.ShiftModifier)
    settled(dress, "dress")
    assert any("triangles in 11 parts" in line for line in stage.pictures.figures)
    assert any("texture reads" in line for line in stage.pictures.figures)


def test_a_pinned_picture_is_flipped_against(dress: MainWindow) -> None:
    stage = dress.dress.stage
    settled(dress, "dress")
    stage.modes.pin_picture(stage.pictures.image)
    pinned = pixels(stage.pictures.image)
    dress.dress.light.exposure.want(-2.0)
    assert dress.session.scene and dress.session.scene.environment.exposure == -2.0
    darker = settled(dress, "dress")
    assert darker.mean() < pinned.mean() * 0.8
    QTest.keyClick(stage, Qt.Key.Key_F12)
    shown = pixels(stage.grab().toImage())
    assert np.abs(shown[80:-40] - pinned[80:-40]).mean() < 3
    QTest.keyClick(stage, Qt.Key.Key_F12)
    assert not stage.modes.flipped
    dress.session.undo.undo()
    assert dress.session.scene.environment.exposure != -2.0


def test_the_sky_is_chosen_turned_and_loaded_and_the_sun_set(dress: MainWindow, tmp_path: Path) -> None:
    light = dress.dress.light
    dress.commands.run("Light the scene")
    pictures = []
    for sky in ("clear noon", "night with lamps", "neutral grey"):
        light.sky.setCurrentIndex(light.sky.findData(sky))
        light.sky.activated.emit(light.sky.currentIndex())
        pictures.append(settled(dress, "dress"))
    noon, night, _ = pictures
    assert night.mean() < noon.mean() * 0.6
    assert dress.session.scene
    light.sun_fields["strength"].want(2.0)
    light.sun_fields["azimuth"].want(10.0)
    sun = dress.session.scene.environment.sun
    assert sun and (sun.strength, sun.azimuth) == (2.0, 10.0)
    assert (settled(dress, "dress") != pictures[2]).mean() > 0.1
    click(light.own, QPointF(light.own.rect().center()))
    assert dress.session.scene.environment.sun is None
    # A panorama with one red half, dropped on the window.
    directions = panorama_directions(64, 32)
    red = np.where(directions[..., :1] > 0, [[[3.0, 0.1, 0.1, 1.0]]], [[[0.1, 0.1, 0.1, 1.0]]])
    write_exr(red.astype(np.float32), tmp_path / "dusk left.exr")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "dusk left.exr"))])
    place, buttons = QPointF(300, 300), Qt.MouseButton.LeftButton
    dress.dropEvent(QDropEvent(place, Qt.DropAction.CopyAction, data, buttons, NONE))
    until(lambda: dress.session.scene.environment.sky not in ("neutral grey",))
    texture = dress.session.project.textures[dress.session.scene.environment.sky]
    assert texture.encoding == "data" and light.sky.currentText() == texture.name
    until(lambda: texture.id in dress.session.images)
    lit = settled(dress, "dress")
    assert lit[..., 0].mean() > 1.3 * lit[..., 1].mean()


def test_parts_are_hidden_dressed_and_marked_in_the_table(dress: MainWindow) -> None:
    desk, session = dress.dress, dress.session
    desk.select("bell")
    rows = desk.parts.names()
    assert rows == ["", "glass", "hollow"]
    wet = settled(dress, "dress")
    desk.parts.item(2, 2).setText("")
    assert thing(dress, "bell").cut_outs == {}
    flooded = settled(dress, "dress")
    assert (np.abs(wet - flooded).max(axis=2) > 12).mean() > 0.003  # nectar is in the bell
    session.undo.undo()
    assert thing(dress, "bell").cut_outs == {"hollow": "bell"}
    desk.parts.item(1, 0).setCheckState(Qt.CheckState.Unchecked)
    assert set(thing(dress, "bell").hidden) == {"hollow", "glass"}
    assert (settled(dress, "dress") != wet).mean() > 0.002
    session.undo.undo()
    desk.parts.setCurrentCell(1, 1)
    QTest.keyClick(desk.parts, Qt.Key.Key_Return)
    (picker,) = desk.findChildren(PicturePicker)
    QTest.keyClicks(picker.field, "wet st")
    until(lambda: "wet_stone" in picker.pictures.icons)
    QTest.keyClick(picker.field, Qt.Key.Key_Return)
    assert desk.parts.item(1, 1).text() == "Wet stone"
    assert thing(dress, "bell").wears == {"": "bell_glass", "glass": "wet_stone"}
    desk.casts.click()
    assert not thing(dress, "bell").casts_shadow
    desk.select("gate")
    triangles = sum(len(p.mesh.triangles) for p in session.models["fog_gate"].parts)
    desk.detail.setValue(1)
    until(lambda: not session.loading)
    assert sum(len(p.mesh.triangles) for p in session.models["fog_gate"].parts) == 4 * triangles


def test_the_tape_measures_between_two_points(dress: MainWindow) -> None:
    """From rim to rim of the basin, whose rim is 3.15 m from its middle."""
    stage = dress.dress.stage
    dress.session.set_view(View(target=(0, 1.5, 0), yaw=0, pitch=60, distance=14))
    settled(dress, "dress")
    QTest.keyClick(stage, Qt.Key.Key_F4, Qt.KeyboardModifier.ShiftModifier)
    assert stage.modes.clicks == "tape"
    for x in (-3.05, 3.05):
        click(stage, stage.lens.place(np.array([x, 1.58, 0.0])))
    assert len(stage.modes.tape) == 2
    assert np.linalg.norm(stage.modes.tape[1] - stage.modes.tape[0]) == pytest.approx(6.1, abs=0.06)
    QTest.keyClick(stage, Qt.Key.Key_Escape)
    assert stage.modes.clicks == "pick" and not stage.modes.tape


def test_the_gauge_lies_along_any_axis_with_a_label(dress: MainWindow) -> None:
    stage, session = dress.dress.stage, dress.session
    QTest.keyClick(stage, Qt.Key.Key_F8)
    assert session.scene and session.scene.gauge == 0.0
    dress.dress.stage_bar._gauge(gauge_axis="x", gauge_label="waterline")
    settled(dress, "dress")
    gauge = stage.grasps.gauge()
    box = gauge.label if gauge else None
    assert box
    for place, shape in ((QPoint(3, 3), Qt.CursorShape.ArrowCursor), (box.center(), Qt.CursorShape.SizeVerCursor)):
        QTest.mouseMove(stage, QPointF(place).toPoint())
        until(lambda shape=shape: stage.cursor().shape() is shape)  # type: ignore[misc]
    drag(stage, box.center(), box.center() + QPointF(60, 0))
    scene = session.scene
    assert scene and scene.gauge_label == "waterline" and scene.gauge and abs(scene.gauge) > 0.1


def test_bookmarks_turntable_and_scenes(dress: MainWindow) -> None:
    stage, session = dress.dress.stage, dress.session
    scenes = set(session.project.scenes)
    session.set_view(View(target=(1, 2, 3), yaw=5, pitch=6, distance=7))
    QTest.keyClick(stage, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    assert session.scene and session.scene.bookmarks[-1].view.distance == 7
    dress.commands.actions["Go to bookmark 1"].trigger()
    assert session.view == session.scene.bookmarks[0].view
    yaw = session.view.yaw
    stage.modes.turntable(True)
    until(lambda: session.view.yaw != yaw)
    stage.modes.turntable(False)
    dress.commands.actions["Next scene"].trigger()
    assert session.scene_id == "night_grotto" and dress.header.scenes.currentData() == "night_grotto"
    dress.commands.actions["New scene"].trigger()
    assert session.scene and not session.scene.objects
    dress.commands.actions["Add card to the stage"].trigger()
    assert len(session.scene.objects) == 1
    dress.commands.actions["Delete scene"].trigger()
    assert "garden" in session.project.scenes and session.scene
    while session.undo.can_undo:
        session.undo.undo()
    assert set(session.project.scenes) == scenes


def test_the_card_zooms_in_whole_steps_and_is_dragged(dress: MainWindow) -> None:
    stage = dress.dress.stage
    dress.dress.select("mossy_urn")
    QTest.keyClick(stage, Qt.Key.Key_F12, Qt.KeyboardModifier.ShiftModifier)
    assert stage.modes.sight.card and stage.pictures.look_on_card(stage.modes.sight) == "mossy_urn"
    small = settled(dress, "dress")
    scale = stage.modes.sight.card.scale
    QTest.keyClick(stage, Qt.Key.Key_Minus)
    assert stage.modes.sight.card.scale < scale
    drag(stage, QPointF(200, 200), QPointF(230, 190))
    assert stage.modes.sight.card.moved == (30, -10)
    assert (settled(dress, "dress") != small).mean() > 0.05
    QTest.keyClick(stage, Qt.Key.Key_F12, Qt.KeyboardModifier.ShiftModifier)
    assert stage.modes.sight.card is None


def test_pictures_are_saved_as_they_are_shown_and_as_light(dress: MainWindow, tmp_path: Path) -> None:
    """A picture of the stage's size is what the window shows, and what ./lantern render gives."""
    stage = dress.dress.stage
    rough = settled(dress, "dress")
    stage.pictures.samples = SAMPLES  # as a window has it: smooth at edges, and there alone
    stage.request(still=True)
    shown = settled(dress, "dress")
    assert 0.001 < (shown != rough).any(axis=2).mean() < 0.3
    size = (stage.width(), stage.height())
    for name in ("a.png", "a.exr"):
        save_pictures(stage, Wish(tmp_path / name, size))
        until(lambda name=name: (tmp_path / name).exists() and not dress.status.task_bar.tasks)
    saved = np.asarray(Pillow.open(tmp_path / "a.png").convert("RGB"), int)
    assert (saved == shown).all()
    dress.session.save()
    words = ["render", str(dress.session.folder), "--scene", "nectar_basin", "--size", f"{size[0]}x{size[1]}"]
    assert CliRunner().invoke(app, [*words, "-o", str(tmp_path / "b.png")]).exit_code == 0
    assert (np.asarray(Pillow.open(tmp_path / "b.png").convert("RGB"), int) == shown).all()
    assert struct.unpack("<I", (tmp_path / "a.exr").read_bytes()[:4])[0] == 20000630  # OpenEXR's magic number


def test_a_sequence_covers_the_loop_and_can_be_cancelled(dress: MainWindow, tmp_path: Path) -> None:
    stage = dress.dress.stage
    save_pictures(stage, Wish(tmp_path / "loop.png", (64, 48), seconds=2.0, rate=3))
    until(lambda: not dress.status.task_bar.tasks, 60)
    assert sorted(p.name for p in tmp_path.glob("*.png")) == [f"loop_{n:04d}.png" for n in range(1, 7)]
    first, later = (np.asarray(Pillow.open(tmp_path / f"loop_000{n}.png")) for n in (1, 4))
    assert (first != later).any()  # the nectar moves
    save_pictures(stage, Wish(tmp_path / "long.png", (64, 48), seconds=100.0, rate=24))
    until(lambda: (tmp_path / "long_0002.png").exists())
    dress.status.task_bar._show()
    click(dress.status.task_bar.cancel_button, QPointF(dress.status.task_bar.cancel_button.rect().center()))
    until(lambda: not dress.status.task_bar.tasks)
    assert len(list(tmp_path.glob("long_*.png"))) < 200
    assert "Stopped after" in dress.status.message.text()


def test_a_mesh_import_can_be_cancelled_and_changes_nothing(window: MainWindow, demo_folder: Path) -> None:
    source = demo_folder / "meshes" / "terrace_cliff" / "terrace_cliff.glb"
    before, files = window.session.project, sorted(p.name for p in (demo_folder / "meshes").iterdir())
    started: list[Task] = []
    window.session.task_started.connect(lambda task: (started.append(task), task.cancel()))
    import_mesh(window.session, source)
    until(lambda: started and started[0].done)
    assert window.session.project is before
    assert sorted(p.name for p in (demo_folder / "meshes").iterdir()) == files
    assert "cancelled" in window.status.message.text()
    with pytest.raises(Cancelled):
        started[0].progress(0.5, "")


class Failing(SoftRenderer):
    """A driver that gives up on its first picture, or on all."""

    made = 0
    forever = False

    def __init__(self) -> None:
        Failing.made += 1
        self.number = Failing.made

    def render(self, frame: Frame) -> Picture:
        if Failing.forever or self.number == 1:
            raise NoGraphics("the graphics driver gave up (out of memory)")
        return super().render(frame)


@pytest.mark.parametrize("forever", [False, True])
def test_a_lost_driver_is_made_anew_or_numpy_takes_over(monkeypatch: pytest.MonkeyPatch, forever: bool) -> None:
    monkeypatch.setattr(Failing, "made", 0)
    monkeypatch.setattr(Failing, "forever", forever)

    def choose(backend: str | None = None) -> tuple[SoftRenderer, str]:
        return (SoftRenderer(), "") if backend == "soft" else (Failing(), "")

    monkeypatch.setattr(worker_module, "renderer_for", choose)
    worker = RenderWorker()
    tiny = Frame((4, 4), camera_for(View(), (4, 4)), (), Paint(const(1, 0, 0, 1)), const(0, 0, 0, 1))
    drawn: list[Picture] = []
    said: list[str] = []
    for count in (1, 2):
        worker.submit("stage", Job(lambda: tiny, drawn.append, said.append))
        until(lambda count=count: len(drawn) == count)
    worker.stop()
    assert not said
    assert ("NumPy renderer draws" in worker.remark) == forever


def test_an_imported_file_wears_its_own_surfaces(open_window: Open, demo_folder: Path, tmp_path: Path) -> None:
    """A two-coloured pot from another program, dropped in by name: its colours show without a hand being lifted."""
    import trimesh

    parts = trimesh.Scene()
    for name, colour, x in (("red pot", [255, 0, 0, 255], -1.0), ("blue pot", [0, 0, 255, 255], 1.0)):
        look = trimesh.visual.material.PBRMaterial(
            name=name, baseColorFactor=colour, metallicFactor=0, roughnessFactor=1
        )
        ball = trimesh.creation.icosphere(subdivisions=3)
        ball.apply_translation((x, 0, 0))
        ball.visual = trimesh.visual.TextureVisuals(uv=np.zeros((len(ball.vertices), 2)), material=look)
        parts.add_geometry(ball, node_name=name, geom_name=name)
    parts.export(tmp_path / "pots.glb")
    window = open_window(demo_folder)
    window.commands.actions["New scene"].trigger()
    window.go_to_desk("Dress")
    import_mesh(window.session, tmp_path / "pots.glb")
    until(lambda: window.session.scene and window.session.scene.objects)
    names = {i.name for i in window.session.project.instances.values()}
    assert {"red pot", "blue pot"} <= names
    window.session.set_view(View(target=(0, 0, 0), yaw=0, pitch=10, distance=7))
    window.dress.stage.modes.set_options(show="base_colour", floor=False, grid=False)
    shown = settled(window, "dress")
    place = window.dress.stage.lens.place
    for x, channel in ((-1.0, 0), (1.0, 2)):
        at = place(np.array([x, 0.0, 0.9]))
        colour = shown[int(at.y()), int(at.x())]
        assert colour[channel] > 240 and colour.sum() < 300
    window.session.undo.undo()
    assert window.session.scene and not window.session.scene.objects
    assert not {"red pot", "blue pot"} & {i.name for i in window.session.project.instances.values()}
    moon = trimesh.creation.icosphere(subdivisions=2)
    moon.apply_scale(400)
    moon.export(tmp_path / "moon.glb")
    import_mesh(window.session, tmp_path / "moon.glb")
    until(lambda: window.session.view.distance > 400)  # from where it was, the inside of it alone was to be seen
