"""Edits what a parameter is: its names, group, limits, unit, control and choices. Checks as one types."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from soft_lantern.graph.document import Parameter, changed
from soft_lantern.graph.parameters import with_choices
from soft_lantern.values.kinds import Kind


class ParameterDialog(QDialog):
    """`result_parameter` holds what was entered after the dialog was accepted."""

    def __init__(
        self, parameter: Parameter, trouble: Callable[[Parameter], str | None], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Parameter {parameter.label}")
        self.setMinimumWidth(380)
        self.parameter, self.result_parameter, self._trouble = parameter, parameter, trouble
        self.label = QLineEdit(parameter.label)
        self.identifier = QLineEdit(parameter.identifier)
        self.group = QLineEdit(parameter.group)
        self.tooltip = QLineEdit(parameter.tooltip)
        self.low, self.high = QLineEdit(_text(parameter.low)), QLineEdit(_text(parameter.high))
        self.step, self.unit = QLineEdit(_text(parameter.step)), QLineEdit(parameter.unit)
        self.control = QComboBox()
        self.control.addItems(["slider", "field"])
        self.control.setCurrentText(parameter.control)
        self.choices = QLineEdit(", ".join(parameter.choices))
        self.choices.setPlaceholderText("none: set as a number")
        self.choices.setToolTip("What 0, 1, 2 … are called, with commas between; designers then get a drop-down")
        form = QFormLayout()
        rows: list[tuple[str, QWidget]] = [
            ("Label, for people", self.label),
            ("Identifier, in code", self.identifier),
            ("Group", self.group),
            ("Tooltip", self.tooltip),
        ]
        if parameter.kind is Kind.NUMBER:
            rows += [
                ("Lower limit", self.low),
                ("Upper limit", self.high),
                ("Step", self.step),
                ("Unit", self.unit),
                ("Control", self.control),
                ("Choices", self.choices),
            ]
        for text, widget in rows:
            form.addRow(text, widget)
            widget.setAccessibleName(text)
            if isinstance(widget, QLineEdit):
                widget.textChanged.connect(self._check)
        self.words = QLabel()
        self.words.setProperty("trouble", True)
        self.words.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.words)
        layout.addWidget(self.buttons)
        self._check()

    def _check(self) -> None:
        wrong = None
        try:
            entered = changed(
                self.parameter,
                label=self.label.text().strip() or self.identifier.text().strip(),
                identifier=self.identifier.text().strip(),
                group=self.group.text().strip(),
                tooltip=self.tooltip.text().strip(),
                low=_number(self.low.text()),
                high=_number(self.high.text()),
                step=_number(self.step.text()),
                unit=self.unit.text().strip(),
                control=self.control.currentText(),
            )
            self.result_parameter = with_choices(entered, _names(self.choices.text()))
            for ruled in (self.low, self.high, self.step, self.control):
                ruled.setEnabled(not self.result_parameter.choices)
            wrong = self._trouble(self.result_parameter)
        except ValueError as error:
            wrong = str(error)
        self.words.setText((wrong or "")[:1].upper() + (wrong or "")[1:])
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        if ok:
            ok.setEnabled(wrong is None)

    def accept(self) -> None:
        self._check()
        super().accept()


def _text(number: float | None) -> str:
    return "" if number is None else f"{number:g}"


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())


def _number(text: str) -> float | None:
    text = text.replace("−", "-").replace(",", ".").strip()
    if not text:
        return None
    try:
        number = float(text)
    except ValueError:
        raise ValueError(f"“{text}” is not a number") from None
    if not abs(number) < 1e30:
        raise ValueError(f"“{text}” is too large")
    return number
