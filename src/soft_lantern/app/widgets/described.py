"""What a widget that paints itself shows, in words: its value, for those who have it read out."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget


def describe(widget: QWidget, words: str) -> None:
    """Say what a widget shows now."""
    if widget.accessibleDescription() != words:
        widget.setAccessibleDescription(words)
