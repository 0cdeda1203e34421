"""Choosing a record by its picture and name: a list that opens under a drop-down or the pointer, with a search."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage
from PyQt6.QtWidgets import QComboBox, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.pixel_image import picture_icon
from soft_lantern.app.widgets.search_popup import KEY, NamePicker

SIDE = 34
"""Pixels of a picture."""


class PicturePicker(NamePicker):
    """Offers records by id and name, in the order they are given; pictures come as they are drawn.

    `now`: what is said beside the current one. `icons`: pictures that are there already, by id.
    """

    wanting = pyqtSignal(list)
    """The ids of records that are seen and have no picture yet."""

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
        self.icons: dict[str, QIcon] = dict(icons or {})
        self.list.setIconSize(QSize(SIDE, SIDE))
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName("what there is to choose")
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
            if item.data(KEY) in self.icons:
                item.setIcon(self.icons[item.data(KEY)])
            if item.data(KEY) == self.current:
                item.setText(f"{item.text()}    {self.now}")
                if not text.strip():
                    self.list.setCurrentRow(row)
        self.list.setUpdatesEnabled(True)
        self._ask()

    def show_picture(self, record_id: str, image: QImage) -> None:
        """Show a record's picture."""
        self.icons[record_id] = picture_icon(image)
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item and item.data(KEY) == record_id:
                item.setIcon(self.icons[record_id])

    def _ask(self) -> None:
        first = self.list.indexAt(QPoint(4, 4)).row()
        seen = range(max(first, 0), min(max(first, 0) + self.height() // SIDE, self.list.count()))
        keys = [item.data(KEY) for row in seen if (item := self.list.item(row))]
        self.wanting.emit([key for key in keys if key not in self.icons])


Source = Callable[[PicturePicker], object]
"""Gives a picker the pictures it asks for."""
_SOURCE = "picture_source"
"""Where a window holds its own: a table of all windows would keep them alive."""


def pictures_from(window: QWidget, source: Source) -> None:
    """Let every drop-down within a window, and in dialogs over it, have its pictures from there."""
    setattr(window, _SOURCE, source)


def give_pictures_to(picker: PicturePicker, over: QWidget | None) -> None:
    """Let a picker over a widget have its pictures from the window that the widget is in."""
    while over is not None and not hasattr(over, _SOURCE):
        over = over.parentWidget()
    if over is not None:
        getattr(over, _SOURCE)(picker)


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
        give_pictures_to(picker, self)
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
