"""Settings: what a person chose for the window, kept by the desktop, and in force at once."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Mapping
from pathlib import Path

import platformdirs
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.history import History, choose_undo_room, undo_room
from soft_lantern.app.theme import choice
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import plain_label, quiet_label
from soft_lantern.app.widgets.number_field import choose_decimals, decimals
from soft_lantern.app.window.key_choices import choose_keys, own_keys, takers

THEMES = {"as the desktop asks": "", "paper": "paper", "dusk": "dusk"}
TEXT = {"small": 9.0, "usual": 10.0, "large": 12.0}


class SettingsDialog(QDialog):
    """`actions` and `own_keys` are those of all commands, by the commands' names."""

    def __init__(
        self, history: History, actions: Mapping[str, QAction], own_keys: Mapping[str, str], parent: QWidget | None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self.resize(620, 520)
        self.history, self.actions_, self.own_keys = history, actions, own_keys
        tabs = QTabWidget()
        tabs.addTab(self._look(), "Look")
        tabs.addTab(self._keys(), "Keys")
        tabs.addTab(self._places(), "Work")
        column = QVBoxLayout(self)
        column.addWidget(tabs)

    # How it looks

    def _look(self) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        self.theme = _choice(THEMES, choice.chosen_theme(), "theme")
        self.theme.activated.connect(lambda _: choice.choose_theme(self.theme.currentData()))
        self.text = _choice(TEXT, choice.text_size(), "text size")
        self.text.activated.connect(lambda _: choice.choose_text_size(self.text.currentData()))
        self.decimals = QSpinBox()
        self.decimals.setRange(2, 6)
        self.decimals.setValue(decimals())
        self.decimals.setAccessibleName("decimals")
        self.decimals.valueChanged.connect(choose_decimals)
        form.addRow("Theme", self.theme)
        form.addRow("Text", self.text)
        form.addRow("Decimals at most", self.decimals)
        form.addRow(quiet_label("The canvas keeps its own size: zoom it.", wraps=True))
        return page

    # Keys

    def _keys(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("Find a command, or keys such as Ctrl+K")
        self.finder.setAccessibleName("find a command")
        self.finder.textChanged.connect(self._sift)
        self.table = QTableWidget(len(self.actions_), 2)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("keys of commands")
        self.table.setHorizontalHeaderLabels(["command", "keys"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        if rows := self.table.verticalHeader():
            rows.hide()
        if header := self.table.horizontalHeader():
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for row, name in enumerate(sorted(self.actions_)):
            self.table.setItem(row, 0, QTableWidgetItem(name))
            self.table.setItem(row, 1, QTableWidgetItem(_shown(self.actions_[name])))
        self.table.itemSelectionChanged.connect(self._show_chosen)
        self.keys = QKeySequenceEdit()
        self.keys.setAccessibleName("new keys")
        self.keys.setClearButtonEnabled(True)
        self.set = tool_button("Set", self._set)
        self.own = tool_button("Its own", self._own)
        self.words = quiet_label("Choose a command, click into the field, press the keys it is to have.", wraps=True)
        row_ = QHBoxLayout()
        row_.addWidget(self.keys, 1)
        row_.addWidget(self.set)
        row_.addWidget(self.own)
        for widget in (self.finder, self.table):
            column.addWidget(widget)
        column.addLayout(row_)
        column.addWidget(self.words)
        self._show_chosen()
        return page

    @property
    def chosen(self) -> str:
        """The command that is selected in the table; "" where none is."""
        items = self.table.selectedItems()
        return items[0].text() if items else ""

    def _sift(self, text: str) -> None:
        wanted = text.lower().strip()
        for row in range(self.table.rowCount()):
            name, keys = (self.table.item(row, column) for column in (0, 1))
            held = f"{name.text() if name else ''} {keys.text() if keys else ''}".lower()
            self.table.setRowHidden(row, wanted not in held)

    def _show_chosen(self) -> None:
        name = self.chosen
        for widget in (self.keys, self.set, self.own):
            widget.setEnabled(bool(name))
        if name:
            self.keys.setKeySequence(self.actions_[name].shortcut())

    def _set(self) -> None:
        """Give the selected command the keys in the field, unless others have them."""
        keys = self.keys.keySequence()
        self._give(self.chosen, [] if keys.isEmpty() else [keys])

    def _own(self) -> None:
        self._give(self.chosen, own_keys(self.own_keys.get(self.chosen, "")))
        self._show_chosen()

    def _give(self, name: str, keys: list[QKeySequence]) -> None:
        taken = takers(keys, self.actions_, name)
        if taken:
            held = QKeySequence.listToString(keys)
            self.words.setText(f"{held} is {', '.join(taken)} already; give that other keys first.")
            return
        choose_keys(self.actions_[name], name, self.own_keys.get(name, ""), keys)
        for row in range(self.table.rowCount()):
            item, beside = self.table.item(row, 0), self.table.item(row, 1)
            if item and beside and item.text() == name:
                beside.setText(_shown(self.actions_[name]))
        self.words.setText(f"{name}: {_shown(self.actions_[name]) or 'no keys'}.")

    # What is kept, and where

    def _places(self) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        self.undo = QSpinBox()
        self.undo.setRange(16, 4096)
        self.undo.setSuffix(" MB")
        self.undo.setValue(undo_room() >> 20)
        self.undo.setAccessibleName("room for undo")
        self.undo.valueChanged.connect(lambda megabytes: choose_undo_room(self.history, megabytes << 20))
        self.kept = plain_label()
        self.kept.setWordWrap(True)
        self.kept.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.clear = tool_button("Empty it", self._empty)
        work = plain_label(str(platformdirs.user_state_path("soft-lantern")))
        work.setWordWrap(True)
        work.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        form.addRow("Room for undo", self.undo)
        form.addRow("Unsaved work, log", work)
        form.addRow("Cache", self.kept)
        form.addRow("", self.clear)
        form.addRow(quiet_label("What is in the cache is made again when it is wanted.", wraps=True))
        self._show_kept()
        return page

    def _show_kept(self) -> None:
        folder = _cache()
        size = sum(file.stat().st_size for file in folder.rglob("*") if file.is_file()) if folder.is_dir() else 0
        self.kept.setText(f"{folder}, {size / 1e6:.1f} MB")
        self.clear.setEnabled(size > 0)

    def _empty(self) -> None:
        with contextlib.suppress(OSError):
            shutil.rmtree(_cache())
        self._show_kept()


def _cache() -> Path:
    return platformdirs.user_cache_path("soft-lantern")


def _shown(action: QAction) -> str:
    return ", ".join(each.toString() for each in action.shortcuts())


def _choice(entries: Mapping[str, object], current: object, name: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    for words, value in entries.items():
        box.addItem(words, value)
    box.setCurrentIndex(max(box.findData(current), 0))
    return box
