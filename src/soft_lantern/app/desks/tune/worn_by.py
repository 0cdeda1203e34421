"""Which objects and parts wear what is tuned; a click shows one of them alone."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from soft_lantern.app.widgets.labels import link, linked_label

MOST = 12
"""Parts that are named; the rest is counted."""


def words_of_trying(name: str, tried: bool) -> str:
    """What the stage says of a look that nothing wears but its family could; "" where there is none."""
    if not name:
        return ""
    if tried:
        return f"Trying on {name}, which nothing wears; Ctrl+Alt+T shows what is worn"
    return f"What is worn. Ctrl+Alt+T tries {name} on"


class WornBy(QWidget):
    """`part_chosen` tells an object's id and a part's name, "" for the whole."""

    part_chosen = pyqtSignal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words: QLabel = linked_label()
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # however long a name is
        self.words.setToolTip("Click a part to see it alone, and again to see all")
        self.words.linkActivated.connect(self._follow)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)

    def show_wearers(self, wearers: Iterable[tuple[str, str, str]], otherwise: str) -> None:
        """Show object ids, the objects' names and their parts; where there are none, some words."""
        found = list(wearers)
        links = [link(f"{i}|{part}", f"{name}: {part}" if part else name) for i, name, part in found[:MOST]]
        more = f" and {len(found) - MOST} more" if len(found) > MOST else ""
        self.words.setText(f"Worn by {', '.join(links)}{more}" if links else otherwise)

    def _follow(self, target: str) -> None:
        object_id, _, part = target.partition("|")
        self.part_chosen.emit(object_id, part)
