"""The real window, by mouse and keyboard: what hands do, what the document becomes, what the pixels show."""

from __future__ import annotations

import itertools
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QMessageBox, QWidget

from by_hand import (
    LEFT,
    NONE,
    SHIFT,
    Open,
    activate,
    click,
    drag,
    middle_of,
    node_of,
    pixels,
    settled,
    tooth,
    type_node,
    until,
    wire,
)
from soft_lantern.app.canvas.finder import offers
from soft_lantern.app.panels.parameter_dialog import ParameterDialog
from soft_lantern.app.session.imports import import_mesh
from soft_lantern.app.theme import choice
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.app.widgets.shelf import PARAMETER_DRAG
from soft_lantern.app.widgets.told_lines import ToldLines
from soft_lantern.app.window import closing, command_menu
from soft_lantern.app.window.offered_desks import DESKS
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.meshes import lantern_post
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.materialx.target import documents
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.recovery import RECOVERY, left_behind
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Project
from soft_lantern.graph.instances.change_report import ASIDE
from soft_lantern.progress import silent
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import components


def test_the_whole_story_from_an_empty_project_to_shader_text(open_window: Open, tmp_path: Path) -> None:
    """Import a prop, build the ramp, expose, tune two instances, save, close, reopen, export."""
    folder = tmp_path / "garden"
    save_project(Project(name="Garden"), folder)
    prop = tmp_path / "post.glb"
    write_glb(prop, lantern_post())
    window = open_window(folder)
    session, canvas = window.session, window.build.canvas

    window.commands.actions["New material"].trigger()
    import_mesh(session, prop)
    until(lambda: session.scene and session.scene.objects)
    session.frame_all()

    # The graph, typed and wired by hand.
    canvas.scale, canvas.origin = 0.8, QPointF(0, 40)
    place = iter(
        QPointF(x, y)
        for x, y in (
            (20, 90),
            (130, 90),
            (240, 90),
            (350, 90),
            (460, 90),
            (20, 300),
            (130, 300),
            (240, 300),
            (350, 300),
        )
    )
    position, separate, subtract = (type_node(canvas, t, next(place)) for t in ("position", "separate", "subtract"))
    divide, clamp = (type_node(canvas, t, next(place)) for t in ("divide", "clamp"))
    low, high, origin, spread = (type_node(canvas, t, next(place)) for t in ("#2a4d5e", "#f2b75c", "0", "4.6"))
    mix = type_node(canvas, "lerp", QPointF(560, 260))
    surface = node_of(canvas.material, "surface")
    canvas.acts.tidy()
    for out, into in (
        ((position, "out"), (separate, "vector")),
        ((separate, "y"), (subtract, "a")),
        ((origin, "out"), (subtract, "b")),
        ((subtract, "out"), (divide, "a")),
        ((spread, "out"), (divide, "b")),
        ((divide, "out"), (clamp, "value")),
        ((low, "out"), (mix, "a")),
        ((high, "out"), (mix, "b")),
        ((clamp, "out"), (mix, "factor")),
        ((mix, "out"), (surface, "base_colour")),
    ):
        wire(canvas, out, into)
        assert canvas.material.wires[".".join(into)] == ".".join(out)
        canvas.acts.tidy()

    # Expose the two colours, origin and spread, named as designers will read them.
    for node_id, name in ((low, "Low colour"), (high, "High colour"), (origin, "Origin"), (spread, "Spread")):
        canvas.typing.rename(canvas.spread.slips[node_id])
        canvas.typing.type_in.setText(name)
        QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
        click(canvas, middle_of(canvas, node_id))
        window.commands.actions["Expose as a parameter"].trigger()
    material = session.material
    assert material
    assert [p.identifier for p in material.parameters] == ["low_colour", "high_colour", "origin", "spread"]
    until(lambda: any(n.kind == "division" for n in session.notices))

    # Limits for the spread, through its dialog, end the notice.
    spread_id = material.parameters[3].id
    window.build.bottom.edit_parameter(spread_id)
    dialog = window.build.bottom.dialog
    assert isinstance(dialog, ParameterDialog)
    dialog.low.setText("0.1")
    dialog.high.setText("10")
    dialog.control.setCurrentText("slider")
    QTest.mouseClick(dialog.buttons.button(QDialogButtonBox.StandardButton.Ok), LEFT)
    until(lambda: not any(n.kind == "division" for n in session.notices))
    as_built = settled(window)

    # Two instances with different values.
    QTest.mouseClick(window.header.desk_buttons["Tune"], LEFT)
    tune = window.tune
    tune.select(material.id)
    for name, hex_text, height in (("Night", "#3a2a66", "2"), ("Noon", "#9fe08a", "1.5")):
        tune.select(material.id)
        QTest.mouseClick(tune.beside_tree.add_button, LEFT)
        item = tune.tree.currentItem()
        assert item
        item.setText(0, name)
        swatch = tune.sheet.controls[material.parameters[1].id].swatch
        assert swatch
        click(swatch, QPointF(10, 10))
        picker = swatch.picker
        assert isinstance(picker, ColourPicker)
        picker.hex.selectAll()
        QTest.keyClicks(picker.hex, hex_text)
        QTest.keyClick(picker.hex, Qt.Key.Key_Return)
        picker.close()
        field = tune.sheet.controls[spread_id].field
        assert field
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, height)
        QTest.keyClick(field, Qt.Key.Key_Return)
    instances = {i.name: i for i in session.project.instances.values()}
    assert set(instances) == {"Night", "Noon"}
    assert instances["Night"].values == {
        material.parameters[1].id: pytest.approx(colour_from_hex("#3a2a66")),
        spread_id: 2.0,
    }
    assert {p: m.text() for p, m in tune.sheet.marks.items()} == {
        material.parameters[0].id: "",
        material.parameters[1].id: "●",
        material.parameters[2].id: "",
        spread_id: "●",
    }
    thing = session.scene.objects[0] if session.scene else None
    assert thing
    pictures = []
    for name in ("Night", "Noon"):
        session.change_object("Dress", thing.id, wears={"": instances[name].id})
        tune.select(instances[name].id)
        pictures.append(settled(window, "tune"))
    assert np.abs(pictures[0] - pictures[1]).max() > 60
    assert as_built.shape != pictures[0].shape or np.abs(as_built - pictures[0]).max() > 60

    # Save, close, reopen, export.
    assert session.save()
    kept = session.project
    window.close()
    again = open_window(folder)
    assert again.session.project == kept
    again.project_commands.export_to(tmp_path / "out")
    assert all(p.shipped for p in again.session.material.parameters)  # type: ignore[union-attr]
    (fragment,) = (tmp_path / "out").glob("*.frag.glsl")
    assert "    float spread; // Spread, 0.1 to 10; default 4.6" in fragment.read_text()
    table = json.loads(next((tmp_path / "out").glob("*.json")).read_text())
    assert [row["label"] for row in table["parameters"]] == ["Low colour", "High colour", "Origin", "Spread"]


