"""One parameter as designers meet it: a slider, a field, a swatch or a drop-down."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QWidget

from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.graph.document import Parameter
from soft_lantern.graph.parameters import held
from soft_lantern.values.kinds import Kind, Value, components


class ParameterControl(QWidget):
    """The control that suits a parameter. `changed` tells the value a person wants."""

    changed = pyqtSignal(object)

    def __init__(
        self,
        parameter: Parameter,
        value: Value,
        textures: Mapping[str, str] | None = None,
        parent: QWidget | None = None,
    ) -> None:
        """`textures`: the names of the textures to choose from, by id."""
        super().__init__(parent)
        self.parameter = parameter
        self.setToolTip(parameter.tooltip)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.slider: Slider | None = None
        self.field: NumberField | None = None
        self.swatch: ColourButton | None = None
        self.chooser: QComboBox | None = None
        if parameter.kind is Kind.COLOUR:
            self.swatch = ColourButton(components(value))
            self.swatch.setAccessibleName(parameter.label)
            self.swatch.changed.connect(self.changed.emit)
            layout.addWidget(self.swatch)
            layout.addStretch(1)
        elif parameter.choices:
            self._add_chooser([(name, float(index)) for index, name in enumerate(parameter.choices)])
        elif parameter.kind is Kind.NUMBER:
            low, high = parameter.low, parameter.high
            number = components(value)[0]
            if parameter.control == "slider" and low is not None and high is not None and high > low:
                self.slider = Slider(low, high, number)
                self.slider.setAccessibleName(parameter.label)
                self.slider.changed.connect(self.changed.emit)
                layout.addWidget(self.slider, 1)
            self.field = NumberField(number, low, high, parameter.step, parameter.unit)
            self.field.setAccessibleName(parameter.label)
            self.field.setMaximumWidth(84)
            self.field.changed.connect(self.changed.emit)
            layout.addWidget(self.field, 0 if self.slider else 1)
        elif parameter.kind is Kind.TEXTURE:
            known = sorted((textures or {}).items(), key=lambda each: each[1].lower())
            self._add_chooser([("none", ""), *((name, texture_id) for texture_id, name in known)])
        else:
            layout.addWidget(QLabel(", ".join(f"{part:g}" for part in components(value))))
        self.show_value(value)

    def show_value(self, value: Value) -> None:
        """Show a value without telling anyone."""
        if self.swatch:
            self.swatch.show_value(components(value))
        if self.slider:
            self.slider.show_value(components(value)[0])
        if self.field:
            self.field.show_value(components(value)[0])
        if self.chooser:
            chosen = held(self.parameter, value) if self.parameter.choices else value
            self.chooser.setCurrentIndex(max(self.chooser.findData(chosen), 0))

    def _add_chooser(self, values: list[tuple[str, Value]]) -> None:
        """A drop-down of what each value is called."""
        self.chooser = chooser = QComboBox()
        chooser.setAccessibleName(self.parameter.label)
        for name, value in values:
            chooser.addItem(name, value)
        chooser.activated.connect(lambda _: self.changed.emit(chooser.currentData()))
        layout = self.layout()
        assert isinstance(layout, QHBoxLayout)
        layout.addWidget(chooser, 1)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    example = Parameter(
        id="p", identifier="p", label="Spread", kind=Kind.NUMBER, default=1, low=0, high=10, control="slider"
    )
    show_alone(lambda: ParameterControl(example, 4.0))
