"""The Tune desk by hand: families, several instances at once, comparisons, values to try, the author's changes."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QAction, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDialogButtonBox

from by_hand import LEFT, NONE, SHIFT, Open, click, drag, drop_look, pixels, seen_at, settled, tooth, until
from soft_lantern.app.desks.tune.image_dropper import ImageDropper
from soft_lantern.app.panels.change_report import ChangeReport
from soft_lantern.app.panels.scatter_dialog import ScatterDialog
from soft_lantern.app.pictures.comparison import DIFFERENCE, DIVIDER, FOUR
from soft_lantern.app.pictures.pace import Pace
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.colour_button import COLOUR_DRAG
from soft_lantern.app.widgets.limits_dialog import LimitsDialog
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.app.window.window import MainWindow
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Instance, changed
from soft_lantern.graph.instances.change_report import OUTSIDE
from soft_lantern.graph.instances.family import all_values, value_of
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.sweeps import Spread, variations
from soft_lantern.graph.instances.values import edited_instance, look
from soft_lantern.render.card import Card
from soft_lantern.values.kinds import Kind

pytestmark = pytest.mark.left_at("Tune", "tea_terrace")

OK = QDialogButtonBox.StandardButton.Ok


def at_tea(window: MainWindow) -> MainWindow:
    """The window on the Tune desk, with the kettle on the stage."""
    window.session.open_scene("tea_terrace")
    QTest.mouseClick(window.header.desk_buttons["Tune"], LEFT)
    until(lambda: window.tune.stage.pictures.frames_drawn > 0)
    return window


def place_of(window: MainWindow, object_id: str, part: str) -> QPointF:
    return seen_at(window.tune.stage, object_id, part)


def other_side_is_still(stage: StageView) -> bool:
    other = stage.comparison.images.get(1)
    return stage.pictures.still and other is not None and other.size() == stage.size()


def let_go(window: MainWindow, look_id: str, at: QPointF, modifiers: Qt.KeyboardModifier = NONE) -> None:
    drop_look(window.tune.stage, look_id, at, modifiers)


@pytest.mark.left_at()
def test_the_story_of_a_designer_and_an_author(window: MainWindow, open_window: Open) -> None:
    """Four values exposed, five instances by two levels on parts, compared, swept, renamed, narrowed; all is kept."""
    session, build, tune = window.session, window.build, window.tune
    session.open_scene("tea_terrace")
    window.project_commands.new_material()
    material_id = session.material_id
    canvas, shelf = build.canvas, build.shelf
    node = next(iter(canvas.material.nodes))
    for port in ("base_colour", "metallic", "roughness", "emissive"):
        below = canvas.mapFromGlobal(shelf.mapToGlobal(QPoint(300, 40)))
        drag(canvas, tooth(canvas, node, port), QPointF(below))
    material = session.material
    assert material
    colour, metallic, roughness, emissive = (p.id for p in material.parameters)
    assert [p.identifier for p in material.parameters] == [
        "base_colour",
        "metallic",
        "roughness",
        "emissive",
    ]
    assert set(shelf.cards) == {colour, metallic, roughness, emissive}

    # Five instances by two levels, made, named and tuned with the mouse and keys.
    at_tea(window)
    made: dict[str, str] = {}

    def new(name: str, parent: str, hex_text: str, rough: str) -> None:
        tune.select(parent)
        QTest.mouseClick(tune.beside_tree.add_button, LEFT)
        item = tune.tree.currentItem()
        assert item
        item.setText(0, name)
        made[name] = tune.selection.look_id
        swatch, field = tune.sheet.controls[colour].swatch, tune.sheet.controls[roughness].field
        assert swatch and field
        click(swatch, QPointF(10, 10))
        assert swatch.picker
        swatch.picker.hex.selectAll()
        QTest.keyClicks(swatch.picker.hex, hex_text)
        QTest.keyClick(swatch.picker.hex, Qt.Key.Key_Return)
        swatch.picker.hide()
        if rough:
            click(field, QPointF(20, 10))
            QTest.keyClicks(field, rough)
            QTest.keyClick(field, Qt.Key.Key_Return)

    new("Clay", material_id, "#b06a45", "0.9")
    new("Ink", material_id, "#232a4a", "")
    new("Clay wet", made["Clay"], "#7d4428", "0.9 / 3")
    new("Clay dry", made["Clay"], "#d29a76", "")
    new("Ink gloss", made["Ink"], "#101630", "0.05")
    assert session.project.instances[made["Clay wet"]].values[roughness] == pytest.approx(0.3)
    dry = look(session.project, made["Clay dry"])
    assert dry and dry.values[roughness] == 0.9 and dry.origins[roughness] == made["Clay"]

    # Each on a part of the kettle, let go over it.
    parts = ("body", "lid", "spout", "handle", "foot")
    for part, name in zip(parts, made, strict=True):
        let_go(window, made[name], place_of(window, "kettle", part))
    kettle = session.scene.object("kettle") if session.scene else None
    assert kettle and [worn(session.project, kettle, part) for part in parts] == list(made.values())
    tune.select(made["Clay"])
    assert "Tea kettle: body" in tune.worn_by.words.text()

    # Tuned on the part: only there does the picture change.
    at = place_of(window, "kettle", "body")
    before = settled(window, "tune")
    slider = tune.sheet.controls[metallic].slider
    assert slider
    until(lambda: tune.portraits.settled)
    programs = window.worker.compiled
    drag(slider, QPointF(slider.position_of(0.0), 11), QPointF(slider.position_of(0.9), 11))
    after = settled(window, "tune")
    assert window.worker.compiled == programs
    assert np.abs(after[int(at.y()), int(at.x())] - before[int(at.y()), int(at.x())]).sum() > 12
    spot = place_of(window, "mushroom_1", "cap")
    assert (after[int(spot.y()), int(spot.x())] == before[int(spot.y()), int(spot.x())]).all()

    # Two compared: left of the divider it is as before, right of it the other; what differs is listed.
    window.commands.actions["Compare side by side"].trigger()
    tune.compare.compare(DIVIDER, made["Ink gloss"])
    stage = tune.stage
    settled(window, "tune")
    until(lambda: other_side_is_still(stage))
    shown = pixels(stage.grab().toImage())
    drag(stage, QPointF(stage.width() / 2, 30), QPointF(at.x() - 20, 30))
    moved = pixels(stage.grab().toImage())
    assert stage.comparison.divider == pytest.approx((at.x() - 20) / stage.width(), abs=0.01)
    left = int(min(at.x(), stage.width() / 2)) - 40  # left of both places of the divider nothing moves
    assert (moved[-30:-1, 1:left] == shown[-30:-1, 1:left]).all()  # within the line that shows the keyboard
    rows = range(tune.compare.table.rowCount())
    assert [tune.compare.table.item(row, 0).text() for row in rows] == [  # type: ignore[union-attr]
        "Base colour",
        "Metallic",
        "Roughness",
    ]
    tune.compare.compare("")

    # One value from a sweep.
    tune.tabs.setCurrentIndex(0)
    tune.strip.open_on(made["Clay"], roughness)
    until(lambda: tune.strip.settled and len(tune.strip.cells) == 5)
    assert all(not cell.icon().isNull() for cell in tune.strip.cells.values())
    QTest.mouseClick(tune.strip.cells[0, 2], LEFT)
    assert session.project.instances[made["Clay"]].values[roughness] == pytest.approx(0.5)
    tune.strip.close_strip()

    # The author renames one parameter and narrows another.
    QTest.mouseClick(window.header.desk_buttons["Build"], LEFT)
    values = {i: dict(session.project.instances[i].values) for i in made.values()}
    bottom = build.bottom
    bottom.edit_parameter(colour)
    assert bottom.dialog
    bottom.dialog.identifier.setText("glaze")
    bottom.dialog.label.setText("Glaze")
    QTest.mouseClick(bottom.dialog.buttons.button(OK), LEFT)
    assert session.material and session.material.parameter(colour).identifier == "glaze"  # type: ignore[union-attr]
    bottom.edit_parameter(roughness)
    bottom.dialog.low.setText("0.1")
    bottom.dialog.high.setText("0.45")
    QTest.mouseClick(bottom.dialog.buttons.button(OK), LEFT)
    report = bottom.report
    assert isinstance(report, ChangeReport) and report.isVisible()
    assert {e.instance for e in report.effects if e.kind == OUTSIDE} == {made["Clay"], made["Ink gloss"]}
    until(lambda: report.settled and report.table.cellWidget(0, 1))
    QTest.mouseClick(report.buttons.button(OK), LEFT)
    assert {i: dict(session.project.instances[i].values) for i in made.values()} == values  # nothing is lost

    # What is outside is marked, and held to its limits when asked.
    QTest.mouseClick(window.header.desk_buttons["Tune"], LEFT)
    tune.select(made["Clay"])
    assert tune.sheet.marks[roughness].text() == "!" and "0.1 to 0.45" in tune.sheet.marks[roughness].toolTip()
    hold = next(a for a in tune.sheet.menu_for(roughness).actions() if a.text() == "Hold to its limits")
    hold.trigger()
    assert session.project.instances[made["Clay"]].values[roughness] == 0.45
    assert tune.sheet.marks[roughness].text() == "○"  # the default was held to the new limits as well

    # Saved and opened again it is the same; undone to the start nothing of it is there.
    assert session.save()
    assert open_project(session.folder).project == session.project
    while session.undo.can_undo:
        session.undo.undo()
    assert material_id not in session.project.materials
    while session.undo.can_redo:
        session.undo.redo()
    assert session.project.instances[made["Clay"]].values[roughness] == 0.45


def test_several_instances_are_edited_at_once_and_differing_values_show_as_mixed(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select_several(["brass", "copper", "black_iron"])
    control = tune.sheet.controls["roughness"]
    assert control.field and control.slider
    assert control.field.text() == "mixed" and control.slider.mixed and tune.sheet.controls["finish"].isEnabled()
    click(control.field, QPointF(20, 10))
    QTest.keyClicks(control.field, "0.33")
    QTest.keyClick(control.field, Qt.Key.Key_Return)
    assert [session.project.instances[i].values["roughness"] for i in ("brass", "copper", "black_iron")] == [0.33] * 3
    assert "0.33" in control.field.text()
    session.undo.undo()
    assert session.project.instances["brass"].values["roughness"] == 0.2  # one step for all three
    tune.sheet.resets["base"].click()
    assert all("base" not in session.project.instances[i].values for i in ("brass", "copper", "black_iron"))
    tune.select_several(["brass", "cool_mint"])
    assert not tune.sheet.controls  # nothing in common


def test_groups_are_copied_pasted_and_reset_and_folds_and_conditions_hide(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("aged_copper")
    sheet = tune.sheet
    assert not sheet.controls["patina_grain"].isVisible() and not sheet.controls["speckle_colour"].isVisible()
    sheet.folds["Patina"].click()
    assert sheet.controls["patina_grain"].isVisible()
    tick = sheet.controls["speckles"].tick
    assert tick
    tick.click()
    assert sheet.controls["speckle_colour"].isVisible() and not sheet.controls["speckle_seed"].isVisible()

    def choose(group: str, words: str) -> None:
        ids = [p.id for p in session.project.materials["kettle_metal"].parameters if p.group == group]
        next(a for a in sheet.group_menu(group, ids).actions() if a.text() == words).trigger()

    choose("Patina", "Copy this group")
    tune.select("enamel")
    choose("Metal", "Paste what fits")
    enamel = look(session.project, "enamel")
    assert enamel and enamel.values["patina_amount"] == 0.95 and enamel.values["finish"] == 1.0
    choose("Patina", "Reset this group")
    assert set(session.project.instances["enamel"].values) == {"finish", "base", "roughness"}
    tune.select("aged_copper")
    globe = sheet.controls["rubbed_from"].vector
    assert globe and globe.globe
    click(globe.globe, QPointF(globe.globe.width() / 2, 3))
    x, y, z = session.project.instances["aged_copper"].values["rubbed_from"]  # type: ignore[misc]
    assert y > 0.95 and x * x + y * y + z * z == pytest.approx(1.0)


def test_the_tree_finds_folds_favours_and_takes_new_parents(window: MainWindow) -> None:
    tune, session = window.tune, window.session

    def seen() -> set[str]:
        return {i for i, item in tune.tree.items.items() if not item.isHidden()}

    tune.select("new_copper")
    tune.beside_tree.search.setFocus()
    QTest.keyClicks(tune.beside_tree.search, "roughness < 0.13 tag=polished")
    assert seen() == {"kettle_metal", "copper", "new_copper"}
    tune.beside_tree.search.clear()
    tune.select("brass")
    tune.instance_commands.toggle_favourite()
    tune.instance_commands.set_folder("Yellow metals")
    tune.instance_commands.set_tags("metal, warm ,warm")
    brass = session.project.instances["brass"]
    assert (brass.favourite, brass.folder, brass.tags) == (True, "Yellow metals", ("metal", "warm"))
    folder = tune.tree.items["brass"].parent()
    assert folder and folder.text(0) == "Yellow metals" and folder.parent() is tune.tree.items["kettle_metal"]
    tune.beside_tree.favourites.click()
    assert seen() == {"kettle_metal", "brass"}
    tune.beside_tree.favourites.click()
    before = look(session.project, "new_copper")
    tune.instance_commands.set_parent(["new_copper"], "enamel", keep=True)
    after = look(session.project, "new_copper")
    assert before and after and session.project.instances["new_copper"].parent == "enamel"
    assert [value_of(after, p) for p in after.material.parameters] == [
        value_of(before, p) for p in before.material.parameters
    ]
    tune.instance_commands.set_parent(["enamel"], "speckled_enamel", keep=True)
    assert "own ancestor" in window.status.message.text()
    assert session.project.instances["enamel"].parent == "kettle_metal"


def test_the_designers_window_holds_to_locks_and_to_a_scene_of_its_own(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("copper")
    next(a for a in tune.sheet.menu_for("base").actions() if a.text().startswith("Lock")).trigger()
    assert session.project.instances["copper"].locks == ("base",)
    tune.select("aged_copper")
    assert tune.sheet.marks["base"].text() == "locked" and not tune.sheet.controls["base"].isEnabled()
    assert session.save()
    designer = MainWindow(session.folder, only="Tune")
    try:
        designer.show()
        assert designer.desks.currentWidget() is designer.tune
        designer.go_to_desk("Build")
        assert designer.desks.currentWidget() is designer.tune
        assert (
            not any(button.isVisible() for button in designer.header.desk_buttons.values())
            and not designer.header.materials.isVisible()
        )
        names = set(designer.commands.actions)
        assert names == {action.text() for action in designer.actions()}
        assert not names & {"New material", "Expose as a parameter", "Delete", "Build desk", "Import mesh"}
        assert {"Save", "New instance", "Undo", "Try values"} <= names
        designer.tune.select("aged_copper")
        assert not designer.tune.sheet.controls["base"].isEnabled()
        next(a for a in designer.tune.sheet.menu_for("roughness").actions() if a.text().startswith("Lock")).trigger()
        assert designer.session.project.instances["aged_copper"].locks == ("roughness",)
        _change_the_scene(designer)
    finally:
        designer.session.saver.let_go()
        designer.close()
        designer.deleteLater()


def _change_the_scene(designer: MainWindow) -> None:
    """The author's scene stays as it is; a copy is moved in, lit anew, scattered over, and taken away again."""
    session, tune = designer.session, designer.tune
    session.open_scene("tea_terrace")
    theirs = session.scene
    until(lambda: tune.stage.pictures.frames_drawn > 0 and not session.loading)
    tune.stage.picking.picked.emit("kettle", "body")
    assert tune.stage.grasps.handles() is None and not tune.scene_tab.objects.isVisibleTo(tune)
    for name in ("Duplicate object", "Move handle", "Add cube to the stage", "Delete scene"):
        designer.commands.run(name)
        assert "author’s" in designer.status.message.text(), name
    designer.commands.run("Change the sky and light")
    QTest.mouseClick(tune.scene_tab.copy, LEFT)
    assert session.scene and session.scene.own and session.scene.name == "Tea terrace (mine)"
    assert tune.scene_tab.objects.isVisibleTo(tune) and not tune.scene_tab.copy.isVisibleTo(tune)
    tune.stage.picking.picked.emit("kettle", "body")
    handles = tune.stage.grasps.handles()
    assert handles
    start, end = handles.arms()["x"]
    drag(tune.stage, (start + end) / 2, (start + end) / 2 + (end - start))
    moved = session.scene.object("kettle")
    assert moved and theirs and moved.position[0] > theirs.object("kettle").position[0]  # type: ignore[union-attr]
    at = place_of(designer, "kettle", "lid")
    tune.stage.modes.select("kettle", "body")
    tune.stage.picking.click(at)
    until(lambda: tune.stage.modes.sight.part == "lid")
    tune.scene_tab.light.exposure.want(1.0)
    tune.scene_tab.objects.arranging.ask_scatter()
    (dialog,) = tune.findChildren(ScatterDialog)
    dialog.count.setValue(5)
    dialog.accept()
    assert len(session.scene.objects) == len(theirs.objects) + 5 and session.scene.environment.exposure == 1.0
    assert session.project.scenes["tea_terrace"] is theirs
    designer.commands.run("Delete scene")
    assert not any(scene.own for scene in session.project.scenes.values())


