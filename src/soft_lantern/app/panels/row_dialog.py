"""Asks how copies of an object are to stand in a row."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QSpinBox, QWidget

from soft_lantern.app.widgets.labels import side_by_side
from soft_lantern.app.widgets.number_field import NumberField

MOST = 500


class RowDialog(QDialog):
    """`wanted`: how many copies, and the step from each to the next in metres."""

    wanted = pyqtSignal(int, tuple)

    def __init__(self, name: str, step: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Copies of {name} in a row")
        self.count = QSpinBox()
        self.count.setAccessibleName("copies")
        self.count.setRange(1, MOST)
        self.count.setValue(3)
        self.step = [NumberField(at, unit="m", step=0.1) for at in (step, 0.0, 0.0)]
        for field, axis in zip(self.step, "xyz", strict=True):
            field.setAccessibleName(f"step {axis}")
        form = QFormLayout(self)
        form.addRow("copies", self.count)
        form.addRow("each further by", side_by_side(*self.step))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def accept(self) -> None:
        self.wanted.emit(self.count.value(), tuple(field.value for field in self.step))
        super().accept()
