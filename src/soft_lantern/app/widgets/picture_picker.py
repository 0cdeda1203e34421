"""Choosing a record by its picture and name: a list that opens under a drop-down or the pointer, with a search."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QComboBox, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.row_pictures import SIDE, RowPictures
from soft_lantern.app.widgets.search_popup import KEY, NamePicker


class PicturePicker(NamePicker):
    """Offers records by id and name, in the order they are given; pictures come as they are drawn.

    `now`: what is said beside the current one. `icons`: pictures that are there already, by id.
    """

    def __init__(
        self,
        words: str,
        entries: Sequence[tuple[str, str]],
        current: str,
        parent: QWidget,
        *,
        now: str = "chosen now",
        icons: dict[str, QIcon] | None = None,
    ) -> None:
        super().__init__(words, entries, parent)
        self.current, self.now = current, now
        self.pictures = RowPictures(self.list, icons=icons)
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName("what there is to choose")

    def look(self, text: str) -> None:
        self.list.setUpdatesEnabled(False)
        super().look(text)
        for row in range(self.list.count()):
            item = self.list.item(row)
            assert item
            self.pictures.dress(item, item.data(KEY))
            if item.data(KEY) == self.current:
                item.setText(f"{item.text()}    {self.now}")
                if not text.strip():
                    self.list.setCurrentRow(row)
        self.list.setUpdatesEnabled(True)
        self.pictures.ask()


Source = Callable[[RowPictures], object]
"""Gives rows the pictures they ask for."""
_SOURCE = "picture_source"
"""Where a window holds its own: a table of all windows would keep them alive."""


def pictures_from(window: QWidget, source: Source) -> None:
    """Let every drop-down within a window, and in dialogs over it, have its pictures from there."""
    setattr(window, _SOURCE, source)


def give_pictures(picker: PicturePicker, over: QWidget | None) -> None:
    """Let a picker over a widget have its pictures from the window that the widget is in."""
    while over is not None and not hasattr(over, _SOURCE):
        over = over.parentWidget()
    if over is not None:
        getattr(over, _SOURCE)(picker.pictures)


class PictureBox(QComboBox):
    """A drop-down of records that opens a picker; `words` say what is asked for."""

    def __init__(self, words: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words = words
        self.setIconSize(QSize(SIDE // 2, SIDE // 2))

    def showPopup(self) -> None:
        """Open the picker instead of a list of names."""
        entries = [(str(self.itemData(row)), self.itemText(row)) for row in range(self.count())]
        icons = {key: self.itemIcon(row) for row, (key, _) in enumerate(entries) if not self.itemIcon(row).isNull()}
        picker = passing(PicturePicker(self.words, entries, str(self.currentData()), self, icons=icons))
        picker.chosen.connect(self._take)
        give_pictures(picker, self)
        picker.open_at(self.mapToGlobal(self.rect().bottomLeft()))

    def _take(self, key: str) -> None:
        row = next((row for row in range(self.count()) if str(self.itemData(row)) == key), -1)
        if row >= 0:
            self.setCurrentIndex(row)
            self.activated.emit(row)
        self.setFocus(Qt.FocusReason.PopupFocusReason)


def _example() -> QWidget:
    box = PictureBox("Which look? Part of its name")
    for key, name in (("", "plain grey"), ("copper", "Copper"), ("brass", "Brass")):
        box.addItem(name, key)
    return box


if __name__ == "__main__":
    show_alone(_example)
