"""Pictures on the rows of lists: asked for when their rows come into sight, shown as they are drawn."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from soft_lantern.app.widgets.pixel_image import picture_icon

SIDE = 34
"""Pixels of a picture."""
_RECORD = Qt.ItemDataRole.UserRole + 1


class RowPictures(QObject):
    """The pictures of records on some lists, which share them. `icons`: those that are there already, by id."""

    wanting = pyqtSignal(list)
    """The ids of records that are in sight and have no picture yet."""

    def __init__(self, *lists: QListWidget, icons: dict[str, QIcon] | None = None) -> None:
        super().__init__(lists[0])
        self.icons: dict[str, QIcon] = dict(icons or {})
        self._lists = lists
        for each in lists:
            each.setIconSize(QSize(SIDE, SIDE))
            bar = each.verticalScrollBar()
            assert bar
            bar.valueChanged.connect(lambda _: self.ask())

    def dress(self, item: QListWidgetItem, record_id: str) -> None:
        """Let a row be a record's."""
        item.setSizeHint(QSize(0, SIDE + 4))
        item.setData(_RECORD, record_id)
        if record_id in self.icons:
            item.setIcon(self.icons[record_id])

    def show_picture(self, record_id: str, image: QImage) -> None:
        """Show a record's picture wherever it stands."""
        self.icons[record_id] = picture_icon(image)
        for shown in self._lists:
            for row in range(shown.count()):
                if (item := shown.item(row)) and item.data(_RECORD) == record_id:
                    item.setIcon(self.icons[record_id])

    def ask(self) -> None:
        """Ask for what is in sight."""
        wanted: dict[str, None] = {}
        for shown in self._lists:
            first = max(shown.indexAt(QPoint(4, 4)).row(), 0)
            for row in range(first, min(first + shown.height() // SIDE + 1, shown.count())):
                if (item := shown.item(row)) and item.data(_RECORD):
                    wanted[item.data(_RECORD)] = None
        self.wanting.emit([each for each in wanted if each not in self.icons])