def test_a_slider_drag_is_one_undo_compiles_nothing_and_shows_at_once(window: MainWindow) -> None:
    session, shelf, stage = window.session, window.build.shelf, window.build.stage
    before = settled(window)
    compiled, project, entries = window.worker.compiled, session.project, session.undo.count
    slider = shelf.controls["spread"].slider
    assert slider
    start = QPointF(slider.position_of(slider.value), slider.height() / 2)
    drawn = stage.pictures.frames_drawn
    drag(slider, start, QPointF(slider.width() - 8, start.y()))
    assert session.material and components(session.material.parameters[3].default)[0] == pytest.approx(10, abs=0.2)
    until(lambda: stage.pictures.frames_drawn > drawn)
    after = settled(window)
    assert np.abs(after - before).max() > 25
    assert window.worker.compiled == compiled
    assert session.undo.count == entries + 1
    window.commands.actions["Undo"].trigger()
    assert session.project == project
    assert (settled(window) == before).all()
    window.commands.actions["Redo"].trigger()
    assert session.project != project


def test_everything_undone_gives_the_project_back(window: MainWindow) -> None:
    session, canvas, objects = window.session, window.build.canvas, window.build.objects
    start = session.project
    click(canvas, middle_of(canvas, "height_mask"))
    assert canvas.selected == {"height_mask"}
    drag(canvas, middle_of(canvas, "height_mask"), middle_of(canvas, "height_mask") + QPointF(30, 60))
    for name in ("Duplicate", "Copy", "Paste", "Cut", "Select all", "Duplicate", "Delete"):
        window.commands.actions[name].trigger()
    window.build.select_object("near_post")
    objects.fields["rotation"][1].want(45.0)
    objects.arranging.duplicate()
    objects.arranging.delete()
    window.commands.actions["Add sphere to the stage"].trigger()
    window.tune.select("amber_hour")
    window.tune.instance_commands.add()
    window.tune.instance_commands.delete()
    window.commands.actions["New material"].trigger()
    assert session.undo.count >= 12
    while session.undo.can_undo:
        session.undo.undo()
    assert session.project == start
    while session.undo.can_redo:
        session.undo.redo()
    assert len(session.project.materials) == len(start.materials) + 1


