"""The command finder: every command of the window by name, with its keys, or with why it cannot be done now."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.search_popup import SearchPopup
from soft_lantern.app.window.synonyms import means


class Offer(Struct, frozen=True):
    """A command as it is offered: its name and keys, and why it cannot be done, "" where it can."""

    key: str
    name: str
    keys: str
    hindered: str


class CommandFinder(SearchPopup):
    """Type part of a name, press Return: `wanted` tells the key of the command. `offers` gives all there are now."""

    wanted = pyqtSignal(str)

    def __init__(self, offers: Callable[[], Sequence[Offer]], parent: QWidget) -> None:
        super().__init__("What do you want to do?", parent)
        self.offers = offers
        self._offered: Sequence[Offer] = ()

    def open(self) -> None:
        """Open in the middle of the window's top."""
        self._offered = self.offers()
        middle = self.over.mapToGlobal(self.over.rect().center()).x() - self.width() // 2
        self.open_at(QPoint(middle, self.over.mapToGlobal(self.over.rect().topLeft()).y() + 60))

    def look(self, text: str) -> None:
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
            item = self.entry(offer.key, f"{offer.name}    {beside}" if beside else offer.name)
            if offer.hindered:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(theme().colour("quiet"))
        self.list.setCurrentRow(0)

    def take(self, key: str) -> None:
        self.wanted.emit(key)
