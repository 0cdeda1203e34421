"""The command finder: every action of the window by name, with its keys."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QMainWindow, QVBoxLayout


class CommandFinder(QDialog):
    """Type part of a name, press Return."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self.window_ = window
        self.setFixedSize(420, 360)
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do?")
        self.list = QListWidget()
        layout = QVBoxLayout(self)
        layout.addWidget(self.field)
        layout.addWidget(self.list, 1)
        self.field.textChanged.connect(self._look)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())

    def open(self) -> None:
        """Open in the middle of the window's top."""
        self.field.clear()
        self._look("")
        at = self.window_.mapToGlobal(self.window_.rect().center())
        self.move(at.x() - self.width() // 2, self.window_.mapToGlobal(self.window_.rect().topLeft()).y() + 60)
        self.show()
        self.field.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                row = min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
                self.list.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return False

    def _look(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        named = [(action.text().replace("&", ""), action) for action in self.window_.actions()]
        found = [(name, action) for name, action in named if all(word in name.lower() for word in words)]
        # What begins with the words comes before what only holds them.
        for name, action in sorted(found, key=lambda each: not each[0].lower().startswith(" ".join(words))):
            keys = action.shortcut().toString()
            item = QListWidgetItem(f"{name}    {keys}" if keys else name)
            item.setData(Qt.ItemDataRole.UserRole, action)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item:
            action: QAction = item.data(Qt.ItemDataRole.UserRole)
            self.hide()
            action.trigger()
