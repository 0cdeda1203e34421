"""Finding anything of the project by a word, and what uses it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.row_pictures import RowPictures
from soft_lantern.app.widgets.search_popup import KEY, SearchPopup
from soft_lantern.graph.records import Place

MOST = 300
"""Entries that are listed for one text."""


class RecordFinder(SearchPopup):
    """Lists what a text finds, and beside it what uses the one in hand; Return goes there.

    `find` gives the places for a text, `users` those that use a record. The right arrow key leads to the users.
    """

    wanted = pyqtSignal(object)
    """Where to go, a `graph.records.Place`."""

    def __init__(
        self, find: Callable[[str], Sequence[Place]], users: Callable[[str], Sequence[Place]], parent: QWidget
    ) -> None:
        super().__init__("Find anything: part of its name, or what it is", parent)
        self.setFixedSize(760, 460)
        self.found_by, self.users_of = find, users
        self._found: Sequence[Place] = ()
        self._used: Sequence[Place] = ()
        self.users_label = quiet_label("")
        self.users = QListWidget()
        self.users.setAccessibleName("what uses it")
        self.list.setAccessibleName("what is found")
        column = QVBoxLayout()
        column.addWidget(self.users_label)
        column.addWidget(self.users, 1)
        row = QHBoxLayout()
        row.addWidget(self.list, 3)
        row.addLayout(column, 2)
        layout = self.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.addLayout(row, 1)
        self.pictures = RowPictures(self.list, self.users)
        for each in (self.list, self.users):
            each.installEventFilter(self)
        self.list.currentRowChanged.connect(self._show_users)
        self.users.itemActivated.connect(self._go_to_user)
        self.users.itemClicked.connect(self._go_to_user)

    def open(self, record_id: str = "") -> None:
        """Open in the middle of the window's top, with a record in hand where one is said."""
        middle = self.over.mapToGlobal(self.over.rect().center()).x() - self.width() // 2
        self.open_at(QPoint(middle, self.over.mapToGlobal(self.over.rect().topLeft()).y() + 60))
        at = next((n for n, each in enumerate(self._found) if each.record == record_id and not each.part), -1)
        if at >= 0:
            self.list.setCurrentRow(at)

    def look(self, text: str) -> None:
        self._found = self.found_by(text)
        shown = self._found[:MOST]
        self.list.setUpdatesEnabled(False)
        self.list.clear()
        for number, each in enumerate(shown):
            self.pictures.dress(self.entry(str(number), each.words), each.record)
        if len(self._found) > MOST:
            self._quiet(self.list, f"and {len(self._found) - MOST:,} more: type more of the name")
        elif not self._found:
            self._quiet(self.list, "Nothing is called so")
        self.list.setUpdatesEnabled(True)
        self.list.setCurrentRow(0)
        self._show_users(self.list.currentRow())
        self.pictures.ask()

    def take(self, key: str) -> None:
        self.wanted.emit(self._found[int(key)])

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key, at_end = event.key(), self.field.cursorPosition() == len(self.field.text())
            if key == Qt.Key.Key_Right and watched is not self.users and self._used and at_end:
                self.users.setFocus(Qt.FocusReason.OtherFocusReason)
                self.users.setCurrentRow(0)
                return True
            if key == Qt.Key.Key_Left and watched is self.users:
                self.field.setFocus(Qt.FocusReason.OtherFocusReason)
                return True
            if watched is not self.field:
                return False
        return super().eventFilter(watched, event)

    def _show_users(self, row: int) -> None:
        held = self._found[row] if 0 <= row < len(self._found[:MOST]) else None
        self._used = self.users_of(held.record) if held and not held.part else ()
        self.users.clear()
        for each in self._used[:MOST]:
            item = QListWidgetItem(each.words)
            self.users.addItem(item)
            self.pictures.dress(item, each.record)
        if held is None:
            self.users_label.setText("")
        elif held.part:
            self.users_label.setText(f"Stands in {held.within}")
        else:
            count = f"Used in {len(self._used):,} place{'s' if len(self._used) != 1 else ''}"
            self.users_label.setText(count if self._used else f"Nothing uses this {held.what}")
        self.pictures.ask()

    def _go_to_user(self, item: QListWidgetItem) -> None:
        row = self.users.row(item)
        if row < len(self._used):
            self.hide()
            self.wanted.emit(self._used[row])

    def _quiet(self, shown: QListWidget, words: str) -> None:
        item = QListWidgetItem(words)
        item.setData(KEY, "")
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        item.setForeground(theme().colour("quiet"))
        shown.addItem(item)
