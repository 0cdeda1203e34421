"""Widgets beside each other, with edges between them to drag."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QWidget


def halves(*widgets: tuple[QWidget, int], stretch: dict[int, int]) -> QSplitter:
    """Widgets with their first widths, none of which goes away; `stretch`: by place, how they share more room."""
    splitter = QSplitter(Qt.Orientation.Horizontal)
    for widget, _ in widgets:
        splitter.addWidget(widget)
    splitter.setSizes([width for _, width in widgets])
    for place, share in stretch.items():
        splitter.setStretchFactor(place, share)
    splitter.setChildrenCollapsible(False)
    return splitter
