"""Buttons, and where menus open under them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QToolButton, QWidget


def tool_button(text: str, call: Callable[[], object]) -> QToolButton:
    """A button that does something."""
    button = QToolButton()
    button.setText(text)
    button.clicked.connect(lambda _: call())
    return button


def below(widget: QWidget) -> QPoint:
    """The place of the screen under a widget's lower left corner."""
    return widget.mapToGlobal(QPoint(0, widget.height()))
