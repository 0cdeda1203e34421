"""The parts of the selected object: what each wears, whether it is shown, and which cut-out it encloses."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.drops import is_look, look_dragged
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.graph.document import StageObject
from soft_lantern.graph.instances.picks import AS_WHOLE, LIKE_THE_OBJECT, NOTHING, wearables

WHOLE = "whole object"
COLUMNS = ("part", "wears", "cut-out")


class PartsTable(QTableWidget):
    """A row for the whole object and one for each part. `part_chosen` tells which part a person chose."""

    part_chosen = pyqtSignal(str)
    look_wanted = pyqtSignal(str, object)
    """The part, "" for the whole, that is to wear another look, and where on the screen to ask for it."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(0, len(COLUMNS), parent)
        self.setTabKeyNavigation(False)
        self.session = session
        self.object_id = ""
        self._filling = False
        self._shown: object = None
        self.setHorizontalHeaderLabels(COLUMNS)
        self.setAccessibleName("parts")
        self.setAcceptDrops(True)
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # parts of a file often differ in the end of a name alone
        self.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        header, rows = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.itemChanged.connect(self._changed)
        self.cellClicked.connect(lambda row, column: self.offer_looks(row) if column == 1 else None)
        self.itemSelectionChanged.connect(self._chosen)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)

    def show_object(self, object_id: str, part: str = "") -> None:
        """Show another object, with one of its parts selected."""
        self.object_id = object_id
        self.refresh()
        self._filling = True
        names = self.names()
        self.selectRow(names.index(part)) if part in names else self.clearSelection()
        self._filling = False

    def names(self) -> list[str]:
        """The part of each row, "" for the whole object."""
        thing = self._thing()
        model = self.session.models.get(thing.asset) if thing else None
        return ["", *(part.name for part in model.parts)] if thing and model else [""] if thing else []

    def refresh(self) -> None:
        """Show how things are; where nothing of it changed, nothing is touched."""
        thing, names = self._thing(), self.names()
        looks = dict(wearables(self.session.project))
        shown = (names, thing and (thing.id, thing.wears, thing.cut_outs, thing.hidden), looks)
        if shown == self._shown:
            return
        self._shown = shown
        self._filling = True
        self.setRowCount(len(names))
        for row, name in enumerate(names):
            assert thing
            label = QTableWidgetItem(name or WHOLE)
            label.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable)
            label.setCheckState(Qt.CheckState.Unchecked if name in thing.hidden else Qt.CheckState.Checked)
            label.setToolTip("Whether it is drawn; what is not drawn still cuts out")
            own = thing.wears.get(name, LIKE_THE_OBJECT)
            worn = QTableWidgetItem(looks.get(own, AS_WHOLE if name and own == LIKE_THE_OBJECT else NOTHING))
            worn.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            worn.setToolTip("What it wears: click to choose")
            cut = QTableWidgetItem(thing.cut_outs.get(name, ""))
            cut.setToolTip("An id: materials hidden in it do not show inside this part's volume")
            for column, item in enumerate((label, worn, cut)):
                self.setItem(row, column, item)
        self._filling = False

    def offer_looks(self, row: int) -> None:
        """Offer all looks for the part of a row."""
        names, viewport = self.names(), self.viewport()
        if row < len(names) and viewport:
            at = self.visualItemRect(self.item(row, 1)).bottomLeft()
            self.look_wanted.emit(names[row], viewport.mapToGlobal(at))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event and is_look(event):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event and is_look(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """The part of a row wears the look that is let go on it."""
        names = self.names()
        row = self.rowAt(int(event.position().y())) if event else -1
        if event and is_look(event) and 0 <= row < len(names):
            event.acceptProposedAction()
            self.session.dress_part(self.object_id, names[row], look_dragged(event))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentColumn() == 1:
            self.offer_looks(self.currentRow())
        else:
            super().keyPressEvent(event)

    def _changed(self, item: QTableWidgetItem) -> None:
        thing = self._thing()
        if self._filling or thing is None:
            return
        name = self.names()[item.row()]
        if item.column() == 0:
            kept = tuple(part for part in thing.hidden if part != name)
            hidden = kept if item.checkState() == Qt.CheckState.Checked else (*kept, name)
            self.session.change_object("Hide or show", thing.id, hidden=hidden)
        elif item.column() == 2:
            cuts = {part: cut for part, cut in thing.cut_outs.items() if part != name}
            text = item.text().strip()
            self.session.change_object("Mark cut-out", thing.id, cut_outs=cuts | ({name: text} if text else {}))

    def _chosen(self) -> None:
        if not self._filling:
            rows = {index.row() for index in self.selectedIndexes()}
            names = self.names()
            if len(rows) == 1 and names:
                self.part_chosen.emit(names[rows.pop()])

    def _thing(self) -> StageObject | None:
        return self.session.scene.object(self.object_id) if self.session.scene else None
