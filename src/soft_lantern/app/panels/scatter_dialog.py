"""Asks how copies of an object are to be strewn round it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QFormLayout, QSpinBox, QWidget

from soft_lantern.app.widgets.number_field import NumberField

MOST = 500


class ScatterDialog(QDialog):
    """`wanted`: how many, within how many metres, whether each is turned, and the seed."""

    wanted = pyqtSignal(int, float, bool, int)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Scatter copies of {name}")
        self.count = QSpinBox()
        self.count.setRange(1, MOST)
        self.count.setValue(8)
        self.radius = NumberField(3.0, 0.01, None, unit="m", step=0.5)
        self.turned = QCheckBox("each turned by chance")
        self.turned.setChecked(True)
        self.seed = QSpinBox()
        self.seed.setRange(0, 2**31 - 1)
        self.seed.setValue(1)
        form = QFormLayout(self)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("copies", self.count),
            ("within", self.radius),
            ("", self.turned),
            ("seed", self.seed),
        )
        for words, widget in rows:
            widget.setAccessibleName(words or self.turned.text())
            form.addRow(words, widget)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def accept(self) -> None:
        self.wanted.emit(self.count.value(), self.radius.value, self.turned.isChecked(), self.seed.value())
        super().accept()
