"""Choosing a look by its picture and name."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QSize, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.pixel_image import picture_icon
from soft_lantern.app.widgets.search_popup import KEY, NamePicker

SIDE = 34
"""Pixels of a picture."""


class LookPicker(NamePicker):
    """Offers looks by id and name, those first that the caller puts first; pictures come as they are drawn."""

    wanting = pyqtSignal(list)
    """The ids of looks that are seen and have no picture yet."""

    def __init__(self, entries: Sequence[tuple[str, str]], current: str, parent: QWidget) -> None:
        super().__init__("Which look? Part of its name", entries, parent)
        self.current = current
        self.pictures: dict[str, QImage] = {}
        self.list.setIconSize(QSize(SIDE, SIDE))
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName("looks")
        bar = self.list.verticalScrollBar()
        assert bar
        bar.valueChanged.connect(lambda _: self._ask())

    def look(self, text: str) -> None:
        self.list.setUpdatesEnabled(False)
        super().look(text)
        for row in range(self.list.count()):
            item = self.list.item(row)
            assert item
            item.setSizeHint(QSize(0, SIDE + 4))
            if item.data(KEY) in self.pictures:
                item.setIcon(picture_icon(self.pictures[item.data(KEY)]))
            if item.data(KEY) == self.current:
                item.setText(f"{item.text()}    worn now")
                if not text.strip():
                    self.list.setCurrentRow(row)
        self.list.setUpdatesEnabled(True)
        self._ask()

    def show_picture(self, look_id: str, image: QImage) -> None:
        """Show a look's picture."""
        self.pictures[look_id] = image
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item and item.data(KEY) == look_id:
                item.setIcon(picture_icon(image))

    def _ask(self) -> None:
        first = self.list.indexAt(QPoint(4, 4)).row()
        seen = range(max(first, 0), min(max(first, 0) + self.height() // SIDE, self.list.count()))
        keys = [item.data(KEY) for row in seen if (item := self.list.item(row))]
        self.wanting.emit([key for key in keys if key not in self.pictures])


def _example() -> QWidget:
    over = QWidget()
    picker = LookPicker([("", "plain grey"), ("copper", "Copper"), ("brass", "Brass")], "brass", over)
    picker.open_at(QPoint(0, 0))
    return over


if __name__ == "__main__":
    show_alone(_example)
