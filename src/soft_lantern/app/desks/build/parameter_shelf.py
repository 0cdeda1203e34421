"""The bottom of the Build desk: whose values are shown, the shelf of parameters, and what is done to parameters."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from soft_lantern.app.panels.change_report import ChangeReport
from soft_lantern.app.panels.parameter_dialog import ParameterDialog
from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import heading_label
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.app.widgets.shelf import Shelf
from soft_lantern.errors import LanternError
from soft_lantern.graph.document import Material, Preset, Project
from soft_lantern.graph.instances.change_report import effects
from soft_lantern.graph.instances.family import all_values, with_parameter
from soft_lantern.graph.instances.look_tree import look_choices
from soft_lantern.graph.instances.values import Look, ancestry, edited_graph, look, override
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.graph.ramps.images import readable
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.kinds import Value


class ParameterShelf(QWidget):
    """The shelf with its hands. `values_changed` tells that other values are shown, or that they are others."""

    values_changed = pyqtSignal()

    def __init__(self, session: Session, worker: RenderWorker, stage: StageView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker, self.stage = session, worker, stage
        self.shelf = Shelf()
        self.dialog: ParameterDialog | None = None
        self.report: ChangeReport | None = None
        self.values_of = PictureBox("Whose values? Part of its name")
        self.values_of.setToolTip("Whose values the shelf shows and changes, and what the stage wears")
        self.values_of.setAccessibleName("values of")
        self.values_of.setFixedWidth(140)
        self.presets = QComboBox()
        self.presets.setToolTip("Named sets of values: take one over, or keep what is shown as one")
        self.presets.setAccessibleName("presets")
        self.presets.setFixedWidth(140)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 4)
        row.setSpacing(14)
        left = QVBoxLayout()
        heading = heading_label("Parameters")
        left.addWidget(heading)
        left.addWidget(self.values_of)
        left.addWidget(self.presets)
        left.addStretch(1)
        row.addLayout(left)
        row.addWidget(self.shelf, 1)
        self.shelf.value_wanted.connect(self._set_value)
        self.shelf.edit_wanted.connect(self.edit_parameter)
        self.shelf.unexpose_wanted.connect(self.unexpose)
        self.shelf.move_wanted.connect(self._move)
        self.values_of.activated.connect(lambda _: self._refresh_values())
        self.presets.activated.connect(lambda _: self._preset_chosen())

    @property
    def shown_look(self) -> Look | None:
        """The look whose values are shown."""
        material = self.session.material
        return look(self.session.project, self.values_of.currentData() or material.id) if material else None

    def refresh(self) -> None:
        """Show how things are."""
        project, material = self.session.project, self.session.material
        entries = [
            ("Defaults" if material and look_id == material.id else name, look_id)
            for look_id, name in look_choices(project)
            if material and ancestry(project, look_id)[1] is material
        ]
        chosen = self.values_of.currentData()
        fill(self.values_of, entries, chosen if chosen in [i for _, i in entries] else material.id if material else "")
        kept = [preset.name for preset in (material.presets if material else ())]
        offered = [("Presets", ""), *((name, f"take {name}") for name in kept), ("Keep as a preset…", "keep")]
        fill(self.presets, offered + [(f"Remove {name}", f"remove {name}") for name in kept], "")
        self._refresh_values()

    def edit_parameter(self, parameter_id: str) -> None:
        """Edit what a parameter is."""
        material = self.session.material
        parameter = material.parameter(parameter_id) if material else None
        if material is None or parameter is None:
            return
        self.dialog = dialog = passing(ParameterDialog(material, parameter, self))

        def edited() -> None:
            new = dialog.result_parameter
            self._change_instances(f"Edit {new.label}", lambda project: with_parameter(project, material.id, new))

        dialog.accepted.connect(edited)
        dialog.open()

    def unexpose(self, parameter_id: str) -> None:
        """Take a parameter back into the graph."""
        material = self.session.material
        if material:
            self._change_instances(
                "Stop exposing",
                lambda project: edited_graph(project, material.id, lambda m: parameters.unexpose(m, parameter_id)),
            )

    def expose_below(self, node_id: str, port: str, place: QPoint) -> None:
        """Expose a port that was let go at a place of the screen, where that is on the shelf."""
        if self.shelf.rect().contains(self.shelf.mapFromGlobal(place)):
            self._edit("Expose", lambda m: parameters.expose(m, node_id, port)[0])

    def keep_preset(self, name: str) -> None:
        """Keep the values that are shown under a name."""
        found = self.shown_look
        if found and name.strip():
            preset = Preset(name=name.strip(), values=all_values(found))
            self._edit("Keep preset", lambda m: parameters.put_preset(m, preset))

    def take_preset(self, name: str) -> None:
        """Take the values of a preset over, into the instance that is shown or as defaults."""
        material = self.session.material
        preset = next((p for p in material.presets if p.name == name), None) if material else None
        if material is None or preset is None:
            return
        chosen = self.values_of.currentData()
        values = {p.id: preset.values[p.id] for p in material.parameters if p.id in preset.values}

        def tuned(project: Project) -> Project:
            for parameter_id, value in values.items():
                project = override(project, chosen, parameter_id, value)
            return project

        def defaults(graph: Material) -> Material:
            for parameter_id, value in values.items():
                graph = parameters.change_parameter(graph, parameter_id, default=value)
            return graph

        if chosen in self.session.project.instances:
            self.session.apply(f"Take preset {name}", tuned)
        else:
            self._edit(f"Take preset {name}", defaults)

    def _preset_chosen(self) -> None:
        wish, _, name = str(self.presets.currentData()).partition(" ")
        self.presets.setCurrentIndex(0)
        if wish == "keep":
            name, given = QInputDialog.getText(self, "Keep as a preset", "Name")
            if given:
                self.keep_preset(name)
        elif wish == "take":
            self.take_preset(name)
        elif wish == "remove":
            self._edit(f"Remove preset {name}", lambda m: parameters.remove_preset(m, name))

    def _change_instances(self, name: str, edit: Callable[[Project], Project]) -> None:
        """Make an edit; where it changes instances, only after its report was accepted."""
        session, before = self.session, self.session.project
        try:
            after = edit(before)
        except LanternError as error:
            session.told.emit(sentence(str(error)))
            return
        if not effects(before, after, session.material_id):
            session.apply(name, edit)
            return
        self.report = report = passing(ChangeReport(session, self.worker, before, after, session.material_id, self))
        report.accepted.connect(lambda: session.apply(name, lambda project: report.decided(edit(project))))
        report.rejected.connect(lambda: session.told.emit(f"{name}: left as it was"))
        report.open()

    def _refresh_values(self) -> None:
        material, found = self.session.material, self.shown_look
        chosen = self.values_of.currentData() or ""
        library = readable(self.session.project)
        self.shelf.show_parameters(
            material.parameters if material else (), dict(found.values) if found else {}, library
        )
        self.stage.modes.try_on(chosen)
        self.values_changed.emit()

    def _set_value(self, parameter_id: str, value: Value) -> None:
        chosen = self.values_of.currentData()
        merge = f"value {chosen} {parameter_id}"
        if chosen in self.session.project.instances:
            self.session.apply("Tune", lambda project: override(project, chosen, parameter_id, value), merge)
        else:
            self._edit("Set default", lambda m: parameters.change_parameter(m, parameter_id, default=value), merge)

    def _move(self, parameter_id: str, to: int, group: object) -> None:
        into = group if isinstance(group, str) else None
        self._edit("Order parameters", lambda m: parameters.move_parameter(m, parameter_id, to, into))

    def _edit(self, name: str, edit: Callable[[Material], Material], merge: str = "") -> None:
        if self.session.material:
            self.session.edit_material(name, self.session.material_id, edit, merge)
