"""Random hands on the window: actions, keys, drags, drops, dialogs closed at work, on every desk.

No exception, and once all is undone the document is what it was. Memory is bounded.
"""

from __future__ import annotations

import random
import shutil
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QAction, QDrag, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QSlider,
    QWidget,
)

from campaigns._projects import errors_of_slots, scratch
from soft_lantern.app.main import make_application
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import changed_records, save_project
from soft_lantern.graph.document import Material, Node, Project
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.layout import tidy

CASES = 20_000
WINDOW = 400
"""Actions on one window before everything is undone and another is opened."""
MEMORY = 3 << 30
KEYS = [getattr(Qt.Key, f"Key_{name}") for name in ("Tab", "Escape", "Return", "Delete", "Up", "Down", "Left", "Right")]
KEYS += [getattr(Qt.Key, f"Key_{name}") for name in ("A", "Z", "1", "Space", "F2", "Home", "Plus", "Backspace", "F1")]
LEFT_OUT = ("Close", "Save", "Export", "Import", "Load", "Contact sheet", "Save pictures", "Earlier states")
"""Actions that ask for files, or end the window."""
CONTROL, SHIFT, NONE = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)


def run(cases: int, seed: int) -> str:
    """Make so many random moves."""
    application = make_application()
    _answer_at_once()
    done = windows = 0
    most = 0
    with scratch() as home, errors_of_slots() as raised:
        starts = _starts(home)
        while done < cases:
            name = sorted(starts)[windows % len(starts)]
            folder = home / "open"
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(starts[name], folder)
            count = min(WINDOW, cases - done)
            _window(folder, random.Random(f"{seed}/{windows}"), count, raised, f"{name}, window {windows}", home)
            done, windows = done + count, windows + 1
            application.processEvents()
            most = max(most, _resident())
            assert most < MEMORY, f"{most >> 20} MB after {windows} windows"
    return f"{done:,} moves on {windows} windows, no exception, all undone; {most >> 20} MB at most"


def _starts(home: Path) -> dict[str, Path]:
    write_demo(home / "demo")
    save_project(Project(name="Empty"), home / "empty")
    nodes = {f"n{n}": Node(type="sine" if n % 3 else "number") for n in range(1000)}
    wires = {f"n{n}.angle": f"n{n - 1}.out" for n in range(1, 1000) if n % 3}
    many = tidy(Material(id="many", name="Many", nodes={**nodes, "surface": Node(type="surface")}, wires=wires))
    save_project(put_material(Project(name="Thousand"), many), home / "thousand")
    return {name: home / name for name in ("demo", "empty", "thousand")}


def _window(folder: Path, chance: random.Random, count: int, raised: list[str], words: str, home: Path) -> None:
    window = MainWindow(folder)
    window.resize(1280, 800)
    window.show()
    QTest.qWait(50)
    start, session = window.session.project, window.session
    moves = [_an_action, _a_click, _a_key, _a_drag, _a_choice, _an_item, _a_slider, _a_drop, _another_desk, _a_menu]
    last = "nothing"
    try:
        for number in range(count):
            move = chance.choice(moves)
            last = move(window, chance, home) or move.__name__
            if chance.random() < 0.15:
                QTest.qWait(chance.choice([0, 1, 5, 30]))
            if chance.random() < 0.06:
                _close_dialogs(chance)
            assert not raised, f"{words}, move {number} ({last}): {raised[0]}"
            troubles = [s.trouble for s in window.findChildren(StageView) if "could not be worked out" in s.trouble]
            assert not troubles, f"{words}, move {number} ({last}): {troubles[0]}"
        _close_dialogs(chance)
        end = time.monotonic() + 20
        while (session.loading or session.background.busy) and time.monotonic() < end:
            QTest.qWait(20)
        while session.undo.can_undo:
            session.undo.undo()
        QTest.qWait(20)
        assert not raised, f"{words}, undoing: {raised[0]}"
        other = [f"{f}: {w!r} → {n!r}"[:300] for f, w, n in changed_records(session.project, start)]
        assert session.project == start, f"{words}: undone, the document is another: {other[:3]}"
    finally:
        session.saver.let_go()
        for dialog in window.findChildren(QDialog):
            dialog.reject()
        window.close()
        window.deleteLater()
        QTest.qWait(5)
    assert not raised, f"{words}, closing: {raised[0]}"
    open_project(folder)


