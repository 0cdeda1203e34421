"""Filling a drop-down or a list: what it shows already is left alone, so that nothing is painted anew for it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QListWidget, QListWidgetItem


def fill(box: QComboBox, entries: Sequence[tuple[str, str]], chosen: str) -> None:
    """Let a drop-down offer entries of a name and what it stands for, with one of them chosen, and tell nobody."""
    held = [(box.itemText(row), box.itemData(row)) for row in range(box.count())]
    blocked = box.blockSignals(True)
    if held != list(entries):
        box.clear()
        for name, data in entries:
            box.addItem(name, data)
    at = box.findData(chosen)
    if at != box.currentIndex():
        box.setCurrentIndex(at)
    box.blockSignals(blocked)


def fill_list(shown: QListWidget, entries: Sequence[tuple[str, str]]) -> bool:
    """Let a list show entries of what each stands for and its name; whether it showed others before."""
    role = Qt.ItemDataRole.UserRole
    items = [shown.item(row) for row in range(shown.count())]
    if [(item.data(role), item.text()) for item in items if item] == list(entries):
        return False
    shown.clear()
    for data, name in entries:
        item = QListWidgetItem(name)
        item.setData(role, data)
        shown.addItem(item)
    return True
