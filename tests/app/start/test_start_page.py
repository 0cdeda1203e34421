"""The start page by hand: begin, go on, what is gone, and what a full disk or a folder of others does."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from by_hand import until
from conftest import settings_in
from soft_lantern.app.main import Windows, make_application
from soft_lantern.app.session.recent import MOST, forget, recent_projects, remember
from soft_lantern.app.start.page import EMPTY, StartPage
from soft_lantern.app.window.window import MainWindow
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Project

LEFT = Qt.MouseButton.LeftButton
W = TypeVar("W", MainWindow, StartPage)


@pytest.fixture
def windows(qtbot: object, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Windows]:
    """The windows of a run in a home of its own."""
    settings_in(tmp_path / "config")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    made = Windows(make_application())
    yield made
    for window in shown(MainWindow):
        window.session.saver.let_go()
        window.close()
    for page in shown(StartPage):
        page.close()


def shown(kind: type[W]) -> list[W]:
    return [each for each in QApplication.topLevelWidgets() if isinstance(each, kind) and each.isVisible()]


def the_page(windows: Windows, home: Path) -> StartPage:
    windows.start()
    (page,) = shown(StartPage)
    QTest.qWaitForWindowExposed(page)
    page.home = home
    return page


def test_a_new_project_is_two_steps_away_and_comes_first_the_next_time(windows: Windows, tmp_path: Path) -> None:
    page = the_page(windows, tmp_path / "home")
    assert page.empty.isVisible() and page.empty.text() == EMPTY
    page.points["rim_glow"].setFocus()
    QTest.keyClick(page.points["rim_glow"], Qt.Key.Key_Space)
    assert not page.points["height_ramp"].isEnabled()  # one at a time
    until(lambda: bool(shown(MainWindow)))
    assert not shown(StartPage)
    (window,) = shown(MainWindow)
    assert window.session.project.name == "Rim glow" and window.session.folder == tmp_path / "home" / "Rim glow"
    until(lambda: window.build.stage.pictures.frames_drawn > 0)
    window.commands.actions["Start page"].trigger()
    again = shown(StartPage)[0]
    assert list(again.recent) == [str(window.session.folder)] and not again.empty.isVisible()
    window.close()
    again.refresh()
    (recent,) = recent_projects()
    picture = recent.picture.read_bytes()
    assert picture.startswith(b"\x89PNG") and not again.recent[recent.folder].icon().isNull()
    again.home = tmp_path / "home"
    QTest.mouseClick(again.points["rim_glow"], LEFT)
    until(lambda: bool(shown(MainWindow)))
    assert shown(MainWindow)[0].session.folder.name == "Rim glow 2"  # nothing is written over
    assert [Path(each.folder).name for each in recent_projects()] == ["Rim glow 2", "Rim glow"]


def test_one_goes_on_with_a_project_by_a_click_and_one_that_is_gone_says_so(windows: Windows, tmp_path: Path) -> None:
    here, gone = tmp_path / "here", tmp_path / "gone"
    save_project(Project(name="Here"), here)
    save_project(Project(name="Gone"), gone)
    remember(gone, "Gone")
    remember(here, "Here")
    (gone / "project.json").unlink()
    page = the_page(windows, tmp_path)
    assert list(page.recent) == [str(here), str(gone)]
    lost = page.recent[str(gone)]
    assert not lost.isEnabled() and "no longer there" in lost.text()
    lost.actions()[0].trigger()  # Take off this list
    assert list(page.recent) == [str(here)] and gone.is_dir()
    QTest.mouseClick(page.recent[str(here)], LEFT)
    until(lambda: bool(shown(MainWindow)))
    assert shown(MainWindow)[0].session.project.name == "Here"


def test_what_cannot_be_opened_or_written_is_said_and_the_page_stays(
    windows: Windows, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = the_page(windows, tmp_path / "file")
    (tmp_path / "file").write_text("not a folder")
    QTest.mouseClick(page.points["height_ramp"], LEFT)
    until(lambda: page.points["height_ramp"].isEnabled())
    assert page.isVisible() and str(tmp_path / "file") in page.words.text()
    (tmp_path / "empty").mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "empty"))
    QTest.mouseClick(page.open_button, LEFT)
    assert page.isVisible() and "empty" in page.words.text() and not shown(MainWindow)
    QTest.mouseClick(page.move_button, LEFT)
    assert page.home == tmp_path / "empty" and StartPage().home == tmp_path / "empty"  # kept


def test_the_list_of_recent_projects_is_short_and_nothing_hangs_on_it(
    windows: Windows, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for number in range(MOST + 3):
        remember(tmp_path / str(number), f"Project {number}")
    assert [each.name for each in recent_projects()] == [f"Project {n}" for n in range(MOST + 2, 2, -1)]
    forget(str(tmp_path / "5"))
    assert len(recent_projects()) == MOST - 1
    kept = tmp_path / "state" / "soft-lantern" / "recent.json"
    for text in ("", "[1, 2]", '{"folder": 3}', "[{}]"):
        kept.write_text(text)
        assert recent_projects() == []
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/nowhere")
    remember(tmp_path, "Anything")  # no complaint: the window opens all the same
