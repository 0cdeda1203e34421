"""Things to read, line by line, which can be copied."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QListWidget, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.labels import heading_label


class ToldLines(QDialog):
    """A list with a title. *Copy* puts all of it on the clipboard."""

    def __init__(self, title: str, lines: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(620, 320)
        self.list = QListWidget()
        self.list.setAccessibleName(title)
        self.list.setWordWrap(True)
        self.list.addItems(lines)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.copy = buttons.addButton("Copy", QDialogButtonBox.ButtonRole.ActionRole)
        assert self.copy
        self.copy.clicked.connect(self._copied)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(heading_label(title))
        column.addWidget(self.list, 1)
        column.addWidget(buttons)

    def _copied(self) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard
        items = (self.list.item(row) for row in range(self.list.count()))
        clipboard.setText("\n".join(item.text() for item in items if item))


if __name__ == "__main__":
    show_alone(lambda: ToldLines("What did not come over", ["sheen has no place here", "wear is not known"]))
