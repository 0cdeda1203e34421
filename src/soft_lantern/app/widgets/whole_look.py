"""Hue, saturation and brightness of a whole look, each as a slider with its number."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import heading_label, quiet_label, tip
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.slider import Slider

ENDS = {"hue": (-180.0, 180.0, "°"), "saturation": (-1.0, 1.0, ""), "brightness": (-0.5, 0.5, "")}
"""The ends of each slider, and its unit; fields take more."""


class WholeLook(QWidget):
    """`changed` tells which of the three a person wants, and how much; `reset` that none is wanted."""

    changed = pyqtSignal(str, float)
    reset = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sliders: dict[str, Slider] = {}
        self.fields: dict[str, NumberField] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        head = heading_label("Whole look")
        head.setToolTip(tip("A layer over all colours of this look and of those below it; gradients and palettes stay"))
        grid.addWidget(head, 0, 0, 1, 2)
        self.reset_button = tool_button("Reset", self.reset.emit)
        grid.addWidget(self.reset_button, 0, 2)
        for row, (name, (low, high, unit)) in enumerate(ENDS.items(), 1):
            slider, field = Slider(low, high, 0.0), NumberField(0.0, unit=unit, step=1.0 if unit else 0.01)
            field.setMaximumWidth(84)
            for part in (slider, field):
                part.setAccessibleName(f"{name} of the whole look")
            slider.changed.connect(lambda value, name=name: self.changed.emit(name, value))
            field.changed.connect(lambda value, name=name: self.changed.emit(name, value))
            grid.addWidget(quiet_label(name), row, 0)
            grid.addWidget(slider, row, 1)
            grid.addWidget(field, row, 2)
            self.sliders[name], self.fields[name] = slider, field

    def show_values(self, values: dict[str, float] | None) -> None:
        """Show the three; None where nothing can have them."""
        self.setEnabled(values is not None)
        for name in ENDS:
            self.sliders[name].show_value((values or {}).get(name, 0.0))
            self.fields[name].show_value((values or {}).get(name, 0.0))
        self.reset_button.setEnabled(any((values or {}).values()))


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(WholeLook)
