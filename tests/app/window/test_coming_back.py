"""Windows come back as they were left, and those on one project show each other's edits."""

from __future__ import annotations

import gc
import json
import weakref
from collections.abc import Iterator
from pathlib import Path

import platformdirs
import pytest
from PyQt6.QtCore import QObject, QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from by_hand import Open, activate, pixels, settled, until
from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.main import Windows
from soft_lantern.app.session.left_open import taken_left_open
from soft_lantern.app.start.page import StartPage
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.document import View, changed
from soft_lantern.graph.edits import type_value
from soft_lantern.render.worker import RenderWorker

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def middle(canvas: Canvas) -> tuple[float, float, float]:
    at = canvas.to_canvas(QPointF(canvas.width() / 2, canvas.height() / 2))
    return canvas.scale, at.x(), at.y()


def closed(window: MainWindow) -> None:
    window.session.saver.let_go()
    window.close()


def test_a_window_comes_back_where_it_was(demo_folder: Path, open_window: Open) -> None:
    first = open_window(demo_folder)
    first.session.open_scene("tea_terrace")
    first.session.open_material("kettle_metal")
    canvas = first.build.canvas
    node = sorted(canvas.material.nodes)[3]
    canvas.go_to(node)
    was = middle(canvas)
    first.go_to_desk("Tune")
    first.tune.select("copper")
    first.session.set_view(View(target=(0.1, 0.9, 0.2), yaw=77.0, pitch=9.0, distance=4.0))
    closed(first)
    again = open_window(demo_folder)
    assert (again.desk_name, again.session.scene_id, again.session.material_id) == (
        "Tune",
        "tea_terrace",
        "kettle_metal",
    )
    assert again.session.view.yaw == 77.0 and again.tune.selection.look_id == "copper"
    again.go_to_desk("Build")
    assert again.build.canvas.selected == {node}
    until(lambda: middle(again.build.canvas) == pytest.approx(was, rel=1e-6))


def test_the_stage_shows_its_last_picture_until_the_same_is_drawn(
    demo_folder: Path, house: Windows, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))

    def opened() -> tuple[MainWindow, list[str], list[QImage]]:
        house.open(demo_folder)
        (window,) = house._shown()
        assert isinstance(window, MainWindow)
        stage, came, images = window.build.stage, list[str](), list[QImage]()
        stage.pictures.found.connect(lambda: (came.append("found"), images.append(stage.pictures.image)))
        stage.pictures.arrived.connect(lambda _: (came.append("drawn"), images.append(stage.pictures.image)))
        until(lambda: stage.pictures.still and not window.session.loading)
        return window, came, images

    first, came, _ = opened()
    assert "found" not in came
    first.go_to_desk("Tune")  # whose stage has a picture of its own
    until(lambda: first.stage().pictures.still)
    first.go_to_desk("Build")
    QTest.qWait(200)  # the layout has settled
    last = settled(first)
    closed(first)
    second, came, images = opened()
    assert came[0] == "found" and "drawn" in came
    assert all((pixels(image) == last).all() for image in images)  # nothing less meanwhile
    assert (settled(second) == last).all()
    closed(second)
    file = demo_folder / "scenes" / "garden.json"
    file.write_text(json.dumps(json.loads(file.read_text()) | {"gauge": 0.5}))
    third, came, images = opened()  # something else is on the stage now
    assert "found" not in came and (pixels(images[-1]) != last).any()
    closed(third)


@pytest.mark.parametrize(
    "text", ["", "{", '{"desk": 5}', '{"desk": "Tune", "canvas": [1e300, 0, -1e300], "window": "??"}']
)
def test_a_damaged_place_is_no_trouble(text: str, demo_folder: Path, open_window: Open) -> None:
    closed(open_window(demo_folder))
    (file,) = (platformdirs.user_state_path("soft-lantern") / "places").glob("*.json")
    file.write_text(text)
    window = open_window(demo_folder)
    window.go_to_desk("Build")
    assert settled(window).std() > 10


def test_where_the_person_is_is_kept_while_the_window_lives(demo_folder: Path, open_window: Open) -> None:
    window = open_window(demo_folder)
    window.go_to_desk("Colour")
    window.coming_back.keep()
    (file,) = (platformdirs.user_state_path("soft-lantern") / "places").glob("*.json")
    assert json.loads(file.read_text())["desk"] == "Colour"
    before = file.stat().st_mtime_ns
    window.coming_back.keep()
    assert file.stat().st_mtime_ns == before  # nothing has moved


