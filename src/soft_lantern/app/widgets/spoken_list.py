"""A list for screen readers alone, of what a widget paints by itself: it takes no room, and hands go past it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QSize, Qt
from PyQt6.QtWidgets import QFrame, QListView, QWidget

K = TypeVar("K")
_SPOKEN = (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole)


class SpokenList(QListView):
    """Lies on a widget. What an entry says is worked out when it is asked for, as it is then."""

    def __init__(self, on: QWidget, name: str) -> None:
        super().__init__(on)
        self._entries = _Entries(self)
        self.setModel(self._entries)
        self.setAccessibleName(name)
        self.setUniformItemSizes(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setGeometry(-1, -1, 1, 1)  # beside what is painted

    def show_entries(self, keys: Sequence[K], words: Callable[[K], str]) -> None:
        """Hold these entries; `words` says what one of them is now, by its key."""
        self._entries.show_entries(keys, words)

    def spoken(self) -> list[str]:
        """What all entries say."""
        return [str(self._entries.index(row).data()) for row in range(self._entries.rowCount())]


class _Entries(QAbstractListModel):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._keys: list[Any] = []
        self._words: Callable[[Any], str] = str

    def show_entries(self, keys: Sequence[K], words: Callable[[K], str]) -> None:
        self._words = words
        if list(keys) != self._keys:
            self.beginResetModel()
            self._keys = list(keys)
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self._keys)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.SizeHintRole:
            return QSize(1, 1)
        return self._words(self._keys[index.row()]) if role in _SPOKEN else None


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    def example() -> QWidget:
        paints_itself = QWidget()
        SpokenList(paints_itself, "moths").show_entries(["amber", "dusk"], lambda key: f"{key} moth")
        return paints_itself

    show_alone(example)
