"""Which edits belong to one gesture of a hand."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication, QEvent, QObject
from PyQt6.QtGui import QKeyEvent, QMouseEvent


class Gestures(QObject):
    """Counts: every press of a mouse button or key begins a gesture; a key that is held goes on with its own."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.count = 0
        application = QCoreApplication.instance()
        if application:
            application.installEventFilter(self)

    def stop(self) -> None:
        """Count no more."""
        application = QCoreApplication.instance()
        if application:
            application.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QMouseEvent):
            self.count += event.type() == QEvent.Type.MouseButtonPress
        elif isinstance(event, QKeyEvent):
            self.count += event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat()
        return False
