"""Asks between which limits a value is to keep, narrower than it has to."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QGridLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.number_field import NumberField


class LimitsDialog(QDialog):
    """`wanted` tells the least and the most, None for one that stays as it is above."""

    wanted = pyqtSignal(object)

    def __init__(
        self,
        name: str,
        above: tuple[float | None, float | None],
        own: tuple[float | None, float | None],
        unit: str = "",
        parent: QWidget | None = None,
    ) -> None:
        """`above`: the limits it has to keep to; `own`: those that are narrowed already, if any."""
        super().__init__(parent)
        self.setWindowTitle(f"Limits of {name}")
        grid = QGridLayout(self)
        grid.addWidget(
            quiet_label("For this look and those below it. Values beyond are held to them", wraps=True), 0, 0, 1, 2
        )
        self.boxes: list[QCheckBox] = []
        self.fields: list[NumberField] = []
        for row, words in enumerate(("at least", "at most")):
            known = own[row] if own[row] is not None else above[row]
            box, field = QCheckBox(words), NumberField(known if known is not None else float(row), *above, unit=unit)
            box.setChecked(own[row] is not None)
            field.setAccessibleName(words)
            field.changed.connect(lambda _, box=box: box.setChecked(True))
            grid.addWidget(box, row + 1, 0)
            grid.addWidget(field, row + 1, 1)
            self.boxes.append(box)
            self.fields.append(field)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        grid.addWidget(self.buttons, 3, 0, 1, 2)

    def accept(self) -> None:
        self.wanted.emit(
            tuple(f.value if b.isChecked() else None for b, f in zip(self.boxes, self.fields, strict=True))
        )
        super().accept()


if __name__ == "__main__":
    show_alone(lambda: LimitsDialog("Roughness", (0.0, 1.0), (None, 0.6)))
