"""Asks what a material may spend on each tier of devices."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import quiet_label, side_by_side
from soft_lantern.graph.document import Budget
from soft_lantern.proof.preflight import SPENT
from soft_lantern.values.words import first_numbered

MOST = 100_000
ANY = "any"


class BudgetDialog(QDialog):
    """A row for each tier. `wanted` tells the budgets that are to be; those without a name or a limit are none."""

    wanted = pyqtSignal(tuple)

    def __init__(self, budgets: Sequence[Budget], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Budgets")
        self._kept = {each.name: each.unknown for each in budgets}
        self.names: list[QLineEdit] = []
        self.limits: list[dict[str, QSpinBox]] = []
        self._grid = QGridLayout()
        self._grid.addWidget(quiet_label("tier"), 0, 0)
        for column, words in enumerate(SPENT.values(), 1):
            self._grid.addWidget(quiet_label(words), 0, column)
        self.add = tool_button("Add a tier", lambda: self.add_tier(None))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        told = quiet_label("Pre-flight says where a material spends more, and which nodes spend most", wraps=True)
        whole = QVBoxLayout(self)
        whole.addWidget(told)
        whole.addLayout(self._grid)
        whole.addWidget(side_by_side(self.add))
        whole.addWidget(buttons)
        for budget in budgets or (None,):
            self.add_tier(budget)

    def add_tier(self, budget: Budget | None) -> None:
        """One more row: a tier that is there, or a new one."""
        row = len(self.names) + 1
        name = QLineEdit(budget.name if budget else first_numbered("Tier", [each.text() for each in self.names]))
        name.setAccessibleName(f"name of tier {row}")
        self._grid.addWidget(name, row, 0)
        self.names.append(name)
        fields = {}
        for column, (key, words) in enumerate(SPENT.items(), 1):
            field = fields[key] = QSpinBox()
            field.setRange(0, MOST)
            field.setSpecialValueText(ANY)
            field.setGroupSeparatorShown(True)
            field.setValue(getattr(budget, key) if budget else 0)
            field.setAccessibleName(f"{words}, tier {row}")
            self._grid.addWidget(field, row, column)
        self.limits.append(fields)

    @property
    def budgets(self) -> tuple[Budget, ...]:
        """The tiers that have a name and a limit."""
        found = []
        for name, fields in zip(self.names, self.limits, strict=True):
            limits = {key: field.value() for key, field in fields.items()}
            text = name.text().strip()
            if text and any(limits.values()):
                found.append(Budget(name=text, unknown=self._kept.get(text, {}), **limits))
        return tuple(found)

    def accept(self) -> None:
        self.wanted.emit(self.budgets)
        super().accept()


if __name__ == "__main__":
    show_alone(lambda: BudgetDialog([Budget(name="Phone", operations=150, texture_reads=3)]))
