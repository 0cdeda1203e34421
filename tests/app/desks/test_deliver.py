"""The Deliver desk by hand: text that is read and searched, what leaves, and what is proven of it."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextCursor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolButton

from by_hand import LEFT, until
from soft_lantern.app.desks.deliver.budget_dialog import BudgetDialog
from soft_lantern.app.desks.deliver.desk import WORDS, DeliverDesk
from soft_lantern.app.widgets.tick_list import KEY
from soft_lantern.app.window.window import MainWindow
from soft_lantern.formats.delivery import MANIFEST, TARGETS
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.shaders import figures
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Budget, Project, changed
from soft_lantern.graph.instances.family import looks_of
from soft_lantern.proof.report import PROVEN

pytestmark = pytest.mark.left_at("Deliver")


def ready(window: MainWindow) -> DeliverDesk:
    desk = window.desk("Deliver")
    assert isinstance(desk, DeliverDesk)
    until(lambda: not window.session.loading and desk.code.text.toPlainText())
    return desk


def quiet(window: MainWindow) -> None:
    until(lambda: not window.status.task_bar.tasks)


def row_of(desk: DeliverDesk, material_id: str) -> int:
    shown = desk.leaving.materials.list
    return next(n for n in range(shown.count()) if shown.item(n).data(KEY) == material_id)  # type: ignore[union-attr]


def test_text_of_a_target_is_shown_searched_and_follows_the_graph(window: MainWindow) -> None:
    desk, session = ready(window), window.session
    desk.leaving.materials.list.setCurrentRow(row_of(desk, "height_ramp"))
    until(lambda: "height_ramp()" in desk.code.text.toPlainText())
    assert session.material_id == "height_ramp" and desk.file.currentText() == "height_ramp.frag.glsl"
    assert any("operations a pixel" in desk.figures.item(n).text() for n in range(desk.figures.count()))  # type: ignore[union-attr]
    desk.target.setCurrentIndex(desk.target.findData("wgsl"))
    desk.target.activated.emit(desk.target.currentIndex())
    until(lambda: "@group(0)" in desk.code.text.toPlainText())
    desk.code.search.setText("spread")
    text = desk.code.text.toPlainText()
    assert (
        desk.code.count.text() == f"{text.lower().count('spread')} places"
        and desk.code.text.textCursor().selectedText() == "spread"
    )
    at = desk.code.text.textCursor().position()
    QTest.keyClick(desk.code.search, Qt.Key.Key_Return)
    assert desk.code.text.textCursor().selectedText().lower() == "spread"
    assert desk.code.text.textCursor().position() > at
    ramp = session.project.materials["height_ramp"]
    (spread,) = (p for p in ramp.parameters if p.identifier == "spread")
    renamed = tuple(changed(p, identifier="reach") if p is spread else p for p in ramp.parameters)
    session.edit_material("Rename", ramp.id, lambda now: changed(now, parameters=renamed))
    until(lambda: "parameters.reach" in desk.code.text.toPlainText())
    session.undo.undo()
    until(lambda: "parameters.spread" in desk.code.text.toPlainText())


def test_what_is_ticked_leaves_and_is_proven_and_the_second_time_nothing_is_written(
    window: MainWindow, tmp_path: Path
) -> None:
    desk = ready(window)
    QTest.mouseClick(desk.leaving.materials.none, LEFT)
    assert desk.hindered() == "Tick a material first"
    desk.deliver_to(tmp_path / "out")
    assert not (tmp_path / "out").exists()
    desk.leaving.materials.list.tick([row_of(desk, "height_ramp")], on=True)
    desk.targets.tick(range(len(PROVEN)), on=True)
    assert desk.targets.ticked == list(PROVEN)
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    files = json.loads((tmp_path / "out" / MANIFEST).read_text())["files"]
    assert {row["target"] for row in files.values()} == {*PROVEN, "values"}
    assert f"{len(files)} files written" in window.status.message.text()
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    assert f"0 files written, {len(files)} as they were" in window.status.message.text()
    QTest.mouseClick(desk.prove, LEFT)
    quiet(window)
    assert window.status.message.text() == f"{len(PROVEN)} proofs hold"
    glsl = desk.targets.item(0)
    assert glsl and glsl.text().splitlines() == ["GLSL 3.30 core", "2 files, 0 new", "1 proof hold"]
    logged = [desk.log.item(n).text() for n in range(desk.log.count())]  # type: ignore[union-attr]
    assert any("WGSL" in words and "run by" in words and "off by" in words for words in logged)
    (tmp_path / "out" / "height_ramp.hlsl").write_text("mine")
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    assert "changed since it was delivered" in window.status.message.text()
    assert (tmp_path / "out" / "height_ramp.hlsl").read_text() == "mine"


def test_a_material_made_meanwhile_is_listed_and_ticked(window: MainWindow) -> None:
    desk = ready(window)
    before = desk.leaving.materials.list.count()
    window.commands.run("New material")
    until(lambda: desk.leaving.materials.list.count() == before + 1)
    assert len(desk.leaving.materials.ticked) == before + 1


def test_figures_say_what_is_more_than_every_device_has(monkeypatch: pytest.MonkeyPatch) -> None:
    m = Authoring("Many")
    total = m.expose("P 0", 0.0)
    for number in range(1, 20):
        total = total + m.expose(f"P {number}", 0.0)
    m.add("unlit_surface", colour=m.add("combine", x=total, y=total, z=total))
    program = program_of(m.into_project(Project(name="p")).materials[m.material.id])
    assert not any(figure.too_much for figure in figures.figures(program))
    assert figures.LIMITS.keys() == TARGETS.keys()
    assert "80 of 16,384 bytes" in figures.figures(program)[3].words
    assert "80 of 65,536 bytes" in figures.figures(program, "wgsl")[3].words
    monkeypatch.setitem(figures.LIMITS, "wgsl", replace(figures.LIMITS["wgsl"], parameters=64))
    assert [each.too_much for each in figures.figures(program, "wgsl")] == [False, False, False, True, False]
    assert not any(each.too_much for each in figures.figures(program, "hlsl"))


def test_pre_flight_says_what_precision_loses_and_leads_to_the_material(window: MainWindow) -> None:
    desk, session = ready(window), window.session
    session.open_material("nectar")
    desk.target.setCurrentIndex(desk.target.findData("glsl-es"))
    desk.target.activated.emit(desk.target.currentIndex())
    until(lambda: any(notice.kind == "half-precision" for notice in desk.notices.notices))
    (there,) = (each for each in desk.notices.findChildren(QToolButton) if each.text() == "Go there")
    QTest.mouseClick(there, LEFT)
    assert window.desk_name == "Build" and session.material_id == "nectar"
    assert "mediump" in window.status.message.text()


def test_what_changed_since_the_last_delivery_is_shown_line_by_line(window: MainWindow, tmp_path: Path) -> None:
    desk, session = ready(window), window.session
    session.open_material("height_ramp")
    until(lambda: "height_ramp()" in desk.code.text.toPlainText())
    QTest.mouseClick(desk.changes, LEFT)
    assert "Nothing was delivered yet" in desk.code.text.toPlainText()
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    assert "Nothing of height_ramp.frag.glsl has changed" in desk.code.text.toPlainText()
    ramp = session.project.materials["height_ramp"]
    renamed = tuple(changed(p, identifier="reach") if p.identifier == "spread" else p for p in ramp.parameters)
    session.edit_material("Rename", "height_ramp", lambda m: changed(m, parameters=renamed))
    until(lambda: "reach" in desk.code.text.toPlainText())
    lines = desk.code.text.toPlainText().splitlines()
    assert any(line.startswith("-    float spread;") for line in lines)
    assert any(line.startswith("+    float reach;") for line in lines)
    QTest.mouseClick(desk.changes, LEFT)
    assert desk.code.text.toPlainText().startswith("#version 330")


def test_a_line_leads_to_its_node_and_a_node_to_its_lines(window: MainWindow) -> None:
    """By the mouse and by Return, in GLSL and in MaterialX; the lines are marked, not by colour alone."""
    desk, session, canvas = ready(window), window.session, window.build.canvas
    session.open_material("height_ramp")
    until(lambda: "height_ramp()" in desk.code.text.toPlainText())
    text = desk.code.text
    lines = text.toPlainText().splitlines()
    (rise,) = (n for n, line in enumerate(lines) if "float rise = " in line)
    block = text.document().findBlockByNumber(rise)  # type: ignore[union-attr]
    text.setTextCursor(QTextCursor(block))
    text.ensureCursorVisible()
    text.setTextCursor(QTextCursor(block.previous()))  # near, so that nothing moves
    place = text.cursorRect(QTextCursor(block)).center()
    QTest.mouseClick(text.viewport(), LEFT, pos=place)
    (node,) = session.selected_nodes
    assert session.project.materials["height_ramp"].nodes[node].name == "Rise"
    assert desk.pane.line.text() == f"Line {rise + 1}: Rise" and rise in text._marked
    QTest.keyClick(text, Qt.Key.Key_Return)
    assert window.desk_name == "Build"
    until(lambda: canvas.selected == {node})
    mask = next(i for i, each in canvas.material.nodes.items() if each.name == "Height mask")
    canvas.select({mask})
    window.go_to_desk("Deliver")
    desk.target.setCurrentIndex(desk.target.findData("mtlx"))
    desk.target.activated.emit(desk.target.currentIndex())
    until(lambda: "<materialx" in text.toPlainText())
    shown = text.toPlainText().splitlines()
    assert next(shown[n].strip() for n in sorted(text._marked)).startswith('<clamp name="height_mask"')
    assert [shown[n].strip() for n in sorted(text._marked)][-1] == "</clamp>"


def test_what_changed_since_the_last_delivery_is_ticked(window: MainWindow, tmp_path: Path) -> None:
    desk, session = ready(window), window.session
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    QTest.mouseClick(desk.changed_ones, LEFT)
    assert desk.leaving.materials.ticked == []
    session.edit_material("Rename", "wet_stone", lambda now: changed(now, name="Wetter stone"))
    until(lambda: any(desk.leaving.materials.list.item(n).text() == "Wetter stone" for n in range(22)))  # type: ignore[union-attr]
    QTest.mouseClick(desk.changed_ones, LEFT)
    assert desk.leaving.materials.ticked == ["wet_stone"]


def test_budgets_are_asked_and_pre_flight_leads_to_who_spends_most(window: MainWindow) -> None:
    desk, session = ready(window), window.session
    session.open_material("basin_nectar")
    until(lambda: "basin_nectar()" in desk.code.text.toPlainText())
    QTest.mouseClick(desk.budgets, LEFT)
    (dialog,) = desk.findChildren(BudgetDialog)
    dialog.names[0].setText("Phone")
    dialog.limits[0]["operations"].setValue(150)
    dialog.accept()
    assert session.project.budgets == (Budget(name="Phone", operations=150),)
    until(lambda: any(notice.kind == "over-budget" for notice in desk.notices.notices))
    (there,) = (each for each in desk.notices.findChildren(QToolButton) if each.text() == "Go there")
    QTest.mouseClick(there, LEFT)
    assert window.desk_name == "Build" and window.build.canvas.selected
    window.go_to_desk("Deliver")
    (allow,) = (each for each in desk.notices.findChildren(QToolButton) if each.text().startswith("Allow "))
    QTest.mouseClick(allow, LEFT)
    until(lambda: not any(notice.kind == "over-budget" for notice in desk.notices.notices))
    assert session.project.budgets[0].operations > 150
    session.save()
    until(lambda: session.is_saved)
    assert open_project(session.folder).project.budgets == session.project.budgets
    session.undo.undo()
    session.undo.undo()
    assert session.project.budgets == ()


def test_an_asset_alone_in_chosen_looks_leaves_by_hand(window: MainWindow, tmp_path: Path) -> None:
    desk, project = ready(window), window.session.project
    leaving = desk.leaving
    assert leaving.scenes.picked is None and leaving.looks.picked is None and leaving.assets.ticked == []
    QTest.mouseClick(leaving.materials.none, LEFT)
    leaving.materials.list.tick([row_of(desk, "kettle_metal")], on=True)
    desk.targets.tick(range(desk.targets.count()), on=False)
    desk.targets.tick([list(WORDS).index("page")], on=True)
    for box, wanted in ((leaving.scenes, ()), (leaving.looks, ("Black iron",)), (leaving.assets, ("Tea kettle",))):
        leaving.tabs.setCurrentWidget(box)
        QTest.mouseClick(box.none, LEFT)
        for name in wanted:
            QTest.keyClicks(box.field, name)
            QTest.mouseClick(box.all, LEFT)
            box.field.clear()
    desk.deliver_to(tmp_path / "out")
    quiet(window)
    (page,) = (tmp_path / "out").glob("*.html")
    found = re.search(r'<script type="application/json" id="data">(.*?)</script>', page.read_text(), re.DOTALL)
    assert found
    held = json.loads(found[1])
    assert [each["name"] for each in held["views"]] == [project.assets["tea_kettle"].name]
    (view,) = held["views"]
    assert np.allclose(np.mean(view["bounds"], axis=0), view["camera"]["target"])  # it fills the picture
    offered = {look["name"] for each in held["materials"] for look in each["looks"]}
    worn = {item["look"] for item in view["items"]}
    assert offered >= {"Black iron"}
    kettles = looks_of(project, "kettle_metal")[1:]
    others = {project.instances[each].name for each in kettles if each not in worn} - {"Black iron"}
    assert others and not offered & others
    assert window.session.project is project
