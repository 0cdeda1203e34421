"""Lists to tick: by a click anywhere on an entry, by Space, over a range with Shift; searched, all and none."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import tool_button

KEY = Qt.ItemDataRole.UserRole


class TickList(QListWidget):
    """Entries that are ticked or not. `ticks_changed` tells that a person ticked some, or took ticks away."""

    ticks_changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self._last = 0
        """The row ticked last, where a range begins."""
        self.itemClicked.connect(self._clicked)

    def add(self, key: object, text: str, *, ticked: bool = False) -> QListWidgetItem:
        """One more entry."""
        item = QListWidgetItem(text)
        item.setData(KEY, key)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
        item.setCheckState(_state(ticked))
        self.addItem(item)
        return item

    @property
    def ticked(self) -> list[str]:
        """The keys of what is ticked, in order, hidden entries too."""
        return [item.data(KEY) for item in self._items() if item.checkState() == Qt.CheckState.Checked]

    def tell(self, key: object, text: str) -> None:
        """Say something else on an entry."""
        for item in self._items():
            if item.data(KEY) == key:
                item.setText(text)

    def tick(self, rows: Iterable[int], *, on: bool) -> None:
        """Tick some rows, or take their ticks away; hidden ones stay as they are."""
        for row in rows:
            item = self.item(row)
            if item and not item.isHidden():
                item.setCheckState(_state(on))
        self.ticks_changed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space:
            items = self.selectedItems() or [item for item in (self.currentItem(),) if item]
            on = not all(item.checkState() == Qt.CheckState.Checked for item in items)
            self.tick([self.row(item) for item in items], on=on)
        else:
            super().keyPressEvent(event)

    def _clicked(self, item: QListWidgetItem) -> None:
        row = self.row(item)
        first = self.item(self._last)
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier and first:
            on = first.checkState() == Qt.CheckState.Checked
            self.tick(range(min(row, self._last), max(row, self._last) + 1), on=on)
        else:
            self._last = row
            self.tick([row], on=item.checkState() != Qt.CheckState.Checked)

    def _items(self) -> list[QListWidgetItem]:
        return [item for row in range(self.count()) if (item := self.item(row))]


class TickBox(QWidget):
    """Such a list under a field that finds entries, with *All* and *None* for those that are shown."""

    def __init__(self, entries: Iterable[tuple[str, str]], ticked: set[str], name: str) -> None:
        super().__init__()
        self.list = TickList()
        self.list.setAccessibleName(name)
        for key, text in entries:
            self.list.add(key, text, ticked=key in ticked)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find")
        self.field.setClearButtonEnabled(True)
        self.field.setAccessibleName(f"find among {name}")
        self.all = tool_button("All", lambda: self.list.tick(range(self.list.count()), on=True))
        self.none = tool_button("None", lambda: self.list.tick(range(self.list.count()), on=False))
        row, column = QHBoxLayout(), QVBoxLayout(self)
        row.addWidget(self.field, 1)
        row.addWidget(self.all)
        row.addWidget(self.none)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.list, 1)
        self.field.textChanged.connect(self._sift)
        first = next((row for row in range(self.list.count()) if self.list.item(row).data(KEY) in ticked), 0)  # type: ignore[union-attr]
        self.list.scrollToItem(self.list.item(first))

    @property
    def ticked(self) -> list[str]:
        """The keys of what is ticked."""
        return self.list.ticked

    @property
    def picked(self) -> list[str] | None:
        """The keys of what is ticked; None where everything is."""
        ticked = self.ticked
        return None if len(ticked) == self.list.count() else ticked

    def follow(self, entries: Sequence[tuple[str, str]], *, ticked: bool = True) -> None:
        """Offer these instead, by key and name: what was there stays ticked or not. `ticked`: whether new ones are."""
        before = [self.list.item(row) for row in range(self.list.count())]
        if [(item.data(KEY), item.text()) for item in before if item] == list(entries):
            return
        known, on = {item.data(KEY) for item in before if item}, set(self.ticked)
        self.list.clear()
        for key, name in entries:
            self.list.add(key, name, ticked=key in on or (ticked and key not in known))
        self._sift(self.field.text())

    def _sift(self, text: str) -> None:
        words = text.lower().split()
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item:
                item.setHidden(not all(word in item.text().lower() for word in words))


def _state(on: bool) -> Qt.CheckState:
    return Qt.CheckState.Checked if on else Qt.CheckState.Unchecked


if __name__ == "__main__":
    show_alone(lambda: TickBox([("a", "Copper"), ("b", "Brass")], {"b"}, "looks"))
