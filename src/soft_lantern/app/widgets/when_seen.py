"""Keeps a widget up to date while it is seen, and brings it up to date when it is seen again."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget


class WhenSeen(QObject):
    """Call it whenever something changed: it refreshes the widget at once, or when it is next shown."""

    def __init__(self, widget: QWidget, refresh: Callable[[], None]) -> None:
        super().__init__(widget)
        self.widget, self.refresh = widget, refresh
        self.stale = False
        widget.installEventFilter(self)

    def __call__(self, *changed: object) -> None:
        """Something changed."""
        if self.widget.isVisible():
            self.stale = False
            self.refresh()
        else:
            self.stale = True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Catch up as soon as the widget is shown."""
        if event is not None and event.type() == QEvent.Type.Show and self.stale:
            self.stale = False
            self.refresh()
        return False