def test_a_wrong_wire_is_refused_with_the_reason_beside_the_pointer(window: MainWindow) -> None:
    canvas = window.build.canvas
    before = canvas.material
    start, end = tooth(canvas, "ramp_colour", "out", is_output=True), tooth(canvas, "height_mask", "low")
    QTest.mousePress(canvas, LEFT, NONE, start.toPoint())
    QTest.mouseMove(canvas, ((start + end) / 2).toPoint())
    QTest.mouseMove(canvas, end.toPoint())
    assert "feed itself" in canvas.gesture.reason  # type: ignore[union-attr]
    shown = pixels(canvas.grab().toImage())
    QTest.mouseRelease(canvas, LEFT, NONE, end.toPoint())
    assert canvas.material is before
    assert "feed itself" in window.status.message.text()
    calm = pixels(canvas.grab().toImage())
    box = shown[int(end.y()) + 10 : int(end.y()) + 40, int(end.x()) + 10 : int(end.x()) + 120]
    assert np.abs(box - calm[int(end.y()) + 10 : int(end.y()) + 40, int(end.x()) + 10 : int(end.x()) + 120]).max() > 60


def test_a_wire_dropped_on_empty_canvas_offers_what_fits_and_joins_it(window: MainWindow) -> None:
    canvas = window.build.canvas
    before = set(canvas.material.nodes)
    start = tooth(canvas, "rise", "out", is_output=True)
    drag(canvas, start, QPointF(start.x() + 10, canvas.height() - 30))
    assert canvas.placing.finder.isVisible()
    offered = [canvas.placing.finder.list.item(i).text() for i in range(canvas.placing.finder.list.count())]  # type: ignore[union-attr]
    assert any(text.startswith("Multiply") for text in offered)
    assert not any(text.startswith("Position") for text in offered)
    canvas.placing.finder.field.setText("mult")
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    (new,) = set(canvas.material.nodes) - before
    assert canvas.material.wires[f"{new}.a"] == "rise.out"
    # Pulling the wire's end off its input and letting go beside everything takes it away.
    drag(canvas, tooth(canvas, new, "a"), QPointF(20, 20))
    assert f"{new}.a" not in canvas.material.wires


def test_typing_anywhere_finds_numbers_colours_nodes_and_synonyms(window: MainWindow) -> None:
    material = window.build.canvas.material
    assert offers("-2.5", material)[0].node.values == {"value": -2.5}
    assert offers("#f2b75c", material)[0].node.values == {"value": colour_from_hex("#f2b75c")}
    assert offers("lerp", material)[0].title == "Mix"
    assert offers("spre", material)[0].node.settings == {"parameter": "spread"}
    assert offers("drop-", material)[0].title == offers("drop-down", material)[0].title == "Switch"
    assert offers("drop - down", material)[0].family == "formula"
    assert offers("zzz", material) == []


def test_a_port_dragged_down_to_the_shelf_is_exposed_and_a_card_dragged_up_is_placed(window: MainWindow) -> None:
    canvas, shelf = window.build.canvas, window.build.shelf
    target = canvas.mapFromGlobal(shelf.mapToGlobal(QPoint(600, 40)))
    drag(canvas, tooth(canvas, "surface", "metallic"), QPointF(target))
    material = window.session.material
    assert material and material.parameters[-1].identifier == "metallic"
    assert (material.parameters[-1].low, material.parameters[-1].high) == (0.0, 1.0)
    assert material.parameters[-1].id in shelf.cards
    nodes = len(material.nodes)
    data = QMimeData()
    data.setData(PARAMETER_DRAG, b"spread")
    place = QPointF(200, canvas.height() - 60)
    canvas.dropEvent(QDropEvent(place, Qt.DropAction.CopyAction, data, LEFT, NONE))
    assert len(canvas.material.nodes) == nodes + 1
    window.build.shelf.unexpose_wanted.emit("spread")
    report = window.build.bottom.report  # two instances have values of their own for it
    assert (
        report and [effect.kind for effect in report.effects] == [ASIDE, ASIDE] and canvas.material.parameter("spread")
    )
    until(lambda: report.settled and report.table.cellWidget(1, 1))
    report.accept()
    assert [n.type for n in canvas.material.nodes.values()].count("number") == 2


def test_a_typed_value_and_a_setting_change_the_graph(window: MainWindow) -> None:
    canvas = window.build.canvas
    slip = canvas.spread.slips["height_mask"]
    row = slip.row("high", is_output=False)
    assert row
    at = canvas.to_widget(QPointF(slip.rect.right() - 24, slip.row_rect(row).center().y()))
    click(canvas, at)
    assert canvas.typing.type_in.isVisible()
    canvas.typing.type_in.setText("rubbish")
    QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
    assert "not a number" in window.status.message.text()
    click(canvas, at)
    canvas.typing.type_in.setText("0.5")
    QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
    assert canvas.material.nodes["height_mask"].values == {"high": 0.5}


