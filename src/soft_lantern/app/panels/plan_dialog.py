"""What a table of values would change, and what of it is wrong: nothing happens until it is confirmed."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QListWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.formats.answers import change_in_words
from soft_lantern.formats.value_tables import Plan
from soft_lantern.graph.document import Material, Project
from soft_lantern.values.words import counted


class PlanDialog(QDialog):
    """Shows a plan for a material's instances; accepted, its changes are to be made."""

    def __init__(self, project: Project, material: Material, plan: Plan, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Import values")
        self.plan = plan
        self.resize(640, 460)
        column = QVBoxLayout(self)
        count, wrong = len(plan.changes), len(plan.troubles)
        self.words = plain_label(_in_words(plan, material, project))
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.table = QTableWidget(count, 4)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(["instance", "parameter", "now", "then"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header, rows = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for row, change in enumerate(plan.changes):
            texts = change_in_words(plan, project, material, change)
            for place, text in enumerate(texts):
                self.table.setItem(row, place, QTableWidgetItem(text))
        column.addWidget(self.table, 2)
        self.troubles = QListWidget()
        self.troubles.addItems([str(trouble) for trouble in plan.troubles])
        self.troubles.setVisible(wrong > 0)
        self.troubles.setWordWrap(True)
        if wrong:
            warning = plain_label(f"{wrong} cell{'s are' if wrong != 1 else ' is'} wrong and left out:")
            warning.setProperty("trouble", True)
            column.addWidget(warning)
        column.addWidget(self.troubles, 1)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Apply | QDialogButtonBox.StandardButton.Cancel)
        apply = self.buttons.button(QDialogButtonBox.StandardButton.Apply)
        assert apply
        apply.setText(f"Add {counted(len(plan.added), 'look')}" if plan.added else f"Change {counted(count, 'value')}")
        apply.setEnabled(bool(count or plan.added))
        apply.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        apply.clicked.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column.addWidget(self.buttons)


def _in_words(plan: Plan, material: Material, project: Project) -> str:
    """What a plan comes to, and what is said of the looks that it adds."""
    if not plan.added:
        return f"{counted(len(plan.changes), 'value')} of {material.name} would change"
    said = [f"{counted(len(plan.added), 'look')} of {material.name} would be added:"]
    for each in plan.added:
        remark = plan.remarks.get(each.id, "")
        parent = project.instances.get(each.parent)
        above = parent.name if parent else material.name
        said.append(f"{each.name}, from {above}" + (f": “{remark}”" if remark else ""))
    return "\n".join(said)
