"""What the Tune desk does to instances: every edit of the family tree and of values, by its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

from soft_lantern.app.change_report import ChangeReport
from soft_lantern.app.session import sentence
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.plan_dialog import PlanDialog
from soft_lantern.errors import LanternError
from soft_lantern.formats.value_tables import read_table, write_table
from soft_lantern.graph.document import Instance, Material, Pick, Project, changed, new_id
from soft_lantern.graph.family import clamped, copied, duplicated, family, new_instance, pasted, reparent, with_lock
from soft_lantern.graph.instances import ancestry, look, override, put_instance, remove_instance, reset
from soft_lantern.graph.picks import put_pick
from soft_lantern.values.kinds import Value

if TYPE_CHECKING:
    from soft_lantern.app.desks.tune import TuneDesk

Entry = tuple[str, Callable[[], object], int]
"""Words, what it does, and how many selected instances it needs; no words make a line between groups."""


class InstanceHands:
    """The hands of one Tune desk."""

    def __init__(self, desk: TuneDesk) -> None:
        self.desk, self.session = desk, desk.session
        self.clipboard: dict[str, Value] = {}
        self.report: ChangeReport | None = None

    def entries(self) -> list[Entry]:
        """Everything that can be done with what is selected."""
        return [
            ("New instance", self.add, 0),
            ("Duplicate", self.duplicate, 1),
            ("Duplicate with its descendants", lambda: self.duplicate(descendants=True), 1),
            ("Delete", self.delete, 1),
            ("", self.add, 0),
            ("Favourite, or no longer", self.toggle_favourite, 1),
            ("Put into a folder…", self.ask_folder, 1),
            ("Tags…", self.ask_tags, 1),
            ("", self.add, 0),
            ("Copy all values", lambda: self.copy(None), 1),
            ("Paste values that fit", self.paste, 1),
            ("Reset all values", self.reset_all, 1),
            ("Hold all values to their limits", lambda: self.clamp(), 1),
            ("", self.add, 0),
            ("Try values", self.desk.try_values, 0),
            ("Vary", self.desk.vary, 0),
            ("Make a pick of these", self.make_pick, 1),
            ("Changes since the last save", self.show_changes, 0),
        ]

    # The tree

    def add(self) -> None:
        """Make an instance of what is selected."""
        desk, project = self.desk, self.session.project
        if desk.look_id in project.instances or desk.look_id in project.materials:
            instance = new_instance(project, desk.look_id)
            self._select(instance.id)
            self.session.attempt("Add instance", lambda: put_instance(self.session.project, instance))
            desk.tree.setFocus()  # so that F2 names it

    def duplicate(self, *, descendants: bool = False) -> None:
        """Make another instance with the same parent and values, with copies of its descendants if asked."""
        instance = self.desk.instance()
        if instance:
            made, copy_id = duplicated(self.session.project, instance.id, descendants=descendants)
            self._select(copy_id)
            self.session.apply("Duplicate instance", made)

    def delete(self) -> None:
        """Take the selected instances away; their children keep their values."""
        ids = self.desk.instances()
        if ids:
            project = self.session.project
            self._select(project.instances[ids[0]].parent)
            for each in ids:
                project = remove_instance(project, each)
            self.session.apply("Delete instance" if len(ids) == 1 else f"Delete {len(ids)} instances", project)

    def rename(self, look_id: str, name: str) -> None:
        """Give an instance or pick another name."""
        project = self.session.project
        instance, pick = project.instances.get(look_id), project.picks.get(look_id)
        if instance and name != instance.name:
            self.session.attempt("Rename", lambda: put_instance(project, changed(instance, name=name)))
        elif pick and name != pick.name:
            self.session.attempt("Rename", lambda: put_pick(project, changed(pick, name=name)))

    def put_under(self, look_ids: list[str], target: str) -> None:
        """Ask how instances are to come under another parent; put looks dropped on a pick into it."""
        project = self.session.project
        if target in project.picks:
            pick = project.picks[target]
            looks = (*pick.looks, *(each for each in look_ids if each not in pick.looks))
            self.session.attempt("Put into pick", lambda: put_pick(project, changed(pick, looks=looks)))
            return
        ids = [i for i in look_ids if i in project.instances and project.instances[i].parent != target]
        if ids:
            menu = passing(QMenu(self.desk))
            menu.addAction("Keep how it looks", lambda: self.set_parent(ids, target, keep=True))
            menu.addAction("Take on what the new parent has", lambda: self.set_parent(ids, target, keep=False))
            menu.popup(QCursor.pos())

    def set_parent(self, look_ids: list[str], parent_id: str, *, keep: bool) -> None:
        """Put instances under another parent, their looks kept or worked out anew."""

        def moved() -> Project:
            project = self.session.project
            for each in look_ids:
                project = reparent(project, each, parent_id, keep=keep)
            return project

        self.session.attempt("Put under another parent", moved)

    def toggle_favourite(self) -> None:
        """Make the selected instances favourites, or no longer where they all are."""
        chosen = self._instances()
        on = not all(each.favourite for each in chosen)
        self._change_each("Favourite", lambda instance: changed(instance, favourite=on))

    def ask_folder(self) -> None:
        """Ask for a folder and put the selected instances into it."""
        instance = self.desk.instance()
        known = sorted({each.folder for each in self.session.project.instances.values() if each.folder} | {""})
        at = known.index(instance.folder) if instance else 0
        name, given = QInputDialog.getItem(self.desk, "Folder", "Folder; empty takes out of it", known, at, True)
        if given:
            self.set_folder(name)

    def set_folder(self, name: str) -> None:
        """Put the selected instances into a folder; "" takes them out."""
        self._change_each("Put into a folder", lambda instance: changed(instance, folder=name.strip()))

    def ask_tags(self) -> None:
        """Ask for tags of the selected instances."""
        instance = self.desk.instance()
        if instance:
            text, given = QInputDialog.getText(
                self.desk, "Tags", "Tags with commas between", text=", ".join(instance.tags)
            )
            if given:
                self.set_tags(text)

    def set_tags(self, text: str) -> None:
        """Give the selected instances these tags, with commas between."""
        tags = tuple(dict.fromkeys(tag.strip() for tag in text.split(",") if tag.strip()))
        self._change_each("Set tags", lambda instance: changed(instance, tags=tags))

    def make_pick(self) -> None:
        """Make a pick of the selected instances."""
        project, looks = self.session.project, tuple(self.desk.instances())
        taken = {pick.name for pick in project.picks.values()}
        name = next(f"Pick {n}" for n in range(1, len(taken) + 2) if f"Pick {n}" not in taken)
        pick = Pick(id=new_id("pick"), name=name, looks=looks)
        self._select(pick.id)
        self.session.attempt("Make pick", lambda: put_pick(self.session.project, pick))

    # Values

    def set_value(self, parameter_id: str, value: Value) -> None:
        """Set a value of all that is selected."""
        self.set_values({parameter_id: value}, f"value {' '.join(self.desk.instances())} {parameter_id}")

    def set_values(self, values: Mapping[str, Value], merge: str = "") -> None:
        """Set some values of all that is selected."""
        ids = self.desk.instances()
        if not ids:
            self.session.told.emit("These are the material’s own defaults. Make an instance to tune")
            return

        def tuned() -> Project:
            project = self.session.project
            for each in ids:
                for parameter_id, value in values.items():
                    project = override(project, each, parameter_id, value)
            return project

        self.session.attempt("Tune", tuned, merge)

    def reset_values(self, parameter_ids: list[str]) -> None:
        """Let values of all that is selected come from the parent again."""
        self._change_project("Reset", lambda project, each: reset(project, each, *parameter_ids))

    def reset_all(self) -> None:
        """Let every value that counts come from the parent again; what is kept aside stays."""
        found = look(self.session.project, self.desk.look_id)
        if found:
            self.reset_values([p.id for p in found.material.parameters])

    def clamp(self, *parameter_ids: str) -> None:
        """Hold values of all that is selected to their limits."""
        self._change_project("Hold to limits", lambda project, each: clamped(project, each, *parameter_ids))

    def lock(self, parameter_id: str, locked: bool) -> None:
        """Lock a parameter for the descendants of what is selected, or let them set it again."""
        words = "Lock parameter" if locked else "Unlock parameter"
        self._change_project(words, lambda project, each: with_lock(project, each, parameter_id, locked=locked))

    def copy(self, group: str | None) -> None:
        """Copy the values of a group, or of all."""
        found = look(self.session.project, self.desk.look_id)
        if found:
            self.clipboard = copied(found, group)
            self.session.told.emit(f"Copied {len(self.clipboard)} values")

    def paste(self) -> None:
        """Paste copied values into what is selected, those that fit."""
        if not self.clipboard:
            self.session.told.emit("Copy some values first")
            return
        self._change_project("Paste values", lambda project, each: pasted(project, each, self.clipboard))

    def take_snapshot(self, snapshot_id: str) -> None:
        """Take the values of a snapshot over."""
        kept = self.session.project.snapshots.get(snapshot_id)
        if kept:
            self._take(kept.values, "Take snapshot over")

    def preset_menu(self) -> QMenu:
        """The presets of the material, to take over."""
        menu = passing(QMenu(self.desk))
        material = self._material()
        for preset in material.presets if material else ():
            menu.addAction(preset.name, lambda preset=preset: self._take(preset.values, f"Take preset {preset.name}"))
        if menu.isEmpty():
            none = menu.addAction("The author has kept none yet")
            assert none
            none.setEnabled(False)
        return menu

    def show_changes(self) -> None:
        """Show what has become of the instances since the project was last saved."""
        material, before = self._material(), self.session.saver.on_disk.project
        if material:
            self.report = passing(
                ChangeReport(
                    self.session,
                    self.desk.worker,
                    before,
                    self.session.project,
                    material.id,
                    self.desk,
                    to_decide=False,
                )
            )
            self.report.open()

    def _take(self, values: Mapping[str, Value], name: str) -> None:
        """Set values that were kept, of the parameters that are there still, but for those that are locked."""
        material = self._material()
        by_identifier = {
            p.identifier: values[p.id] for p in (material.parameters if material else ()) if p.id in values
        }
        self._change_project(name, lambda project, each: pasted(project, each, by_identifier))

    # Tables

    def export_values(self) -> None:
        """Ask for a file and write the values of the selected family's instances into it."""
        material = self._material()
        if material is None:
            return
        kinds = "Tables (*.csv *.json)"
        name, _ = QFileDialog.getSaveFileName(self.desk, "Export values", f"{material.name}.csv", kinds)
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
        name, _ = QFileDialog.getOpenFileName(self.desk, "Import values", "", "Tables (*.csv *.json)")
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
        whose = self.session.project.materials[plan.material]
        return passing(PlanDialog(self.session.project, whose, plan, self.desk))

    def take_values(self, dialog: PlanDialog) -> None:
        """Make the changes of a dialog that was confirmed, as one step that can be undone."""
        self.session.attempt("Import values", lambda: dialog.plan.applied(self.session.project))

    # Helpers

    def _material(self) -> Material | None:
        material = self.session.project.materials.get(self.desk.look_id)
        return material or ancestry(self.session.project, self.desk.look_id)[1]

    def _instances(self) -> list[Instance]:
        return [self.session.project.instances[each] for each in self.desk.instances()]

    def _select(self, look_id: str) -> None:
        self.desk.tree.clearSelection()
        self.desk.look_id, self.desk.selected = look_id, [look_id]

    def _change_project(self, name: str, edit: Callable[[Project, str], Project]) -> None:
        """An edit of each selected instance in turn, as one step."""
        ids = self.desk.instances()

        def done() -> Project:
            project = self.session.project
            for each in ids:
                project = edit(project, each)
            return project

        if ids:
            self.session.attempt(name, done)

    def _change_each(self, name: str, edit: Callable[[Instance], Instance]) -> None:
        self._change_project(name, lambda project, each: put_instance(project, edit(project.instances[each])))
