"""Work beside the window: nothing of it reaches what has gone, nothing that goes wrong is swallowed."""

from __future__ import annotations

import gc
import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog

from by_hand import Open, until
from held import held_qobjects
from soft_lantern.app.session.history import Edit, History
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.background import Background
from soft_lantern.app.work.beside import NewestAnswer, reply_to
from soft_lantern.app.work.garbage import GarbageCollector
from soft_lantern.app.work.mishaps import Mishaps, log_file, words_for
from soft_lantern.app.work.only_one import only_one
from soft_lantern.errors import BadFile
from soft_lantern.graph.document import Asset, Project, changed


def test_a_dialog_closed_at_work_is_never_reached_by_its_thread(qtbot: object, qapp: QApplication) -> None:
    """Dialogs closed, deleted and collected while their questions are worked out, many times over."""
    told: list[object] = []
    for number in range(120):
        dialog = QDialog()
        asking = NewestAnswer("test", dialog, told.append, told.append)
        asking.ask(lambda: time.sleep(0.002) or "late")
        dialog.deleteLater()
        del dialog, asking
        QApplication.sendPostedEvents(None, 52)  # deferred deletes
        if number % 12 == 0:
            gc.collect()
    QTest.qWait(60)
    assert "late" not in told[5:]


def test_an_answer_comes_on_the_windows_thread_and_only_the_newest_counts(qtbot: object, qapp: QApplication) -> None:
    owner, told = QObject(), []
    begun, go = threading.Event(), threading.Event()
    asking = NewestAnswer(
        "test", owner, lambda found: told.append((found, threading.current_thread())), lambda text: told.append(text)
    )
    asking.ask(lambda: begun.set() or go.wait())
    begun.wait()
    for number in range(5):
        asking.ask(lambda number=number: number)
    go.set()
    until(lambda: len(told) == 2)
    assert told[1] == (4, threading.main_thread())
    asking.ask(lambda: 1 / 0)
    until(lambda: len(told) == 3)
    assert "division by zero" in told[2]
    asking.stop()


def test_a_reply_lets_go_of_what_it_held_on_the_windows_thread(qtbot: object, qapp: QApplication) -> None:
    owner, told = QObject(), []
    reply = reply_to(owner, told.append)
    thread = threading.Thread(target=reply, args=("here",))
    thread.start()
    thread.join()
    del reply
    until(lambda: told == ["here"])
    late = reply_to(owner, told.append)
    sip.delete(owner)
    late("never")
    QTest.qWait(10)
    assert told == ["here"]


