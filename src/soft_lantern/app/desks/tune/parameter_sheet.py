"""The value sheet: the parameters of the selected instances, and of each where its value comes from."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QMenu, QScrollArea, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, tip
from soft_lantern.app.widgets.parameter_control import Library, ParameterControl
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.shelf import without_defaults
from soft_lantern.graph.document import Parameter, Project
from soft_lantern.graph.instances.family import Standing, outside, standings, value_of
from soft_lantern.graph.instances.limits import can_narrow
from soft_lantern.graph.instances.values import Look, locked_by, look
from soft_lantern.graph.parameters.edits import is_offered, limits_in_words
from soft_lantern.graph.ramps.images import readable
from soft_lantern.values.kinds import Value

MARKS = {Standing.INHERITED: "", Standing.OVERRIDDEN: "●", Standing.EQUAL: "○", Standing.LOCKED: "locked"}
OWN = {Standing.OVERRIDDEN, Standing.EQUAL}
WORDS = {
    Standing.INHERITED: "Comes from the parent",
    Standing.OVERRIDDEN: "Set here",
    Standing.EQUAL: "Set here, to what the parent has",
}

WIDEST = 420
"""Pixels that the sheet may ask of its desk."""


class ParameterSheet(QScrollArea):
    """Controls for the parameters that all shown looks have. The signals tell what a person wants of which."""

    value_wanted = pyqtSignal(str, object)
    reset_wanted = pyqtSignal(list)
    clamp_wanted = pyqtSignal(str)
    copy_wanted = pyqtSignal(object)
    """A group's name, or None for all."""
    paste_wanted = pyqtSignal()
    lock_wanted = pyqtSignal(str, bool)
    sweep_wanted = pyqtSignal(str)
    limits_wanted = pyqtSignal(str)
    """A parameter whose limits are to be narrowed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.controls: dict[str, ParameterControl] = {}
        self.marks: dict[str, QLabel] = {}
        self.resets: dict[str, QToolButton] = {}
        self.rows: dict[str, list[QWidget]] = {}
        self.labels: dict[str, str] = {}
        """What each parameter that is shown is called."""
        self.folds: dict[str, QToolButton] = {}
        self.group_buttons: dict[str, QToolButton] = {}
        self._standings: dict[str, frozenset[Standing]] = {}
        self._rows_told: dict[str, tuple[object, ...]] = {}
        """What each row was made to show last; a row whose control has been moved since is made to anew."""
        self._locks: frozenset[str] = frozenset()
        self._narrowed: frozenset[str] = frozenset()
        self._editable = False
        self._outside: set[str] = set()
        self._open: set[str] = set()
        self._shown: object = None
        self._parameters: tuple[Parameter, ...] = ()
        self._values: dict[str, Value] = {}
        self.library: Library = {}

    def show_looks(self, project: Project, look_ids: Sequence[str]) -> None:
        """Show instances' values, those that differ as mixed, or a material's defaults to look at only."""
        found = [each for each in (look(project, look_id) for look_id in look_ids) if each]
        instances = [project.instances[i] for i in look_ids if i in project.instances]
        parameters = _shared(found)
        library = readable(project)
        shape = (without_defaults(parameters), library)
        if shape != self._shown:
            self._shown, self.library = shape, library
            self._build(parameters)
        self._parameters = parameters
        self._editable = len(instances) == len(found)
        self._narrowed = frozenset(i for each in instances for i in each.limits)
        self._locks = frozenset(instances[0].locks) if len(instances) == 1 else frozenset()
        self._values = {p.id: value_of(found[0], p) for p in parameters}
        stand = [standings(project, instance, parameters) for instance in instances]
        for parameter in parameters:
            values = frozenset(value_of(each, parameter) for each in found)
            held = self._standings[parameter.id] = frozenset(each[parameter.id] for each in stand)
            locks = [locked_by(project, each.id, parameter.id) for each in instances] if Standing.LOCKED in held else []
            self._show_row(parameter, values, held, next((each.name for each in locks if each), ""))
        self._show_conditions()

    def menu_for(self, parameter_id: str) -> QMenu:
        """What can be done with one parameter."""
        menu = passing(QMenu(self))
        parameter = next(p for p in self._parameters if p.id == parameter_id)
        own = self._standings[parameter_id] & OWN
        reset = menu.addAction("Reset to the parent’s", lambda: self.reset_wanted.emit([parameter_id]))
        clamp = menu.addAction("Hold to its limits", lambda: self.clamp_wanted.emit(parameter_id))
        menu.addAction("Try values of it", lambda: self.sweep_wanted.emit(parameter_id))
        assert reset and clamp
        reset.setEnabled(bool(own))
        clamp.setEnabled(parameter_id in self._outside)
        locked = parameter.id in self._locks
        words = "Let descendants set it" if locked else "Lock it for descendants"
        menu.addAction(words, lambda: self.lock_wanted.emit(parameter_id, not locked))
        if can_narrow(parameter) and self._editable:
            menu.addAction("Narrow its limits here…", lambda: self.limits_wanted.emit(parameter_id))
        return menu

    def _show_row(
        self, parameter: Parameter, values: frozenset[Value], standings: frozenset[Standing], lock: str
    ) -> None:
        """`lock`: the name of the ancestor that locks it, where one does."""
        editable, kept = self._editable, (parameter.id in self._narrowed, parameter.id in self._locks)
        told = (parameter, values, standings, lock, editable, *kept)
        if self._rows_told.get(parameter.id) == told:
            return
        self._rows_told[parameter.id] = told
        control, mark = self.controls[parameter.id], self.marks[parameter.id]
        if len(values) == 1:
            control.show_value(next(iter(values)))
        else:
            control.show_mixed()
        locked = Standing.LOCKED in standings
        control.setEnabled(editable and not locked)
        beyond = editable and any(outside(parameter, value) for value in values)
        (self._outside.add if beyond else self._outside.discard)(parameter.id)
        shown = next(iter(standings)) if len(standings) == 1 else Standing.OVERRIDDEN if standings else None
        text = "!" if beyond else MARKS[shown] if shown else ""
        words = WORDS.get(shown, "") if shown else ""
        if locked:
            text, words = "locked", f"Locked in {lock}" if lock else "Locked above"
        elif len(standings) > 1:
            words = "Set in some of these"
        if beyond:
            words = f"Outside its limits, {limits_in_words(parameter)}; right-click to hold it"
        if parameter.id in self._narrowed:
            words = f"{words}; limits narrowed here to {limits_in_words(parameter)}".removeprefix("; ")
        if parameter.id in self._locks:
            words = f"{words}; locked for descendants".removeprefix("; ")
        mark.setText(text)
        mark.setToolTip(tip(words))

    def _want(self, parameter_id: str, value: Value) -> None:
        self._rows_told.pop(parameter_id, None)
        self.value_wanted.emit(parameter_id, value)

    def _show_conditions(self) -> None:
        """Offer what its switch asks for and no fold hides."""
        known = {p.id: p for p in self._parameters}
        for group, fold in self.folds.items():
            hidden = [p for p in self._parameters if p.group == group and p.advanced]
            fold.setVisible(any(is_offered(p, self._values, known) for p in hidden))
        for parameter in self._parameters:
            folded = parameter.advanced and parameter.group not in self._open
            shown = not folded and is_offered(parameter, self._values, known)
            for widget in self.rows[parameter.id]:
                if widget is not self.resets[parameter.id]:
                    widget.setVisible(shown)
            reset = self.resets[parameter.id]
            policy = reset.sizePolicy()
            if policy.retainSizeWhenHidden() is not shown:
                policy.setRetainSizeWhenHidden(shown)
                reset.setSizePolicy(policy)
            reset.setVisible(shown and bool(self._standings[parameter.id] & OWN))

    def _build(self, parameters: tuple[Parameter, ...]) -> None:
        for kept in (self.controls, self.marks, self.resets, self.rows, self.folds, self.group_buttons, self.labels):
            kept.clear()
        self._rows_told.clear()
        self._outside.clear()
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 4, 0)
        for group, listed in groupby(parameters, key=lambda p: p.group):
            members = list(listed)
            column.addLayout(self._head(group, members))
            grid = QGridLayout()
            grid.setVerticalSpacing(8)
            grid.setColumnStretch(2, 1)
            for row, parameter in enumerate(sorted(members, key=lambda p: p.advanced)):
                self._add_row(grid, row, parameter)
            column.addLayout(grid)
            count = sum(p.advanced for p in members)
            if count:
                column.addWidget(self._fold(group, count))
            column.addSpacing(8)
        if not parameters:
            words = quiet_label(
                "Nothing to tune: the author has exposed nothing, or these have nothing in common", wraps=True
            )
            column.addWidget(words)
        column.addStretch(1)
        self.setWidget(inside)
        self.updateGeometry()

    def minimumSizeHint(self) -> QSize:
        """As wide as its rows need, as it is not moved sideways, but for rows too long for any desk."""
        hint, inside, bar = super().minimumSizeHint(), self.widget(), self.verticalScrollBar()
        rows = inside.minimumSizeHint().width() + bar.sizeHint().width() if inside and bar else 0
        return hint.expandedTo(QSize(min(rows, WIDEST), 0))

    def _head(self, group: str, members: list[Parameter]) -> QHBoxLayout:
        row = QHBoxLayout()
        heading = heading_label(group or "Parameters")
        more = QToolButton()
        more.setText("…")
        more.setFixedSize(24, 20)
        more.setToolTip("Reset, copy or paste this group")
        more.setAccessibleName(f"group {group or 'Parameters'}")
        ids = [p.id for p in members]
        more.clicked.connect(lambda: self.group_menu(group, ids).popup(more.mapToGlobal(QPoint(0, more.height()))))
        self.group_buttons[group] = more
        row.addWidget(heading)
        row.addStretch(1)
        row.addWidget(more)
        return row

    def group_menu(self, group: str, ids: list[str]) -> QMenu:
        """What can be done with a group."""
        menu = passing(QMenu(self))
        menu.addAction("Reset this group", lambda: self.reset_wanted.emit(ids))
        menu.addAction("Reset all", lambda: self.reset_wanted.emit([p.id for p in self._parameters]))
        menu.addSeparator()
        menu.addAction("Copy this group", lambda: self.copy_wanted.emit(group))
        menu.addAction("Copy all", lambda: self.copy_wanted.emit(None))
        menu.addAction("Paste what fits", self.paste_wanted.emit)
        return menu

    def _fold(self, group: str, count: int) -> QToolButton:
        fold = QToolButton()
        fold.setCheckable(True)
        fold.setChecked(group in self._open)
        fold.setAccessibleName(f"more of {group or 'Parameters'}")

        def show(opened: bool) -> None:
            (self._open.add if opened else self._open.discard)(group)
            fold.setText("Fewer" if opened else f"{count} more")
            self._show_conditions()

        fold.setText("Fewer" if fold.isChecked() else f"{count} more")
        fold.toggled.connect(show)
        self.folds[group] = fold
        return fold

    def _add_row(self, grid: QGridLayout, row: int, parameter: Parameter) -> None:
        mark = plain_label()
        mark.setMinimumWidth(14)
        mark.setStyleSheet("color: palette(highlight);")
        label = plain_label(parameter.label)
        label.setToolTip(tip(parameter.tooltip))
        label.setMinimumWidth(86)
        label.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        label.customContextMenuRequested.connect(lambda at: self.menu_for(parameter.id).popup(label.mapToGlobal(at)))
        control = ParameterControl(parameter, parameter.default, self.library)
        control.changed.connect(lambda value: self._want(parameter.id, value))
        reset_button = QToolButton()
        reset_button.setText("Reset")
        reset_button.setToolTip(tip(f"Let {parameter.label} come from the parent again"))
        reset_button.clicked.connect(lambda: self.reset_wanted.emit([parameter.id]))
        policy = reset_button.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        reset_button.setSizePolicy(policy)
        self.labels[parameter.id] = parameter.label
        self.rows[parameter.id] = [mark, label, control, reset_button]
        for place, widget in enumerate(self.rows[parameter.id]):
            grid.addWidget(widget, row, place)
        self.controls[parameter.id], self.marks[parameter.id] = control, mark
        self.resets[parameter.id] = reset_button


def _shared(found: Sequence[Look]) -> tuple[Parameter, ...]:
    """The parameters of the one material behind all looks; none where they are of several."""
    if not found or any(each.material.id != found[0].material.id for each in found):
        return ()
    alike = all(each.parameters == found[0].parameters for each in found)
    return found[0].parameters if alike else found[0].material.parameters
