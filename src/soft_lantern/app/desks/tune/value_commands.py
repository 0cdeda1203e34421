"""What the Tune desk does to values: every edit of what is selected, by its name, and tables of values."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.desks.tune.parameter_sheet import ParameterSheet
from soft_lantern.app.desks.tune.selection import TuneSelection, each_in_turn
from soft_lantern.app.panels.change_report import ChangeReport
from soft_lantern.app.panels.plan_dialog import PlanDialog
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.limits_dialog import LimitsDialog
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.whole_look import WholeLook
from soft_lantern.errors import LanternError
from soft_lantern.formats.answers import read_values
from soft_lantern.formats.value_tables import write_table
from soft_lantern.graph.document import Project, changed
from soft_lantern.graph.instances.family import clamped, copied, descendants, narrow, pasted, with_lock
from soft_lantern.graph.instances.limits import Limits
from soft_lantern.graph.instances.shade import NONE
from soft_lantern.graph.instances.values import edited_instance, look, override, reset
from soft_lantern.graph.parameters.edits import hard_limits
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.kinds import Value


class ValueCommands(QObject):
    """Edits of the values of what is selected. Questions are asked over `over`."""

    def __init__(self, session: Session, worker: RenderWorker, selection: TuneSelection, over: QWidget) -> None:
        super().__init__(over)
        self.session, self.worker, self.selection, self.over = session, worker, selection, over
        self.clipboard: dict[str, Value] = {}
        self.report: ChangeReport | None = None

    def serve(self, sheet: ParameterSheet, whole: WholeLook) -> None:
        """Do from now on what the sheet of values asks for, and the one of the look as a whole."""
        sheet.value_wanted.connect(self.set_value)
        sheet.reset_wanted.connect(self.reset_values)
        sheet.clamp_wanted.connect(self.clamp)
        sheet.copy_wanted.connect(self.copy)
        sheet.paste_wanted.connect(self.paste)
        sheet.lock_wanted.connect(self.lock)
        sheet.limits_wanted.connect(self.ask_limits)
        whole.changed.connect(self.set_shade)
        whole.reset.connect(self.reset_shade)

    def set_value(self, parameter_id: str, value: Value) -> None:
        """Set a value of all that is selected."""
        self.set_values({parameter_id: value}, f"value {' '.join(self.selection.instances)} {parameter_id}")

    def set_values(self, values: Mapping[str, Value], merge: str = "") -> None:
        """Set some values of all that is selected."""
        if not self.selection.instances:
            self.session.told.emit("These are the material’s own defaults. Make an instance to tune")
            return

        def tuned(project: Project, each: str) -> Project:
            for parameter_id, value in values.items():
                project = override(project, each, parameter_id, value)
            return project

        self._change("Tune", tuned, merge)

    def set_shade(self, name: str, value: float) -> None:
        """Set hue, saturation or brightness of the whole look of all that is selected."""
        ids = self.selection.instances

        def turned(project: Project, each: str) -> Project:
            return edited_instance(project, each, lambda instance: changed(instance, **{name: value}))

        self._change(f"Set {name} of the look", turned, f"shade {' '.join(ids)} {name}")

    def reset_shade(self) -> None:
        """Take the layer over the colours of all that is selected away."""

        def plain(project: Project, each: str) -> Project:
            return edited_instance(project, each, lambda instance: changed(instance, **NONE._asdict()))

        self._change("Reset the whole look", plain)

    def reset_values(self, parameter_ids: list[str]) -> None:
        """Let values of all that is selected come from the parent again."""
        self._change("Reset", lambda project, each: reset(project, each, *parameter_ids))

    def reset_all(self) -> None:
        """Let every value that counts come from the parent again; what is kept aside stays."""
        found = look(self.session.project, self.selection.look_id)
        if found:
            self.reset_values([p.id for p in found.material.parameters])

    def clamp(self, *parameter_ids: str) -> None:
        """Hold values of all that is selected to their limits."""
        self._change("Hold to limits", lambda project, each: clamped(project, each, *parameter_ids))

    def lock(self, parameter_id: str, locked: bool) -> None:
        """Lock a parameter for the descendants of what is selected, or let them set it again."""
        words = "Lock parameter" if locked else "Unlock parameter"
        self._change(words, lambda project, each: with_lock(project, each, parameter_id, locked=locked))

    def ask_limits(self, parameter_id: str) -> None:
        """Ask between which limits a parameter of what is selected is to keep."""
        instance = self.selection.instance
        above = look(self.session.project, instance.parent) if instance else None
        parameter = above.parameter(parameter_id) if above else None
        if instance and parameter:
            low, high = (None if math.isinf(end) else end for end in hard_limits(parameter))
            own = instance.limits.get(parameter_id, (None, None))
            dialog = passing(LimitsDialog(parameter.label, (low, high), own, parameter.unit, self.over))
            dialog.wanted.connect(lambda limits: self.narrow(parameter_id, limits))
            dialog.open()

    def narrow(self, parameter_id: str, limits: Limits) -> None:
        """Narrow the limits of a parameter for what is selected and what stands below it."""
        self._change("Narrow limits", lambda project, each: narrow(project, each, parameter_id, limits))

    def copy(self, group: str | None) -> None:
        """Copy the values of a group, or of all."""
        found = look(self.session.project, self.selection.look_id)
        if found:
            self.clipboard = copied(found, group)
            self.session.told.emit(f"Copied {len(self.clipboard)} values")

    def paste(self) -> None:
        """Paste copied values into what is selected, those that fit."""
        if not self.clipboard:
            self.session.told.emit("Copy some values first")
            return
        values = self.clipboard
        self._change("Paste values", lambda project, each: pasted(project, each, values))

    def take_snapshot(self, snapshot_id: str) -> None:
        """Take the values of a snapshot over."""
        kept = self.session.project.snapshots.get(snapshot_id)
        if kept:
            self._take(kept.values, "Take snapshot over")

    def preset_menu(self) -> QMenu:
        """The presets of the material, to take over."""
        menu = passing(QMenu(self.over))
        material = self.selection.material
        for preset in material.presets if material else ():
            menu.addAction(preset.name, lambda preset=preset: self._take(preset.values, f"Take preset {preset.name}"))
        if menu.isEmpty():
            none = menu.addAction("The author has kept none yet")
            assert none
            none.setEnabled(False)
        return menu

    def show_changes(self) -> None:
        """Show what has become of the instances since the project was last saved."""
        material, before = self.selection.material, self.session.saver.on_disk.project
        if material:
            session, now = self.session, self.session.project
            report = ChangeReport(session, self.worker, before, now, material.id, self.over, to_decide=False)
            self.report = passing(report)
            self.report.open()

    def export_values(self) -> None:
        """Ask for a file and write the values of the selected family's instances into it."""
        material = self.selection.material
        if material:
            kinds = "Tables (*.csv *.json)"
            name, _ = QFileDialog.getSaveFileName(self.over, "Export values", f"{material.name}.csv", kinds)
            if name:
                self.write_values(Path(name))

    def write_values(self, path: Path) -> None:
        """Write the values of the selected family's instances as CSV or JSON."""
        material = self.selection.material
        if material and self.session.attempt(lambda: write_table(self.session.project, material.id, path)):
            count = len(list(descendants(self.session.project, material.id)))
            self.session.told.emit(f"Wrote the values of {count} instances of {material.name} to {path}")

    def import_values(self) -> None:
        """Ask for a table, show what it would change, and change it if that is confirmed."""
        name, _ = QFileDialog.getOpenFileName(self.over, "Import values", "", "Tables (*.csv *.json)")
        dialog = self.plan_values(Path(name)) if name else None
        if dialog and dialog.exec():
            self.take_values(dialog)

    def plan_values(self, path: Path) -> PlanDialog | None:
        """What a table would change, as a dialog not yet shown; where it is none, that is said."""
        material, project = self.selection.material, self.session.project
        if material is None:
            return None
        try:
            plan = read_values(project, material.id, path)
        except LanternError as error:
            self.session.complain(error)
            return None
        return passing(PlanDialog(project, project.materials[plan.material], plan, self.over))

    def take_values(self, dialog: PlanDialog) -> None:
        """Make the changes of a dialog that was confirmed, as one step that can be undone."""
        self.session.apply("Import values", dialog.plan.applied)

    def _take(self, values: Mapping[str, Value], name: str) -> None:
        """Set values that were kept, of the parameters that are there still, but for those that are locked."""
        material = self.selection.material
        by_identifier = {
            p.identifier: values[p.id] for p in (material.parameters if material else ()) if p.id in values
        }
        self._change(name, lambda project, each: pasted(project, each, by_identifier))

    def _change(self, name: str, edit: Callable[[Project, str], Project], merge: str = "") -> None:
        """An edit of each selected instance in turn, as one step."""
        self.session.apply(name, each_in_turn(self.selection.instances, edit), merge)


def _no_instance(commands: ValueCommands) -> str:
    return commands.selection.missing


def _no_family(commands: ValueCommands) -> str:
    return "" if commands.selection.material else "Select a material or an instance"


def _nothing_copied(commands: ValueCommands) -> str:
    return _no_instance(commands) or ("" if commands.clipboard else "Copy some values first")


VALUE_COMMANDS = (
    Command("Copy all values", lambda c: c.copy(None), hindered=_no_family, designers=True),
    Command("Paste values", ValueCommands.paste, hindered=_nothing_copied, designers=True),
    Command("Reset all values", ValueCommands.reset_all, hindered=_no_instance, designers=True),
    Command("Hold values to their limits", ValueCommands.clamp, hindered=_no_instance, designers=True),
    Command("Export values as a table", ValueCommands.export_values, hindered=_no_family, designers=True),
    Command("Import values from a table", ValueCommands.import_values, hindered=_no_family, designers=True),
    Command("Changes since the last save", ValueCommands.show_changes, hindered=_no_family, designers=True),
)
