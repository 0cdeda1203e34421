"""Stories of the job from an empty project, by mouse and by keyboard, with every gesture counted.

A gesture is a click, a drag, a drop, a chord of keys, or a text typed in one go.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget

from by_hand import LEFT, NONE, Open, drag, drop_look, middle_of, seen_at, settled, tooth, until
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.kettle import tea_kettle
from soft_lantern.demo.meshes import lantern_post, nectar_basin
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Project
from soft_lantern.graph.instances.picks import worn
from soft_lantern.scene.placing import without_objects
from soft_lantern.values.colour import colour_from_hex

RETURN, ESCAPE, TAB = Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab
CTRL, ALT, SHIFT = (getattr(Qt.KeyboardModifier, f"{name}Modifier") for name in ("Control", "Alt", "Shift"))


class Hands:
    """Two hands on a window, which count what they do."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.count = window, 0

    def click(self, widget: QWidget, at: QPointF | None = None) -> None:
        self.count += 1
        QTest.mouseClick(widget, LEFT, NONE, (at or QPointF(widget.rect().center())).toPoint())

    def drag(self, widget: QWidget, start: QPointF, end: QPointF) -> None:
        self.count += 1
        drag(widget, start, end)

    def press(self, *keys: Qt.Key | str, modifiers: Qt.KeyboardModifier = NONE) -> None:
        """Keys and texts into whatever has the keyboard."""
        for key in keys:
            self.count += 1
            for one in key if isinstance(key, str) else [key]:
                widget = QApplication.activePopupWidget() or QApplication.focusWidget() or self.window
                widget = widget.focusWidget() or widget
                (QTest.keyClicks if isinstance(one, str) else QTest.keyClick)(widget, one, modifiers)  # type: ignore[operator]

    def command(self, words: str) -> None:
        """By the command finder."""
        self.press(Qt.Key.Key_F1)
        self.press(words, RETURN)

    def go_to(self, widget: QWidget) -> None:
        """With Ctrl+Tab into the panel that holds a widget, then with Tab to it."""
        desk = self.window.desk(self.window.desk_name)
        (pane,) = (each for each in desk.panes() if each.isAncestorOf(widget) or each is widget)
        for _ in range(6):
            now = QApplication.focusWidget()
            if now and (pane.isAncestorOf(now) or pane is now):
                break
            self.press(TAB, modifiers=CTRL)
        for _ in range(60):
            if widget.hasFocus():
                return
            self.press(TAB)
        raise AssertionError("it cannot be reached")

    def from_menu(self, button: Any, *path: str) -> None:
        """A click on a button, and one on each entry of the menu that opens."""
        menu: QMenu = button.menu()
        self.count += 1 + len(path)
        for words in path[:-1]:
            menu = next(a.menu() for a in menu.actions() if a.text() == words)  # type: ignore[assignment]
            menu.aboutToShow.emit()
        next(a for a in menu.actions() if a.text() == path[-1]).trigger()
        menu.aboutToHide.emit()

    def drop_file(self, path: Path) -> None:
        self.count += 1
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        self.window.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, NONE))

    def find(self, text: str, at: QPointF) -> None:
        """Rest over the canvas, type a name, take the first that is called so."""
        canvas = self.window.build.canvas
        canvas.setFocus()
        canvas.pointer = at
        self.press(text, RETURN)

    def click_tree(self, look_id: str) -> None:
        tree = self.window.tune.tree
        tree.bring_into_sight()
        tree.scrollToItem(tree.items[look_id])
        self.click(tree.viewport(), QPointF(tree.visualItemRect(tree.items[look_id]).center()))  # type: ignore[arg-type]


@pytest.fixture
def hands(open_window: Open, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Hands:
    """On a window with an empty project; a file dialog gives the prop that lies in the test's folder."""
    folder = tmp_path / "empty"
    save_project(Project(name="Empty"), folder)
    write_glb(tmp_path / "post.glb", lantern_post())
    write_glb(tmp_path / "kettle.glb", tea_kettle())
    return Hands(open_window(folder))


def by_dialog(monkeypatch: pytest.MonkeyPatch, path: Path) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))


def on_stage(stage: StageView, part: str = "") -> QPointF:
    """A point of a stage where the first object is seen, or a part of it."""
    assert stage.scene
    return seen_at(stage, stage.scene.objects[0].id, part)


def imported(hands: Hands) -> MainWindow:
    session = hands.window.session
    until(lambda: session.scene and session.scene.objects and not session.loading)
    return hands.window


def new_material(hands: Hands, *, by_mouse: bool) -> None:
    if by_mouse:
        hands.from_menu(hands.window.header.menu_button, "Project", "New material")
    else:
        hands.press(Qt.Key.Key_M, modifiers=CTRL | SHIFT)