def _answer_at_once() -> None:
    """Questions that would wait for a person."""
    QFileDialog.getOpenFileName = staticmethod(lambda *a, **k: ("", ""))  # type: ignore[method-assign, assignment]
    QFileDialog.getOpenFileNames = staticmethod(lambda *a, **k: ([], ""))  # type: ignore[method-assign, assignment]
    QFileDialog.getSaveFileName = staticmethod(lambda *a, **k: ("", ""))  # type: ignore[method-assign, assignment]
    QFileDialog.getExistingDirectory = staticmethod(lambda *a, **k: "")  # type: ignore[method-assign, assignment]
    QInputDialog.getText = staticmethod(lambda *a, **k: ("monkey <b>", True))  # type: ignore[method-assign, assignment]
    QInputDialog.getItem = staticmethod(lambda *a, **k: ("", False))  # type: ignore[method-assign, assignment]
    QMessageBox.exec = lambda self: int(QMessageBox.StandardButton.Cancel)  # type: ignore[method-assign, assignment]
    QDrag.exec = lambda self, *a, **k: Qt.DropAction.IgnoreAction  # type: ignore[method-assign, assignment]
    real = QMenu.exec

    def shown(self: QMenu, *place: QPoint) -> QAction | None:
        QTimer.singleShot(0, lambda: None if sip.isdeleted(self) else self.close())
        return real(self, *place)

    QMenu.exec = shown  # type: ignore[method-assign, assignment]
    dialog = QDialog.exec

    def closing(self: QDialog) -> int:
        QTimer.singleShot(10, lambda: None if sip.isdeleted(self) else self.reject())
        return dialog(self)

    QDialog.exec = closing  # type: ignore[method-assign]


def _visible(window: MainWindow, kind: type[QWidget]) -> list[QWidget]:
    active = QApplication.activeModalWidget() or QApplication.activePopupWidget()
    inside = active if active is not None else window
    return [w for w in inside.findChildren(kind) if w.isVisible() and w.isEnabled()]


def _an_action(window: MainWindow, chance: random.Random, home: Path) -> str:
    actions = [a for a in window.actions() if a.isEnabled() and not a.text().startswith(LEFT_OUT)]
    action = chance.choice(actions)
    action.trigger()
    return f"action {action.text()}"


def _a_click(window: MainWindow, chance: random.Random, home: Path) -> str:
    buttons = [b for b in _visible(window, QAbstractButton) if not _asks_for_files(b)]
    if not buttons:
        return "no button"
    button = chance.choice(buttons)
    words = f"button {button.text() or button.accessibleName()}"  # type: ignore[attr-defined]
    impatient = QTimer()  # a menu that a button shows waits for a person
    impatient.timeout.connect(lambda: _close_dialogs(chance))
    impatient.start(25)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    impatient.stop()
    return words


def _asks_for_files(button: QWidget) -> bool:
    return bool(str(button.text()).startswith(LEFT_OUT))  # type: ignore[attr-defined]


def _somewhere(window: MainWindow, chance: random.Random) -> QWidget | None:
    widgets = [w for w in _visible(window, QWidget) if w.width() > 30 and w.height() > 30]
    return chance.choice(widgets) if widgets else None


def _a_key(window: MainWindow, chance: random.Random, home: Path) -> str:
    target = QApplication.focusWidget() or _somewhere(window, chance) or window
    key = chance.choice(KEYS)
    modifier = chance.choice([NONE, NONE, NONE, SHIFT, CONTROL])
    if modifier == CONTROL and key in (Qt.Key.Key_Q, Qt.Key.Key_S):
        return "no key"
    if isinstance(target, QLineEdit) and chance.random() < 0.5:
        QTest.keyClicks(target, chance.choice(["1e999", "x*2", "#f2b75c", "-3", "vec3(0)", "", "<b>", "0.5"]))
    QTest.keyClick(target, key, modifier)
    return f"key {key.name} on {type(target).__name__}"


