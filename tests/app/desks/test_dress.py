"""The Dress desk by hand: colours that are put into meshes."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox
from tests.khronos import complaints

from by_hand import LEFT, Open, click, drag, seen_at, settled, until
from soft_lantern.app.desks.dress import filling as filling_of
from soft_lantern.app.desks.dress import painting
from soft_lantern.app.desks.dress.layer_panel import ALONG, FLAT, HEIGHT, ROUND, WIRE
from soft_lantern.app.session.imports import import_mesh
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.meshes import garden_urn
from soft_lantern.errors import BadFile
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Project, StageObject
from soft_lantern.progress import Progress, silent
from soft_lantern.scene.mesh import Mesh, Part
from soft_lantern.scene.refine import halved


@pytest.fixture
def urn(open_window: Open, tmp_path: Path) -> MainWindow:
    """An urn that brings no colours, in a material that shows its vertex colours and is see-through where they are."""
    m = Authoring("Painted")
    held = m.add("vertex_colour")
    height = m.add("position", space="object").into("separate").y
    m.add("multiply", name="Half the height", a=height, b=0.5)
    m.add("sine", name="Fine stripes", angle=m.add("multiply", a=height, b=900.0))
    m.add("unlit_surface", colour=held, alpha_mode="blend")
    save_project(m.into_project(Project(name="Urn")), tmp_path / "urn")
    bare = [replace(part, mesh=replace(part.mesh, has_colours=False)) for part in garden_urn()]
    write_glb(tmp_path / "vase.glb", bare)
    window = open_window(tmp_path / "urn", "Dress")
    import_mesh(window.session, tmp_path / "vase.glb")
    until(lambda: window.session.scene and window.session.scene.objects and not window.session.loading)
    window.commands.run("Paint colours into the mesh")
    window.session.frame_all()
    window.session.dress_part(window.session.scene.objects[0].id, "", "painted")  # type: ignore[union-attr]
    return window


def part_of(window: MainWindow, name: str) -> Part:
    (asset,) = window.session.project.assets
    return next(part for part in window.session.models[asset].parts if part.name == name)


def with_a_layer(window: MainWindow) -> tuple[StageObject, str]:
    """The object, and its first part, which is selected and has a white layer now."""
    (thing,) = window.session.scene.objects  # type: ignore[union-attr]
    name = window.session.models[thing.asset].parts[0].name
    window.dress.select(thing.id, name)
    window.dress.paint.layers.add_wanted.emit()
    done(window)
    return thing, name


def done(window: MainWindow) -> None:
    """Wait until what was asked for beside the window is there."""
    until(lambda: not window.status.task_bar.tasks and not window.session.loading)
    settled(window, "dress")


def filling(window: MainWindow, way: int, channels: str) -> None:
    panel = window.dress.paint.layers
    panel.way.setCurrentIndex(way)
    panel.channels.setCurrentIndex(panel.channels.findData(channels))
    QTest.mouseClick(panel.fill, LEFT)
    done(window)


def test_a_fade_from_foot_to_top_is_painted_seen_kept_and_read_by_others(urn: MainWindow, open_window: Open) -> None:
    desk, session = urn.dress, urn.session
    (thing,) = session.scene.objects  # type: ignore[union-attr]
    name = max(session.models[thing.asset].parts, key=lambda part: len(part.mesh.positions)).name
    click(desk.stage, seen_at(desk.stage, thing.id, name))
    until(lambda: desk.stage.modes.sight.part == name)
    panel = desk.paint.layers
    assert panel.words.isVisible() and panel.give.isVisible() and not panel.list.isVisible()
    assert not part_of(urn, name).mesh.has_colours
    QTest.mouseClick(panel.give, LEFT)
    done(urn)
    assert part_of(urn, name).mesh.has_colours and panel.list.count() == 1 and not panel.words.isVisible()
    solid = settled(urn, "dress")
    foot, top = desk.paint.painting.on.heights()
    assert (panel.low.value, panel.high.value) == (pytest.approx(foot), pytest.approx(top))
    filling(urn, HEIGHT, "a")
    layer = part_of(urn, name).layers[0]
    placed = part_of(urn, name).placed.positions[:, 1]
    wanted = np.round((1 - (placed - foot) / (top - foot)) * 255) / 255  # by hand: 1 at the foot, 0 at the top
    assert np.abs(layer.values[:, 3] - wanted).max() < 1.01 / 255 and (layer.values[:, :3] == 1).all()
    faded = settled(urn, "dress")
    assert (faded != solid).any(axis=2).mean() > 0.02  # seen through in the same moment
    desk.stage_bar.show_box.setCurrentIndex(desk.stage_bar.show_box.findData("vertex_alpha"))
    checked = settled(urn, "dress")
    assert (checked != faded).any(axis=2).mean() > 0.02
    (asset,) = session.project.assets.values()
    assert asset.layers.startswith("layers/") and session.save()
    read = trimesh.load(session.folder / asset.layers, process=False)
    others = np.concatenate([np.asarray(each.visual.vertex_colors) for each in read.geometry.values()])
    assert (others == np.rint(layer.values * 255)).all()
    desk.paint.painting.export_to(asset, session.folder.parent / "out.glb")
    done(urn)
    assert f"{name}: COLOR_0" in urn.status.message.text()
    assert complaints(session.folder / asset.layers, session.folder.parent / "out.glb") == []
    left = trimesh.load(session.folder.parent / "out.glb", process=False)
    sent = next(g for g in left.geometry.values() if len(g.vertices) == len(layer.values))
    assert (np.asarray(sent.visual.vertex_colors) == np.rint(layer.values * 255)).all()  # exactly those numbers
    kept = session.project
    again = open_window(session.folder)
    assert again.session.project == kept
    until(lambda: not again.session.loading)
    assert (part_of(again, name).layers[0].values == layer.values).all()
    session.undo.undo()
    done(urn)
    assert (part_of(urn, name).layers[0].values == 1).all()
    session.undo.undo()
    done(urn)
    assert not part_of(urn, name).mesh.has_colours and panel.give.isVisible()


def test_a_node_paints_and_layers_are_ordered_named_converted_and_removed(
    urn: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, panel = urn.session, urn.dress.paint.layers
    thing, name = with_a_layer(urn)
    panel.wire.setCurrentIndex(panel.wire.findText("Half the height: out"))
    filling(urn, WIRE, "r")
    placed = part_of(urn, name).placed.positions[:, 1]
    red = np.round(np.clip(placed * 0.5, 0, 1) * 255) / 255
    assert np.abs(part_of(urn, name).layers[0].values[:, 0] - red).max() < 1.01 / 255
    QTest.mouseClick(panel.duplicate, LEFT)
    done(urn)
    item = panel.list.item(1)
    assert item and item.text() == "Colour 2"
    item.setText("Edge wear")
    done(urn)
    panel.list.setCurrentRow(1)
    panel.colour.show_value((0.2, 0.4, 0.6, 1.0))
    filling(urn, FLAT, "rgb")
    panel.list.setCurrentRow(1)
    QTest.mouseClick(panel.up, LEFT)
    done(urn)
    layers = part_of(urn, name).layers
    assert [layer.name for layer in layers] == ["Edge wear", "Colour"]
    assert layers[0].values[0, :3] == pytest.approx((0.2, 0.4, 0.6), abs=0.5 / 255)
    assert (part_of(urn, name).mesh.colours == layers[0].values).all()  # the first is the one that is drawn
    panel.list.setCurrentRow(0)
    panel.channels.setCurrentIndex(panel.channels.findData("g"))
    for name_of_shape, bake in filling_of.BAKES.items():
        filling(urn, panel.way.findText(name_of_shape), "g")
        green = bake(part_of(urn, name).mesh, silent)[:, 1]
        assert np.abs(part_of(urn, name).layers[0].values[:, 1] - green).max() < 0.51 / 255
    panel.list.setCurrentRow(1)
    told: list[str] = []
    answers = iter([QMessageBox.StandardButton.No, QMessageBox.StandardButton.Yes])
    monkeypatch.setattr(painting, "asked", lambda over, text, *_: told.append(text) or next(answers))
    panel.convert_wanted.emit(1, "corner", "float")  # loses nothing, so nothing is asked
    done(urn)
    before = part_of(urn, name).layers[1]
    assert (before.domain, before.precision) == ("corner", "float") and not told
    filling(urn, WIRE, "r")
    for _ in range(2):
        panel.convert_wanted.emit(1, "vertex", "8 bit")
        done(urn)
        if len(told) == 1:
            assert part_of(urn, name).layers[1].precision == "float"
    assert "Colour would change by up to 0.0" in told[0] and part_of(urn, name).layers[1].precision == "8 bit"
    for _ in range(2):
        panel.list.setCurrentRow(0)
        panel.list.setFocus()
        QTest.keyClick(panel.list, Qt.Key.Key_Delete)
        done(urn)
    assert not session.project.assets[thing.asset].layers and not part_of(urn, name).layers


def test_layers_that_are_gone_or_do_not_fit_are_told_and_nothing_else_is_lost(urn: MainWindow) -> None:
    session, panel = urn.session, urn.dress.paint.layers
    _, name = with_a_layer(urn)
    (asset,) = session.project.assets.values()
    (session.folder / asset.layers).unlink()
    session.files.read_again(str(session.folder / asset.file))
    until(lambda: any("without its colour layers" in n.text for n in session.notices))
    assert part_of(urn, name).layers == () and session.project.assets[asset.id].layers == asset.layers
    session.undo.undo()
    done(urn)
    assert not any("colour layers" in notice.text for notice in session.notices)
    panel.wire_wanted.emit(0, "r", "nothing.out")
    done(urn)
    assert "gone" in urn.status.message.text() or "no numbers" in urn.status.message.text()


def test_colours_are_carried_over_when_the_mesh_file_changes(urn: MainWindow) -> None:
    session, panel = urn.session, urn.dress.paint.layers
    thing, name = with_a_layer(urn)
    panel.wire.setCurrentIndex(panel.wire.findText("Half the height: out"))
    filling(urn, WIRE, "r")
    asset = session.project.assets[thing.asset]
    bare = [replace(part, mesh=halved(replace(part.mesh, has_colours=False))) for part in garden_urn()]
    write_glb(session.folder / asset.file, bare)
    session.files.read_again(str(session.folder / asset.file))
    until(lambda: any("nearest points" in notice.text for notice in session.notices))
    part = part_of(urn, name)
    assert len(part.layers[0].values) == len(part.mesh.positions)
    red = np.clip(part.placed.positions[:, 1] * 0.5, 0, 1)
    assert np.abs(part.layers[0].values[:, 0] - red).max() < 2 / 255
    assert session.project.assets[thing.asset] is asset  # what was painted is still there as it was


def test_a_stroke_of_the_brush_paints_what_it_goes_over_and_is_one_step(urn: MainWindow) -> None:
    desk, session, panel = urn.dress, urn.session, urn.dress.paint.layers
    (thing,) = session.scene.objects  # type: ignore[union-attr]
    name = max(session.models[thing.asset].parts, key=lambda part: len(part.mesh.positions)).name
    desk.select(thing.id, name)
    panel.add_wanted.emit()
    done(urn)
    plain, steps = settled(urn, "dress"), session.undo.count
    panel.ink.show_value((1.0, 0.0, 0.0, 1.0))
    panel.radius.want(0.15)
    QTest.mouseClick(panel.brush, LEFT)
    assert desk.stage.modes.clicks == "paint" and desk.stage.grasps.handles() is None
    at = QPointF(seen_at(desk.stage, thing.id, name).toPoint())
    hit = desk.stage.shown().looker(at)(0.0)
    assert hit and hit.key == (thing.id, name)
    for _ in range(2):  # a second stroke begins before the first is written
        drag(desk.stage, at, at + QPointF(12, 0))
    done(urn)
    assert session.undo.count == steps + 2
    part = part_of(urn, name)
    near = np.linalg.norm(part.placed.positions - hit.point, axis=1)
    assert part.layers[0].values[near < 0.05, 1].max() < 0.05  # red alone is left
    assert (part.layers[0].values[near > 1.0] == 1).all()
    assert (settled(urn, "dress") != plain).any(axis=2).sum() > 40  # it is at the rim
    for _ in range(2):
        session.undo.undo()
    done(urn)
    assert (part_of(urn, name).layers[0].values == 1).all()
    QTest.keyClick(desk.stage, Qt.Key.Key_Escape)
    assert desk.stage.modes.clicks == "pick" and not panel.brush.isChecked()
    QTest.mouseClick(panel.brush, LEFT)
    desk.go_to("Light")
    assert desk.stage.modes.clicks == "pick" and not panel.brush.isChecked()


def test_a_long_fill_shows_how_far_it_is_and_is_cancelled(urn: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    _, name = with_a_layer(urn)
    steps, before = urn.session.undo.count, part_of(urn, name).layers[0]
    panel, tasks = urn.dress.paint.layers, urn.status.task_bar.tasks

    def slow(mesh: Mesh, progress: Progress) -> np.ndarray:
        for step in range(2000):
            progress(step / 2000, "Looking round from each vertex")
            time.sleep(0.005)
        return np.zeros((len(mesh.positions), 4), np.float32)

    monkeypatch.setitem(filling_of.BAKES, "ambient occlusion", slow)
    panel.way.setCurrentText("ambient occlusion")
    QTest.mouseClick(panel.fill, LEFT)
    until(lambda: tasks and tasks[0].share > 0.01)
    assert tasks[0].words == "Looking round from each vertex"
    tasks[0].cancel()
    done(urn)
    assert "was cancelled; nothing was changed" in urn.status.message.text()
    assert part_of(urn, name).layers[0] is before and urn.session.undo.count == steps


def test_a_stroke_that_cannot_be_kept_is_taken_back(urn: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    desk = urn.dress
    thing, name = with_a_layer(urn)
    steps, white = urn.session.undo.count, part_of(urn, name).layers[0]
    before = settled(urn, "dress")

    def full(*_: object) -> None:
        raise BadFile("layers/vase.glb cannot be written: No space left on device")

    monkeypatch.setattr(painting, "repainted_parts", full)
    QTest.mouseClick(desk.paint.layers.brush, LEFT)
    desk.paint.layers.radius.show_value(0.3)
    drag(desk.stage, at := seen_at(desk.stage, thing.id, name), at + QPointF(20, 0))
    done(urn)
    assert "No space left" in urn.status.message.text() and urn.session.undo.count == steps
    assert part_of(urn, name).layers[0] is white
    assert (settled(urn, "dress") == before).mean() > 0.999


def test_what_is_asked_for_at_once_comes_one_after_another_and_none_is_lost(urn: MainWindow) -> None:
    session, panel = urn.session, urn.dress.paint.layers
    _, name = with_a_layer(urn)
    steps = session.undo.count
    for ask in (panel.add_wanted.emit, panel.add_wanted.emit, lambda: panel.rename_wanted.emit(1, "Moss")):
        ask()
    panel.rename_wanted.emit(9, "Nothing")  # refused, and what follows is done all the same
    panel.flat_wanted.emit(0, "r", (0.0, 0.0, 0.0, 1.0))
    done(urn)
    layers = part_of(urn, name).layers
    assert [layer.name for layer in layers] == ["Colour", "Moss", "Colour 3"]
    assert (layers[0].values[:, 0] == 0).all() and session.undo.count == steps + 4


def test_a_node_too_fine_for_the_mesh_is_said_shown_and_has_ways_out(urn: MainWindow) -> None:
    """A sine from −1 to 1 that turns several times between two vertices may miss all of it: 2 of 2."""
    _, name = with_a_layer(urn)
    desk, panel, bar = urn.dress, urn.dress.paint.layers, urn.dress.paint.coarse_bar
    for wire, coarse in (("Half the height: out", False), ("Fine stripes: out", True)):
        panel.wire.setCurrentIndex(panel.wire.findText(wire))
        filling(urn, WIRE, "r")
        assert bar.isVisible() is coarse
    assert "of 2 is" in bar.words.text() or "of 1.99" in bar.words.text()
    QTest.mouseClick(bar.where, LEFT)
    until(lambda: "selected" in desk.paint.vertices.count.text() and "none" not in desk.paint.vertices.count.text())
    before = part_of(urn, name)
    shown = desk.paint.painting.selected.of(desk.paint.painting.on.key(), before.bare)
    assert shown is not None and shown.any()
    steps = urn.session.undo.index
    QTest.mouseClick(bar.map, LEFT)
    until(lambda: urn.session.undo.index == steps + 1)
    (texture,) = urn.session.project.textures.values()
    image = urn.session.images[texture.id]
    assert (image.width, image.height, texture.encoding) == (1024, 1024, "data") and texture.file.endswith(".exr")
    (asset,) = urn.session.project.assets.values()
    QTest.mouseClick(bar.finer, LEFT)
    until(lambda: len(part_of(urn, name).bare.triangles) == 4 * len(before.bare.triangles))
    done(urn)
    (finer,) = urn.session.project.assets.values()
    assert finer.file != asset.file and (urn.session.folder / asset.file).exists()
    layer = part_of(urn, name).layers[0]
    assert len(layer.values) == len(part_of(urn, name).bare.positions) > len(before.bare.positions)
    placed = part_of(urn, name).placed.positions[:, 1].astype(np.float64)
    wanted = np.round(np.clip(np.sin(placed * 900), 0, 1) * 255) / 255  # filled again on the finer mesh
    assert np.abs(layer.values[:, 0] - wanted).max() < 0.01
    while urn.session.undo.index > steps:
        urn.session.undo.undo()
    done(urn)
    assert urn.session.project.assets == {asset.id: asset} and not urn.session.project.textures


def test_a_ramp_runs_along_the_tape_and_round_its_start(urn: MainWindow) -> None:
    """Two clicks on the stage are its ends: by distance along the line through them, and from the first."""
    desk, panel = urn.dress, urn.dress.paint.layers
    thing, name = with_a_layer(urn)
    told: list[str] = []
    urn.session.told.connect(told.append)
    panel.start_colour.show_value((0.0, 0.0, 0.0, 1.0))
    panel.end_colour.show_value((1.0, 1.0, 1.0, 1.0))
    filling(urn, ALONG, "r")
    assert any("tape" in words for words in told) and (part_of(urn, name).layers[0].values == 1).all()
    desk.stage.modes.let_clicks("tape")
    middle = desk.stage.rect().center()
    for down in (-90, 90):
        click(desk.stage, QPointF(middle.x(), middle.y() + down))
        QTest.qWait(300)
    until(lambda: len(desk.stage.modes.tape) == 2)
    start, end = (np.asarray(each) for each in desk.stage.modes.tape)
    filling(urn, ALONG, "r")
    filling(urn, ROUND, "g")
    part = part_of(urn, name)
    points = part.placed.positions + np.array(thing.position)
    along = np.clip((points - start) @ (end - start) / ((end - start) @ (end - start)), 0, 1)
    away = np.clip(np.linalg.norm(points - start, axis=1) / np.linalg.norm(end - start), 0, 1)
    values = part.layers[0].values
    assert np.abs(values[:, 0] - along).max() < 0.51 / 255 and np.abs(values[:, 1] - away).max() < 0.51 / 255
    assert values[:, 0].min() == 0 and values[:, 0].max() == 1


@pytest.mark.left_at("Dress", "tea_terrace")
def test_a_layer_is_copied_to_the_other_parts_by_the_nearest_point(window: MainWindow) -> None:
    """Red below and white above a height in the kettle's body: its lid gets white, its foot red, in one edit."""
    session, panel = window.session, window.dress.paint.layers
    window.dress.select("kettle", "body")
    window.commands.run("Paint colours into the mesh")
    panel.add_wanted.emit()
    done(window)
    panel.low.want(0.3)
    panel.high.want(0.31)
    panel.low_colour.show_value((1.0, 0.0, 0.0, 1.0))
    panel.high_colour.show_value((1.0, 1.0, 1.0, 1.0))
    filling(window, HEIGHT, "rgb")
    before = session.undo.count
    next(a for a in panel.convert_menu().actions() if a.text() == "Copy to the other parts").trigger()
    done(window)
    assert session.undo.count == before + 1
    parts = {part.name: part for part in session.models["tea_kettle"].parts}
    assert all(len(part.layers) == 1 for part in parts.values())
    assert (parts["lid"].layers[0].values == 1).all()
    assert np.allclose(parts["foot"].layers[0].values, (1, 0, 0, 1))
    session.undo.undo()
    done(window)
    assert not next(part for part in session.models["tea_kettle"].parts if part.name == "lid").layers
