"""Random variations of a look within chosen spreads: pictures to choose from; the liked ones become instances."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.desks.tune.sweep_strip import tried
from soft_lantern.app.pictures.miniatures import Miniatures
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.pixel_image import picture_icon
from soft_lantern.app.widgets.tick_list import TickList
from soft_lantern.errors import BadValue
from soft_lantern.formats.value_tables import read_value
from soft_lantern.graph.document import Parameter, Project
from soft_lantern.graph.instances.sweeps import MOST_VARIATIONS, Spread, kept_variations, variations
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.parameters.edits import slider_ends
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.kinds import Kind, Value

SIDE = 96
HOW = ("uniform", "normal", "list")
HOW_WORDS = {"uniform": "evenly between", "normal": "mostly in the middle of", "list": "one of"}


class VariationDialog(QDialog):
    """Beside the window; the pictures follow what is chosen. Accepted, what is ticked is kept as instances."""

    def __init__(self, session: Session, worker: RenderWorker, parent_id: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.parent_id = session, parent_id
        found = look(session.project, parent_id)
        named = session.project.instances.get(parent_id) or session.project.materials.get(parent_id)
        self.setWindowTitle(f"Variations of {named.name if named else ''}")
        self.resize(760, 560)
        self.rows = [_Row(p) for p in (found.parameters if found else ())]
        self.count = QSpinBox()
        self.count.setRange(1, MOST_VARIATIONS)
        self.count.setValue(12)
        self.count.setSuffix(" variations")
        self.seed = QSpinBox()
        self.seed.setRange(0, 2**31 - 1)
        self.seed.setPrefix("seed ")
        self.again = QPushButton("Others")
        self.again.setToolTip("Another seed")
        self.name = QLineEdit(f"{named.name if named else 'Look'} variation")
        self.name.setAccessibleName("name of what is kept")
        self.pictures = TickList()
        self.pictures.setSelectionMode(QListWidget.SelectionMode.NoSelection)  # a highlight would hide the colours
        self.pictures.setToolTip("Click a picture to keep it")
        self.pictures.setViewMode(QListWidget.ViewMode.IconMode)
        self.pictures.setIconSize(QSize(SIDE, SIDE))
        self.pictures.setGridSize(QSize(SIDE + 34, SIDE + 30))
        self.pictures.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.pictures.setAccessibleName("variations")
        self.words = plain_label()
        self.words.setProperty("trouble", True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.sets: list[dict[str, Value]] = []
        self._miniatures = Miniatures(session, worker, "variations", self)
        self._miniatures.arrived.connect(self._show_picture)
        self._lay_out()
        for row in self.rows:
            row.changed = self.refresh
        self.count.valueChanged.connect(self.refresh)
        self.seed.valueChanged.connect(self.refresh)
        self.again.clicked.connect(lambda: self.seed.setValue(self.seed.value() + 1))
        self.pictures.ticks_changed.connect(self._enable)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.refresh()

    @property
    def settled(self) -> bool:
        """Whether all pictures have come."""
        return self._miniatures.settled

    @property
    def liked(self) -> list[dict[str, Value]]:
        """The values of those that are ticked."""
        return [self.sets[int(number)] for number in self.pictures.ticked]

    def refresh(self) -> None:
        """Draw the variations that are asked for."""
        self._miniatures.forget()
        self.pictures.clear()
        self.sets = []
        project = self.session.project
        try:
            spreads = [row.spread(project) for row in self.rows if row.on.isChecked()]
            if spreads:
                self.sets = variations(project, self.parent_id, spreads, self.count.value(), self.seed.value())
            self.words.setText("" if spreads else "Tick what is to vary")
        except BadValue as error:
            self.words.setText(str(error)[:1].upper() + str(error)[1:])
        for number, values in enumerate(self.sets):
            self.pictures.add(number, f"{number + 1}")
            there, look_id = tried(project, self.parent_id, values)
            self._miniatures.want(number, there, look_id, SIDE)
        self._enable()

    def accept(self) -> None:
        name, liked, kept = self.name.text().strip() or "Variation", self.liked, self.parent_id
        self.session.apply(
            f"Keep {len(liked)} variations", lambda project: kept_variations(project, kept, name, liked)[0]
        )
        super().accept()

    def done(self, result: int) -> None:
        self._miniatures.forget()
        super().done(result)

    def _enable(self) -> None:
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        if ok:
            ok.setText(f"Keep {len(self.liked)}")
            ok.setEnabled(bool(self.liked))

    def _show_picture(self, number: int, image: QImage) -> None:
        item = self.pictures.item(number)
        if item:
            item.setIcon(picture_icon(image))

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setColumnStretch(4, 1)
        for number, row in enumerate(self.rows):
            for place, widget in enumerate((row.on, row.how, row.low, row.high, row.listed)):
                grid.addWidget(widget, number, place)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setMaximumHeight(190)
        column.addWidget(area)
        line = QHBoxLayout()
        for widget in (self.count, self.seed, self.again):
            line.addWidget(widget)
        line.addWidget(self.words, 1)
        column.addLayout(line)
        column.addWidget(self.pictures, 1)
        last = QHBoxLayout()
        last.addWidget(plain_label("Keep as"))
        last.addWidget(self.name, 1)
        last.addWidget(self.buttons)
        column.addLayout(last)


class _Row:
    """How one parameter varies."""

    def __init__(self, parameter: Parameter) -> None:
        self.parameter = parameter
        self.on = QCheckBox(parameter.label)
        self.how = QComboBox()
        only = parameter.kind.is_read or bool(parameter.choices) or parameter.use == "switch"
        for how in ("list",) if only else HOW:
            self.how.addItem(HOW_WORDS[how], how)
        self.how.setAccessibleName(f"how {parameter.label} varies")
        colour = parameter.kind is Kind.COLOUR
        low, high = (-40.0, 40.0) if colour else slider_ends(parameter) or (0.0, 1.0)
        ends = (None, None) if colour else (parameter.low, parameter.high)
        unit = "° of hue" if colour else parameter.unit
        self.low, self.high = NumberField(low, *ends, unit=unit), NumberField(high, *ends, unit=unit)
        self.listed = QLineEdit()
        self.listed.setPlaceholderText("values with ; between")
        self.listed.setAccessibleName(f"list for {parameter.label}")
        self.changed: Callable[[], object] = lambda: None
        self.on.clicked.connect(lambda _: self._tell())
        self.how.activated.connect(lambda _: self._tell())
        for field in (self.low, self.high):
            field.changed.connect(lambda _: self._tell())
        self.listed.editingFinished.connect(self._tell)
        self._show()

    def spread(self, project: Project) -> Spread:
        """The spread that is chosen. Raises BadValue where the list cannot be read."""
        how = self.how.currentData()
        texts = [text.strip() for text in self.listed.text().split(";") if text.strip()] if how == "list" else []
        if how == "list" and not texts and (self.parameter.choices or self.parameter.use == "switch"):
            texts = [str(number) for number in range(len(self.parameter.choices) or 2)]
        values = tuple(read_value(self.parameter, text, project) for text in texts)
        return Spread(self.parameter.id, how, self.low.value, self.high.value, values)

    def _tell(self) -> None:
        self._show()
        self.changed()

    def _show(self) -> None:
        listed = self.how.currentData() == "list"
        for widget in (self.how, self.low, self.high, self.listed):
            widget.setEnabled(self.on.isChecked())
        self.low.setVisible(not listed)
        self.high.setVisible(not listed)
        self.listed.setVisible(listed)