def test_an_object_is_picked_and_moved_by_its_handle(window: MainWindow) -> None:
    stage, session = window.build.stage, window.session
    settled(window)
    scene = session.scene
    assert scene
    shade = np.add(scene.objects[1].position, (0.75, 3.6, 0.25))
    stage.picking.click(stage.lens.place(shade))
    assert stage.modes.sight.selected == "near_post"
    arms = stage.grasps.handles().arms()
    assert set(arms) == {"x", "y", "z"}
    before = scene.objects[1].position
    drag(stage, arms["y"][1], arms["y"][1] + QPointF(0, -60))
    moved = session.scene.object("near_post") if session.scene else None
    assert moved and moved.position[1] > before[1] + 0.3
    assert (moved.position[0], moved.position[2]) == (before[0], before[2])
    assert window.build.objects.fields["position"][1].value == moved.position[1]


def test_the_level_gauge_is_dragged_typed_and_read(window: MainWindow) -> None:
    stage, session = window.build.stage, window.session
    with_gauge = settled(window)
    gauge = stage.grasps.gauge()
    box = gauge.label if gauge else None
    assert box
    drag(stage, box.center(), box.center() + QPointF(0, -50))
    assert session.scene and session.scene.gauge is not None and session.scene.gauge > -1.8
    field = window.build.stage_bar.height_field
    field.want(-2.0)
    assert session.scene.gauge == -2.0
    QTest.mouseClick(window.build.stage_bar.gauge, LEFT)
    assert stage.grasps.gauge() is None
    assert (settled(window) != with_gauge).any()


def test_orbit_pan_zoom_and_switches_change_the_picture_but_not_the_document(window: MainWindow) -> None:
    stage, session = window.build.stage, window.session
    project = session.project
    seen = [settled(window)]
    drag(stage, QPointF(200, 200), QPointF(260, 220))
    seen.append(settled(window))
    drag(stage, QPointF(200, 200), QPointF(260, 220), SHIFT)
    seen.append(settled(window))
    QTest.keyClick(stage, Qt.Key.Key_Plus)
    seen.append(settled(window))
    for button in (window.build.stage_bar.backdrop, window.build.stage_bar.floor, window.build.stage_bar.tone_map):
        QTest.mouseClick(button, LEFT)
        seen.append(settled(window))
    QTest.keyClick(stage, Qt.Key.Key_Home)
    seen.append(settled(window))
    for one, other in itertools.pairwise(seen):
        assert (one != other).any(axis=2).mean() > 0.02
    assert session.project is project


def test_an_edit_from_outside_is_noticed_and_can_be_taken_or_left(window: MainWindow, demo_folder: Path) -> None:
    path = demo_folder / "instances" / "amber_hour.json"
    raw = json.loads(path.read_text())
    raw["values"]["spread"] = 7.25
    path.write_text(json.dumps(raw))
    until(window.banner.isVisible)
    assert "instances/amber_hour.json" in window.banner.words.text()
    mine = window.session.project
    QTest.mouseClick(window.banner.buttons["Read again"], LEFT)
    assert window.session.project.instances["amber_hour"].values["spread"] == 7.25
    window.session.undo.undo()
    assert window.session.project == mine
    raw["values"]["spread"] = 1.5
    path.write_text(json.dumps(raw))
    until(window.banner.isVisible)
    QTest.mouseClick(window.banner.buttons["Keep mine"], LEFT)
    assert not window.session.is_saved
    assert window.session.save() and open_project(demo_folder).project == mine