def bring_in(hands: Hands, monkeypatch: pytest.MonkeyPatch, path: Path, *, by_mouse: bool) -> MainWindow:
    if by_mouse:
        hands.drop_file(path)
    else:
        by_dialog(monkeypatch, path)
        hands.press(Qt.Key.Key_I, modifiers=CTRL)
        hands.count += 2  # the file's name, Return
    return imported(hands)


def choose(hands: Hands, box: Any, text: str) -> None:
    """One of a drop-down: opened, and clicked."""
    hands.count += 2
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


@pytest.mark.parametrize("by_mouse", [True, False])
def test_a_height_ramp_on_an_imported_prop_with_two_instances(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, by_mouse: bool
) -> None:
    window = bring_in(hands, monkeypatch, tmp_path / "post.glb", by_mouse=by_mouse)
    session = window.session
    new_material(hands, by_mouse=by_mouse)
    hands.find("height ramp", QPointF(60, 60))
    material = session.material
    assert material and "high" in {p.label.lower().split()[0] for p in material.parameters}, material.parameters
    colour_id = next(p.id for p in material.parameters if p.label.lower().startswith("high"))
    spread_id = next(p.id for p in material.parameters if p.label == "Spread")
    tune = window.tune
    hands.click(window.header.desk_buttons["Tune"]) if by_mouse else hands.press(Qt.Key.Key_3, modifiers=CTRL)
    until(lambda: tune.stage.pictures.frames_drawn > 0)
    made = []
    for hex_text, spread in (("#3a2a66", "2"), ("#9fe08a", "1.5")):
        if by_mouse:
            hands.click_tree(material.id)
            hands.click(tune.beside_tree.add_button)
            hands.count += 1
            drop_look(tune.stage, tune.selection.look_id, on_stage(tune.stage))
            look_id = next(reversed(session.project.instances))
            until(lambda look_id=look_id: (session.scene and session.scene.objects[0].wears.get("post") == look_id)
                or look_id in session.scene.objects[0].wears.values())  # fmt: skip
        else:
            hands.press(Qt.Key.Key_F, modifiers=CTRL | SHIFT)
            hands.press(material.name, RETURN)
            assert tune.selection.look_id == material.id
            hands.press(Qt.Key.Key_N, modifiers=CTRL | SHIFT)
            look_id = tune.selection.look_id
            hands.press(Qt.Key.Key_W, modifiers=CTRL | ALT)
            hands.press(session.project.instances[look_id].name, RETURN)
        made.append(look_id)
        swatch, field = tune.sheet.controls[colour_id].swatch, tune.sheet.controls[spread_id].field
        assert swatch and field
        if by_mouse:
            hands.click(swatch, QPointF(10, 10))
        else:
            hands.press(Qt.Key.Key_J, modifiers=CTRL)
            hands.press("high", RETURN, Qt.Key.Key_Space)
        hands.press(hex_text, RETURN)
        if by_mouse:
            hands.click(field)
        else:
            hands.press(Qt.Key.Key_J, modifiers=CTRL)
            hands.press("spread", RETURN)
        hands.press(spread, RETURN)
    for look_id, (hex_text, spread) in zip(made, (("#3a2a66", "2"), ("#9fe08a", "1.5")), strict=True):
        values = session.project.instances[look_id].values
        assert values[colour_id] == pytest.approx(colour_from_hex(hex_text)) and values[spread_id] == float(spread)
    assert made[1] in session.scene.objects[0].wears.values()  # type: ignore[union-attr]
    assert hands.count <= 70


@pytest.mark.parametrize("by_mouse", [True, False])
def test_see_through_water_over_a_bed(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, by_mouse: bool
) -> None:
    """Deep and shallow colours, no hard shore, and a swell whose normals follow."""
    write_glb(tmp_path / "basin.glb", nectar_basin())
    window = bring_in(hands, monkeypatch, tmp_path / "basin.glb", by_mouse=by_mouse)
    session, objects = window.session, window.build.objects
    if by_mouse:
        hands.click(objects.add_button)
        hands.press("new plane", RETURN)
    else:
        hands.command("add plane")
    water = session.scene.objects[-1].id  # type: ignore[union-attr]
    for field, text in ((objects.fields["position"][1], "0.6"), *((objects.fields["scale"][n], "3") for n in (0, 2))):
        if by_mouse:
            hands.click(field)
        else:
            hands.go_to(field)
        hands.press(text, RETURN)
    new_material(hands, by_mouse=by_mouse)
    for words in ("depth tint", "shore fade", "swell with normals"):
        hands.find(words, QPointF(60, 60))
    if by_mouse:
        choose(hands, objects.look_box, session.material.name)  # type: ignore[union-attr]
    else:
        hands.press(Qt.Key.Key_W, modifiers=CTRL | ALT)
        hands.press(session.material.name, RETURN)  # type: ignore[union-attr]
    hands.press(Qt.Key.Key_Home)
    assert session.scene and session.scene.object(water).wears == {"": session.material_id}  # type: ignore[union-attr]
    material = session.material
    surface = next(n for n in material.nodes.values() if n.type == "surface")  # type: ignore[union-attr]
    assert surface.settings["alpha_mode"] == "blend"
    assert any(n.type == "vertex_offset" for n in material.nodes.values())  # type: ignore[union-attr]
    shown = settled(window)
    session.edit_scene("Hide", lambda scene: without_objects(scene, [water]))
    assert (settled(window) != shown).any(axis=2).mean() > 0.02
    assert hands.count <= 120


