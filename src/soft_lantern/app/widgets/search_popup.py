"""A field over a list that opens at once and goes again: type part of a name, press Return."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

KEY = Qt.ItemDataRole.UserRole


class SearchPopup(QDialog):
    """Who derives from it says what is found for a text (`look`) and what an entry does (`take`)."""

    def __init__(self, words: str, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.over = parent
        self.setFixedSize(480, 360)
        self.field = QLineEdit()
        self.field.setPlaceholderText(words)
        self.list = QListWidget()
        layout = QVBoxLayout(self)
        layout.addWidget(self.field)
        layout.addWidget(self.list, 1)
        self.field.textChanged.connect(self.look)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())

    def look(self, text: str) -> None:
        """Fill the list with what a text finds."""
        raise NotImplementedError

    def take(self, key: str) -> None:
        """Do what an entry stands for, by its key."""
        raise NotImplementedError

    def open_at(self, corner: QPoint) -> None:
        """Open with its upper left corner there on the screen, or as near as the screen lets it."""
        screen = self.over.screen()
        if screen:
            room = screen.availableGeometry()
            corner = QPoint(
                max(min(corner.x(), room.right() - self.width()), room.left()),
                max(min(corner.y(), room.bottom() - self.height()), room.top()),
            )
        self.move(corner)
        self.field.clear()
        self.look("")
        self.show()
        self.field.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                row = min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
                self.list.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return False

    def entry(self, key: str, text: str) -> QListWidgetItem:
        """One more entry at the end of the list."""
        item = QListWidgetItem(text)
        item.setData(KEY, key)
        self.list.addItem(item)
        return item

    def _run(self) -> None:
        item = self.list.currentItem()
        if item and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.hide()
            self.take(item.data(KEY))


class NamePicker(SearchPopup):
    """Offers things by key and name, in their order; `chosen` tells the key of the one that is taken."""

    chosen = pyqtSignal(str)

    def __init__(self, words: str, entries: Sequence[tuple[str, str]], parent: QWidget) -> None:
        super().__init__(words, parent)
        self.entries = entries

    def look(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for key, name in self.entries:
            if all(word in name.lower() for word in words):
                self.entry(key, name)
        self.list.setCurrentRow(0)

    def take(self, key: str) -> None:
        self.chosen.emit(key)
