"""What is tuned: one look that is current, and perhaps more instances with it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.session.session import Session
from soft_lantern.graph.document import Instance, Material, Project
from soft_lantern.graph.instances.picks import worn_looks
from soft_lantern.graph.instances.values import ancestry


class TuneSelection(QObject):
    """`look_id` is the current instance, material or pick; `ids` all that is selected."""

    cleared = pyqtSignal()
    """Something else is about to be chosen elsewhere than in the tree, which lets go of what it has."""
    changed = pyqtSignal()
    """It has been, and is to be shown."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.look_id = ""
        self.ids: list[str] = []

    def select(self, look_id: str) -> None:
        """Let a look be current, and show it."""
        self.put(look_id)
        self.changed.emit()

    def put(self, look_id: str) -> None:
        """Let a look be current that an edit is about to bring."""
        self.cleared.emit()
        self.look_id, self.ids = look_id, [look_id]

    def take(self, look_id: str, ids: list[str]) -> None:
        """The same as the tree has it already."""
        self.look_id, self.ids = look_id, ids

    @property
    def instance(self) -> Instance | None:
        """The instance that is current."""
        return self.session.project.instances.get(self.look_id)

    @property
    def instances(self) -> list[str]:
        """The instances that are selected, the current one first."""
        project = self.session.project
        chosen = [self.look_id, *(each for each in self.ids if each != self.look_id)]
        return [each for each in chosen if each in project.instances]

    @property
    def material(self) -> Material | None:
        """The material whose family is tuned."""
        project = self.session.project
        return project.materials.get(self.look_id) or ancestry(project, self.look_id)[1]

    @property
    def missing(self) -> str:
        """Why nothing can be done to instances, "" where it can."""
        return "" if self.instances else "Select an instance"

    def settle(self) -> None:
        """Let something that is there be current, and nothing selected that is gone."""
        project = self.session.project
        if not any(self.look_id in each for each in (project.instances, project.materials, project.picks)):
            scene = self.session.scene
            seen = [look_id for thing in (scene.objects if scene else ()) for look_id in worn_looks(project, thing)]
            first = [*(each for each in seen if each in project.instances), *sorted(project.instances)]
            self.look_id = next(iter([*first, *sorted(project.materials)]), "")
        known = (project.instances, project.materials)
        self.ids = [each for each in self.ids if any(each in some for some in known)] or [self.look_id]


def each_in_turn(ids: Sequence[str], edit: Callable[[Project, str], Project]) -> Callable[[Project], Project]:
    """The edit that edits one record after another, by their ids, as one step."""

    def edited(project: Project) -> Project:
        for each in ids:
            project = edit(project, each)
        return project

    return edited