def _a_drag(window: MainWindow, chance: random.Random, home: Path) -> str:
    target = _somewhere(window, chance)
    if target is None:
        return "no drag"
    words = f"drag on {type(target).__name__}"
    points = [QPoint(chance.randrange(target.width()), chance.randrange(target.height())) for _ in range(3)]
    button = chance.choice([Qt.MouseButton.LeftButton] * 4 + [Qt.MouseButton.MiddleButton])
    weary = QTimer()  # a list that is dragged from waits for the hand to let go
    weary.timeout.connect(lambda: QTest.keyClick(window, Qt.Key.Key_Escape))
    weary.start(60)
    QTest.mousePress(target, button, NONE, points[0])
    for point in points[1:]:
        if not sip.isdeleted(target):
            QTest.mouseMove(target, point)
    if not sip.isdeleted(target):
        QTest.mouseRelease(target, button, chance.choice([NONE, SHIFT]), points[-1])
    weary.stop()
    return words


def _a_choice(window: MainWindow, chance: random.Random, home: Path) -> str:
    boxes = [b for b in _visible(window, QComboBox) if b.count()]  # type: ignore[attr-defined]
    if not boxes:
        return "no choice"
    box = chance.choice(boxes)
    assert isinstance(box, QComboBox)
    index = chance.randrange(box.count())
    box.setCurrentIndex(index)
    box.activated.emit(index)
    return f"choice {box.accessibleName()}"


def _an_item(window: MainWindow, chance: random.Random, home: Path) -> str:
    views = [v for v in _visible(window, QAbstractItemView) if not isinstance(v.parent(), QComboBox)]
    if not views:
        return "no item"
    view = chance.choice(views)
    assert isinstance(view, QAbstractItemView)
    viewport = view.viewport()
    assert viewport
    at = QPoint(chance.randrange(max(viewport.width(), 1)), chance.randrange(max(viewport.height(), 1)))
    click: Callable[..., None] = chance.choice([QTest.mouseClick, QTest.mouseClick, QTest.mouseDClick])
    click(viewport, Qt.MouseButton.LeftButton, chance.choice([NONE, CONTROL, SHIFT]), at)
    return f"item of {view.accessibleName() or type(view).__name__}"


def _a_slider(window: MainWindow, chance: random.Random, home: Path) -> str:
    sliders = _visible(window, QSlider)
    if not sliders:
        return "no slider"
    slider = chance.choice(sliders)
    assert isinstance(slider, QSlider)
    slider.setValue(chance.randint(slider.minimum(), slider.maximum()))
    return "slider"


def _a_drop(window: MainWindow, chance: random.Random, home: Path) -> str:
    if chance.random() > 0.1:
        return _a_drag(window, chance, home)
    files = [p for p in (home / "demo").rglob("*") if p.suffix in (".glb", ".png")]
    broken = home / "broken.glb"
    broken.write_bytes(b"glTF nonsense")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(chance.choice([*files, broken])))])
    at = QPointF(chance.randrange(window.width()), chance.randrange(window.height()))
    event = QDropEvent(at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
    window.dropEvent(event)
    return "drop"


def _another_desk(window: MainWindow, chance: random.Random, home: Path) -> str:
    name = chance.choice(list(window.header.desk_buttons))
    window.go_to_desk(name)
    return f"desk {name}"


def _a_menu(window: MainWindow, chance: random.Random, home: Path) -> str:
    menu = QApplication.activePopupWidget()
    if isinstance(menu, QMenu):
        actions = [a for a in menu.actions() if a.isEnabled() and not a.menu() and not a.text().startswith(LEFT_OUT)]
        if actions:
            action = chance.choice(actions)
            words = action.text()
            menu.close()
            if not sip.isdeleted(action):
                action.trigger()
            return f"menu entry {words}"
    window.session.undo.undo() if chance.random() < 0.5 else window.session.undo.redo()
    return "undo or redo"


def _close_dialogs(chance: random.Random) -> None:
    for widget in [QApplication.activePopupWidget(), QApplication.activeModalWidget()]:
        if widget is not None and not sip.isdeleted(widget):
            if isinstance(widget, QDialog) and chance.random() < 0.3:
                widget.accept()
            else:
                widget.close()


def _resident() -> int:
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * 4096
