"""The command finder: every command of the window by name, with its keys, or with why it cannot be done now."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.window.synonyms import means


@dataclass(frozen=True)
class Offer:
    """A command as it is offered: its name and keys, and why it cannot be done, "" where it can."""

    key: str
    name: str
    keys: str
    hindered: str


class CommandFinder(QDialog):
    """Type part of a name, press Return: `wanted` tells the key of the command. `offers` gives all there are now."""

    wanted = pyqtSignal(str)

    def __init__(self, offers: Callable[[], Sequence[Offer]], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.over, self.offers = parent, offers
        self._offered: Sequence[Offer] = ()
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
        self._offered = self.offers()
        self.field.clear()
        self._look("")
        at = self.over.mapToGlobal(self.over.rect().center())
        self.move(at.x() - self.width() // 2, self.over.mapToGlobal(self.over.rect().topLeft()).y() + 60)
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
        found = [offer for offer in self._offered if all(means(word, offer.name.lower()) for word in words)]
        whole = " ".join(words)

        def rank(offer: Offer) -> tuple[bool, ...]:
            """What can be done first; then what is called so, rather than meant; then what begins so."""
            name = offer.name.lower()
            return bool(offer.hindered), not all(word in name for word in words), not name.startswith(whole)

        found.sort(key=rank)
        for offer in found:
            beside = offer.hindered or offer.keys
            item = QListWidgetItem(f"{offer.name}    {beside}" if beside else offer.name)
            item.setData(Qt.ItemDataRole.UserRole, offer.key)
            if offer.hindered:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(theme().colour("quiet"))
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.hide()
            self.wanted.emit(item.data(Qt.ItemDataRole.UserRole))
