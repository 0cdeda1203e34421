"""The Tune desk: instances as a family tree, a large stage, and the parameter sheet of the selected instance."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QToolButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.portraits import Portraits
from soft_lantern.app.session import Session, look_choices, new_instance, sentence
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.when_seen import WhenSeen
from soft_lantern.app.widgets.parameter_control import ParameterControl
from soft_lantern.app.widgets.plan_dialog import PlanDialog
from soft_lantern.app.widgets.shelf import without_defaults
from soft_lantern.errors import LanternError
from soft_lantern.formats.value_tables import read_table, write_table
from soft_lantern.graph.document import Instance, Material, Parameter, changed, new_id
from soft_lantern.graph.family import family
from soft_lantern.graph.instances import Look, ancestry, children, look, override, put_instance, remove_instance, reset
from soft_lantern.graph.picks import worn
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.kinds import Value

INHERITED, OVERRIDDEN = "", "●"


class TuneDesk(QWidget):
    """Where designers tune. The graph cannot be reached from here."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.look_id = ""
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName("instances")
        self.tree.setEditTriggers(QTreeWidget.EditTrigger.DoubleClicked | QTreeWidget.EditTrigger.EditKeyPressed)
        self.stage = StageView(session, worker, "tune")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.sheet = Sheet()
        self.portraits = Portraits(session, worker, self)
        self.portraits.arrived.connect(self._show_portrait)
        self._items: dict[str, QTreeWidgetItem] = {}
        self._shape: object = None
        self.tree.setIconSize(QSize(40, 40))
        halves = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self._left(), with_bar(self.stage, self.stage_bar), self._right()):
            halves.addWidget(widget)
        halves.setSizes([230, 700, 350])
        halves.setStretchFactor(1, 1)
        halves.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(halves)
        self._filling = False
        self.tree.currentItemChanged.connect(self._chosen)
        self.tree.itemChanged.connect(self._renamed)
        self.sheet.value_wanted.connect(self._set_value)
        self.sheet.reset_wanted.connect(self._reset)
        self.stage.picked.connect(self._picked)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        project = self.session.project
        if self.look_id not in project.instances and self.look_id not in project.materials:
            self.look_id = next(iter(sorted(project.instances)), next(iter(sorted(project.materials)), ""))
        self._fill_tree()
        self._show_selected()
        if self.isVisible():
            self.portraits.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        self.portraits.refresh()

    def select(self, look_id: str) -> None:
        """Select an instance or material."""
        self.look_id = look_id
        self.refresh()

    def add_instance(self) -> None:
        """Make an instance of what is selected."""
        if self.look_id:
            instance = new_instance(self.session.project, self.look_id)
            self.look_id = instance.id
            self.session.attempt("Add instance", lambda: put_instance(self.session.project, instance))

    def duplicate_instance(self) -> None:
        """Make another instance with the same parent and values."""
        instance = self._instance()
        if instance:
            copy = changed(instance, id=new_id("instance"), name=f"{instance.name} copy")
            self.look_id = copy.id
            self.session.attempt("Duplicate instance", lambda: put_instance(self.session.project, copy))

    def delete_instance(self) -> None:
        """Take the selected instance away; its children keep their values."""
        instance = self._instance()
        if instance:
            self.look_id = instance.parent
            self.session.attempt("Delete instance", lambda: remove_instance(self.session.project, instance.id))

    def export_values(self) -> None:
        """Ask for a file and write the values of the selected family's instances into it."""
        material = self._material()
        if material is None:
            return
        kinds = "Tables (*.csv *.json)"
        name, _ = QFileDialog.getSaveFileName(self, "Export values", f"{material.name}.csv", kinds)
        if name:
            self.write_values(Path(name))

    def write_values(self, path: Path) -> None:
        """Write the values of the selected family's instances as CSV or JSON."""
        material = self._material()
        if material:
            try:
                write_table(self.session.project, material.id, path)
            except LanternError as error:
                self.session.told.emit(sentence(str(error)))
                return
            count = len(list(family(self.session.project, material.id)))
            self.session.told.emit(f"Wrote the values of {count} instances of {material.name} to {path}")

    def import_values(self) -> None:
        """Ask for a table, show what it would change, and change it if that is confirmed."""
        name, _ = QFileDialog.getOpenFileName(self, "Import values", "", "Tables (*.csv *.json)")
        dialog = self.plan_values(Path(name)) if name else None
        if dialog and dialog.exec():
            self.take_values(dialog)

    def plan_values(self, path: Path) -> PlanDialog | None:
        """What a table would change, as a dialog not yet shown; where it is none, that is said."""
        material = self._material()
        if material is None:
            return None
        try:
            plan = read_table(self.session.project, material.id, path)
        except LanternError as error:
            self.session.told.emit(sentence(str(error)))
            return None
        return PlanDialog(self.session.project, material, plan, self)

    def take_values(self, dialog: PlanDialog) -> None:
        """Make the changes of a dialog that was confirmed, as one step that can be undone."""
        self.session.attempt("Import values", lambda: dialog.plan.applied(self.session.project))

    def _material(self) -> Material | None:
        material = self.session.project.materials.get(self.look_id)
        return material or ancestry(self.session.project, self.look_id)[1]

    def _instance(self) -> Instance | None:
        return self.session.project.instances.get(self.look_id)

    def _left(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(10, 10, 4, 10)
        heading = QLabel("Material instances")
        heading.setProperty("heading", True)
        column.addWidget(heading)
        column.addWidget(self.tree, 1)
        row = QHBoxLayout()
        self.add_button = QPushButton("New instance")
        self.add_button.setToolTip("An instance of what is selected above")
        self.add_button.clicked.connect(self.add_instance)
        self.duplicate_button = QToolButton()
        self.duplicate_button.setText("Duplicate")
        self.duplicate_button.clicked.connect(self.duplicate_instance)
        self.delete_button = QToolButton()
        self.delete_button.setText("Delete")
        self.delete_button.clicked.connect(self.delete_instance)
        row.addWidget(self.add_button, 1)
        column.addLayout(row)
        second = QHBoxLayout()
        second.addWidget(self.duplicate_button, 1)
        second.addWidget(self.delete_button, 1)
        column.addLayout(second)
        return panel

    def _right(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(4, 10, 10, 10)
        self.name = QLabel()
        font = self.name.font()
        font.setPointSizeF(13)
        font.setBold(True)
        self.name.setFont(font)
        column.addWidget(self.name)
        column.addWidget(self.sheet, 1)
        return panel

    def _fill_tree(self) -> None:
        self._filling = True
        project = self.session.project
        shape = [
            (look_id, name, getattr(project.instances.get(look_id), "parent", ""))
            for look_id, name in look_choices(project)
        ]
        if shape == self._shape:
            self.tree.setCurrentItem(self._items.get(self.look_id))
            self._filling = False
            return
        self._shape = shape
        self.tree.clear()
        self._items = {}

        def item(look_id: str, name: str, parent: QTreeWidget | QTreeWidgetItem) -> None:
            made = self._items[look_id] = QTreeWidgetItem(parent, [name])
            made.setData(0, Qt.ItemDataRole.UserRole, look_id)
            if look_id in project.instances:
                made.setFlags(made.flags() | Qt.ItemFlag.ItemIsEditable)
            self._show_portrait(look_id)
            for child in children(project, look_id):
                item(child.id, child.name, made)

        for material in sorted(project.materials.values(), key=lambda m: m.name.lower()):
            item(material.id, material.name, self.tree)
        self.tree.expandAll()
        self.tree.setCurrentItem(self._items.get(self.look_id))
        self._filling = False

    def _show_portrait(self, look_id: str) -> None:
        image, item = self.portraits.images.get(look_id), self._items.get(look_id)
        if image and item:
            filling, self._filling = self._filling, True
            item.setIcon(0, QIcon(QPixmap.fromImage(image)))
            self._filling = filling

    def _chosen(self, item: QTreeWidgetItem | None) -> None:
        if not self._filling and item:
            self.look_id = item.data(0, Qt.ItemDataRole.UserRole)
            self._show_selected()

    def _show_selected(self) -> None:
        instance = self._instance()
        names = {i: t.name for i, t in self.session.project.textures.items()}
        self.sheet.show_look(look(self.session.project, self.look_id), instance, names)
        self.stage.card_look = self.look_id
        if self.stage.card:
            self.stage.request()
        self.name.setText(instance.name if instance else "The material’s own defaults")
        for button in (self.duplicate_button, self.delete_button):
            button.setEnabled(instance is not None)

    def _renamed(self, item: QTreeWidgetItem) -> None:
        instance = self.session.project.instances.get(item.data(0, Qt.ItemDataRole.UserRole))
        name = item.text(0).strip()
        if not self._filling and instance and name and name != instance.name:
            self.session.attempt("Rename", lambda: put_instance(self.session.project, changed(instance, name=name)))

    def _picked(self, object_id: str, part: str) -> None:
        thing = self.session.scene.object(object_id) if self.session.scene else None
        look_id = worn(self.session.project, thing, part) if thing else ""
        if look_id:
            self.select(look_id)

    def _set_value(self, parameter_id: str, value: Value) -> None:
        if self._instance():
            self.session.attempt(
                "Tune",
                lambda: override(self.session.project, self.look_id, parameter_id, value),
                f"value {self.look_id} {parameter_id}",
            )

    def _reset(self, parameter_id: str) -> None:
        if self._instance():
            self.session.attempt("Reset", lambda: reset(self.session.project, self.look_id, parameter_id))


class Sheet(QScrollArea):
    """The parameters of an instance with their values; a mark says which are overridden here, a button resets one."""

    value_wanted = pyqtSignal(str, object)
    reset_wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.controls: dict[str, ParameterControl] = {}
        self.marks: dict[str, QLabel] = {}
        self.resets: dict[str, QToolButton] = {}
        self._shown: object = None
        self.textures: dict[str, str] = {}

    def show_look(self, found: Look | None, instance: Instance | None, textures: dict[str, str] | None = None) -> None:
        """Show an instance's values, or a material's defaults to look at only. `textures`: their names by id."""
        parameters = found.material.parameters if found else ()
        shape = (without_defaults(parameters), textures)
        if shape != self._shown:
            self._shown, self.textures = shape, textures or {}
            self._build(parameters)
        for parameter in parameters:
            assert found
            self.controls[parameter.id].show_value(found.values.get(parameter.id, parameter.default))
            self.controls[parameter.id].setEnabled(instance is not None)
            overridden = instance is not None and parameter.id in instance.values
            self.marks[parameter.id].setText(OVERRIDDEN if overridden else INHERITED)
            self.marks[parameter.id].setToolTip("Set here" if overridden else "Comes from the parent")
            self.resets[parameter.id].setVisible(overridden)

    def _build(self, parameters: tuple[Parameter, ...]) -> None:
        self.controls.clear()
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 4, 0)
        for group, members in groupby(parameters, key=lambda p: p.group):
            heading = QLabel(group or "Parameters")
            heading.setProperty("heading", True)
            column.addWidget(heading)
            grid = QGridLayout()
            grid.setVerticalSpacing(8)
            grid.setColumnStretch(2, 1)
            for row, parameter in enumerate(members):
                self._add_row(grid, row, parameter)
            column.addLayout(grid)
            column.addSpacing(10)
        if not parameters:
            words = QLabel("The author has exposed nothing to tune yet")
            words.setProperty("quiet", True)
            column.addWidget(words)
        column.addStretch(1)
        self.setWidget(inside)

    def _add_row(self, grid: QGridLayout, row: int, parameter: Parameter) -> None:
        mark = QLabel()
        mark.setFixedWidth(14)
        mark.setStyleSheet("color: palette(highlight);")
        label = QLabel(parameter.label)
        label.setToolTip(parameter.tooltip)
        label.setMinimumWidth(86)
        control = ParameterControl(parameter, parameter.default, self.textures)
        control.changed.connect(lambda value: self.value_wanted.emit(parameter.id, value))
        reset_button = QToolButton()
        reset_button.setText("Reset")
        reset_button.setToolTip(f"Let {parameter.label} come from the parent again")
        reset_button.clicked.connect(lambda: self.reset_wanted.emit(parameter.id))
        policy = reset_button.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        reset_button.setSizePolicy(policy)
        for place, widget in enumerate((mark, label, control, reset_button)):
            grid.addWidget(widget, row, place)
        self.controls[parameter.id], self.marks[parameter.id] = control, mark
        self.resets[parameter.id] = reset_button
