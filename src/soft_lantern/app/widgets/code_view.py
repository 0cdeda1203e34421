"""Text of a program to read: with line numbers, searched, and never changed."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFontDatabase,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.labels import quiet_label, side_by_side
from soft_lantern.values.words import counted

GAP = 8
"""Pixels to both sides of a line's number."""
MARK = "▸"
"""Stands before lines that are meant."""


class _Numbers(QWidget):
    """The numbers beside the lines."""

    def __init__(self, text: CodeText) -> None:
        super().__init__(text)
        self.text = text

    def sizeHint(self) -> QSize:
        return QSize(self.text.room_for_numbers(), 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self.text.paint_numbers(QPainter(self), self.width())


class CodeText(QPlainTextEdit):
    """The lines themselves. The signals tell the line, counted from 0, that is gone to, and that is to be followed."""

    line_chosen = pyqtSignal(int)
    line_opened = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setReadOnly(True)
        self.setTabChangesFocus(True)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.setAccessibleName("generated text")
        self._numbers = _Numbers(self)
        self._marked: frozenset[int] = frozenset()
        self.cursorPositionChanged.connect(lambda: self.line_chosen.emit(self.textCursor().blockNumber()))
        self.blockCountChanged.connect(lambda _: self._make_room())
        self.updateRequest.connect(lambda _area, _by: self._numbers.update())
        self._make_room()

    def room_for_numbers(self) -> int:
        """Pixels that the largest number takes, with a gap to both sides."""
        return self.fontMetrics().horizontalAdvance("9" * max(len(str(self.blockCount())), 2)) + 3 * GAP

    def paint_numbers(self, painter: QPainter, width: int) -> None:
        """Paint the numbers of the lines that are seen."""
        painter.fillRect(painter.viewport(), theme().colour("ground"))
        painter.setPen(theme().colour("quiet"))
        painter.setFont(self.font())
        block = self.firstVisibleBlock()
        top = self.blockBoundingGeometry(block).translated(self.contentOffset()).top()
        height = self.fontMetrics().height()
        while block.isValid() and top < self.height():
            box = QRect(0, int(top), width - GAP, height)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight, str(block.blockNumber() + 1))
            if block.blockNumber() in self._marked:
                painter.drawText(box.translated(GAP // 2, 0), Qt.AlignmentFlag.AlignLeft, MARK)
            top += self.blockBoundingRect(block).height()
            block = block.next()

    def mark_lines(self, lines: Iterable[int]) -> None:
        """Show some lines as those that are meant, and bring the first to sight where none is."""
        self._marked = frozenset(lines)
        shown = []
        for line in sorted(self._marked):
            mark = QTextEdit.ExtraSelection()
            mark.format.setBackground(theme().colour("amber", 0.22))
            mark.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
            mark.cursor = QTextCursor(self.document().findBlockByNumber(line))  # type: ignore[union-attr]
            shown.append(mark)
        self.setExtraSelections(shown)
        self._numbers.update()
        if self._marked and not any(map(self._is_in_sight, self._marked)):
            bar = self.verticalScrollBar()
            if bar:
                bar.setValue(max(min(self._marked) - self._lines_in_sight() // 3, 0))

    def _is_in_sight(self, line: int) -> bool:
        """Whether any of a line is: one that is clicked at the very edge does not move away under the pointer."""
        block = self.document().findBlockByNumber(line)  # type: ignore[union-attr]
        place = self.blockBoundingGeometry(block).translated(self.contentOffset()).toAlignedRect()
        return self.viewport().rect().intersects(place)  # type: ignore[union-attr]

    def _lines_in_sight(self) -> int:
        return max(self.height() // max(self.fontMetrics().lineSpacing(), 1) - 1, 1)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        super().mouseDoubleClickEvent(event)
        self.line_opened.emit(self.textCursor().blockNumber())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.line_opened.emit(self.textCursor().blockNumber())
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        inner = self.contentsRect()
        self.setViewportMargins(self.room_for_numbers(), 0, 0, 0)
        self._numbers.setGeometry(inner.left(), inner.top(), self.room_for_numbers(), inner.height())


class CodeView(QWidget):
    """Lines under a field that finds words in them: Return goes to the next place."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.text = CodeText()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find in the text")
        self.search.setAccessibleName("find in the text")
        self.search.setClearButtonEnabled(True)
        self.count = quiet_label()
        self.count.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(side_by_side(self.search, self.count, filled=True))
        column.addWidget(self.text, 1)
        self.search.textChanged.connect(lambda _: self.find_next(anew=True))
        self.search.returnPressed.connect(self.find_next)

    def show_text(self, text: str) -> None:
        """Show a text; where it is the same, what is seen of it stays."""
        if text != self.text.toPlainText():
            self.text.setPlainText(text)
            self._tell_count()

    def find_next(self, *, anew: bool = False) -> None:
        """Go to the next place that holds what is sought, from the beginning after the last; `anew`: from the first."""
        self._tell_count()
        sought = self.search.text()
        if anew:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
        if sought and not self.text.find(sought):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(sought, QTextDocument.FindFlag(0))

    def _tell_count(self) -> None:
        sought = self.search.text().lower()
        places = self.text.toPlainText().lower().count(sought) if sought else 0
        self.count.setText(counted(places, "place"))
        self.count.setVisible(bool(sought))


def _example() -> QWidget:
    shown = CodeView()
    shown.show_text("float one() {\n    return 1.0;\n}\n")
    return shown


if __name__ == "__main__":
    show_alone(_example)
