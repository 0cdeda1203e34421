"""Filling a drop-down: what it shows already is left alone, so that nothing is painted anew for it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox


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
