"""The objects of a scene with small pictures, in groups: searched, several selected, dragged into order, dressed."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QItemSelectionModel, QMimeData, QModelIndex, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.stage.drops import LOOK_DRAG
from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.pixel_image import picture_icon

ID = Qt.ItemDataRole.UserRole
OBJECT_DRAG = "application/x-soft-lantern-object"
SIDE = 34
"""Pixels of a picture."""


class ObjectRow(Struct, frozen=True):
    """An object as it is listed."""

    id: str
    name: str
    group: str = ""


class ObjectTree(QTreeWidget):
    """The rows. `moved` tells ids, the object before which they are to be listed ("" last), and their group."""

    moved = pyqtSignal(list, str, str)
    look_dropped = pyqtSignal(str, str)
    """An object, and a look that all its parts are to wear."""
    delete_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setHeaderHidden(True)
        self.setAccessibleName("objects")
        self.setIconSize(QSize(SIDE, SIDE))
        self.setIndentation(12)
        self.setUniformRowHeights(True)
        self.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setEditTriggers(QTreeWidget.EditTrigger.EditKeyPressed | QTreeWidget.EditTrigger.DoubleClicked)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    @property
    def selected(self) -> list[str]:
        """The ids that are selected, in their order."""
        return [str(item.data(0, ID)) for item in self.items() if item.isSelected()]

    def items(self) -> list[QTreeWidgetItem]:
        """The items of objects, in their order."""
        found = []
        for row in range(self.topLevelItemCount()):
            top = self.topLevelItem(row)
            if top and top.data(0, ID):
                found.append(top)
            elif top:
                found += [child for at in range(top.childCount()) if (child := top.child(at))]
        return found

    def mimeTypes(self) -> list[str]:
        return [OBJECT_DRAG, LOOK_DRAG]

    def mimeData(self, items: Sequence[QTreeWidgetItem]) -> QMimeData:  # type: ignore[override]
        data = QMimeData()
        data.setData(OBJECT_DRAG, " ".join(self.selected).encode())
        return data

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        super().dragEnterEvent(event)
        self._allow(event)

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        super().dragMoveEvent(event)
        self._allow(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Objects are listed before the one they are let go on; a look is worn by the object it is let go on."""
        data = event.mimeData() if event else None
        if event is None or data is None:
            return
        item = self.itemAt(event.position().toPoint())
        onto = str(item.data(0, ID) or "") if item else ""
        event.acceptProposedAction()
        if data.hasFormat(LOOK_DRAG):
            look_id = data.data(LOOK_DRAG).data().decode().split()[0]
            if onto:
                self.look_dropped.emit(onto, look_id)
        elif data.hasFormat(OBJECT_DRAG):
            ids = data.data(OBJECT_DRAG).data().decode().split()
            if onto not in ids:
                self.moved.emit(ids, *self._place_of(item, onto))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Delete:
            self.delete_wanted.emit()
        else:
            super().keyPressEvent(event)

    def move_selected(self, step: int) -> None:
        """List the selected objects so many places lower."""
        every, held = self.items(), self.selected
        ids = [str(item.data(0, ID)) for item in every]
        if not held:
            return
        rest = [each for each in ids if each not in held]
        first = ids.index(held[0])
        at = len([each for each in ids[:first] if each not in held]) + step
        at = min(max(at, 0), len(rest))
        before = rest[at] if at < len(rest) else ""
        beside = every[ids.index(before)] if before else every[-1]
        self.moved.emit(held, before, self._group_of(beside))

    def _place_of(self, item: QTreeWidgetItem | None, onto: str) -> tuple[str, str]:
        """Before which object, and in which group, what is let go on an item is to be listed."""
        if item is None:
            return "", ""
        if onto:
            return onto, self._group_of(item)
        first = item.child(0)
        return (str(first.data(0, ID)) if first else ""), item.text(0)

    @staticmethod
    def _group_of(item: QTreeWidgetItem) -> str:
        parent = item.parent()
        return parent.text(0) if parent else ""

    @staticmethod
    def _allow(event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and (data.hasFormat(OBJECT_DRAG) or data.hasFormat(LOOK_DRAG)):
            event.acceptProposedAction()


class ObjectList(QWidget):
    """Shows objects. `chosen` tells the one in hand and all that are selected."""

    chosen = pyqtSignal(str, list)
    rename_wanted = pyqtSignal(str, str)
    menu_wanted = pyqtSignal(object)
    """The place on the screen where a menu for what is selected is to open."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search objects")
        self.search.setAccessibleName("search objects")
        self.search.setClearButtonEnabled(True)
        self.tree = ObjectTree()
        self._filling = False
        self._rows: tuple[ObjectRow, ...] = ()
        self._folded: set[str] = set()
        self.pictures: dict[str, QImage] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.search)
        column.addWidget(self.tree, 1)
        self.search.textChanged.connect(lambda _: self._sift())
        self.search.returnPressed.connect(self._choose_first)
        self.tree.itemSelectionChanged.connect(self._tell)
        self.tree.itemChanged.connect(self._renamed)
        self.tree.itemCollapsed.connect(lambda item: self._folded.add(item.text(0)))
        self.tree.itemExpanded.connect(lambda item: self._folded.discard(item.text(0)))
        self.tree.customContextMenuRequested.connect(self._open_menu)

    def show_objects(self, rows: Sequence[ObjectRow], current: str, also: Sequence[str] = ()) -> None:
        """Show objects, groups where their first object is, with one in hand and others selected with it."""
        self._filling = True
        if tuple(rows) != self._rows:
            self._rows = tuple(rows)
            self._rebuild()
            self._sift()
        wanted = {current, *also}
        for item in self.tree.items():
            if item.isSelected() != (item.data(0, ID) in wanted):
                item.setSelected(item.data(0, ID) in wanted)
            if item.data(0, ID) == current and self.tree.currentItem() is not item:
                self.tree.setCurrentItem(item, 0, QItemSelectionModel.SelectionFlag.NoUpdate)
                self.tree.scrollToItem(item)
        if not current:
            self.tree.setCurrentIndex(QModelIndex())
        self._filling = False

    def show_picture(self, object_id: str, image: QImage) -> None:
        """Show an object's picture beside its name."""
        self.pictures[object_id] = image
        filling, self._filling = self._filling, True
        for item in self.tree.items():
            if item.data(0, ID) == object_id:
                item.setIcon(0, picture_icon(image))
        self._filling = filling

    def _rebuild(self) -> None:
        self.tree.clear()
        groups: dict[str, QTreeWidgetItem] = {}
        for row in self._rows:
            if row.group and row.group not in groups:
                groups[row.group] = QTreeWidgetItem(self.tree, [row.group])
                groups[row.group].setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsDropEnabled)
                groups[row.group].setExpanded(row.group not in self._folded)
            item = QTreeWidgetItem(groups.get(row.group, self.tree), [row.name])
            item.setData(0, ID, row.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setSizeHint(0, QSize(0, SIDE + 4))
            if row.id in self.pictures:
                item.setIcon(0, picture_icon(self.pictures[row.id]))

    def _sift(self) -> None:
        """Hide what is not sought."""
        words = self.search.text().lower().split()
        for item in self.tree.items():
            parent = item.parent()
            text = f"{parent.text(0) if parent else ''} {item.text(0)}".lower()
            item.setHidden(not all(word in text for word in words))
        for row in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(row)
            if top and not top.data(0, ID):
                held = [child for at in range(top.childCount()) if (child := top.child(at))]
                top.setHidden(all(child.isHidden() for child in held))

    def _choose_first(self) -> None:
        """Return in the search takes the first that is found, and hands the keyboard over."""
        first = next((item for item in self.tree.items() if not item.isHidden()), None)
        if first:
            self.tree.setCurrentItem(first)
            self.tree.setFocus()

    def _tell(self) -> None:
        if self._filling:
            return
        item, selected = self.tree.currentItem(), self.tree.selected
        current = str(item.data(0, ID) or "") if item else ""
        if selected:
            self.chosen.emit(current if current in selected else selected[0], selected)

    def _renamed(self, item: QTreeWidgetItem) -> None:
        object_id, name = item.data(0, ID), item.text(0).strip()
        if self._filling or not object_id:
            return
        before = next(row.name for row in self._rows if row.id == object_id)
        if name:
            self.rename_wanted.emit(str(object_id), name)
        else:
            item.setText(0, before)

    def _open_menu(self, at: QPoint) -> None:
        viewport = self.tree.viewport()
        assert viewport
        self.menu_wanted.emit(viewport.mapToGlobal(at))


def _example() -> QWidget:
    shown = ObjectList()
    moss = [ObjectRow(f"moss_{n}", f"Moss {n}", "Moss") for n in (1, 2)]
    shown.show_objects([ObjectRow("kettle", "Kettle"), *moss], "kettle")
    return shown


if __name__ == "__main__":
    show_alone(_example)