def test_unsaved_work_is_asked_about_and_recovered_after_a_crash(
    window: MainWindow, open_window: Open, demo_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window.build.canvas.acts.tidy()
    window.build.shelf.value_wanted.emit("spread", 2.75)
    asked: list[str] = []

    def stay(parent: QWidget, text: str, *rest: object) -> QMessageBox.StandardButton:
        asked.append(text)
        return QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(closing, "asked", stay)
    assert not window.close()
    assert "not saved" in asked[0]
    window.session.saver.unsaved.keep_now()
    (kept,) = (demo_folder / RECOVERY).glob("unsaved-*.json")
    assert "2.75" in kept.read_text() and not left_behind(demo_folder)  # a window that lives keeps it for itself
    kept.with_suffix(".lock").unlink()
    other = open_window(demo_folder)  # as after a crash: nothing was saved, nothing tidied away
    assert other.banner.isVisible()
    QTest.mouseClick(other.banner.buttons["Bring it back"], LEFT)
    assert other.session.project == window.session.project
    monkeypatch.undo()


def test_a_document_let_go_on_the_window_becomes_a_material_and_is_one_thing_to_undo(
    window: MainWindow, tmp_path: Path
) -> None:
    before, session = window.session.project, window.session
    made = documents(before, [before.materials["kettle_metal"]], session.images, session.folder, silent)
    for name, data in made.items():
        (tmp_path / name).write_bytes(data if isinstance(data, bytes) else data.encode())
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "kettle_metal.mtlx"))])
    window.dropEvent(QDropEvent(QPointF(40, 200), Qt.DropAction.CopyAction, data, LEFT, NONE))
    until(lambda: session.material and session.material.name == "Kettle metal 2")
    assert "7 instances" in window.status.message.text()
    added = session.project.instances.keys() - before.instances.keys()
    assert {session.project.instances[each].parent for each in added} == {session.material_id} and len(added) == 7
    window.commands.actions["Undo"].trigger()
    assert session.project == before
    (tmp_path / "broken.mtlx").write_text("<materialx")
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "broken.mtlx"))])
    window.dropEvent(QDropEvent(QPointF(40, 200), Qt.DropAction.CopyAction, data, LEFT, NONE))
    until(lambda: "broken.mtlx is no sound MaterialX document" in window.status.message.text())
    assert session.project == before


FRAMES = """<materialx version="1.39">
  <nodegraph name="g">
    <frame name="one" type="float" /><output name="a" type="float" nodename="one" />
    <frame name="two" type="float" /><output name="b" type="float" nodename="two" />
  </nodegraph>
  <gltf_pbr name="s" type="surfaceshader">
    <input name="metallic" type="float" nodegraph="g" output="a" />
    <input name="roughness" type="float" nodegraph="g" output="b" />
  </gltf_pbr>
  <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s" />
  </surfacematerial>
</materialx>
"""


def test_all_that_did_not_come_over_can_be_read_and_copied(window: MainWindow, tmp_path: Path) -> None:
    (tmp_path / "frames.mtlx").write_text(FRAMES)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "frames.mtlx"))])
    window.dropEvent(QDropEvent(QPointF(40, 200), Qt.DropAction.CopyAction, data, LEFT, NONE))
    until(lambda: "Show them…" in window.banner.buttons)
    assert "2 things did not come over from frames.mtlx" in window.banner.words.text()
    QTest.mouseClick(window.banner.buttons["Show them…"], LEFT)
    (told,) = window.findChildren(ToldLines)
    item, clipboard = told.list.item(0), QApplication.clipboard()
    assert item and clipboard and told.list.count() == 2
    assert item.text() == "one is a frame, which nothing here computes; it gives 0"
    QTest.mouseClick(told.copy, LEFT)
    assert clipboard.text().count("which nothing here computes") == 2
    told.close()
    assert "Show them…" not in window.banner.buttons


def test_bad_input_is_said_and_the_last_good_picture_stays(window: MainWindow, tmp_path: Path) -> None:
    good = settled(window)
    broken = tmp_path / "broken.glb"
    broken.write_bytes(b"glTF not really")
    import_mesh(window.session, broken)
    until(lambda: "broken.glb" in window.status.message.text() and "…" not in window.status.message.text())
    window.build.stage.complain("the graphics driver refused a shader")
    assert (pixels(window.build.stage.pictures.image) == good).all()
    shown = pixels(window.build.stage.grab().toImage())
    assert shown.shape == good.shape and (shown[-40:] != good[-40:]).any()
    material = window.session.material
    assert material
    dialog = ParameterDialog(material, material.parameters[2])
    dialog.identifier.setText("vec3")
    ok = dialog.buttons.button(QDialogButtonBox.StandardButton.Ok)
    assert ok and not ok.isEnabled()
    assert "word of GLSL" in dialog.words.text()


@pytest.mark.own_renderer
def test_without_opengl_the_numpy_renderer_takes_over_and_says_so(
    demo_folder: Path, open_window: Open, monkeypatch: pytest.MonkeyPatch
) -> None:
    from soft_lantern.errors import NoGraphics
    from soft_lantern.render import choose

    def none() -> None:
        raise NoGraphics("no OpenGL 3.3 on this machine")

    monkeypatch.setattr(choose, "GlRenderer", none)
    window = open_window(demo_folder)
    assert "NumPy renderer" in window.status.renderer_label.text()
    assert len(np.unique(pixels(window.build.stage.pictures.image).reshape(-1, 3), axis=0)) > 50


def test_every_action_is_found_by_name(window: MainWindow) -> None:
    finder = window.commands.finder
    finder.open()
    finder.field.setText("tune desk")
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert window.desks.currentIndex() == 1
    finder.open()
    assert finder.list.count() == len(window.commands.actions)


