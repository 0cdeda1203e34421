"""What the Tune desk does to the family tree: every edit of it, by its name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.desks.tune.selection import TuneSelection, each_in_turn
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Instance, changed, new_id
from soft_lantern.graph.instances.family import duplicated, new_instance, reparent
from soft_lantern.graph.instances.picks import new_pick, put_pick, with_looks
from soft_lantern.graph.instances.values import edited_instance, put_instance, remove_instance
from soft_lantern.values.words import counted


class InstanceCommands(QObject):
    """Edits of the instances that are selected. Questions are asked over `over`."""

    added = pyqtSignal()
    """There is a new instance, which may want a name."""

    def __init__(self, session: Session, selection: TuneSelection, over: QWidget) -> None:
        super().__init__(over)
        self.session, self.selection, self.over = session, selection, over

    def add(self) -> None:
        """Make an instance of what is selected."""
        parent, project = self.selection.look_id, self.session.project
        if parent in project.instances or parent in project.materials:
            instance = new_instance(project, parent)
            self.selection.put(instance.id)
            self.session.apply("Add instance", lambda project: put_instance(project, instance))
            self.added.emit()

    def duplicate(self, *, descendants: bool = False) -> None:
        """Make another instance with the same parent and values, with copies of its descendants if asked."""
        instance = self.selection.instance
        if instance:
            copy_id = new_id("instance")
            self.selection.put(copy_id)
            self.session.apply(
                "Duplicate instance",
                lambda project: duplicated(project, instance.id, copy_id, descendants=descendants),
            )

    def delete(self) -> None:
        """Take the selected instances away; their children keep their values."""
        ids = self.selection.instances
        if ids:
            parent = self.session.project.instances[ids[0]].parent
            self.selection.put(parent)
            name = "Delete instance" if len(ids) == 1 else f"Delete {counted(len(ids), 'instance')}"
            self.session.apply(name, each_in_turn(ids, remove_instance))

    def rename(self, look_id: str, name: str) -> None:
        """Give an instance or pick another name."""
        project = self.session.project
        if look_id in project.instances:
            self.session.apply("Rename", lambda p: edited_instance(p, look_id, lambda i: changed(i, name=name)))
        elif look_id in project.picks:
            self.session.apply("Rename", lambda p: put_pick(p, changed(p.picks[look_id], name=name)))

    def put_under(self, look_ids: list[str], target: str) -> None:
        """Ask how instances are to come under another parent; put looks dropped on a pick into it."""
        project = self.session.project
        if target in project.picks:
            self.session.apply("Put into pick", lambda p: put_pick(p, with_looks(p.picks[target], look_ids)))
            return
        ids = [i for i in look_ids if i in project.instances and project.instances[i].parent != target]
        if ids:
            menu = passing(QMenu(self.over))
            menu.addAction("Keep how it looks", lambda: self.set_parent(ids, target, keep=True))
            menu.addAction("Take on what the new parent has", lambda: self.set_parent(ids, target, keep=False))
            menu.popup(QCursor.pos())

    def set_parent(self, look_ids: list[str], parent_id: str, *, keep: bool) -> None:
        """Put instances under another parent, their looks kept or worked out anew."""
        moved = each_in_turn(look_ids, lambda project, each: reparent(project, each, parent_id, keep=keep))
        self.session.apply("Put under another parent", moved)

    def toggle_favourite(self) -> None:
        """Make the selected instances favourites, or no longer where they all are."""
        project = self.session.project
        on = not all(project.instances[each].favourite for each in self.selection.instances)
        self._change_each("Favourite", lambda instance: changed(instance, favourite=on))

    def ask_folder(self) -> None:
        """Ask for a folder and put the selected instances into it."""
        instance = self.selection.instance
        known = sorted({each.folder for each in self.session.project.instances.values() if each.folder} | {""})
        at = known.index(instance.folder) if instance else 0
        name, given = QInputDialog.getItem(self.over, "Folder", "Folder; empty takes out of it", known, at, True)
        if given:
            self.set_folder(name)

    def set_folder(self, name: str) -> None:
        """Put the selected instances into a folder; "" takes them out."""
        self._change_each("Put into a folder", lambda instance: changed(instance, folder=name.strip()))

    def ask_tags(self) -> None:
        """Ask for tags of the selected instances."""
        instance = self.selection.instance
        if instance:
            tags = ", ".join(instance.tags)
            text, given = QInputDialog.getText(self.over, "Tags", "Tags with commas between", text=tags)
            if given:
                self.set_tags(text)

    def set_tags(self, text: str) -> None:
        """Give the selected instances these tags, with commas between."""
        tags = tuple(dict.fromkeys(tag.strip() for tag in text.split(",") if tag.strip()))
        self._change_each("Set tags", lambda instance: changed(instance, tags=tags))

    def make_pick(self) -> None:
        """Make a pick of the selected instances."""
        pick = new_pick(self.session.project, tuple(self.selection.instances))
        self.selection.put(pick.id)
        self.session.apply("Make pick", lambda project: put_pick(project, pick))

    def _change_each(self, name: str, edit: Callable[[Instance], Instance]) -> None:
        """An edit of each selected instance in turn, as one step."""
        ids = self.selection.instances
        self.session.apply(name, each_in_turn(ids, lambda project, each: edited_instance(project, each, edit)))


def _command(name: str, run: Callable[[InstanceCommands], object]) -> Command[InstanceCommands]:
    return Command(name, run, hindered=lambda c: c.selection.missing, designers=True)


INSTANCE_COMMANDS = (
    Command("New instance", InstanceCommands.add, "Ctrl+Shift+N", designers=True, anywhere=True),
    _command("Duplicate instance", InstanceCommands.duplicate),
    _command("Duplicate with its descendants", lambda commands: commands.duplicate(descendants=True)),
    _command("Delete instance", InstanceCommands.delete),
    _command("Favourite", InstanceCommands.toggle_favourite),
    _command("Put into a folder", InstanceCommands.ask_folder),
    _command("Tag", InstanceCommands.ask_tags),
    Command(
        "Make a pick of these",
        InstanceCommands.make_pick,
        "Ctrl+Alt+K",
        lambda c: c.selection.missing,
        designers=True,
    ),
)
