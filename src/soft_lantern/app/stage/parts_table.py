"""The parts of the selected object: what each wears, whether it is shown, and which cut-out it encloses."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from soft_lantern.app.session import Session, look_choices
from soft_lantern.graph.document import StageObject

WHOLE = "whole object"
COLUMNS = ("part", "wears", "cut-out")


class PartsTable(QTableWidget):
    """A row for the whole object and one for each part. `part_chosen` tells which part a person chose."""

    part_chosen = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(0, len(COLUMNS), parent)
        self.session = session
        self.object_id = ""
        self._filling = False
        self.setHorizontalHeaderLabels(COLUMNS)
        self.setAccessibleName("parts")
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        header, rows = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.itemChanged.connect(self._changed)
        self.itemSelectionChanged.connect(self._chosen)
        session.changed.connect(lambda old, new: self.refresh())
        session.models_changed.connect(self.refresh)

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
        """Show how things are."""
        thing, names = self._thing(), self.names()
        self._filling = True
        self.setRowCount(len(names))
        choices = look_choices(self.session.project)
        for row, name in enumerate(names):
            assert thing
            label = QTableWidgetItem(name or WHOLE)
            label.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable)
            label.setCheckState(Qt.CheckState.Unchecked if name in thing.hidden else Qt.CheckState.Checked)
            label.setToolTip("Whether it is drawn; what is not drawn still cuts out")
            self.setItem(row, 0, label)
            self.setCellWidget(row, 1, self._looks(thing, name, choices))
            cut = QTableWidgetItem(thing.cut_outs.get(name, ""))
            cut.setToolTip("An id: materials hidden in it do not show inside this part's volume")
            self.setItem(row, 2, cut)
        self._filling = False

    def _looks(self, thing: StageObject, name: str, choices: list[tuple[str, str]]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(f"{name or WHOLE} wears")
        box.addItem("as the whole object" if name else "plain grey", "")
        for look_id, words in choices:
            box.addItem(words, look_id)
        box.setCurrentIndex(max(box.findData(thing.wears.get(name, "")), 0))
        box.activated.connect(lambda _: self._wear(name, box.currentData()))
        return box

    def _wear(self, name: str, look_id: str) -> None:
        thing = self._thing()
        if thing:
            kept = {part: worn for part, worn in thing.wears.items() if part != name}
            self.session.change_object("Dress", thing.id, wears=kept | ({name: look_id} if look_id else {}))

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