def test_commands_come_after_the_window_is_seen_or_at_the_first_key_or_click(
    demo_folder: Path, open_window: Open, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(command_menu, "SOON", 60_000)
    keyed, clicked = open_window(demo_folder), open_window(demo_folder)
    for each in (keyed, clicked):
        assert not [action for action in each.actions() if action.shortcut()]  # they would have kept it waiting
    activate(keyed)
    QTest.keyClick(keyed, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert keyed.desk_name == "Tune"
    clicked.header.menu_button.menu().aboutToShow.emit()
    groups = [action.text() for action in clicked.commands.menu.actions()]
    assert groups == list(command_menu.GROUPS)
    assert len(clicked.commands.actions) == len(keyed.commands.actions) > 150
    monkeypatch.setattr(command_menu, "SOON", 10)
    left = open_window(demo_folder)
    until(lambda: len([action for action in left.actions() if action.shortcut()]) > 100)


def test_a_notice_is_accepted_where_it_arose(window: MainWindow) -> None:
    """Not in the material that happens to be open."""
    session, notices = window.session, window.build.notice_list
    until(lambda: any(notice.place == "moth_trail" and notice.node for notice in notices.notices))
    assert session.material_id != "moth_trail"
    stray = next(notice for notice in notices.notices if notice.place == "moth_trail" and notice.node)
    notices.accept_wanted.emit(stray, "it is meant so")
    assert [each.remark for each in session.project.materials["moth_trail"].accepted] == ["it is meant so"]
    assert not session.material.accepted
    until(lambda: all(notice.accepted for notice in session.notices if notice.node == stray.node))
    notices.reopen_wanted.emit(stray)
    assert not session.project.materials["moth_trail"].accepted


def test_both_themes_show(window: MainWindow) -> None:
    paper = pixels(window.grab().toImage())
    choice.switch_theme()
    dusk = pixels(window.grab().toImage())
    choice.switch_theme()
    assert dusk.mean() < 90 < 150 < paper.mean()


def test_the_same_window_lives_without_a_screen() -> None:
    """Two of the tests above once more on Qt's offscreen platform."""
    chosen = "slider_drag or typed_value"
    command = [sys.executable, "-m", "pytest", __file__, "-k", chosen, "-p", "no:cacheprovider", "-n0", "--no-xvfb"]
    done = subprocess.run(command, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, capture_output=True, text=True)
    assert "2 passed" in done.stdout, done.stdout[-2000:]


def wire_reads(window: MainWindow, wire: str) -> bool:
    """Whether the newest measures of the open graph are in and know a wire."""
    answer = window.build.answer
    return answer is not None and answer.material is window.session.material and wire in answer.measured.statistics


def test_planted_mistakes_are_found_and_mended_by_mouse_alone(window: MainWindow) -> None:
    build, session = window.build, window.session
    session.open_material("moth_trail")
    until(lambda: wire_reads(window, "flicker.out"))
    QTest.mouseClick(window.status.notice_button, LEFT)
    until(lambda: any(n.kind == "black-tint" for n in build.notice_list.notices))
    wrong = settled(window)
    pressed = []
    for _ in range(12):
        until(lambda: build.notice_list.fix_buttons or not [n for n in session.notices if n.open])
        if not build.notice_list.fix_buttons:
            break
        offered, button = next(iter(build.notice_list.fix_buttons.items()))
        before = session.project
        build.notice_list.ensureWidgetVisible(button)
        QTest.mouseClick(button, LEFT)
        pressed.append(offered[0])
        assert session.project is not before, offered
        until(lambda offered=offered: offered not in build.notice_list.fix_buttons)
    until(lambda: not [n for n in session.notices if n.open])
    assert {"division", "summed-masks", "black-tint", "undefined", "unused", "coarse-mesh"} <= set(pressed)
    assert window.status.notice_button.text() == "0 notices"
    assert (settled(window) != wrong).any(axis=2).mean() > 0.002  # the moth card is a small part of the garden
    for _ in pressed:
        session.undo.undo()
    until(lambda: len([n for n in session.notices if n.open]) >= 4)


def test_thumbnails_strips_and_reading_follow_a_drag(window: MainWindow) -> None:
    build = window.build
    until(lambda: wire_reads(window, "height_mask.out"))
    build.canvas.select({"height_mask"})
    assert "Height mask" in build.reading.title.text()
    lowest = build.reading.numbers["lowest"].text()
    rect = build.canvas.spread.slips["height_mask"].rect
    area = (slice(int(build.canvas.to_widget(rect.topLeft()).y()), int(build.canvas.to_widget(rect.bottomLeft()).y())),)
    before = pixels(build.canvas.grab().toImage())[area]
    answered = build.answer
    build.shelf.value_wanted.emit("origin", 0.5)
    until(lambda: build.answer is not answered and wire_reads(window, "height_mask.out"))
    assert build.reading.numbers["lowest"].text() == "0.00" != lowest
    assert build.reading.numbers["bound"].text() == "0.00 to 1.00"
    assert (pixels(build.canvas.grab().toImage())[area] != before).any()


def test_a_probe_shows_every_wire_at_the_pixel_and_stays_while_values_are_tuned(window: MainWindow) -> None:
    build, session = window.build, window.session
    settled(window)
    QTest.mouseClick(build.stage_bar.probe, LEFT)
    click(build.stage, QPointF(build.stage.width() * 0.6, build.stage.height() * 0.5))
    until(lambda: build.answer and build.answer.trace)
    assert "position" in window.status.message.text()
    assert build.answer and build.probe
    height = float(build.probe.inputs["position_world"][1, 0])
    trace = build.answer.trace
    assert trace["separate.y"] == pytest.approx((height,), rel=1e-6)
    assert trace["height_mask.out"] == pytest.approx((min(max((height + 2) / 4, 0), 1),), rel=1e-5)
    answered = build.answer
    build.shelf.value_wanted.emit("spread", 8.0)
    until(lambda: build.answer is not answered and build.answer.material is session.material)
    assert build.answer.trace["height_mask.out"] == pytest.approx((min(max((height + 2) / 8, 0), 1),), rel=1e-5)
    build.clear_probe()
    until(lambda: build.answer and not build.answer.trace)
    QTest.mouseMove(build.stage, build.stage.rect().center())
    QTest.mouseMove(build.stage, build.stage.rect().center() + QPoint(6, 4))
    until(lambda: build.answer and build.answer.trace)
    assert build.stage.modes.pin is None


def test_a_wire_on_the_stage_and_clip_view_change_what_is_seen(window: MainWindow) -> None:
    build = window.build
    until(lambda: wire_reads(window, "rise.out"))
    surface = settled(window)
    build.canvas.select({"rise"})
    QTest.mouseClick(build.wire_box.button, LEFT)
    plain = settled(window)
    build.wire_box.scale_box.setCurrentText("measured")
    scaled = settled(window)
    QTest.mouseClick(build.stage_bar.clip, LEFT)
    hatched = settled(window)
    for one, other in itertools.pairwise([surface, plain, scaled, hatched]):
        assert (one != other).any(axis=2).mean() > 0.02
    build.wire_box.scale_box.setCurrentText("0 to 1")
    clipped = settled(window)
    red, blue = clipped[..., 0] - clipped[..., 2], clipped[..., 2] - clipped[..., 0]
    assert (red > 120).mean() > 0.02 and (blue > 120).mean() > 0.005


def test_a_formula_is_typed_on_the_canvas_and_its_mistakes_are_pointed_at(window: MainWindow) -> None:
    canvas = window.build.canvas
    bad = offers("(y - origin", canvas.material)
    assert bad[0].hint == "column 12: something is missing at the end"
    node_id = type_node(canvas, "(y - origin) / spread", QPointF(60, canvas.height() - 40))
    assert canvas.material.nodes[node_id].settings == {"expression": "(y - origin) / spread"}
    assert [r.name for r in canvas.spread.slips[node_id].rows] == ["y", "origin", "spread", "out"]
    canvas.typing.edit_formula(canvas.spread.slips[node_id])
    canvas.typing.type_in.setText("y *")
    QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
    assert "Column 4" in window.status.message.text()


def test_the_clock_plays_freezes_and_steps(window: MainWindow) -> None:
    clock, stage = window.build.clock, window.build.stage
    window.commands.actions["Play or freeze the clock"].trigger()
    until(lambda: clock.time > 0.15)
    window.commands.actions["Play or freeze the clock"].trigger()
    frozen = clock.time
    QTest.qWait(120)
    assert clock.time == frozen
    window.commands.actions["Step the clock"].trigger()
    assert clock.time == pytest.approx(frozen + 1 / 30)
    assert stage.modes.sight.time == clock.time
    clock.go_to(clock.loop + 1.0)
    assert clock.time == pytest.approx(1.0)


def test_a_slip_dropped_on_a_wire_is_inserted_and_dissolved_again(window: MainWindow) -> None:
    canvas = window.build.canvas
    wires = canvas.material.wires
    new = type_node(canvas, "multiply", QPointF(40, canvas.height() - 80))
    wire_shape = next(w for w in canvas.spread.wires if w.into == "height_mask.value")
    grip = middle_of(canvas, new)
    centre = canvas.to_widget(canvas.spread.slips[new].rect.center())
    drag(canvas, grip, canvas.to_widget(wire_shape.middle) + (grip - centre))
    assert canvas.material.wires["height_mask.value"] == f"{new}.out"
    canvas.select({new})
    window.commands.actions["Dissolve"].trigger()
    assert canvas.material.wires == wires


def test_elbows_notes_and_unfolding_by_hand(window: MainWindow) -> None:
    canvas = window.build.canvas
    wire_shape = next(w for w in canvas.spread.wires if w.into == "ramp_colour.factor")
    at = canvas.to_widget(wire_shape.middle).toPoint()
    QTest.mouseClick(canvas, LEFT, NONE, at)
    assert canvas.selected_wire == "ramp_colour.factor"
    assert "Height mask" in window.build.reading.title.text()
    QTest.mouseDClick(canvas, LEFT, NONE, at)
    elbow = node_of(canvas.material, "elbow")
    assert canvas.material.wires["ramp_colour.factor"] == f"{elbow}.out"
    canvas.select({"rise", "spread"})
    window.commands.actions["Note round the selected"].trigger()
    canvas.typing.type_in.setText("How high")
    QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
    (note,) = canvas.material.notes
    assert note.title == "How high"
    before = canvas.material.nodes["rise"].x
    grip = canvas.to_widget(QPointF(note.x + note.width / 2, note.y + 12))
    drag(canvas, grip, grip + QPointF(40, 30))
    assert canvas.material.nodes["rise"].x > before + 20
    made = type_node(canvas, "(y - origin) / spread", QPointF(60, canvas.height() - 40))
    canvas.select({made})
    window.commands.actions["Unfold into nodes"].trigger()
    assert made not in canvas.material.nodes
    assert [n.type for n in canvas.material.nodes.values()].count("divide") == 2


def test_a_command_of_another_desk_is_off_and_says_why(window: MainWindow) -> None:
    session, canvas = window.session, window.build.canvas
    canvas.select({"divide"})
    window.go_to_desk("Tune")
    before = session.project
    QTest.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert session.project is before and window.status.message.text() == "Duplicate: only on the Build desk"
    finder = window.commands.finder
    finder.open()
    finder.field.setText("duplicate")
    shown = {item.text(): bool(item.flags() & Qt.ItemFlag.ItemIsEnabled) for item in map(finder.list.item, range(4))}  # type: ignore[union-attr]
    assert shown["Duplicate    only on the Build desk"] is False and shown["Duplicate instance"] is True
    finder.field.setText("side by side")
    finder.hide()
    window.go_to_desk("Build")
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)  # may be asked for anywhere
    assert window.desk_name == "Tune" and window.tune.compare.mode.currentData() == "divider"
    window.go_to_desk("Build")
    canvas.select({"divide"})
    QTest.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert len(session.material.nodes) == len(before.materials[session.material_id].nodes) + 1  # type: ignore[union-attr]


def test_wherever_the_keyboard_is_it_is_seen(window: MainWindow) -> None:
    unseen = []
    for name in DESKS:
        window.go_to_desk(name)
        QTest.qWait(50)
        for widget in window.desk(name).findChildren(QWidget):
            takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus
            if takes and widget.isVisible() and widget.isEnabled():
                window.header.finder_button.setFocus()
                without = pixels(widget.grab().toImage())
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                if widget.hasFocus() and (pixels(widget.grab().toImage()) != without).any(axis=2).sum() < 20:
                    unseen.append((name, type(widget).__name__, widget.accessibleName(), widget.toolTip()))
    assert not unseen


TRIED = {
    "theme": "Switch between dark and light theme",
    "texture": "Load an image",
    "dark": "Switch between dark and light theme",
    "part": "One instance for each part",
    "wear": "New instance on this part",
    "grey": "Undress this part, to plain grey",
    "sky": "Switch sky",
    "turn": "Turntable",
    "fit": "Fit the graph",
    "zoom": "Frame the stage",
    "connect": "Wire the selected one after the other",
    "chance": "Make a pick of these",
    "error": "Show the notices",
    "screenshot": "Save pictures of the stage",
    "port": "Open the ports of the selected",
}
"""Words that people try, and a command that each must find."""


def test_commands_are_found_by_the_words_people_try(window: MainWindow) -> None:
    finder = window.commands.finder
    missing = []
    for typed, name in TRIED.items():
        finder.open()
        finder.field.setText(typed)
        rows = [finder.list.item(row) for row in range(finder.list.count())]
        if name not in [row.text().split("    ")[0] for row in rows if row]:
            missing.append(typed)
        finder.hide()
    assert not missing
