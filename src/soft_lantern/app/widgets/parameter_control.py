"""One parameter as designers meet it: a slider, a field, a tick, a swatch, a drop-down, or fields for a vector."""

from __future__ import annotations

import math
from collections.abc import Mapping

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFrame, QHBoxLayout, QWidget

from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.app.widgets.ramp_icon import ramp_icon
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.app.widgets.vector_control import VectorControl
from soft_lantern.graph.document import Gradient, Palette, Parameter, Texture
from soft_lantern.graph.parameters.edits import held, slider_ends
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, Value, components

Library = Mapping[Kind, Mapping[str, Texture | Gradient | Palette]]
STRIP = QSize(40, 12)


class ParameterControl(QWidget):
    """The control that suits a parameter. `changed` tells the value a person wants."""

    changed = pyqtSignal(object)

    def __init__(
        self,
        parameter: Parameter,
        value: Value,
        library: Library | None = None,
        parent: QWidget | None = None,
    ) -> None:
        """`library`: what to choose from, by id, for each kind that is read."""
        super().__init__(parent)
        self.parameter = parameter
        self.setToolTip(tip(parameter.tooltip))
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(6)
        self.slider: Slider | None = None
        self.field: NumberField | None = None
        self.swatch: ColourButton | None = None
        self.chooser: QComboBox | None = None
        self.tick: QCheckBox | None = None
        self.vector: VectorControl | None = None
        if parameter.kind is Kind.COLOUR:
            self._add_swatch(components(value))
        elif parameter.choices:
            self._add_chooser([(name, float(index)) for index, name in enumerate(parameter.choices)])
        elif parameter.use == "switch":
            self._add_tick()
        elif parameter.kind is Kind.NUMBER:
            self._add_number(components(value)[0])
        elif parameter.kind.is_read:
            self._add_read((library or {}).get(parameter.kind, {}))
        else:
            self._add_vector(components(value))
        if parameter.reference is not None:
            self._add_reference(parameter.reference)
        self.show_value(value)

    def show_value(self, value: Value) -> None:
        """Show a value without telling anyone."""
        if self.swatch:
            self.swatch.show_value(components(value))
        if self.slider:
            self.slider.show_value(components(value)[0])
        if self.field:
            self.field.show_value(self._in_field(components(value)[0]))
        if self.vector:
            self.vector.show_value(components(value))
        if self.tick:
            self.tick.setTristate(False)
            self.tick.setChecked(components(value)[0] >= 0.5)
        if self.chooser:
            chosen = held(self.parameter, value) if self.parameter.choices else value
            self.chooser.setCurrentIndex(max(self.chooser.findData(chosen), 0))

    def entry(self) -> QWidget:
        """Where the value is typed or chosen from the keyboard."""
        first = self.vector.fields[0] if self.vector else None
        return self.field or self.swatch or first or self.tick or self.chooser or self

    def show_mixed(self) -> None:
        """Show that several values are meant that differ."""
        for part in (self.swatch, self.slider, self.field, self.vector):
            if part:
                part.show_mixed()
        if self.tick:
            self.tick.setTristate(True)
            self.tick.setCheckState(self.tick.checkState().PartiallyChecked)
        if self.chooser:
            self.chooser.setCurrentIndex(-1)
            self.chooser.setPlaceholderText("mixed")

    def _add_number(self, number: float) -> None:
        parameter = self.parameter
        ends = slider_ends(parameter) if parameter.control == "slider" else None
        whole = parameter.use == "whole"
        if ends:
            step = parameter.step or (1.0 if whole else None)
            ratio = parameter.scale != "linear"
            self.slider = Slider(*ends, number, ratio=ratio, step=None if ratio else step)
            self.slider.setAccessibleName(parameter.label)
            self.slider.changed.connect(self.changed.emit)
            self._row.addWidget(self.slider, 1)
        if parameter.scale == "stops":
            low, high = (end if end is None else self._in_field(end) for end in (parameter.low, parameter.high))
            self.field = NumberField(self._in_field(number), low, high, parameter.step or 0.1, "stops")
        else:
            low, high = parameter.low, parameter.high
            self.field = NumberField(number, low, high, parameter.step, parameter.unit, whole=whole)
        self.field.setAccessibleName(parameter.label)
        self.field.setMaximumWidth(84)
        self.field.changed.connect(lambda typed: self.changed.emit(self._from_field(typed)))
        self._row.addWidget(self.field, 0 if self.slider else 1)

    def _in_field(self, number: float) -> float:
        """A number as its field counts it: of a parameter in stops, the stops above 1."""
        return math.log2(max(number, 1e-30)) if self.parameter.scale == "stops" else number

    def _from_field(self, typed: float) -> float:
        return 2.0**typed if self.parameter.scale == "stops" else typed

    def _add_swatch(self, value: tuple[float, ...]) -> None:
        self.swatch = ColourButton(value, alpha=self.parameter.alpha, hdr=self.parameter.hdr)
        self.swatch.setAccessibleName(self.parameter.label)
        self.swatch.changed.connect(self.changed.emit)
        self._row.addWidget(self.swatch, 1)

    def _add_vector(self, value: tuple[float, ...]) -> None:
        p = self.parameter
        self.vector = VectorControl(value, p.low, p.high, p.step, p.unit, p.use, p.label)
        self.vector.changed.connect(self.changed.emit)
        self._row.addWidget(self.vector, 1)

    def _add_tick(self) -> None:
        self.tick = QCheckBox()
        self.tick.setAccessibleName(self.parameter.label)
        self.tick.clicked.connect(lambda on: self.changed.emit(float(on)))
        self._row.addWidget(self.tick)
        self._row.addStretch(1)

    def _add_reference(self, colour: tuple[float, ...]) -> None:
        """The colour to match, beside the control."""
        self.reference = QFrame()
        self.reference.setFixedSize(14, 18)
        self.reference.setStyleSheet(f"background: {screen_colour(colour).name()}; border-radius: 2px;")
        self.reference.setToolTip(tip(f"The colour to match: {colour_to_hex(colour)}"))
        self._row.addWidget(self.reference)

    def _add_read(self, known: Mapping[str, Texture | Gradient | Palette]) -> None:
        """A drop-down of textures, gradients or palettes; the latter with a strip of their colours."""
        listed = sorted(known.items(), key=lambda each: each[1].name.lower())
        kind = str(self.parameter.kind)
        self._add_chooser([("none", ""), *((each.name, key) for key, each in listed)], kind)
        assert self.chooser
        self.chooser.setIconSize(STRIP)
        for row, (_, each) in enumerate(listed, 1):
            if not isinstance(each, Texture):
                self.chooser.setItemIcon(row, ramp_icon(each))

    def _add_chooser(self, values: list[tuple[str, Value]], kind: str = "") -> None:
        """A drop-down of what each value is called; of records of a kind, with their pictures."""
        self.chooser = chooser = PictureBox(f"Which {kind}? Part of its name") if kind else QComboBox()
        chooser.setAccessibleName(self.parameter.label)
        for name, value in values:
            chooser.addItem(name, value)
        chooser.activated.connect(lambda _: self.changed.emit(chooser.currentData()))
        self._row.addWidget(chooser, 1)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    example = Parameter(
        id="p", identifier="p", label="Spread", kind=Kind.NUMBER, default=1, low=0, high=10, control="slider"
    )
    show_alone(lambda: ParameterControl(example, 4.0))
