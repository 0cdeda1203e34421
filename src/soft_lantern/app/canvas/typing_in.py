"""A field that opens over a value on the canvas, takes what is typed and goes away."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget


class TypeIn(QLineEdit):
    """Return or leaving takes the text, Escape drops it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._take: Callable[[str], None] | None = None
        self._before = ""
        self.hide()

    def open(self, area: QRectF, text: str, take: Callable[[str], None], begun: str = "") -> None:
        """Open over an area of the parent with a text, all of it selected; or with what was `begun` in its place."""
        self._take, self._before = take, text
        self.setText(begun or text)
        rect = area.toRect()
        rect.setHeight(max(rect.height(), 24))
        rect.setWidth(max(rect.width(), 70, self.fontMetrics().horizontalAdvance(text) + 24))
        parent = self.parentWidget()
        if parent:
            rect.moveLeft(max(min(rect.left(), parent.width() - rect.width() - 4), 4))
        self.setGeometry(rect)
        self.show()
        self.raise_()
        self.setFocus()
        if begun:
            self.end(False)
        else:
            self.selectAll()

    def close_quietly(self) -> None:
        """Go away without taking the text."""
        self._take = None
        self.hide()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab):
            self._finish()
        elif event.key() == Qt.Key.Key_Escape:
            self.close_quietly()
            self._give_focus_back()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self._finish()

    def _finish(self) -> None:
        take, self._take = self._take, None
        if take is None:
            return
        self.hide()
        self._give_focus_back()
        if self.text() != self._before:
            take(self.text())

    def _give_focus_back(self) -> None:
        parent = self.parentWidget()
        if parent:
            parent.setFocus()
