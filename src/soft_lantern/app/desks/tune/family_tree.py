"""The instances as a family tree, with portraits, folders, search, favourites, and drags to new parents or parts."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QItemSelectionModel, QMimeData, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QImage, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from soft_lantern.app.stage.drops import LOOK_DRAG
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.pixel_image import picture_icon
from soft_lantern.graph.document import Instance, Project
from soft_lantern.graph.instances.family import searcher
from soft_lantern.graph.instances.look_tree import look_tree_of
from soft_lantern.graph.instances.picks import family_of
from soft_lantern.graph.instances.values import children

ID = Qt.ItemDataRole.UserRole
FAVOURITE, LOCKS = "★", "locks"


ROW = 42
"""Pixels that a look takes in the tree, with its picture."""


class FamilyTree(QTreeWidget):
    """Shows materials, their instances, and picks. The signals tell what a person wants."""

    scrolled = pyqtSignal()
    """Other rows have come into sight."""
    chosen = pyqtSignal(str, list)
    """The look or pick that is current, and all that are selected."""
    rename_wanted = pyqtSignal(str, str)
    parent_wanted = pyqtSignal(list, str)
    """Instances dropped on a look, or on a pick that is to hold them."""
    delete_wanted = pyqtSignal()
    menu_wanted = pyqtSignal(object)
    """A place on the screen where a menu for what is selected is to open."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.setAccessibleName("instances")
        self.setIconSize(QSize(ROW - 4, ROW - 4))
        self.setIndentation(14)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # kin often differ in the end of a name alone
        self.setUniformRowHeights(True)
        self.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QTreeWidget.EditTrigger.DoubleClicked | QTreeWidget.EditTrigger.EditKeyPressed)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header = self.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.valueChanged.connect(lambda _: self.scrolled.emit())
        self.items: dict[str, QTreeWidgetItem] = {}
        self._shape: object = None
        self._wanted = ("", False, "")
        self._filling = False
        self._hits: set[str] = set()
        """The looks that are what is sought, apart from those that stand above them."""
        self.currentItemChanged.connect(lambda _: self._tell())
        self.itemSelectionChanged.connect(self._tell)
        self.itemChanged.connect(self._renamed)
        self.customContextMenuRequested.connect(self._open_menu)

    @property
    def selected(self) -> list[str]:
        """The ids that are selected, in the order of the tree."""
        picked = {item.data(0, ID) for item in self.selectedItems()} - {None, ""}
        return [look_id for look_id in self.items if look_id in picked]

    def show_project(self, project: Project, current: str, sought: str = "", *, favourites: bool = False) -> None:
        """Show the families, of which only what is sought where something is; nothing is rebuilt without need."""
        self._filling = True
        shape, sought = look_tree_of(project), sought.strip()
        rebuilt = shape is not self._shape
        if rebuilt:
            kept = set(self.selected)
            self._shape = shape
            self._rebuild(project)
            for look_id in kept & self.items.keys():
                self.items[look_id].setSelected(True)
        wanted = (sought, favourites, current if sought or favourites else "")
        if rebuilt or sought or wanted != self._wanted:  # what is sought may be a value, which another edit changes
            self._wanted = wanted
            self._sift(project, current, sought, favourites)
        item = self.items.get(current)
        if item and self.currentItem() is not item:
            self.setCurrentItem(item, 0, QItemSelectionModel.SelectionFlag.NoUpdate)
        if item and not self.selectedItems():
            item.setSelected(True)
        self._filling = False

    def choose_first(self) -> None:
        """Let the first look that is sought be current, and hand the keyboard over."""
        found = next((item for look_id, item in self.items.items() if look_id in self._hits), None)
        if found:
            self.clearSelection()
            self.setCurrentItem(found)
            found.setSelected(True)
            self.setFocus()

    def in_sight(self) -> list[str]:
        """The looks and picks whose rows are seen, from the top."""
        found, item, viewport = [], self.itemAt(QPoint(0, 0)), self.viewport()
        assert viewport
        while item and self.visualItemRect(item).top() < viewport.height():
            found.append(item.data(0, ID))
            item = self.itemBelow(item)
        return [look_id for look_id in found if look_id]

    def bring_into_sight(self) -> None:
        """Scroll so that the current look is seen."""
        item = self.currentItem()
        if item:
            self.scrollToItem(item)

    def show_portrait(self, look_id: str, image: QImage | None) -> None:
        """Show a look's picture beside its name."""
        item = self.items.get(look_id)
        if image and item:
            filling, self._filling = self._filling, True
            item.setIcon(0, picture_icon(image))
            self._filling = filling

    def _rebuild(self, project: Project) -> None:
        icons = {look_id: item.icon(0) for look_id, item in self.items.items()}
        self.clear()
        self.items = {}
        folders: dict[tuple[str, str], QTreeWidgetItem] = {}

        def add(look_id: str, name: str, parent: QTreeWidget | QTreeWidgetItem) -> QTreeWidgetItem:
            made = self.items[look_id] = QTreeWidgetItem(parent, [name])
            made.setData(0, ID, look_id)
            made.setSizeHint(0, QSize(0, ROW))  # as high before its picture comes
            if look_id in icons:
                made.setIcon(0, icons[look_id])
            return made

        def below(parent_id: str, item: QTreeWidgetItem) -> None:
            for child in children(project, parent_id):
                place = item
                if child.folder:
                    key = (parent_id, child.folder)
                    if key not in folders:
                        folders[key] = QTreeWidgetItem(item, [child.folder])
                        folders[key].setFlags(Qt.ItemFlag.ItemIsEnabled)
                    place = folders[key]
                made = add(child.id, child.name, place)
                made.setFlags(made.flags() | Qt.ItemFlag.ItemIsEditable)
                self._mark(made, child)
                below(child.id, made)

        picks = sorted(project.picks.values(), key=lambda p: p.name.lower())
        families = {pick.id: family_of(project, pick) for pick in picks}

        def add_picks(family: str, parent: QTreeWidget | QTreeWidgetItem) -> None:
            for pick in picks:
                if families[pick.id] == family:
                    made = add(pick.id, pick.name, parent)
                    made.setText(1, "pick")
                    made.setFlags(made.flags() | Qt.ItemFlag.ItemIsEditable)

        for material in sorted(project.materials.values(), key=lambda m: m.name.lower()):
            item = add(material.id, material.name, self)
            add_picks(material.id, item)
            below(material.id, item)
        add_picks("", self)
        self.expandAll()

    def _mark(self, item: QTreeWidgetItem, instance: Instance) -> None:
        marks = [FAVOURITE] * instance.favourite + [LOCKS] * bool(instance.locks)
        item.setText(1, " ".join(marks))
        item.setToolTip(0, tip(", ".join(instance.tags)))

    def _sift(self, project: Project, current: str, sought: str, favourites: bool) -> None:
        """Hide what is not sought; what is current stays, and whoever stands above something that does."""
        fits = searcher(project, sought)
        self._hits.clear()

        def named(name: str) -> bool:
            return all(word in name.lower() for word in sought.lower().split())

        def visit(item: QTreeWidgetItem) -> bool:
            found = False
            for row in range(item.childCount()):
                child = item.child(row)
                if child:
                    found = visit(child) or found
            look_id = item.data(0, ID) or ""
            instance, pick = project.instances.get(look_id), project.picks.get(look_id)
            own = instance is not None and (not favourites or instance.favourite) and fits(instance)
            material = project.materials.get(look_id)
            other = f"{pick.name} pick" if pick else material.name if material else ""
            own = own or bool(other and not favourites and sought and named(other))
            if own:
                self._hits.add(look_id)
            own = own or look_id == current
            shown = own or found or not (sought or favourites)
            item.setHidden(not shown)
            return shown

        for row in range(self.topLevelItemCount()):
            top = self.topLevelItem(row)
            if top:
                visit(top)

    def _tell(self) -> None:
        item = self.currentItem()
        if not self._filling and item and item.data(0, ID):
            self.chosen.emit(item.data(0, ID), self.selected)

    def _renamed(self, item: QTreeWidgetItem) -> None:
        name = item.text(0).strip()
        if not self._filling and item.data(0, ID) and name:
            self.rename_wanted.emit(item.data(0, ID), name)

    def _open_menu(self, at: QPoint) -> None:
        viewport = self.viewport()
        assert viewport
        self.menu_wanted.emit(viewport.mapToGlobal(at))

    def event(self, event: QEvent | None) -> bool:
        """Keys that mean something here are not the window's while the tree has the focus."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            selects = event.matches(QKeySequence.StandardKey.SelectAll)
            if selects or event.key() in (Qt.Key.Key_F2, Qt.Key.Key_Delete):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_Delete:
            self.delete_wanted.emit()
        else:
            super().keyPressEvent(event)

    # Drags

    def mimeTypes(self) -> list[str]:
        return [LOOK_DRAG]

    def mimeData(self, items: object) -> QMimeData | None:
        data = QMimeData()
        data.setData(LOOK_DRAG, " ".join(self.selected).encode())
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction | Qt.DropAction.MoveAction

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is None or data is None or not data.hasFormat(LOOK_DRAG):
            return
        item = self.itemAt(event.position().toPoint())
        event.setDropAction(Qt.DropAction.CopyAction)
        event.accept()
        ids = data.data(LOOK_DRAG).data().decode().split()
        if item and item.data(0, ID):
            self.parent_wanted.emit([each for each in ids if each != item.data(0, ID)], item.data(0, ID))