@pytest.fixture
def house(qapp: QApplication, open_window: Open) -> Iterator[Windows]:
    """The windows of one run; none stays behind."""
    made = Windows(qapp)
    yield made
    for each in made._shown():
        if isinstance(each, MainWindow):
            closed(each)
        else:
            each.close()
    made.deleteLater()


def two_on(house: Windows, folder: Path) -> tuple[MainWindow, MainWindow]:
    house.open(folder)
    (first,) = house._shown()
    assert isinstance(first, MainWindow)
    QTest.qWaitForWindowExposed(first)
    until(lambda: not first.session.loading)
    activate(first)
    QTest.keyClick(first, Qt.Key.Key_O, CTRL | ALT)
    (second,) = (each for each in house._shown() if each is not first)
    assert isinstance(second, MainWindow)
    QTest.qWaitForWindowExposed(second)
    return first, second


def test_two_windows_on_one_project_show_each_others_edits(demo_folder: Path, house: Windows) -> None:
    first, second = two_on(house, demo_folder)
    before = settled(second)
    second.session.open_scene("tea_terrace")
    assert first.session.scene_id != "tea_terrace"  # each has a stage of its own
    second.session.open_scene(first.session.scene_id)
    first.session.edit_material("Set origin", "height_ramp", lambda m: type_value(m, "height_mask", "high", 0.2))
    assert second.session.project is first.session.project
    assert (settled(second) != before).any(axis=2).mean() > 0.01
    assert second.windowTitle() == first.windowTitle() and "•" in second.windowTitle()
    assert "Set origin" in second.commands.actions["Undo"].text()
    QTest.keyClick(second, Qt.Key.Key_Z, CTRL)
    assert (settled(first) == settled(first)).all() and first.session.is_saved
    assert (settled(second) == before).all()


def test_the_first_of_two_windows_closes_without_a_question_and_the_work_goes_on(
    demo_folder: Path, house: Windows
) -> None:
    first, second = two_on(house, demo_folder)
    first.session.apply("Rename", lambda project: changed(project, name="Renamed"))
    first.close()
    assert not first.isVisible() and second.isVisible()
    second.session.apply("Rename", lambda project: changed(project, name="Renamed again"))
    assert second.header.project_label.text().startswith("Renamed again") and second.session.save()
    assert json.loads((demo_folder / "project.json").read_text())["name"] == "Renamed again"
    assert settled(second).std() > 10


def test_windows_of_a_program_that_was_killed_come_back_and_closed_ones_do_not(
    demo_folder: Path, house: Windows, qapp: QApplication
) -> None:
    house.open(demo_folder)
    house.open(demo_folder, "Tune")  # a designer's, which does not come back as an author's
    (file,) = (platformdirs.user_state_path("soft-lantern") / "open").glob("*.json")
    assert json.loads(file.read_text()) == [str(demo_folder.resolve())] and taken_left_open() == []  # it still runs
    for each in house._shown():
        closed(each)  # type: ignore[arg-type]
    assert not file.exists()
    dead = file.with_name(f"{2**22 + 1}.json")
    dead.write_text(json.dumps([str(demo_folder), str(demo_folder / "gone")]))
    house.begin()
    (back,) = house._shown()
    assert isinstance(back, MainWindow) and back.session.folder == demo_folder and not dead.exists()
    closed(back)
    dead.write_text('{"no": "list')
    house.begin()
    (page,) = house._shown()
    assert isinstance(page, StartPage)


def opened_and_closed(folder: Path, drawing: RenderWorker) -> list[weakref.ref[QObject]]:
    window = MainWindow(folder, RenderWorker(beside=drawing))
    window.show()
    until(lambda: window.stage().pictures.frames_drawn > 0 and not window.session.loading)
    closed(window)
    window.deleteLater()
    return [weakref.ref(each) for each in (window, window.session, window.session.shared)]


def test_windows_that_were_closed_are_gone_with_all_they_held(
    demo_folder: Path, open_window: Open, drawing: RenderWorker
) -> None:
    held = [opened_and_closed(demo_folder, drawing) for _ in range(3)]
    QTest.qWait(50)
    gc.collect()
    alive = [each for window in held[:-1] for each in window if each() is not None]  # the last may be passing still
    assert not alive