@pytest.mark.parametrize("by_mouse", [True, False])
def test_a_rim_glow_with_a_pulse(hands: Hands, by_mouse: bool) -> None:
    window, session = hands.window, hands.window.session
    if by_mouse:
        hands.click(window.build.objects.add_button)
        hands.press("new sphere", RETURN)
    else:
        hands.command("add sphere")
    new_material(hands, by_mouse=by_mouse)
    hands.find("rim glow", QPointF(60, 60))
    hands.find("pulse glow", QPointF(60, 300))
    if by_mouse:
        choose(hands, window.build.objects.look_box, session.material.name)  # type: ignore[union-attr]
    else:
        hands.press(Qt.Key.Key_W, modifiers=CTRL | ALT)
        hands.press(session.material.name, RETURN)  # type: ignore[union-attr]
    assert list(session.scene.objects[0].wears.values()) == [session.material_id]  # type: ignore[union-attr]
    hands.press(Qt.Key.Key_Home)
    period = next(p for p in session.material.parameters if "period" in p.label.lower())  # type: ignore[union-attr]
    pictures = []
    for share in (0.25, 0.75):  # where a sine is highest and lowest
        window.build.clock.go_to(share * float(period.default))  # type: ignore[arg-type]
        pictures.append(settled(window).astype(int))
    bright, dim = pictures
    assert (bright - dim).max() > 20  # it beats
    assert hands.count <= 30


@pytest.mark.parametrize("by_mouse", [True, False])
def test_six_parts_get_six_looks_and_one_of_them_more_colour(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, by_mouse: bool
) -> None:
    window = bring_in(hands, monkeypatch, tmp_path / "kettle.glb", by_mouse=by_mouse)
    session, tune = window.session, window.tune
    new_material(hands, by_mouse=by_mouse)
    if by_mouse:
        choose(hands, window.build.objects.look_box, session.material.name)  # type: ignore[union-attr]
    else:
        hands.press(Qt.Key.Key_W, modifiers=CTRL | ALT)
        hands.press(session.material.name, RETURN)  # type: ignore[union-attr]
    hands.find("#a04030", QPointF(60, 60))
    node = next(iter(window.build.canvas.selected))
    surface = next(i for i, n in session.material.nodes.items() if n.type == "surface")  # type: ignore[union-attr]
    if by_mouse:
        canvas = window.build.canvas
        hands.press(Qt.Key.Key_Home, modifiers=CTRL)
        hands.drag(canvas, tooth(canvas, node, "out", is_output=True), tooth(canvas, surface, "base_colour"))
        hands.click(canvas, middle_of(canvas, node))
    else:
        hands.press(RETURN, "out", RETURN, "surface: base colour", RETURN)
        assert window.build.canvas.selected == {node}
    hands.press(Qt.Key.Key_E, modifiers=CTRL)
    assert session.material.parameters  # type: ignore[union-attr]
    hands.click(window.header.desk_buttons["Tune"]) if by_mouse else hands.press(Qt.Key.Key_3, modifiers=CTRL)
    until(lambda: tune.stage.pictures.frames_drawn > 0)
    before = hands.count
    if by_mouse:
        hands.click(tune.stage, on_stage(tune.stage, "body"))
        until(lambda: tune.stage.modes.sight.selected)
    hands.press(Qt.Key.Key_P, modifiers=CTRL | ALT)
    thing = session.scene.objects[0]  # type: ignore[union-attr]
    parts = [part.name for part in session.models[thing.asset].parts]
    assert len({worn(session.project, thing, part) for part in parts}) == 6
    assert hands.count - before <= 3
    hands.count -= hands.count - before
    if by_mouse:
        hands.click(tune.stage, on_stage(tune.stage, "lid"))
        until(lambda: tune.stage.modes.sight.part == "lid")
        slider = tune.whole.sliders["saturation"]
        hands.drag(slider, QPointF(slider.position_of(0.0), 10), QPointF(slider.position_of(0.2), 10))
    else:
        hands.press(Qt.Key.Key_F, modifiers=CTRL | SHIFT)
        hands.press("lid", RETURN)
        assert tune.selection.look_id == worn(session.project, thing, "lid")
        hands.press(Qt.Key.Key_J, modifiers=CTRL)
        hands.press("saturation", RETURN, "0.2", RETURN)
    lid = session.project.instances[worn(session.project, thing, "lid")]
    assert lid.saturation == pytest.approx(0.2, abs=0.02)
    assert hands.count <= 25