def test_limits_are_narrowed_for_a_look_and_those_below_it(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("copper")
    next(a for a in tune.sheet.menu_for("roughness").actions() if a.text().startswith("Narrow")).trigger()
    (dialog,) = tune.findChildren(LimitsDialog)
    dialog.fields[0].want(0.3)
    dialog.fields[1].want(0.5)
    QTest.mouseClick(dialog.buttons.button(OK), LEFT)
    assert session.project.instances["copper"].limits == {"roughness": (0.3, 0.5)}
    tune.select("aged_copper")
    field = tune.sheet.controls["roughness"].field
    assert field and (field.low, field.high) == (0.3, 0.5)
    tune.value_commands.set_value("roughness", 0.9)
    found = look(session.project, "aged_copper")
    assert found and found.values["roughness"] == 0.5
    assert all(0.3 <= s["roughness"] <= 0.5 for s in variations(  # type: ignore[operator]
        session.project, "aged_copper", [Spread("roughness", "uniform", 0.0, 1.0)], 20, 1))  # fmt: skip
    tune.select("brass")
    assert tune.sheet.controls["roughness"].field.low != 0.3  # type: ignore[union-attr]


def test_a_part_is_dressed_by_name_and_picture_from_the_keyboard(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    click(tune.stage, place_of(window, "kettle", "lid"))
    until(lambda: tune.stage.modes.sight.part == "lid")
    QTest.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    (picker,) = tune.findChildren(PicturePicker)
    assert "worn now" in picker.list.currentItem().text()  # type: ignore[union-attr]
    QTest.keyClicks(picker.field, "brass")
    until(lambda: "brass" in picker.pictures.icons)
    QTest.keyClick(picker.field, Qt.Key.Key_Return)
    thing = session.scene.object("kettle") if session.scene else None
    assert thing and thing.wears["lid"] == "brass" and not picker.isVisible()


def test_a_pick_stands_at_the_top_of_its_family_is_found_and_takes_weights(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select_several(["copper", "brass", "enamel"])
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    pick_id = tune.selection.look_id
    family = tune.tree.items["kettle_metal"]
    assert pick_id in session.project.picks and family.child(0) is tune.tree.items[pick_id]
    tune.beside_tree.search.setText("pick 1")
    assert not tune.tree.items[pick_id].isHidden() and tune.tree.items["cool_mint"].isHidden()
    tune.beside_tree.search.clear()
    table = tune.pick_panel.looks
    table.item(0, 1).setText("3")  # type: ignore[union-attr]
    table.item(2, 1).setText("0")  # type: ignore[union-attr]
    QTest.mouseClick(tune.pick_panel.even, LEFT, NONE, QPoint(8, 8))
    pick = session.project.picks[pick_id]
    assert pick.weights == (3.0, 1.0, 0.0) and pick.even
    table.item(1, 1).setText("often")  # type: ignore[union-attr]
    assert "is no weight" in window.status.message.text() and table.item(1, 1).text() == "1"  # type: ignore[union-attr]
    tune.select_several(["black_iron", "copper"])
    tune.instance_commands.put_under(["black_iron", "copper"], pick_id)
    assert session.project.picks[pick_id].looks[-1] == "black_iron"
    assert set(tune.tree.selected) == {"black_iron", "copper"} and tune.selection.look_id == "copper"


def test_four_looks_a_difference_and_a_snapshot(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    tune, session = window.tune, window.session
    stage, panel = tune.stage, tune.compare
    tune.select("aged_copper")
    panel.remark.setText("before the rain")
    QTest.mouseClick(panel.keep, LEFT)
    (kept,) = session.project.snapshots.values()
    assert (kept.look, kept.remark, kept.values["patina_amount"]) == ("aged_copper", "before the rain", 0.95)
    tune.value_commands.set_value("patina_amount", 0.0)
    window.tune.compare_by(FOUR)
    panel.compare(FOUR, "enamel", "brass", kept.id)

    def all_differ() -> bool:
        four = [pixels(image) for image in stage.comparison.images.values()]
        if len(four) < 4 or len({each.shape for each in four}) > 1:
            return False
        return all(np.abs(a - b).mean() > 0.5 for n, a in enumerate(four) for b in four[:n])

    until(all_differ)
    panel.compare(DIFFERENCE, kept.id)
    settled(window, "tune")
    until(lambda: other_side_is_still(stage))
    apart = pixels(stage.grab().toImage())
    assert apart[60:-60].sum() > 0
    monkeypatch.setattr(Pace, "share", 0.5)  # a slow machine: what moves is drawn smaller, on both sides
    whole, drawn, shown = stage.pictures.image.size(), set[int](), set[tuple[int, int]]()
    stage.pictures.arrived.connect(lambda picture: drawn.add(picture.linear.shape[1]))

    def note_sizes(*_: object) -> None:
        shown.update(
            (each.width(), each.height()) for each in (stage.pictures.image, *stage.comparison.images.values())
        )

    stage.pictures.arrived.connect(note_sizes)
    stage.comparison.arrived.connect(note_sizes)
    until(lambda: drawn or stage.request())  # a hand that moves on: a still picture would take its turn
    until(lambda: len(drawn) == 2 and other_side_is_still(stage))
    assert shown == {(whole.width(), whole.height())}
    panel.compare("")
    panel.snapshots.setCurrentRow(0)
    QTest.mouseClick(panel.take, LEFT)
    assert session.project.instances["aged_copper"].values["patina_amount"] == 0.95
    QTest.mouseClick(panel.forget, LEFT)
    assert not session.project.snapshots


def test_variations_that_are_liked_become_instances_and_a_pick_of_them_dresses_objects(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("warm_honey")
    QTest.mouseClick(tune.values_page.vary_button, LEFT)
    dialog = tune.variations
    assert dialog
    dialog.rows[1].on.click()
    dialog.count.setValue(6)
    until(lambda: dialog.settled and dialog.pictures.count() == 6)
    for row in (1, 4):
        at = dialog.pictures.visualItemRect(dialog.pictures.item(row)).center()
        QTest.mouseClick(dialog.pictures.viewport(), LEFT, NONE, at)
    wanted = [dialog.sets[1], dialog.sets[4]]
    QTest.mouseClick(dialog.buttons.button(OK), LEFT)
    made = [i for i in session.project.instances.values() if i.name.startswith("Warm honey variation")]
    assert sorted(i.values["exponent"] for i in made) == sorted(s["exponent"] for s in wanted)  # type: ignore[type-var]
    tune.select_several([i.id for i in made])
    tune.instance_commands.make_pick()
    pick = session.project.picks[tune.selection.look_id]
    let_go(window, pick.id, place_of(window, "mushroom_1", "cap"), SHIFT)
    mushroom = session.scene.object("mushroom_1") if session.scene else None
    assert mushroom and worn(session.project, mushroom) in {i.id for i in made}
    tune.select(pick.id)
    assert tune.panels.currentWidget() is tune.pick_panel and "Mushroom 1" in tune.pick_panel.gets.text()
    first = {worn(session.project, mushroom)}
    for _ in range(8):
        QTest.mouseClick(tune.pick_panel.roll, LEFT)
        first.add(worn(session.project, mushroom))
    assert first == {i.id for i in made}


def test_colours_are_dragged_dropped_taken_from_stage_and_image_and_kept(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("brass")
    swatch = tune.sheet.controls["base"].swatch
    assert swatch
    data = QMimeData()
    data.setData(COLOUR_DRAG, json.dumps([0.25, 3.0, 0.0, 0.5]).encode())
    swatch.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, LEFT, NONE))
    assert session.project.instances["brass"].values["base"] == (0.25, 1.0, 0.0, 1.0)  # no HDR, no alpha here
    settled(window, "tune")
    swatch.open_picker()
    assert swatch.picker
    QTest.mouseClick(swatch.picker.droppers["From the stage"], LEFT)
    at = QPointF(place_of(window, "mushroom_1", "cap").toPoint())
    click(tune.stage, at)
    got = session.project.instances["brass"].values["base"]
    height, width = tune.stage.pictures.linear.shape[:2]  # type: ignore[union-attr]
    here = tune.stage.pictures.linear[
        int(at.y() / tune.stage.height() * height), int(at.x() / tune.stage.width() * width), :3
    ]  # type: ignore[index]
    assert got[:3] == pytest.approx(np.clip(here, 0, 1), abs=2e-4)  # type: ignore[index]
    texture = session.images["gate_stone"]
    dropper = ImageDropper(session, swatch.picker.take, window)
    dropper.chooser.setCurrentIndex(dropper.chooser.findData("gate_stone"))
    dropper.canvas.show_image(texture)
    dropper.show()
    QTest.qWait(20)
    place = dropper.canvas.place()
    click(dropper.canvas, QPointF(place.center()))
    middle = texture.linear()[texture.height // 2, texture.width // 2]
    assert session.project.instances["brass"].values["base"][:3] == pytest.approx(middle[:3], abs=3e-3)  # type: ignore[index]
    swatch.open_picker()
    row = swatch.picker.swatch_row
    assert row
    QTest.mouseClick(row.add, LEFT)
    assert len(session.project.swatches) == 1 and len(row.buttons) == 1
    picker = swatch.picker
    picker.hsv[0].want(120.0)
    assert session.project.instances["brass"].values["base"] != session.project.swatches[0]
    QTest.mouseClick(row.buttons[0], LEFT)
    assert session.project.instances["brass"].values["base"] == pytest.approx(session.project.swatches[0], abs=1e-6)
    picker.hide()
    assert session.save() and open_project(session.folder).project.swatches == session.project.swatches


def test_a_glow_in_stops_goes_above_white(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("cool_mint")
    field, swatch = tune.sheet.controls["strength"].field, tune.sheet.controls["rim_colour"].swatch
    assert field and swatch and field.text() == "0.00 stops"
    click(field, QPointF(20, 10))
    QTest.keyClicks(field, "1.5")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert session.project.instances["cool_mint"].values["strength"] == pytest.approx(2**1.5)
    swatch.open_picker()
    assert swatch.picker
    base = max(swatch.value[:3])
    swatch.picker.strength_field.want(3.0)
    assert max(session.project.instances["cool_mint"].values["rim_colour"][:3]) == pytest.approx(8.0, rel=1e-3)  # type: ignore[index]
    assert base < 2 and swatch.words().endswith("+3.0")
    swatch.picker.hide()
    slider = tune.sheet.controls["exponent"].slider
    assert slider and slider.ratio and (slider.low, slider.high) == (1.0, 10.0)
    drag(slider, QPointF(slider.position_of(slider.value), 11), QPointF(slider.width() / 2, 11))
    exponent = session.project.instances["cool_mint"].values["exponent"]
    assert exponent == pytest.approx(10**0.5, rel=0.05)
    tune.value_commands.set_value("exponent", 60.0)  # beyond the slider, within the hard limits
    assert session.project.instances["cool_mint"].values["exponent"] == 60.0 and slider.value == 60.0


def chosen_in(box: QComboBox, text: str) -> None:
    """A line of a drop-down, taken as a hand would."""
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


@pytest.mark.left_at()
def test_parameters_are_ordered_by_drag_and_presets_are_kept_and_taken(window: MainWindow) -> None:
    session, bottom = window.session, window.build.bottom
    session.open_material("height_ramp")
    bottom.refresh()
    shelf = bottom.shelf
    data = QMimeData()
    data.setData("application/x-soft-lantern-parameter", b"roughness")
    first = shelf.cards["low_colour"]
    at = QPointF(first.mapTo(shelf, QPoint(4, 30)))
    shelf.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, data, LEFT, NONE))
    ramp = session.project.materials["height_ramp"]
    assert ramp.parameters[0].id == "roughness" and ramp.parameters[0].group == "Colours"
    bottom.keep_preset("As it was")
    bottom.shelf.value_wanted.emit("roughness", 0.1)
    assert session.project.materials["height_ramp"].parameter("roughness").default == 0.1  # type: ignore[union-attr]
    chosen_in(bottom.presets, "As it was")
    assert session.project.materials["height_ramp"].parameter("roughness").default == 0.7  # type: ignore[union-attr]
    window.tune.select("amber_hour")
    offered = [a.text() for a in window.tune.value_commands.preset_menu().actions()]
    assert offered == ["As it was"]
    action: QAction = window.tune.value_commands.preset_menu().actions()[0]
    action.trigger()
    assert "spread" not in session.project.instances["amber_hour"].values  # it is what it inherits anyway
    assert all_values(look(session.project, "amber_hour"))["spread"] == 4.0  # type: ignore[arg-type]
    chosen_in(bottom.presets, "Remove As it was")
    assert not session.project.materials["height_ramp"].presets and bottom.presets.findText("As it was") < 0


def test_what_changed_since_the_last_save_is_shown_with_pictures(window: MainWindow) -> None:
    session, tune = window.session, window.tune
    metal = session.project.materials["kettle_metal"]
    quieter = tuple(changed(p, default=0.1) if p.id == "roughness" else p for p in metal.parameters)
    session.edit_material("Set default", metal.id, lambda m: changed(m, parameters=quieter))
    tune.select("enamel")
    tune.value_commands.show_changes()
    report = tune.value_commands.report
    assert report and {report.after.instances[e.instance].name for e in report.effects} == {"Copper"}
    until(lambda: report.settled and report.table.cellWidget(0, 1))
    report.reject()


def test_gradients_are_made_by_hand_read_from_files_and_chosen_by_instances(window: MainWindow, tmp_path: Path) -> None:
    session = window.session
    window.edit_ramps()
    ramps, bar = window.colour, window.colour.gradient_page.bar
    known = set(session.project.gradients)
    QTest.mouseClick(ramps.add_gradient, LEFT)
    (made,) = [each for key, each in session.project.gradients.items() if key not in known]
    click(bar, QPointF(bar.x_of(0.5), 12))
    drag(bar, QPointF(bar.x_of(0.5), 40), QPointF(bar.x_of(0.25), 40))
    stops = session.project.gradients[made.id].stops
    assert len(stops) == 3 and stops[-1].at == pytest.approx(0.25, abs=0.01)
    bar.recolour((0.0, 4.0, 0.0, 1.0))
    QTest.mouseClick(ramps.gradient_page.edits["Reverse"], LEFT)
    assert any(s.at == pytest.approx(0.75, abs=0.01) for s in session.project.gradients[made.id].stops)
    until(lambda: "Baked as a row" in ramps.gradient_page.advice.text())
    path = tmp_path / "mine.ggr"
    ramps.write_file(path)
    ramps.open_file(path)
    assert len(session.project.gradients) == len(known) + 2
    ramps.open_file(tmp_path / "nothing.gpl")
    assert "cannot be read" in window.status.message.text()
    middle = next(n for n, s in enumerate(bar.gradient.stops) if 0 < s.at < 1)
    at = QPointF(bar.x_of(bar.gradient.stops[middle].at), 40)
    before = len(bar.gradient.stops)
    drag(bar, at, at + QPointF(0, 90))
    assert len(bar.gradient.stops) == before - 1

    # An author gives a material a gradient; an instance takes another, and its picture is another.
    m = Authoring("Ramped")
    ramp = m.expose("Ramp", made.id, kind=Kind.GRADIENT)
    height = m.add("bounds_position").into("separate").y
    m.add("unlit_surface", colour=m.add("gradient_lookup", gradient=ramp, at=height))
    session.apply("Add", lambda project: m.into_project(project))
    at_tea(window)
    tune = window.tune
    tune.select("ramped")
    QTest.mouseClick(tune.beside_tree.add_button, LEFT)
    kettle = session.scene.object("kettle") if session.scene else None
    assert kettle
    session.change_object("Dress", kettle.id, wears={"": tune.selection.look_id})
    first = settled(window, "tune")
    chooser = tune.sheet.controls["ramp"].chooser
    assert chooser and chooser.count() == 1 + len(session.project.gradients)
    other = next(i for i in session.project.gradients if i != made.id)
    chooser.setCurrentIndex(chooser.findData(other))
    chooser.activated.emit(chooser.currentIndex())
    assert session.project.instances[tune.selection.look_id].values["ramp"] == other
    assert np.abs(settled(window, "tune") - first).max() > 20


def test_six_looks_on_six_parts_take_a_click_and_a_key(window: MainWindow) -> None:
    """Every part of the kettle gets an instance of its own, a child of what it wore; one undo takes them all back."""
    session, tune = window.session, window.tune
    before = session.project
    kettle = session.scene.object("kettle") if session.scene else None
    assert kettle
    until(lambda: kettle.asset in session.models)
    wore = {part.name: worn(before, kettle, part.name) for part in session.models[kettle.asset].parts}
    click(tune.stage, place_of(window, kettle.id, "body"))
    window.commands.actions["One instance for each part"].trigger()
    thing = session.scene.object(kettle.id)  # type: ignore[union-attr]
    assert thing and len(wore) == 6
    made = [session.project.instances[worn(session.project, thing, part)] for part in wore]
    assert len({instance.id for instance in made}) == 6
    assert [(instance.name, instance.parent) for instance in made] == [
        (f"{kettle.name} {part}", parent) for part, parent in wore.items()
    ]
    assert tune.selection.look_id in {instance.id for instance in made}
    window.commands.actions["New instance on this part"].trigger()
    assert len(session.project.instances) == len(before.instances) + 7
    window.commands.actions["Undress this part, to plain grey"].trigger()
    session.undo.undo(), session.undo.undo(), session.undo.undo()
    assert session.project == before


def test_the_stage_says_what_is_tried_on_and_one_key_shows_what_is_worn(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    scene = session.scene
    dressed = {worn(session.project, o, part) for o in (scene.objects if scene else ()) for part in o.wears}
    unworn = next(
        i.id for i in session.project.instances.values() if i.id not in dressed and i.parent == "kettle_metal"
    )
    tune.select(unworn)
    name = session.project.instances[unworn].name
    assert tune.stage.modes.sight.tried == unworn and tune.stage.remark.startswith(f"Trying on {name}")
    tried = settled(window, "tune")
    window.commands.actions["Try on, or show what is worn"].trigger()
    assert tune.stage.modes.sight.tried == "" and tune.stage.remark.startswith("What is worn")
    assert (settled(window, "tune") != tried).any(axis=2).mean() > 0.005
    tune.select(next(iter(dressed & set(session.project.instances))))
    assert not tune.stage.remark


@pytest.mark.parametrize("card", [None, Card()], ids=["scene", "card"])
def test_a_look_that_is_tried_on_is_compared_with_another(window: MainWindow, card: Card | None) -> None:
    tune, stage = window.tune, window.tune.stage
    tune.select("enamel")  # which no part of the kettle wears
    assert stage.modes.sight.tried == "enamel"
    stage.modes.look(card=card)
    settled(window, "tune")
    tune.compare.compare(DIVIDER, "aged_copper")
    until(lambda: other_side_is_still(stage))
    settled(window, "tune")
    tried, other = pixels(stage.pictures.image), pixels(stage.comparison.images[1])
    assert np.abs(tried - other).mean() > 3.0  # smoothed edges alone come to less


def test_long_names_never_move_the_stage_and_show_both_their_ends(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("copper")
    click(tune.stage, place_of(window, "kettle", "lid"))
    tune.select("copper")
    before, long = tune.stage.geometry(), "Kettle of the upper terrace " * 9
    session.apply("Long", lambda p: edited_instance(p, "copper", lambda i: changed(i, name=f"{long}end")))
    session.edit_scene("Long", lambda s: changed(s, objects=tuple(changed(o, name=f"{long}end") for o in s.objects)))
    session.edit_scene("Long", lambda scene: changed(scene, name=long))
    session.edit_material("Long", "kettle_metal", lambda m: changed(m, name=long))
    session.apply("Long", lambda p: changed(p, name=long))
    QTest.qWait(30)
    assert tune.stage.geometry() == before and window.width() == 1280
    assert tune.tree.textElideMode() == Qt.TextElideMode.ElideMiddle
    tune.grab()
    assert "end" in tune.name.toolTip()


def test_a_whole_look_is_turned_by_sliders_without_compiling_and_reset(window: MainWindow) -> None:
    tune, session = window.tune, window.session
    tune.select("aged_copper")
    before, metal = settled(window, "tune"), session.project.materials["kettle_metal"]
    slider = tune.whole.sliders["hue"]
    drag(slider, QPointF(slider.width() / 2, 10), QPointF(slider.width() * 0.9, 10))
    hue = session.project.instances["aged_copper"].hue
    assert hue > 90.0 and tune.whole.fields["hue"].value == hue
    turned = settled(window, "tune")
    spot = place_of(window, "kettle", "body")
    assert (turned[int(spot.y()), int(spot.x())] != before[int(spot.y()), int(spot.x())]).any()
    assert session.project.materials["kettle_metal"] is metal  # what programs are made of is the same object
    session.undo.undo()  # a drag is one step
    assert session.project.instances["aged_copper"].hue == 0.0
    session.undo.redo()
    QTest.mouseClick(tune.whole.reset_button, LEFT)
    assert session.project.instances["aged_copper"].hue == 0.0 and not tune.whole.reset_button.isEnabled()
    assert (settled(window, "tune") != before).any(axis=2).mean() < 0.001
    tune.select("kettle_metal")  # the material's own defaults have no layer
    assert not tune.whole.isEnabled()


def test_the_looks_in_sight_get_their_pictures_first(window: MainWindow) -> None:
    tune = window.tune
    until(lambda: tune.portraits.settled)
    family = {
        f"many_{n}": Instance(id=f"many_{n}", name=f"Many {n:03}", parent="kettle_metal", values={"roughness": n / 200})
        for n in range(160)
    }
    came: list[str] = []
    tune.portraits.arrived.connect(came.append)
    window.session.apply("Add", lambda project: changed(project, instances={**project.instances, **family}))
    tune.tree.scrollToItem(tune.tree.items["many_130"])
    seen = tune.tree.in_sight()
    assert "many_130" in seen and 8 < len(seen) < 40
    until(lambda: set(seen) <= set(came))
    assert len(came) < 80, "more than a hundred stand above them in the tree"
    tune.portraits.forget()
