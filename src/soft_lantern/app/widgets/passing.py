"""Dialogs and menus that are made anew each time they are wanted."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtWidgets import QDialog, QMenu

W = TypeVar("W", bound=QDialog | QMenu)


def passing(widget: W) -> W:
    """A dialog or menu that goes for good once it is closed, instead of staying with its parent."""
    if isinstance(widget, QDialog):
        widget.finished.connect(widget.deleteLater)
    else:
        widget.aboutToHide.connect(widget.deleteLater)
    return widget
