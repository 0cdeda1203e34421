"""The looks there are, by picture and name: dragged onto what is to wear them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PyQt6.QtCore import QMimeData, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.stage.drops import LOOK_DRAG
from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.choices import fill_list
from soft_lantern.app.widgets.pixel_image import picture_icon

ID = Qt.ItemDataRole.UserRole
SIDE = 34
"""Pixels of a picture."""


class _Looks(QListWidget):
    def mimeTypes(self) -> list[str]:
        return [LOOK_DRAG]

    def mimeData(self, items: Iterable[QListWidgetItem]) -> QMimeData:
        data = QMimeData()
        data.setData(LOOK_DRAG, " ".join(str(item.data(ID)) for item in items).encode())
        return data


class LookShelf(QWidget):
    """Shows looks. `wear_wanted`: what is selected is to wear one; `wanting`: ids that are seen without a picture."""

    wear_wanted = pyqtSignal(str)
    wanting = pyqtSignal(list)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search looks")
        self.search.setAccessibleName("search looks")
        self.search.setClearButtonEnabled(True)
        self.list = _Looks()
        self.list.setAccessibleName("looks")
        self.list.setIconSize(QSize(SIDE, SIDE))
        self.list.setUniformItemSizes(True)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.list.setToolTip("Drag a look onto an object or a part, here or on the stage; Return: the selected wear it")
        self.pictures: dict[str, QImage] = {}
        self._looks: list[tuple[str, str]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        self.search.textChanged.connect(lambda _: self._sift())
        self.list.itemActivated.connect(lambda item: self.wear_wanted.emit(str(item.data(ID))))
        bar = self.list.verticalScrollBar()
        assert bar
        bar.valueChanged.connect(lambda _: self._ask())

    def show_looks(self, looks: Sequence[tuple[str, str]]) -> None:
        """Show looks by id and name."""
        if list(looks) == self._looks:
            return
        self._looks = list(looks)
        if fill_list(self.list, looks):
            for row in range(self.list.count()):
                item = self.list.item(row)
                if item:
                    item.setSizeHint(QSize(0, SIDE + 4))
                    self._picture(item)
            self._sift()

    def show_picture(self, look_id: str, image: QImage) -> None:
        """Show a look's picture."""
        self.pictures[look_id] = image
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item and item.data(ID) == look_id:
                self._picture(item)

    def forget_pictures(self) -> None:
        """Have the pictures that are seen drawn anew; until they come, the old ones stay."""
        self.pictures.clear()
        self._ask()

    def _picture(self, item: QListWidgetItem) -> None:
        image = self.pictures.get(str(item.data(ID)))
        if image is not None:
            item.setIcon(picture_icon(image))

    def _sift(self) -> None:
        words = self.search.text().lower().split()
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item:
                item.setHidden(not all(word in item.text().lower() for word in words))
        self._ask()

    def _ask(self) -> None:
        if not self.isVisible():
            return
        first = self.list.indexAt(QPoint(4, 4)).row()
        seen: list[str] = []
        room = self.list.height() // SIDE + 2
        for row in range(max(first, 0), self.list.count()):
            item = self.list.item(row)
            if item and not item.isHidden() and len(seen) < room:
                seen.append(str(item.data(ID)))
        self.wanting.emit([look_id for look_id in seen if look_id not in self.pictures])

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._ask()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._ask()


def _example() -> QWidget:
    shown = LookShelf()
    shown.show_looks([("copper", "Copper"), ("brass", "Brass")])
    return shown


if __name__ == "__main__":
    show_alone(_example)
