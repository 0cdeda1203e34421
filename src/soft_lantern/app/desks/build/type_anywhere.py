"""Letters and digits typed anywhere on a desk reach its canvas, unless a field has the keyboard."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.session.gestures import Gestures
from soft_lantern.app.work.only_one import only_one

FIELDS = (QLineEdit, QAbstractSpinBox, QComboBox, QTextEdit, QPlainTextEdit)
_PLAIN = (
    Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier | Qt.KeyboardModifier.GroupSwitchModifier
)


class TypeAnywhere(QObject):
    """Looks at keys while the desk is seen. `own`: widgets with letters and signs of their own, such as the stage."""

    def __init__(self, desk: QWidget, canvas: Canvas, own: tuple[QWidget, ...]) -> None:
        super().__init__(desk)
        self.desk, self.canvas, self.own = desk, canvas, own
        desk.installEventFilter(self)
        self._first = first = only_one(Gestures).first
        take = self._take
        desk.destroyed.connect(lambda: first.discard(take))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Look while the desk is seen."""
        if event and event.type() == QEvent.Type.Show:
            self._first.add(self._take)
        elif event and event.type() == QEvent.Type.Hide:
            self._first.discard(self._take)
        return False

    def _take(self, watched: QObject | None, event: QKeyEvent) -> bool:
        text = event.text() if event.type() == QEvent.Type.KeyPress else ""
        if text.strip() and text.isprintable() and not event.modifiers() & ~_PLAIN and self._is_free(watched):
            self.canvas.setFocus()
            self.canvas.open_finder(text)
            return True
        return False

    def _is_free(self, watched: QObject | None) -> bool:
        """Whether a key that a widget is about to get may go to the canvas instead."""
        if not isinstance(watched, QWidget) or isinstance(watched, (*FIELDS, Canvas)) or watched in self.own:
            return False
        inside = self.desk.isAncestorOf(watched) and not self.canvas.isAncestorOf(watched)
        return inside and watched.hasFocus() and QApplication.activePopupWidget() is None
