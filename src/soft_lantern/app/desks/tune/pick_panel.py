"""A pick: looks of which each object gets one by chance, how often each, and its seed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Instance, Material, Pick, changed
from soft_lantern.graph.instances.picks import put_pick, shares, with_weight, without_look, worn
from soft_lantern.values.words import counted

LOOK, WEIGHT, HERE = range(3)
_READ_ONLY = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable


class PickPanel(QWidget):
    """Shows one pick of the project and changes it."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.pick_id = ""
        self._filling = False
        self.looks = QTableWidget(0, 3)
        self.looks.setHorizontalHeaderLabels(("look", "weight", "here"))
        self.looks.setAccessibleName("looks of the pick")
        self.looks.setTabKeyNavigation(False)
        self.looks.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.looks.setToolTip("Weight: how often beside the others; 0 leaves one out. Here: objects on the stage")
        header, rows = self.looks.horizontalHeader(), self.looks.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(LOOK, QHeaderView.ResizeMode.Stretch)
        self.even = QCheckBox("Spread evenly over the objects of a scene")
        self.even.setToolTip("As often as the weights say, to the whole object; off, each object has its own chance")
        self.seed = QSpinBox()
        self.seed.setAccessibleName("seed")
        self.seed.setRange(0, 2**31 - 1)
        self.seed.setPrefix("seed ")
        self.roll = QPushButton("Roll again")
        self.remove = QPushButton("Take out")
        self.gets = quiet_label(wraps=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        words = "Each object that wears this gets one of these, always the same one for the same seed. "
        column.addWidget(quiet_label(f"{words}Drag more looks onto it in the tree.", wraps=True))
        column.addWidget(self.looks, 1)
        column.addWidget(self.even)
        row = QHBoxLayout()
        for widget in (self.seed, self.roll, self.remove):
            row.addWidget(widget)
        column.addLayout(row)
        column.addWidget(self.gets)
        self.looks.itemChanged.connect(self._weighed)
        self.even.clicked.connect(lambda on: self._change("Spread evenly", lambda pick: changed(pick, even=on)))
        self.seed.valueChanged.connect(lambda seed: self._change("Set seed", lambda pick: changed(pick, seed=seed)))
        self.roll.clicked.connect(lambda: self.seed.setValue(self.seed.value() + 1))
        self.remove.clicked.connect(self._take_out)

    def show_pick(self, pick_id: str) -> None:
        """Show a pick as it is now."""
        self.pick_id = pick_id
        project, scene = self.session.project, self.session.scene
        pick = project.picks.get(pick_id)
        if pick is None:
            return
        named: dict[str, Material | Instance] = {**project.materials, **project.instances}
        got = [
            (
                thing.name,
                worn(project, thing, next(part for part, worn_by in thing.wears.items() if worn_by == pick_id)),
            )
            for thing in (scene.objects if scene else ())
            if pick_id in thing.wears.values()
        ]
        counts = Counter(look_id for _, look_id in got)
        self._filling = True
        row = self.looks.currentRow()
        self.looks.setRowCount(len(pick.looks))
        for place, (look_id, weight) in enumerate(zip(pick.looks, shares(pick), strict=True)):
            cells = (named[look_id].name if look_id in named else "gone", f"{weight:g}", str(counts[look_id]))
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if column != WEIGHT:
                    item.setFlags(_READ_ONLY)
                self.looks.setItem(place, column, item)
        if row >= 0:
            self.looks.setCurrentCell(min(row, len(pick.looks) - 1), self.looks.currentColumn())
        self.even.setChecked(pick.even)
        self.seed.setValue(pick.seed)
        self._filling = False
        told = [f"{name}: {named[look_id].name}" for name, look_id in got if look_id in named]
        self.gets.setText("\n".join(told[:12]) or "No object on the stage wears it")
        if len(told) > 12:
            self.gets.setText(f"{counted(len(told), 'object')} on the stage wear it")

    def _change(self, name: str, edit: Callable[[Pick], Pick]) -> None:
        pick_id = self.pick_id
        if not self._filling and pick_id in self.session.project.picks:
            self.session.apply(name, lambda p: put_pick(p, edit(p.picks[pick_id])), "pick")

    def _weighed(self, item: QTableWidgetItem) -> None:
        if self._filling or item.column() != WEIGHT:
            return
        place, text = item.row(), item.text().strip().replace(",", ".")

        def weighed(pick: Pick) -> Pick:
            try:
                return with_weight(pick, place, float(text))
            except ValueError:
                raise BadValue(f"“{text}” is no weight: give a number, 0 or more") from None

        self._change("Set weight", weighed)
        self.show_pick(self.pick_id)

    def _take_out(self) -> None:
        row = self.looks.currentRow()
        if row >= 0:
            self._change("Take out", lambda pick: without_look(pick, row))
