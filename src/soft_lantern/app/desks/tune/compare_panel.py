"""Chooses what the stage compares, lists the values that differ, and keeps snapshots with remarks."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.pictures.comparison import DIFFERENCE, DIVIDER, FOUR, Comparison, Side
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import heading_label, quiet_label
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.graph.document import Parameter, Snapshot, new_id, with_records, without_record
from soft_lantern.graph.instances.family import all_values, differing
from soft_lantern.graph.instances.look_tree import look_choices
from soft_lantern.graph.instances.values import Look, ancestry, look
from soft_lantern.graph.ramps.images import readable_names
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, Value, components

MODES = {"": "not compared", DIVIDER: "side by side", DIFFERENCE: "their difference", FOUR: "four at once"}


class ComparePanel(QWidget):
    """Sets a look against others. `take_wanted` asks for a snapshot's values in the instance that is tuned."""

    take_wanted = pyqtSignal(str)

    def __init__(self, session: Session, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.comparison = session, comparison
        self.look_id = ""
        self._offered: object = None
        self.mode = QComboBox()
        self.mode.setAccessibleName("how to compare")
        for value, words in MODES.items():
            self.mode.addItem(words, value)
        self.others = [PictureBox("Which look? Part of its name") for _ in range(3)]
        for number, box in enumerate(self.others):
            box.setAccessibleName(f"compare with {number + 1}")
        self.table = QTableWidget(0, 3)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("values that differ")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setHorizontalHeaderLabels(["differs", "this", "other"])
        header, rows = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.words = quiet_label()
        self.remark = QLineEdit()
        self.remark.setPlaceholderText("A remark on how it is now")
        self.remark.setAccessibleName("remark")
        self.keep = QPushButton("Keep a snapshot")
        self.snapshots = QListWidget()
        self.snapshots.setAccessibleName("snapshots")
        self.against, self.take, self.forget = QPushButton("Compare"), QPushButton("Take over"), QPushButton("Forget")
        self._lay_out()
        self.mode.activated.connect(lambda _: self._choose())
        for box in self.others:
            box.activated.connect(lambda _: self._choose())
        self.keep.clicked.connect(self.keep_snapshot)
        self.remark.returnPressed.connect(self.keep_snapshot)
        self.against.clicked.connect(self._against_snapshot)
        self.take.clicked.connect(lambda: self.take_wanted.emit(self._chosen_snapshot()))
        self.forget.clicked.connect(self._forget)
        self.snapshots.itemSelectionChanged.connect(self._enable)

    def refresh(self) -> None:
        """Show how things are."""
        project, found = self.session.project, look(self.session.project, self.look_id)
        kept = [s for s in project.snapshots.values() if self._family(s.look) == self._family(self.look_id)]
        offered = (look_choices(project), self.look_id, [(s.id, self._caption(s)) for s in kept])
        if offered != self._offered:
            self._offered = offered
            self._offer(kept)
        shown = [self.snapshots.item(row) for row in range(self.snapshots.count())]
        if [(s.id, self._caption(s)) for s in kept] != [
            (i.data(Qt.ItemDataRole.UserRole), i.text()) for i in shown if i
        ]:
            self.snapshots.clear()
            for each in kept:
                item = QListWidgetItem(self._caption(each))
                item.setData(Qt.ItemDataRole.UserRole, each.id)
                self.snapshots.addItem(item)
        for number, box in enumerate(self.others):
            box.setVisible(number == 0 or self.mode.currentData() == FOUR)
        self._show_sides()
        self._show_differing(found)
        self._enable()

    def _offer(self, kept: list[Snapshot]) -> None:
        """Let the boxes offer every other look, and the snapshots of the family."""
        project = self.session.project
        choices = [(name, look_id) for look_id, name in look_choices(project) if look_id != self.look_id]
        choices += [(f"Snapshot: {self._caption(s)}", s.id) for s in kept]
        known = {data for _, data in choices}
        for box in self.others:
            chosen = box.currentData()
            fill(box, choices, chosen if chosen in known else self._first(choices))

    def compare(self, mode: str, *others: str) -> None:
        """Compare what is tuned with other looks or snapshots, by their ids."""
        self.mode.setCurrentIndex(list(MODES).index(mode))
        for box, other in zip(self.others, others, strict=False):
            box.setCurrentIndex(max(box.findData(other), 0))
        self._choose()

    def keep_snapshot(self) -> None:
        """Keep the values of what is tuned, with the remark that is typed."""
        found = look(self.session.project, self.look_id)
        if found:
            kept = Snapshot(
                id=new_id("snapshot"),
                look=self.look_id,
                remark=self.remark.text().strip(),
                values=all_values(found) | found.shown,
            )
            self.session.apply("Keep snapshot", lambda project: with_records(project, kept))
            self.remark.clear()

    def _family(self, look_id: str) -> str:
        material = self.session.project.materials.get(look_id) or ancestry(self.session.project, look_id)[1]
        return material.id if material else ""

    def _first(self, choices: list[tuple[str, str]]) -> str:
        """What is set against it at first: its parent, or the next of its family."""
        instance = self.session.project.instances.get(self.look_id)
        if instance:
            return instance.parent
        family = [data for _, data in choices if self._family(data) == self._family(self.look_id)]
        return next(iter(family), choices[0][1] if choices else "")

    def _caption(self, kept: Snapshot) -> str:
        named = self.session.project.instances.get(kept.look) or self.session.project.materials.get(kept.look)
        return f"{named.name if named else 'gone'}: {kept.remark or 'no remark'}"

    def _name(self, look_id: str) -> str:
        named = self.session.project.instances.get(look_id) or self.session.project.materials.get(look_id)
        return named.name if named else "gone"

    def _side(self, chosen: str) -> Side:
        kept = self.session.project.snapshots.get(chosen)
        if kept:
            return Side(self._caption(kept), kept.look, tuple(sorted(kept.values.items())))
        return Side(self._name(chosen), chosen)

    def _choose(self) -> None:
        self.refresh()

    def _show_sides(self) -> None:
        mode = self.mode.currentData()
        chosen = [box.currentData() for box in (self.others if mode == FOUR else self.others[:1])]
        sides = (Side(self._name(self.look_id), self.look_id), *(self._side(each) for each in chosen if each))
        self.comparison.show(mode if len(sides) > 1 else "", sides if mode else ())

    def _show_differing(self, found: Look | None) -> None:
        other = self._other_look()
        rows = differing(found, other) if found and other else []
        self.words.setText("" if rows else "No value differs" if other else "")
        self.table.setRowCount(len(rows))
        for row, (parameter, *values) in enumerate(rows):
            self.table.setItem(row, 0, QTableWidgetItem(parameter.label))
            for column, value in enumerate(values, 1):
                item = QTableWidgetItem(self._words(parameter, value))
                if parameter.kind is Kind.COLOUR:
                    item.setData(Qt.ItemDataRole.DecorationRole, screen_colour(components(value)))
                self.table.setItem(row, column, item)

    def _words(self, parameter: Parameter, value: Value) -> str:
        if isinstance(value, str):
            return readable_names(self.session.project)[parameter.kind].get(value, "none")
        return _shown(parameter, value)

    def _other_look(self) -> Look | None:
        chosen, project = self.others[0].currentData() or "", self.session.project
        kept = project.snapshots.get(chosen)
        if kept is None:
            return look(project, chosen)
        material = look(project, kept.look)
        return Look(material.material, dict(kept.values), {}, material.parameters) if material else None

    def _chosen_snapshot(self) -> str:
        item = self.snapshots.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item else ""

    def _against_snapshot(self) -> None:
        self.compare(self.mode.currentData() or DIVIDER, self._chosen_snapshot())

    def _forget(self) -> None:
        chosen = self._chosen_snapshot()
        self.session.apply("Forget snapshot", lambda project: without_record(project, "snapshots", chosen))

    def _enable(self) -> None:
        chosen = bool(self._chosen_snapshot())
        for button in (self.against, self.take, self.forget):
            button.setEnabled(chosen)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.addWidget(self.mode)
        for box in self.others:
            column.addWidget(box)
        column.addWidget(self.table, 2)
        column.addWidget(self.words)
        heading = heading_label("Snapshots")
        column.addWidget(heading)
        row = QHBoxLayout()
        row.addWidget(self.remark, 1)
        row.addWidget(self.keep)
        column.addLayout(row)
        column.addWidget(self.snapshots, 1)
        buttons = QHBoxLayout()
        for button in (self.against, self.take, self.forget):
            buttons.addWidget(button)
        column.addLayout(buttons)


def _shown(parameter: Parameter, value: Value) -> str:
    parts = components(value)
    if parameter.kind is Kind.COLOUR:
        return colour_to_hex(parts)
    if parameter.choices and 0 <= round(parts[0]) < len(parameter.choices):
        return parameter.choices[round(parts[0])]
    return ", ".join(written(part) for part in parts)