def test_what_goes_wrong_beside_is_told_and_ends_the_waiting(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = window.session

    def broken(*_: object) -> None:
        raise KeyError("nobody foresaw this")

    monkeypatch.setattr("soft_lantern.app.session.loaded_files.load_model", broken)
    lost = Asset(id="lost", name="Lost", file="meshes/lost.glb")
    session.apply("Add", lambda project: changed(project, assets={**project.assets, "lost": lost}))
    until(lambda: "lost" not in session.loading)
    until(lambda: any(n.place == "lost" and "nobody foresaw" in n.text for n in session.notices))
    task = session.beside("Dreaming", broken, lambda found: None)  # type: ignore[arg-type]
    until(lambda: task.done)
    assert "nobody foresaw" in window.status.message.text()


def test_long_work_that_is_refused_says_why(qtbot: object, qapp: QApplication) -> None:
    background, told = Background(), []
    background.failed.connect(told.append)

    def refuse(progress: object) -> None:
        raise BadFile("the moon is no file")

    background.begin("Reading", refuse, told.append)
    until(lambda: told == ["the moon is no file"])
    background.stop()


def test_an_unexpected_error_is_told_logged_and_the_window_lives(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = window.session
    session.apply("Edit", lambda project: changed(project, name="Edited"))
    before = session.project
    QApplication.processEvents()
    monkeypatch.setattr(sys, "excepthook", only_one(Mishaps)._in_slot)
    monkeypatch.setattr(window.build.canvas.acts, "tidy", lambda: (_ for _ in ()).throw(KeyError("a slip nobody has")))
    try:
        window.build.canvas.acts.tidy()
    except KeyError as error:
        sys.excepthook(type(error), error, error.__traceback__)
    assert "KeyError" in window.status.message.text() and str(log_file()) in window.status.message.text()
    assert session.project is before and window.isVisible()
    assert list((session.folder / ".lantern" / "recovery").glob("unsaved-*.json"))  # kept at once
    assert "\n" not in words_for(ValueError("two\nlines"))


def test_a_hand_that_breaks_off_leaves_the_document_as_it_was(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What it had edited by then is undone, and can be made again; edits before it, and of views that fail, stay."""
    session = window.session
    monkeypatch.setattr(sys, "excepthook", only_one(Mishaps)._in_slot)
    rename(session, "Before")
    QApplication.processEvents()

    def hand() -> None:
        rename(session, "Half", "Name")
        rename(session, "More", "Name")
        raise KeyError("the other half")

    QTimer.singleShot(0, hand)
    until(lambda: "KeyError" in window.status.message.text())
    assert session.project.name == "Before" and session.undo.undo_name == "Rename"
    session.undo.redo()
    assert session.project.name == "More"
    session.undo.undo()

    def view(old: Project, new: Project) -> None:
        raise ValueError("a view")

    session.changed.connect(view)
    QTimer.singleShot(0, lambda: rename(session, "Shown by some"))
    until(lambda: "ValueError" in window.status.message.text())
    assert session.project.name == "Shown by some"
    session.changed.disconnect(view)
    QTimer.singleShot(0, lambda: 1 / 0)
    until(lambda: "ZeroDivisionError" in window.status.message.text())
    assert session.project.name == "Shown by some"


def run_alone(code: str, state: Path) -> subprocess.CompletedProcess[str]:
    """Run a script in a process of its own, without a screen."""
    return subprocess.run(
        [sys.executable, "-c", code],
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": str(state)},
        capture_output=True,
        text=True,
        check=False,
    )


def test_a_widget_that_fails_to_paint_does_not_end_the_window(tmp_path: Path) -> None:
    """In a process of its own, as the program runs: painters left open would crash it."""
    code = (
        "from PyQt6.QtGui import QPainter\nfrom PyQt6.QtTest import QTest\nfrom PyQt6.QtWidgets import QWidget\n"
        "from soft_lantern.app.main import make_application\n"
        "class Broken(QWidget):\n"
        "    def paintEvent(self, event):\n"
        "        painter = QPainter(self)\n"
        "        painter.fillRect(self.rect(), 0)\n"
        "        raise ValueError('it does not paint')\n"
        "application = make_application()\n"
        "made = [Broken() for _ in range(5)]\n"
        "for each in made:\n    each.resize(50, 50)\n    each.show()\n"
        "QTest.qWait(100)\n"
        "for each in made:\n    each.grab()\n    each.close()\n    each.deleteLater()\n"
        "made.clear()\nQTest.qWait(50)\nprint('alive')\n"
    )
    done = run_alone(code, tmp_path)
    assert (done.returncode, done.stdout) == (0, "alive\n"), done.stderr
    assert (tmp_path / "soft-lantern" / "log.txt").read_text().count("it does not paint") >= 10


def test_a_script_that_ends_leaves_no_window_to_the_binding(tmp_path: Path) -> None:
    """Which deletes what is left in an order of its own, and crashes over windows that lived for a while."""
    code = (
        "import atexit\nfrom PyQt6.QtWidgets import QApplication, QMainWindow\n"
        "from soft_lantern.app.main import make_application\n"
        "atexit.register(lambda: print(QApplication.topLevelWidgets()))\n"
        "application = make_application()\n"
        "closed, shown = QMainWindow(), QMainWindow()\n"
        "shown.show()\nclosed.show()\nclosed.close()\n"
    )
    done = run_alone(code, tmp_path)
    assert (done.returncode, done.stdout) == (0, "[]\n"), done.stderr


def rename(session: Session, name: str, merge: str = "") -> None:
    session.apply("Rename", lambda project: changed(project, name=name), merge)


def test_garbage_is_collected_on_the_windows_thread_wherever_the_application_is_made(qapp: QApplication) -> None:
    assert qapp.findChild(GarbageCollector) and not gc.isenabled()


def test_dialogs_and_menus_go_when_they_are_closed(window: MainWindow) -> None:
    before = len(window.findChildren(QDialog))
    for _ in range(10):
        dialog = passing(QDialog(window))
        dialog.open()
        dialog.reject()
    window.go_to_desk("Tune")
    for _ in range(10):
        menu = window.tune.menu()
        menu.popup(window.mapToGlobal(window.rect().center()))
        menu.close()
    QTest.qWait(20)
    assert len(window.findChildren(QDialog)) == before
    assert not [m for m in window.tune.findChildren(type(menu)) if m.parent() is window.tune]


def test_undo_is_bounded_by_bytes_and_forgets_the_oldest(qapp: QApplication) -> None:
    history, present = History(most_bytes=20_000), [Project(name="0")]
    history.put.connect(lambda project: present.__setitem__(0, project))
    for number in range(1, 30):
        swollen = changed(present[0], assets={"a": Asset(id="a", name=f"{number}" * 1000)}, name=str(number))
        history.push(Edit("Edit", present[0], swollen))
    assert history.count < 29 and history.bytes <= 20_000
    while history.can_undo:
        history.undo()
    assert int(present[0].name) > 0
    while history.can_redo:
        history.redo()
    assert present[0].name == "29"


def test_work_that_would_hold_a_widget_is_found_out(qtbot: object, qapp: QApplication) -> None:
    dialog = QDialog()
    kept = [dialog]
    assert list(held_qobjects(lambda: kept)) and list(held_qobjects(dialog.show))
    assert not list(held_qobjects(reply_to(dialog, dialog.setWindowTitle)))


def test_a_window_closed_while_it_opens_leaves_nothing_running(open_window: Open, demo_folder: Path) -> None:
    before = {t.name for t in threading.enumerate()}
    window = MainWindow(demo_folder)
    window.session.saver.let_go()
    window.close()
    until(lambda: {t.name for t in threading.enumerate() if t.name != "long work"} <= before | {"MainThread"}, 10)
