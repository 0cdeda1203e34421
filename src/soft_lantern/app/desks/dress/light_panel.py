"""Baking light: who gives, takes and stops it, how it is baked, and how each light group is tuned afterwards."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import SteadyLabel, heading_label, plain_label, quiet_label, side_by_side, tip
from soft_lantern.app.widgets.number_field import NumberField

WHAT = ("gives", "takes", "stops", "stays")
"""What a part may do, as the columns ask it: give, take and stop light, and stay where it is."""
SHOWS = {"with": "with baked light", "alone": "baked light alone", "without": "without it", "texels": "its texels"}
NOTHING = "Nothing here gives light yet: give a look that an object wears an emissive above 0."
Row = tuple[str, str]
"""An object's id and one of its parts' names."""


class LightRow(Struct, frozen=True):
    """A part in the list: what it does, and why it does not do what it does not, by `WHAT`; "" where it was told so.

    `group`: the light group that its light counts as.
    """

    key: Row
    name: str
    does: frozenset[str]
    why_not: Mapping[str, str]
    mend: str = ""
    group: str = ""


class GroupRow(Struct, frozen=True):
    """A light group: its name, and the colour and strength by which it is tuned."""

    name: str
    colour: tuple[float, float, float]
    strength: float


class LightPanel(QWidget):
    """Shows the list and the settings; the signals tell what a person wants."""

    role_wanted = pyqtSignal(str, str, str, bool)
    """An object's id, a part's name, one of WHAT, and whether it is to do so."""
    all_wanted = pyqtSignal(str, bool)
    """The same of everything that is listed."""
    mend_wanted = pyqtSignal(str, str)
    grouped = pyqtSignal(str, str, str)
    """An object's id, a part's name, and the light group that its light is to count as."""
    chosen = pyqtSignal(str, str)
    bake_wanted = pyqtSignal()
    hold_wanted = pyqtSignal(bool)
    stop_wanted = pyqtSignal()
    setting_wanted = pyqtSignal(str, object)
    """A field of `graph.document.LightBake`, and its value."""
    group_wanted = pyqtSignal(str, tuple, float)
    """A light group, its linear colour and its strength."""
    shown_wanted = pyqtSignal(str)
    """One of SHOWS."""
    hand_over_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._filling = False
        self._rows: tuple[LightRow, ...] = ()
        self.words = quiet_label(NOTHING, wraps=True)
        self.table = _list()
        self.table.itemChanged.connect(self._ticked)
        self.table.toggled.connect(self._toggle)
        self.table.currentCellChanged.connect(lambda *_: self._chose())
        self.mend = tool_button("Mend", lambda: self.mend_wanted.emit(*self._key()))
        self.group = QLineEdit()
        self.group.setAccessibleName("light group")
        self.group.setToolTip(tip("What shares a name is baked as one, and tuned as one afterwards"))
        self.group.editingFinished.connect(self._group_typed)
        self.all_take = tool_button("Let all take light", lambda: self.all_wanted.emit("takes", True))
        self.bake = tool_button("Bake", self.bake_wanted.emit)
        self.bake.setToolTip(tip("The stage shows what there is at once, and better and better"))
        self.hold = tool_button("Hold", lambda: self.hold_wanted.emit(self.hold.isChecked()))
        self.hold.setCheckable(True)
        self.stop = tool_button("Stop", self.stop_wanted.emit)
        self.state = SteadyLabel()
        self.samples, self.bounces, self.seed = (QSpinBox() for _ in range(3))
        for spin, low, high in ((self.samples, 1, 65_536), (self.bounces, 0, 32), (self.seed, 0, 999_999)):
            spin.setRange(low, high)
            spin.setKeyboardTracking(False)
        self.texels = NumberField(16.0, 0.1, 512.0, 1.0, "/m")
        self.probes = NumberField(1.0, 0.0, 100.0, 0.25, "m")
        self.denoise, self.sky = QCheckBox("take the noise off"), QCheckBox("the sky gives light")
        self.shown = QComboBox()
        for key, words in SHOWS.items():
            self.shown.addItem(words, key)
        self.hand_over = tool_button("Hand over…", self.hand_over_wanted.emit)
        self.hand_over.setToolTip(tip("Light maps as OpenEXR and PNG, meshes with their coordinates, probes as JSON"))
        self.groups = QWidget()
        self._group_grid = QGridLayout(self.groups)
        self._group_grid.setContentsMargins(0, 0, 0, 0)
        self._group_fields: dict[str, tuple[ColourButton, NumberField]] = {}
        self._lay_out()
        for name, field in (("texels", self.texels), ("probes", self.probes)):
            field.changed.connect(lambda value, name=name: self.setting_wanted.emit(name, value))
        for name, spin in (("samples", self.samples), ("bounces", self.bounces), ("seed", self.seed)):
            spin.valueChanged.connect(lambda value, name=name: self._set(name, value))
        self.denoise.clicked.connect(lambda on: self.setting_wanted.emit("denoise", on))
        self.sky.clicked.connect(lambda on: self.setting_wanted.emit("sky", on))
        self.shown.activated.connect(lambda _: self.shown_wanted.emit(str(self.shown.currentData())))
        self.show_running(running=False, held=False)

    def _lay_out(self) -> None:
        named = (
            *((self.samples, "samples"), (self.bounces, "bounces"), (self.seed, "seed")),
            *((self.texels, "texels a metre"), (self.probes, "probes every")),
            (self.shown, "what of baked light is shown"),
        )
        for widget, name in named:
            widget.setAccessibleName(name)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(heading_label("Who gives, takes and stops light"))
        column.addWidget(self.words)
        column.addWidget(self.table, 1)
        self.group_label = plain_label("light group")
        column.addWidget(side_by_side(self.group_label, self.group, filled=True))
        column.addWidget(side_by_side(self.mend, self.all_take))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        fields = (("samples", self.samples), ("bounces", self.bounces), ("texels", self.texels), ("seed", self.seed))
        for number, (words, field) in enumerate((*fields, ("probes", self.probes))):
            grid.addWidget(quiet_label(words), number // 2, number % 2 * 2)
            grid.addWidget(field, number // 2, number % 2 * 2 + 1)
        column.addWidget(heading_label("Bake"))
        column.addLayout(grid)
        column.addWidget(side_by_side(self.denoise, self.sky))
        column.addWidget(side_by_side(self.bake, self.hold, self.stop))
        column.addWidget(self.state)
        column.addWidget(heading_label("Light groups"))
        column.addWidget(self.groups)
        column.addWidget(side_by_side(plain_label("show"), self.shown, self.hand_over))

    def show_rows(self, rows: Sequence[LightRow], chosen: Row) -> None:
        """Show who takes part, and which part is selected."""
        if tuple(rows) != self._rows:
            self._rows = tuple(rows)
            self._fill()
        at = next((n for n, row in enumerate(self._rows) if row.key == chosen), -1)
        if at < 0:
            at = next((n for n, row in enumerate(self._rows) if row.key[0] == chosen[0]), -1)
        self._filling = True
        if at != self.table.currentRow():
            self.table.setCurrentCell(at, 0)
        self._filling = False
        self.words.setVisible(not any("gives" in row.does for row in self._rows))
        self._explain()

    @property
    def rows(self) -> tuple[LightRow, ...]:
        """What is listed."""
        return self._rows

    def show_settings(self, values: Mapping[str, float], groups: Sequence[GroupRow], state: str) -> None:
        """Show the fields of `graph.document.LightBake` by name, the groups, and how the light is, in words."""
        self._filling = True
        for name in ("samples", "bounces", "seed"):
            if getattr(self, name).value() != int(values[name]):
                getattr(self, name).setValue(int(values[name]))
        for name in ("texels", "probes"):
            getattr(self, name).show_value(values[name])
        for name in ("denoise", "sky"):
            getattr(self, name).setChecked(bool(values[name]))
        self._filling = False
        self.state.setText(state)
        self._show_groups(groups)
        self.hand_over.setEnabled(bool(groups))

    def show_running(self, *, running: bool, held: bool) -> None:
        """Show whether light is being baked, and waits."""
        self.bake.setEnabled(not running)
        self.hold.setEnabled(running)
        self.stop.setEnabled(running)
        self.hold.setChecked(held)

    def show_shown(self, key: str) -> None:
        """Show what of baked light the stage shows."""
        self.shown.setCurrentIndex(list(SHOWS).index(key))

    def _toggle(self, what: str) -> None:
        at = self.table.currentRow()
        if at >= 0:
            self.role_wanted.emit(*self._rows[at].key, what, what not in self._rows[at].does)

    def _fill(self) -> None:
        self._filling = True
        self.table.setRowCount(len(self._rows))
        for number, row in enumerate(self._rows):
            reasons = ", ".join(dict.fromkeys(why for why in row.why_not.values() if why))
            item = QTableWidgetItem(f"{row.name}\n{reasons}" if reasons else row.name)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            item.setToolTip(tip(f"{row.name}: {reasons}" if reasons else row.name))
            self.table.setItem(number, 0, item)
            for column, what in enumerate(WHAT, 1):
                box = QTableWidgetItem()
                why = row.why_not.get(what, "")
                able = Qt.ItemFlag.ItemIsUserCheckable if not why else Qt.ItemFlag.NoItemFlags
                box.setFlags(Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled | able)
                box.setCheckState(Qt.CheckState.Checked if what in row.does else Qt.CheckState.Unchecked)
                box.setToolTip(tip(f"{row.name} does not: {why}" if why else f"{row.name}: {what}"))
                self.table.setItem(number, column, box)
        self._filling = False

    def _show_groups(self, groups: Sequence[GroupRow]) -> None:
        if list(self._group_fields) != [group.name for group in groups]:
            while self._group_grid.count():
                item = self._group_grid.takeAt(0)
                widget = item.widget() if item else None
                if widget:
                    widget.hide()
                    widget.deleteLater()
            self._group_fields = {}
            for number, group in enumerate(groups):
                colour, strength = ColourButton((1.0, 1.0, 1.0, 1.0)), NumberField(1.0, 0.0, 1000.0, 0.05, "×")
                colour.setAccessibleName(f"colour of {group.name}")
                strength.setAccessibleName(f"strength of {group.name}")
                colour.changed.connect(lambda _, name=group.name: self._tuned(name))
                strength.changed.connect(lambda _, name=group.name: self._tuned(name))
                for column, widget in enumerate((plain_label(group.name), colour, strength)):
                    self._group_grid.addWidget(widget, number, column)
                self._group_fields[group.name] = colour, strength
        for group in groups:
            colour, strength = self._group_fields[group.name]
            colour.show_value((*group.colour, 1.0))
            strength.show_value(group.strength)

    def _tuned(self, name: str) -> None:
        colour, strength = self._group_fields[name]
        self.group_wanted.emit(name, tuple(colour.value[:3]), strength.value)

    def _set(self, name: str, value: int) -> None:
        if not self._filling:
            self.setting_wanted.emit(name, value)

    def _ticked(self, item: QTableWidgetItem) -> None:
        if not self._filling and item.column():
            on = item.checkState() == Qt.CheckState.Checked
            self.role_wanted.emit(*self._rows[item.row()].key, WHAT[item.column() - 1], on)

    def _chose(self) -> None:
        self._explain()
        if not self._filling and self.table.currentRow() >= 0:
            self.chosen.emit(*self._key())

    def _explain(self) -> None:
        at = self.table.currentRow()
        row = self._rows[at] if 0 <= at < len(self._rows) else None
        self.mend.setVisible(bool(row and row.mend))
        self.mend.setText(row.mend if row else "")
        gives = bool(row and "gives" in row.does)
        self.group.setVisible(gives)
        self.group_label.setVisible(gives)
        if not self.group.hasFocus():
            self.group.setText(row.group if row else "")

    def _group_typed(self) -> None:
        at = self.table.currentRow()
        if 0 <= at < len(self._rows) and self.group.text().strip() != self._rows[at].group:
            self.grouped.emit(*self._rows[at].key, self.group.text().strip())

    def _key(self) -> Row:
        return self._rows[self.table.currentRow()].key


class LightTable(QTableWidget):
    """The list; G, T, S and Y let the row that is selected give, take or stop light, or stay, or not."""

    toggled = pyqtSignal(str)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        what = KEYS.get(Qt.Key(event.key()))
        if what:
            self.toggled.emit(what)
        else:
            super().keyPressEvent(event)


KEYS = {Qt.Key.Key_G: "gives", Qt.Key.Key_T: "takes", Qt.Key.Key_S: "stops", Qt.Key.Key_Y: "stays"}


def _list() -> LightTable:
    table = LightTable(0, 1 + len(WHAT))
    table.setAccessibleName("who gives, takes and stops light")
    table.setHorizontalHeaderLabels(["", *WHAT])
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
    across, down = table.horizontalHeader(), table.verticalHeader()
    assert across is not None and down is not None
    down.hide()
    across.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
    for column in range(1, 1 + len(WHAT)):
        across.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
    down.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    table.setMinimumHeight(170)
    table.setWordWrap(False)
    table.setTabKeyNavigation(False)
    return table


if __name__ == "__main__":
    show_alone(LightPanel)
