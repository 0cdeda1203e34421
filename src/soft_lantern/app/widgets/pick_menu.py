"""A button that says how many of some things are picked, and opens a menu to pick them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QMouseEvent
from PyQt6.QtWidgets import QMenu, QToolButton, QWidget

from soft_lantern.app.widgets.alone import show_alone


class _StayingMenu(QMenu):
    """A menu that stays open while things are picked in it."""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        action = self.actionAt(event.position().toPoint()) if event else None
        if action and action.isCheckable():
            action.trigger()
        else:
            super().mouseReleaseEvent(event)


class PickMenu(QToolButton):
    """Everything is picked at first, and what comes later. `picked_changed` tells that a person changed it."""

    picked_changed = pyqtSignal()

    def __init__(self, words: str, parent: QWidget | None = None) -> None:
        """`words`: what the things are, such as "scenes"."""
        super().__init__(parent)
        self._words, self._left_out = words, set[str]()
        self._menu = _StayingMenu(self)
        self.setMenu(self._menu)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setAccessibleName(words)

    def show_entries(self, entries: Sequence[tuple[str, str]]) -> None:
        """Offer things by key and name; what was left out stays left out."""
        if entries == [(action.data(), action.text()) for action in self._menu.actions()]:
            return
        self._menu.clear()
        for key, name in entries:
            action = QAction(name, self._menu)
            action.setData(key)
            action.setCheckable(True)
            action.setChecked(key not in self._left_out)
            action.triggered.connect(self._changed)
            self._menu.addAction(action)
        self._tell()

    @property
    def picked(self) -> list[str]:
        """The keys of what is picked, in order."""
        return [action.data() for action in self._menu.actions() if action.isChecked()]

    def leave_out(self, keys: Iterable[str]) -> None:
        """Pick all but some."""
        self._left_out = set(keys)
        for action in self._menu.actions():
            action.setChecked(action.data() not in self._left_out)
        self._tell()

    def _changed(self) -> None:
        self._left_out = {action.data() for action in self._menu.actions() if not action.isChecked()}
        self._tell()
        self.picked_changed.emit()

    def _tell(self) -> None:
        count, picked = len(self._menu.actions()), len(self.picked)
        self.setText(f"All {count} {self._words}" if picked == count else f"{picked} of {count} {self._words}")


def _example() -> QWidget:
    shown = PickMenu("scenes")
    shown.show_entries([("a", "Garden"), ("b", "Grotto")])
    return shown


if __name__ == "__main__":
    show_alone(_example)
