"""The window's labels: headings, and quiet words that may wrap; and widgets side by side."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget


def heading_label(text: str = "") -> QLabel:
    """What a group of controls is headed."""
    label = QLabel(text)
    label.setProperty("heading", True)
    return label


def quiet_label(text: str = "", *, wraps: bool = False) -> QLabel:
    """Words that stand back."""
    label = QLabel(text)
    label.setProperty("quiet", True)
    label.setWordWrap(wraps)
    return label


def side_by_side(*widgets: QWidget, filled: bool = False) -> QWidget:
    """Widgets in a row, from the left; `filled`: over its whole width."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        row.addWidget(widget)
    if not filled:
        row.addStretch(1)
    return line
