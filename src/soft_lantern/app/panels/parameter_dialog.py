"""Edits what a parameter is: its names, kind, limits, slider, control and when it is shown. Checks as one types."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import plain_label, quiet_label, side_by_side
from soft_lantern.errors import LanternError
from soft_lantern.graph.document import Material, Parameter, changed
from soft_lantern.graph.notices.suggested_limits import suggested_limits
from soft_lantern.graph.parameters.edits import RESERVED, USES, readers, trouble_with_parameter, with_choices
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.nodes.formula import number_of
from soft_lantern.values.kinds import Kind

USE_WORDS = {
    "": "any",
    "whole": "whole number",
    "switch": "switch, off or on",
    "direction": "direction",
    "scale": "scale",
    "range": "range, from and to",
    "gradient": "gradient",
    "palette": "palette",
}
SCALE_WORDS = {"linear": "linear", "log": "by ratio (log)", "stops": "in stops"}
CONTROL_WORDS = {"slider": "slider", "field": "field"}


class ParameterDialog(QDialog):
    """`result_parameter` holds what was entered after the dialog was accepted."""

    def __init__(self, material: Material, parameter: Parameter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Parameter {parameter.label}")
        self.setMinimumWidth(440)
        self.material, self.parameter, self.result_parameter = material, parameter, parameter
        self.label = QLineEdit(parameter.label)
        self.identifier = QLineEdit(parameter.identifier)
        self.group = QLineEdit(parameter.group)
        self.tooltip = QLineEdit(parameter.tooltip)
        self.kind = _box({k: k.words for k in Kind}, parameter.kind)
        self.use = _box({u: USE_WORDS[u] for u in USES.get(parameter.kind, ("",))}, parameter.use)
        self.low, self.high = QLineEdit(_text(parameter.low)), QLineEdit(_text(parameter.high))
        self.soft_low, self.soft_high = QLineEdit(_text(parameter.soft_low)), QLineEdit(_text(parameter.soft_high))
        for edit in (self.soft_low, self.soft_high):
            edit.setPlaceholderText("as the limit")
        self.suggest = QPushButton("Suggest")
        self.suggest.setToolTip("The widest limits that bring no new notice, by the bounds of the graph")
        self.step, self.unit = QLineEdit(_text(parameter.step)), QLineEdit(parameter.unit)
        self.control = _box(CONTROL_WORDS, parameter.control)
        self.scale = _box(SCALE_WORDS, parameter.scale)
        self.choices = QLineEdit(", ".join(parameter.choices))
        self.choices.setPlaceholderText("none: set as a number")
        self.choices.setToolTip("What 0, 1, 2 … are called, with commas between; designers then get a drop-down")
        self.alpha, self.hdr = QCheckBox("with alpha"), QCheckBox("brighter than white (HDR)")
        self.alpha.setChecked(parameter.alpha)
        self.hdr.setChecked(parameter.hdr)
        self.advanced = QCheckBox("folded away as advanced")
        self.advanced.setChecked(parameter.advanced)
        self.shown_when = _box(self._rulers(), (parameter.shown_when, parameter.shown_value))
        self.refers = QCheckBox("show")
        self.refers.setChecked(parameter.reference is not None)
        self.reference = ColourButton(parameter.reference or (0.5, 0.5, 0.5, 1.0), alpha=False)
        self.words = plain_label()
        self.words.setProperty("trouble", True)
        self.words.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.form = QFormLayout()
        layout = QVBoxLayout(self)
        layout.addLayout(self.form)
        self._rows: dict[str, QWidget] = {}
        self._add_rows()
        layout.addWidget(self.words)
        layout.addWidget(self.buttons)
        self._taken = {p.identifier for p in material.parameters if p.id != parameter.id} | RESERVED
        own = parameter.identifier == as_identifier(parameter.label, self._taken, "parameter")
        self._follows = own and not parameter.shipped
        if parameter.shipped:
            self.identifier.setToolTip("It has gone out in an export: whoever reads that knows it by this name")
        self.label.textEdited.connect(self._follow_label)
        self.identifier.textEdited.connect(self._identifier_typed)
        self.kind.currentIndexChanged.connect(self._kind_chosen)
        self.suggest.clicked.connect(self.suggest_limits)
        self._check()

    def _follow_label(self, label: str) -> None:
        """The identifier follows the label, until somebody types one or it has gone out."""
        if self._follows:
            self.identifier.setText(as_identifier(label, self._taken, "parameter"))

    def _identifier_typed(self) -> None:
        self._follows = False

    def suggest_limits(self) -> None:
        """Fill in the limits that follow from the graph."""
        found = suggested_limits(self.material, self.parameter.id)
        if found is None:
            self.words.setText("The graph sets this no limits")
            return
        self.low.setText(_text(found[0]))
        self.high.setText(_text(found[1]))

    def accept(self) -> None:
        self._check()
        super().accept()

    def _add_rows(self) -> None:
        limits, soft = (
            side_by_side(self.low, self.high, self.suggest, filled=True),
            side_by_side(self.soft_low, self.soft_high, filled=True),
        )
        reading = quiet_label(", ".join(readers(self.material, self.parameter.id)) or "nothing yet", wraps=True)
        self._add("Label, for people", self.label)
        self._add("Identifier, in code", self.identifier)
        self._add("Group", self.group)
        self._add("Tooltip", self.tooltip)
        self._add("Kind", self.kind)
        self._add("What it is", self.use)
        self._add("Choices", self.choices)
        self._add("Limits", limits)
        self._add("Slider ends", soft)
        self._add("Slider runs", self.scale)
        self._add("Step", self.step)
        self._add("Unit", self.unit)
        self._add("Control", self.control)
        self._add("Colour", side_by_side(self.alpha, self.hdr, filled=True))
        self._add("Match a colour", side_by_side(self.refers, self.reference, filled=True))
        self._add("Shown", self.shown_when)
        self._add("", self.advanced)
        self._add("Read by", reading)
        for name, edit in (
            ("Lower limit", self.low),
            ("Upper limit", self.high),
            ("Slider’s lower end", self.soft_low),
            ("Slider’s upper end", self.soft_high),
        ):
            edit.setAccessibleName(name)
        for edit in self.findChildren(QLineEdit):
            edit.textChanged.connect(self._check)
        for box in self.findChildren(QComboBox):
            box.activated.connect(self._check)
        for tick in self.findChildren(QCheckBox):
            tick.clicked.connect(self._check)
        self.reference.changed.connect(lambda _: self.refers.setChecked(True))
        self.reference.changed.connect(self._check)
        self._show_rows()

    def _add(self, name: str, widget: QWidget) -> None:
        self._rows[name] = widget
        if name and not widget.accessibleName():
            widget.setAccessibleName(name)
        self.form.addRow(name, widget)

    def _show_rows(self) -> None:
        """Only what the kind has."""
        kind: Kind = self.kind.currentData()
        number, colour = kind is Kind.NUMBER, kind is Kind.COLOUR
        vector = kind in (Kind.VECTOR2, Kind.VECTOR3, Kind.VECTOR4)
        for name, shown in {
            "What it is": len(USES.get(kind, ())) > 1,
            "Choices": number,
            "Limits": number or vector,
            "Slider ends": number,
            "Slider runs": number,
            "Step": number or vector,
            "Unit": number or vector,
            "Control": number,
            "Colour": colour,
        }.items():
            self.form.setRowVisible(self._rows[name], shown)

    def _kind_chosen(self) -> None:
        uses = USES.get(self.kind.currentData(), ("",))
        self.use.clear()
        for use in uses:
            self.use.addItem(USE_WORDS[use], use)
        self._show_rows()
        self._check()

    def _rulers(self) -> dict[tuple[str, float], str]:
        """What this can be shown by: each state of each switch and choice."""
        found: dict[tuple[str, float], str] = {("", 1.0): "always"}
        for other in self.material.parameters:
            if other.id != self.parameter.id and (other.choices or other.use == "switch"):
                for value, name in enumerate(other.choices or ("off", "on")):
                    found[other.id, float(value)] = f"when {other.label} is {name}"
        return found

    def _check(self) -> None:
        wrong = None
        try:
            self.result_parameter = self._entered()
            for ruled in (self.low, self.high, self.step, self.control, self.soft_low, self.soft_high, self.scale):
                ruled.setEnabled(not self.result_parameter.choices and self.result_parameter.use != "switch")
            if self.result_parameter.kind is self.parameter.kind:
                wrong = trouble_with_parameter(self.material, self.result_parameter)
        except (ValueError, LanternError) as error:
            wrong = str(error)
        self.words.setText((wrong or "")[:1].upper() + (wrong or "")[1:])
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        if ok:
            ok.setEnabled(wrong is None)

    def _entered(self) -> Parameter:
        shown_when, shown_value = self.shown_when.currentData()
        reference: Any = self.reference.value if self.refers.isChecked() else None
        entered = changed(
            self.parameter,
            label=self.label.text().strip() or self.identifier.text().strip(),
            identifier=self.identifier.text().strip(),
            group=self.group.text().strip(),
            tooltip=self.tooltip.text().strip(),
            kind=self.kind.currentData(),
            use=self.use.currentData() or "",
            low=_number(self.low.text()),
            high=_number(self.high.text()),
            soft_low=_number(self.soft_low.text()),
            soft_high=_number(self.soft_high.text()),
            step=_number(self.step.text()),
            unit=self.unit.text().strip(),
            control=self.control.currentData(),
            scale=self.scale.currentData(),
            alpha=self.alpha.isChecked(),
            hdr=self.hdr.isChecked(),
            advanced=self.advanced.isChecked(),
            shown_when=shown_when,
            shown_value=shown_value,
            reference=reference,
        )
        if entered.kind is not Kind.NUMBER:
            entered = changed(entered, choices=(), scale="linear", soft_low=None, soft_high=None)
            if entered.kind is Kind.COLOUR or entered.kind.is_read:
                entered = changed(entered, low=None, high=None, step=None)
            return entered
        # A slider that ran further than new limits now ends with them.
        if None not in (entered.soft_high, entered.high) and entered.soft_high >= entered.high:  # type: ignore[operator]
            entered = changed(entered, soft_high=None)
        if None not in (entered.soft_low, entered.low) and entered.soft_low <= entered.low:  # type: ignore[operator]
            entered = changed(entered, soft_low=None)
        if entered.use == "switch":
            entered = changed(entered, low=0.0, high=1.0, soft_low=None, soft_high=None, scale="linear")
        return with_choices(entered, _names(self.choices.text()))


def _box(entries: dict[Any, str], chosen: object) -> QComboBox:
    """A drop-down of what each value is called."""
    box = QComboBox()
    for value, words in entries.items():
        box.addItem(words, value)
    box.setCurrentIndex(max(list(entries).index(chosen) if chosen in entries else 0, 0))
    return box


def _text(number: float | None) -> str:
    return "" if number is None else f"{number:g}"


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())


def _number(text: str) -> float | None:
    if not text.strip():
        return None
    number = number_of(text)
    if not abs(number) < 1e30:
        raise ValueError(f"“{text}” is too large")
    return number
