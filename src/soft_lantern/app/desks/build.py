"""The Build desk: canvas, stage and parameter shelf."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSplitter, QVBoxLayout, QWidget

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.session import Session, look_choices, sentence
from soft_lantern.app.stage.object_panel import ObjectPanel
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.parameter_dialog import ParameterDialog
from soft_lantern.app.widgets.shelf import Shelf
from soft_lantern.errors import LanternError
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material
from soft_lantern.graph.instances import ancestry, look, override
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.kinds import Value


class BuildDesk(QWidget):
    """Where a graph is built and its parameters are exposed."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.canvas = Canvas()
        self.stage = StageView(session, worker, "build")
        self.stage_bar = StageBar(session, self.stage)
        self.objects = ObjectPanel(session)
        self.shelf = Shelf()
        self.values_of = QComboBox()
        self.values_of.setToolTip("Whose values the shelf shows and changes, and what the stage wears")
        self.values_of.setAccessibleName("values of")
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(10, 8, 10, 8)
        column.addWidget(self.stage, 1)
        column.addWidget(self.stage_bar)
        column.addWidget(self.objects)
        halves = QSplitter(Qt.Orientation.Horizontal)
        halves.addWidget(self.canvas)
        halves.addWidget(side)
        halves.setStretchFactor(0, 3)
        halves.setStretchFactor(1, 2)
        halves.setSizes([870, 410])
        halves.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(halves, 1)
        layout.addLayout(self._bottom())
        self.canvas.edited.connect(session.apply_material)
        self.canvas.told.connect(lambda text: session.told.emit(sentence(text)))
        self.canvas.exposed_below.connect(self._expose_below)
        self.shelf.value_wanted.connect(self._set_value)
        self.shelf.edit_wanted.connect(self.edit_parameter)
        self.shelf.unexpose_wanted.connect(self._unexpose)
        self.shelf.move_wanted.connect(self._move)
        self.shelf.place_wanted.connect(
            lambda parameter: self.canvas.place_parameter(parameter, QPointF(self.canvas.rect().center()))
        )
        self.values_of.activated.connect(lambda _: self._refresh_values())
        self.stage.picked.connect(self.select_object)
        self.objects.selected.connect(self.select_object)
        session.changed.connect(lambda old, new: self.refresh())
        session.opened_material.connect(self.refresh)
        session.notices_changed.connect(lambda: self.canvas.show_notices(session.notices))
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        material = self.session.material
        self.canvas.show_material(material)
        self._fill_values_of(material)
        self._refresh_values()

    def select_object(self, object_id: str, part: str = "") -> None:
        """Select an object of the scene on the stage and in the panel."""
        self.stage.selected = object_id
        self.stage.update()
        self.objects.show_object(object_id, part if part and self._wears_itself(object_id, part) else "")

    def edit_parameter(self, parameter_id: str) -> None:
        """Edit what a parameter is."""
        material = self.session.material
        parameter = material.parameter(parameter_id) if material else None
        if material is None or parameter is None:
            return
        dialog = ParameterDialog(parameter, lambda new: edits.trouble_with_parameter(material, new), self)
        if dialog.exec():
            new = dialog.result_parameter
            fields = {name: getattr(new, name) for name in new.__struct_fields__ if name not in ("id", "kind")}
            self._attempt(f"Edit {new.label}", lambda m: edits.change_parameter(m, parameter_id, **fields))

    def _bottom(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(12, 6, 12, 4)
        row.setSpacing(14)
        left = QVBoxLayout()
        heading = QLabel("Parameters")
        heading.setProperty("heading", True)
        left.addWidget(heading)
        left.addWidget(self.values_of)
        left.addStretch(1)
        self.values_of.setFixedWidth(140)
        row.addLayout(left)
        row.addWidget(self.shelf, 1)
        return row

    def _fill_values_of(self, material: Material | None) -> None:
        chosen = self.values_of.currentData()
        self.values_of.clear()
        if material:
            for look_id, name in look_choices(self.session.project):
                if ancestry(self.session.project, look_id)[1] is material:
                    self.values_of.addItem("Defaults" if look_id == material.id else name, look_id)
        self.values_of.setCurrentIndex(max(self.values_of.findData(chosen), 0))

    def _refresh_values(self) -> None:
        material, chosen = self.session.material, self.values_of.currentData() or ""
        found = look(self.session.project, chosen) if material else None
        self.shelf.show_parameters(material.parameters if material else (), dict(found.values) if found else {})
        if self.stage.dress_as != chosen:
            self.stage.dress(chosen)

    def _set_value(self, parameter_id: str, value: Value) -> None:
        chosen = self.values_of.currentData()
        merge = f"value {chosen} {parameter_id}"
        if chosen in self.session.project.instances:
            self.session.attempt("Tune", lambda: override(self.session.project, chosen, parameter_id, value), merge)
        else:
            self._attempt("Set default", lambda m: edits.change_parameter(m, parameter_id, default=value), merge)

    def _unexpose(self, parameter_id: str) -> None:
        self._attempt("Take back into the graph", lambda m: edits.unexpose(m, parameter_id))

    def _move(self, parameter_id: str, to: int) -> None:
        self._attempt("Order parameters", lambda m: edits.move_parameter(m, parameter_id, to))

    def _expose_below(self, node_id: str, port: str, place: QPoint) -> None:
        if self.shelf.rect().contains(self.shelf.mapFromGlobal(place)):
            self._attempt("Expose", lambda m: edits.expose(m, node_id, port)[0])

    def _attempt(self, name: str, edit, merge: str = "") -> None:  # type: ignore[no-untyped-def]
        material = self.session.material
        if material is None:
            return
        try:
            self.session.apply_material(name, edit(material), merge)
        except LanternError as error:
            self.session.told.emit(sentence(str(error)))

    def _wears_itself(self, object_id: str, part: str) -> bool:
        thing = self.session.scene.object(object_id) if self.session.scene else None
        return bool(thing and part in thing.wears)
