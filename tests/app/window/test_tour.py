"""The tour by hand, from the start page to a delivery: each step by the words on the screen."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QFileDialog

from by_hand import CTRL, LEFT, SHIFT, activate, drag, node_of, tooth, type_node, until, wire
from conftest import settings_in
from soft_lantern.app.canvas.canvas_menu import canvas_menu
from soft_lantern.app.main import Windows, make_application
from soft_lantern.app.start.page import StartPage
from soft_lantern.app.theme.remembered import remembered
from soft_lantern.app.window import tour
from soft_lantern.app.window.tour import Tour, begun_in
from soft_lantern.app.window.tour_steps import STEPS
from soft_lantern.app.window.window import MainWindow


@pytest.fixture
def touring(qtbot: object, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[tuple[MainWindow, Tour]]:
    """The tour as the start page opens it, in a home of its own."""
    settings_in(tmp_path / "config")
    for kind in ("STATE", "DATA"):
        monkeypatch.setenv(f"XDG_{kind}_HOME", str(tmp_path / kind.lower()))
    monkeypatch.setattr(tour, "PRAISED", 100)
    remembered().clear()
    windows = Windows(make_application())
    windows.start()
    (page,) = (each for each in QApplication.topLevelWidgets() if isinstance(each, StartPage) and each.isVisible())
    QTest.mouseClick(page.tour_button, LEFT)
    until(lambda: opened())
    window = opened()[0]
    until(lambda: sip.isdeleted(page))
    window.resize(1280, 800)
    activate(window)
    until(lambda: window.build.stage.pictures.frames_drawn > 0)
    (taken,) = window.findChildren(Tour)
    yield window, taken
    for each in opened():
        each.session.saver.let_go()
        each.close()
    until(lambda: sip.isdeleted(window), 10)


def opened() -> list[MainWindow]:
    return [each for each in QApplication.topLevelWidgets() if isinstance(each, MainWindow) and each.isVisible()]


def press(window: MainWindow, words: str) -> None:
    """Click the button that says so."""
    (button,) = (each for each in window.findChildren(QAbstractButton) if each.text() == words and each.isVisible())
    QTest.mouseClick(button, LEFT)


def test_every_step_is_done_by_what_its_words_say(
    touring: tuple[MainWindow, Tour], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window, tour = touring
    build, session = window.build, window.session

    def done(title: str) -> None:
        """The step of that title is shown as done, and the next one comes by itself."""
        place = [step.title for step in STEPS].index(title)
        until(lambda: tour.at > place, 20)

    def step(title: str) -> None:
        assert f"{title}" in tour.head.text() and STEPS[tour.at].title == title
        QTest.qWait(400)
        assert STEPS[tour.at].title == title and "✓" not in tour.head.text()  # not done by itself

    step("Turn the stage")
    drag(build.stage, QPointF(60, 60), QPointF(180, 90))
    done("Turn the stage")

    step("Ask where a point is")
    canvas = build.canvas
    position = type_node(canvas, "position", QPointF(60, 60))
    done("Ask where a point is")

    step("Take the height of it")
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Return, CTRL)
    QTest.keyClicks(canvas.placing.finder.field, "separate")
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    done("Take the height of it")
    assert canvas.selected == {node_of(canvas.material, "separate")} and position in canvas.material.nodes

    step("Divide it by a distance")
    separate = node_of(canvas.material, "separate")
    drag(canvas, tooth(canvas, separate, "y", is_output=True), QPointF(40, canvas.height() - 40))
    QTest.keyClicks(canvas.placing.finder.field, "divide")
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    QTest.keyClick(canvas, Qt.Key.Key_T, CTRL)
    done("Divide it by a distance")

    step("Wire it to the surface")
    divide, surface = node_of(canvas.material, "divide"), node_of(canvas.material, "surface")
    wire(canvas, (divide, "out"), (surface, "roughness"))
    until(lambda: any(notice.kind == "range" for notice in session.notices))
    done("Wire it to the surface")

    step("Mend it")
    QTest.mouseClick(window.status.notice_button, LEFT)
    until(lambda: [b for b in window.findChildren(QAbstractButton) if b.text() == "Clamp it" and b.isVisible()])
    press(window, "Clamp it")
    done("Mend it")

    step("Colour by it")
    mix = type_node(canvas, "mix", QPointF(60, canvas.height() - 60))
    for port, colour in (("a", "#2a4d5e"), ("b", "#f2b75c")):
        QTest.keyClick(canvas, Qt.Key.Key_T, CTRL)
        drag(canvas, tooth(canvas, mix, port), QPointF(30, 30))
        QTest.keyClicks(canvas.placing.finder.field, colour)
        QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    QTest.keyClick(canvas, Qt.Key.Key_T, CTRL)
    wire(canvas, (node_of(canvas.material, "clamp"), "out"), (mix, "factor"))
    wire(canvas, (mix, "out"), (surface, "base_colour"))
    done("Colour by it")

    step("Give it to designers")
    menu = canvas_menu(
        canvas, canvas.acts, canvas.typing, canvas.placing, tooth(canvas, divide, "b")
    )  # a right click's
    (expose,) = (action for action in menu.actions() if action.text() == "Expose b as a parameter")
    expose.trigger()
    done("Give it to designers")

    step("Make two looks")
    QTest.keyClick(window, Qt.Key.Key_3, CTRL)
    assert window.desk_name == "Tune"
    tune = window.tune
    for _ in range(2):
        press(window, "New instance")
    control = tune.sheet.controls[canvas.material.parameters[0].id]
    assert control.field
    control.field.setFocus()
    control.field.selectAll()
    QTest.keyClicks(control.field, "3")
    QTest.keyClick(control.field, Qt.Key.Key_Return)
    done("Make two looks")

    step("Compare them")
    QTest.keyClick(window, Qt.Key.Key_K, CTRL)
    done("Compare them")
    QTest.keyClick(window, Qt.Key.Key_K, CTRL)

    step("Take one of several")
    QTest.keyClick(window, Qt.Key.Key_V, CTRL | SHIFT)
    until(lambda: tune.strip.cells)
    assert (tune.strip.low.value, tune.strip.high.value) == (1.5, 6.0)  # about what it is: it has no limits
    QTest.mouseClick(list(tune.strip.cells.values())[1], LEFT)
    done("Take one of several")

    step("Deliver")
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "out"))
    (tmp_path / "out").mkdir()
    QTest.mouseClick(window.desk("Deliver").deliver, LEFT)  # type: ignore[attr-defined]
    until(lambda: tour.head.text() == "That was it")
    assert (tmp_path / "out" / "ramp.frag.glsl").exists() and begun_in() is None
    QTest.mouseClick(tour.leave, LEFT)
    assert not tour.isVisible()


def test_the_tour_can_be_left_gone_back_in_and_goes_on_where_it_was(touring: tuple[MainWindow, Tour]) -> None:
    window, tour = touring
    assert not tour.back.isEnabled()
    QTest.mouseClick(tour.skip, LEFT)
    QTest.mouseClick(tour.skip, LEFT)
    QTest.mouseClick(tour.back, LEFT)
    assert tour.at == 1
    type_node(window.build.canvas, "position", QPointF(60, 60))
    until(lambda: tour.at == 2)
    QTest.mouseClick(tour.leave, LEFT)
    assert not tour.isVisible() and window.isVisible()  # the window stays, with what was made
    assert window.session.save()
    window.close()
    again = Windows(make_application())
    again.tour()
    until(lambda: opened())
    (resumed,) = opened()[0].findChildren(Tour)
    assert resumed.at == 2 and node_of(opened()[0].session.material, "position")  # type: ignore[arg-type]
    opened()[0].wanted.emit("tour")  # asked for once more while it goes on
    QTest.qWait(300)
    assert len(opened()) == 1
    for _ in STEPS[2:]:
        resumed.go_on()
    first = opened()[0].session.folder
    QTest.mouseClick(resumed.leave, LEFT)
    again.tour()
    until(lambda: len(opened()) == 2)
    folders = {each.session.folder.name for each in opened()}
    assert folders == {"Ten minutes", "Ten minutes 2"} and first.is_dir()  # what was made before is not written over


def test_no_step_is_done_before_it_is_begun(touring: tuple[MainWindow, Tour]) -> None:
    window, _ = touring
    assert not any(step.is_done(window, window.session.project) for step in STEPS)
    assert all(step.words.endswith(".") and len(step.words) < 260 for step in STEPS)
