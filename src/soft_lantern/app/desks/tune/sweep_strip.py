"""A strip of small pictures: one parameter at several values, or two as a grid; a click takes the value."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.pictures.miniatures import Miniatures
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import plain_label, quiet_label, tip
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.pixel_image import picture_icon
from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Instance, Parameter, Project, changed
from soft_lantern.graph.instances.family import value_of
from soft_lantern.graph.instances.sweeps import FEWEST, MOST, sweep, usual_ends
from soft_lantern.graph.instances.values import Look, look
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, Value, components

SIDE, GRID_SIDE = 104, 72
SWEEPABLE = (Kind.NUMBER, Kind.COLOUR)


class SweepStrip(QWidget):
    """Pictures of a look at values of one or two parameters. `values_wanted` tells those of the picture clicked."""

    values_wanted = pyqtSignal(dict)

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.look_id = ""
        self.first, self.second = QComboBox(), QComboBox()
        self.first.setAccessibleName("parameter to try")
        self.second.setAccessibleName("second parameter to try")
        for box in (self.first, self.second):  # their names come and change while they are shown
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(5)
            box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.count = QSpinBox()
        self.count.setRange(max(FEWEST, 5), MOST)
        self.count.setSuffix(" values")
        self.count.setAccessibleName("how many values")
        self.low, self.high = NumberField(0.0), NumberField(1.0)
        self.low.setAccessibleName("from")
        self.high.setAccessibleName("to")
        self.close_button = QToolButton()
        self.close_button.setText("Close")
        self.words = quiet_label()
        self.cells: dict[tuple[int, int], QToolButton] = {}
        self.cell_values: dict[tuple[int, int], dict[str, Value]] = {}
        self._ends_of = ""
        self._starts: dict[tuple[str, str], Value] = {}
        self._shown: object = None
        self._miniatures = Miniatures(session, worker, "sweep", self)
        self._miniatures.arrived.connect(self._show_picture)
        what, between = QHBoxLayout(), QHBoxLayout()
        for widget in (plain_label("Try"), self.first, plain_label("with"), self.second, self.close_button):
            what.addWidget(widget)
        for field in (self.count, self.low, self.high):
            between.addWidget(field)
        between.addWidget(self.words, 1)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 0, 6, 0)
        column.addLayout(what)
        column.addLayout(between)
        column.addWidget(self.area)
        self.first.activated.connect(lambda _: self.refresh())
        self.second.activated.connect(lambda _: self.refresh())
        self.count.valueChanged.connect(lambda _: self.refresh())
        self.low.changed.connect(lambda _: self.refresh())
        self.high.changed.connect(lambda _: self.refresh())
        self.close_button.clicked.connect(self.close_strip)
        self.hide()

    @property
    def settled(self) -> bool:
        """Whether all pictures have come."""
        return self._miniatures.settled

    def open_on(self, look_id: str, parameter_id: str = "", second_id: str = "") -> None:
        """Show the strip for a look, with one or two of its parameters."""
        self.look_id = look_id
        self.show()
        self.refresh(parameter_id, second_id)

    def show_look(self, look_id: str) -> None:
        """Let the strip, if it is open, show another look or the same as it is now."""
        self.look_id = look_id
        if not self.isHidden():
            self.refresh()

    def close_strip(self) -> None:
        """Put the strip away."""
        self._miniatures.forget()
        self._shown = None
        self._starts.clear()
        self.hide()

    def refresh(self, parameter_id: str = "", second_id: str = "") -> None:
        """Show how things are; pictures of what is unchanged are left alone."""
        found = look(self.session.project, self.look_id)
        known = {p.id: p for p in found.parameters if p.kind in SWEEPABLE} if found else {}
        entries = [(p.label, p.id) for p in known.values()]
        first = parameter_id or self.first.currentData()
        first = first if first in known else next(iter(known), "")
        second = second_id or self.second.currentData() or ""
        fill(self.first, entries, first)
        fill(self.second, [("none other", ""), *entries], second if second in known and second != first else "")
        if found is None or not first:
            self._fill([], [], None)
            return
        self._show_ends(known[first], value_of(found, known[first]))
        try:
            across = self._steps(known[first], found, ends=True)
            other = known.get(self.second.currentData() or "")
            down = self._steps(other, found) if other else []
        except BadValue as error:
            self.words.setText(str(error))
            self._fill([], [], None)
            return
        self.words.setText("")
        rest = tuple(sorted((key, value) for key, value in found.values.items() if key not in (first, second)))
        shown = (found.material, self.look_id, rest, first, other and other.id, across, down)
        if shown != self._shown:
            self._shown = shown
            self._fill([(known[first], value) for value in across], [(other, v) for v in down] if other else [], found)
        for key, cell in self.cells.items():
            cell.setChecked(all(value_of(found, known[p]) == v for p, v in self.cell_values[key].items()))

    def _show_ends(self, parameter: Parameter, value: Value) -> None:
        ranged = parameter.kind is Kind.NUMBER and not parameter.choices and parameter.use != "switch"
        for field in (self.low, self.high):
            field.setVisible(ranged)
        self.count.setVisible(ranged or parameter.kind is Kind.COLOUR)
        if self._ends_of != parameter.id and ranged:
            self._ends_of = parameter.id
            for field, end in zip((self.low, self.high), usual_ends(parameter, value), strict=True):
                field.low, field.high = parameter.low, parameter.high
                field.show_value(end)

    def _steps(self, parameter: Parameter, found: Look, *, ends: bool = False) -> list[Value]:
        """The values to try. A colour turns from what it was when the strip came to it: taking one moves none."""
        chosen = (self.low.value, self.high.value) if ends and self.low.isVisibleTo(self) else None
        key = (self.look_id, parameter.id)
        if key not in self._starts:
            self._starts = {k: v for k, v in self._starts.items() if k[0] == self.look_id}
            self._starts[key] = value_of(found, parameter)
        return sweep(parameter, self._starts[key], self.count.value(), chosen)

    def _fill(
        self, across: list[tuple[Parameter, Value]], down: list[tuple[Parameter, Value]], found: Look | None
    ) -> None:
        self._miniatures.forget()
        self.cells.clear()
        self.cell_values.clear()
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        side = GRID_SIDE if down else SIDE
        bar = self.area.horizontalScrollBar()
        below = bar.sizeHint().height() if bar else 0
        self.area.setFixedHeight(min((side + 36) * max(len(down), 1), 330) + 8 + below)
        for column, (parameter, value) in enumerate(across):
            for row, (other, second) in enumerate(down or [(parameter, value)]):
                values = {parameter.id: value} | ({other.id: second} if down else {})
                words = _words(parameter, value) + (f" · {_words(other, second)}" if down else "")
                grid.addWidget(self._cell((row, column), values, words, side, found), row, column)
        grid.setColumnStretch(len(across), 1)
        grid.setRowStretch(max(len(down), 1), 1)
        self.area.setWidget(inside)

    def _cell(
        self, key: tuple[int, int], values: dict[str, Value], words: str, side: int, found: Look | None
    ) -> QToolButton:
        cell = QToolButton()
        cell.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        cell.setIconSize(QSize(side, side))
        cell.setFixedSize(side + 12, side + 34)
        cell.setText(words)
        cell.setToolTip(tip(f"Take {words}"))
        cell.setAccessibleName(f"try {words}")
        cell.setCheckable(True)
        cell.clicked.connect(lambda: self.values_wanted.emit(values))
        self.cells[key], self.cell_values[key] = cell, values
        if found:
            project, look_id = tried(self.session.project, self.look_id, values)
            self._miniatures.want(key, project, look_id, side)
        return cell

    def _show_picture(self, key: tuple[int, int], image: QImage) -> None:
        if key in self.cells:
            self.cells[key].setIcon(picture_icon(image))


def tried(project: Project, look_id: str, values: dict[str, Value]) -> tuple[Project, str]:
    """The project where a look has other values, and the look's id: of a material, that of an instance made for it."""
    instance = project.instances.get(look_id) or Instance(id="tried", name="tried", parent=look_id)
    instance = changed(instance, values={**instance.values, **values})
    return changed(project, instances={**project.instances, instance.id: instance}), instance.id


def _words(parameter: Parameter, value: Value) -> str:
    parts = components(value)
    if parameter.kind is Kind.COLOUR:
        return colour_to_hex(parts[:3])
    if parameter.choices:
        return parameter.choices[round(parts[0])]
    if parameter.use == "switch":
        return "on" if parts[0] else "off"
    return f"{parts[0]:.3g} {parameter.unit}".strip().replace("-", "−")
