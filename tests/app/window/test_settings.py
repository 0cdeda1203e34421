"""Settings by hand: each is in force at once, and there again at the next start."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import platformdirs
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox

from by_hand import CTRL, LEFT, NONE, Open, pixels, until
from soft_lantern.app.session.history import MOST_BYTES
from soft_lantern.app.theme import choice, colours, style
from soft_lantern.app.theme.remembered import remembered
from soft_lantern.app.widgets.number_field import NumberField, choose_decimals, written
from soft_lantern.app.window.key_choices import choose_keys, chosen_keys
from soft_lantern.app.window.settings_dialog import SettingsDialog
from soft_lantern.app.window.window import MainWindow


@pytest.fixture
def window(open_window: Open, demo_folder: Path) -> Iterator[MainWindow]:
    """A window; whatever is chosen is taken back after the test."""
    made = open_window(demo_folder)
    yield made
    remembered().clear()
    choose_decimals(4)
    choice.choose_text_size(style.SIZE)
    remembered().clear()


def settings(window: MainWindow) -> SettingsDialog:
    QTest.keyClick(window, Qt.Key.Key_Comma, CTRL)
    until(lambda: [d for d in window.findChildren(SettingsDialog) if d.isVisible()])
    return next(d for d in window.findChildren(SettingsDialog) if d.isVisible())


def pick(box: QComboBox, words: str) -> None:
    """Choose an entry by the keyboard."""
    box.setFocus()
    QTest.keyClicks(box, words[0])
    while box.currentText() != words:
        QTest.keyClick(box, Qt.Key.Key_Down if box.currentIndex() < box.findText(words) else Qt.Key.Key_Up)
    box.activated.emit(box.currentIndex())


def test_theme_text_and_decimals_are_in_force_at_once(window: MainWindow, qapp: QApplication) -> None:
    dialog = settings(window)
    light = pixels(window.grab().toImage()).mean()
    pick(dialog.theme, "dusk")
    assert colours.theme().name == "dusk" and pixels(window.grab().toImage()).mean() < light - 80
    pick(dialog.text, "large")
    assert QApplication.font().pointSizeF() == 12.0 == style.app_font().pointSizeF()
    assert style.app_font(8).pointSizeF() == pytest.approx(9.6)  # what is small beside it grows with it
    assert style.drawn_font(8).pointSizeF() == 8.0  # but not what has room of its own
    field = NumberField(1 / 3)
    assert field.text() == "0.3333"
    dialog.decimals.setValue(2)
    field.show_value(2 / 3)
    assert field.text() == "0.67" and written(1.5) == "1.50"
    dialog.close()
    choice.dress(qapp)  # as the next start does
    assert colours.theme().name == "dusk" and style.app_font().pointSizeF() == 12.0
    again = settings(window)
    assert (again.theme.currentText(), again.text.currentText(), again.decimals.value()) == ("dusk", "large", 2)
    pick(again.theme, "as the desktop asks")
    assert colours.theme().name == "paper"


def test_keys_are_given_and_what_others_have_is_not_taken(
    window: MainWindow, open_window: Open, tmp_path: Path
) -> None:
    dialog = settings(window)
    dialog.finder.setText("ctrl+space")
    shown = [row for row in range(dialog.table.rowCount()) if not dialog.table.isRowHidden(row)]
    names = [dialog.table.item(row, 0).text() for row in shown]  # type: ignore[union-attr]
    assert names == ["Add a node"] and dialog.keys.isEnabled() is False
    dialog.table.selectRow(shown[0])
    assert dialog.chosen == "Add a node" and dialog.keys.keySequence().toString() == "Ctrl+Space"
    QTest.keyClick(dialog.keys, Qt.Key.Key_S, CTRL)
    QTest.mouseClick(dialog.set, LEFT)
    assert "Ctrl+S is Save already" in dialog.words.text()
    adding = window.commands.actions["Add a node"]
    assert adding.shortcut().toString() == "Ctrl+Space"
    taken = {keys.toString() for action in window.commands.actions.values() for keys in action.shortcuts()}
    name = next(f"F{n}" for n in range(5, 36) if f"F{n}" not in taken)
    free = Qt.Key(Qt.Key.Key_F1 + int(name[1:]) - 1)
    dialog.keys.clear()
    QTest.keyClick(dialog.keys, free, NONE)
    QTest.mouseClick(dialog.set, LEFT)
    dialog.close()
    canvas = window.build.canvas
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Space, CTRL)
    assert not canvas.placing.finder.isVisible()  # the old keys do nothing
    QTest.keyClick(canvas, free)
    until(lambda: canvas.placing.finder.isVisible())
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Escape)
    offered = {offer.key: offer.keys for offer in window.commands._offers()}
    assert offered["Add a node"] == name  # the finder tells the new ones
    later = open_window(window.session.folder)
    assert later.commands.actions["Add a node"].shortcut().toString() == name
    choose_keys(adding, "Add a node", "Ctrl+Space", adding.shortcuts()[:0])
    assert adding.shortcuts() == [] and chosen_keys({"Add a node": "Ctrl+Space"}) == {"Add a node": []}


def test_undo_gets_the_room_it_is_given_and_the_cache_can_be_emptied(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, open_window: Open
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    held = platformdirs.user_cache_path("soft-lantern") / "recent" / "a.png"
    held.parent.mkdir(parents=True)
    held.write_bytes(bytes(1_500_000))
    assert window.session.undo.most_bytes == MOST_BYTES
    dialog = settings(window)
    assert "1.5 MB" in dialog.kept.text()
    dialog.undo.setValue(32)
    assert window.session.undo.most_bytes == 32 << 20
    QTest.mouseClick(dialog.clear, LEFT)
    assert not held.exists() and "0.0 MB" in dialog.kept.text() and not dialog.clear.isEnabled()
    assert open_window(window.session.folder).session.undo.most_bytes == 32 << 20


def test_every_command_has_keys_that_no_other_has(window: MainWindow) -> None:
    taken: dict[str, str] = {}
    for name, action in window.commands.actions.items():
        for keys in action.shortcuts():
            assert taken.setdefault(keys.toString(), name) == name, (keys.toString(), name)
    assert len(taken) > 60


def test_a_damaged_choice_is_no_trouble(window: MainWindow, open_window: Open, qapp: QApplication) -> None:
    for name, value in (("undo bytes", "many"), ("text size", "nan"), ("decimals", ""), ("theme", "plaid")):
        remembered().setValue(name, value)
    choose_decimals(4)
    remembered().setValue("decimals", "")
    choice.dress(qapp)
    assert open_window(window.session.folder).session.undo.most_bytes == MOST_BYTES
    assert (choice.text_size(), colours.theme().name, written(1 / 3)) == (style.SIZE, "paper", "0.3333")
