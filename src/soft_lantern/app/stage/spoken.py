"""What stands on the stage, in words: for who hears it read out."""

from __future__ import annotations

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.modes import StageModes
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.spoken_list import SpokenList
from soft_lantern.graph.document import Project, Scene, StageObject
from soft_lantern.graph.instances.picks import worn_looks
from soft_lantern.values.words import counted


class SpokenStage(QObject):
    """Tells a screen reader of the stage: the scene and what is selected, and a list of the objects."""

    def __init__(self, session: Session, modes: StageModes, stage: QWidget) -> None:
        super().__init__(stage)
        self.session, self.modes, self.stage = session, modes, stage
        self.list = SpokenList(stage, "objects on the stage")
        self._scene: Scene | None = None
        self._chosen = ("", "")
        session.changed.connect(lambda old, new: self._say())
        session.view_changed.connect(self._say)  # another scene comes with another view
        modes.changed.connect(self._say)
        self._say()

    def _say(self) -> None:
        scene, sight = self.session.scene, self.modes.sight
        chosen = (sight.selected, sight.part)
        if scene and scene is self._scene and chosen == self._chosen:
            return
        self._scene, self._chosen = scene, chosen
        if scene is None:
            describe(self.stage, "no scene")
            self.list.show_entries([], str)
            return
        held = scene.object(sight.selected)
        part = f", {sight.part}" if held and sight.part else ""
        selected = f"{held.name}{part} selected" if held else "none selected"
        describe(self.stage, f"{scene.name}: {counted(len(scene.objects), 'object')}; {selected}")
        self.list.show_entries([thing.id for thing in scene.objects], self._object)

    def _object(self, object_id: str) -> str:
        thing = self.session.scene.object(object_id) if self.session.scene else None
        return in_words(self.session.project, thing) if thing else ""


def in_words(project: Project, thing: StageObject) -> str:
    """An object's name, what it wears, and where it stands in metres."""
    looks = (project.instances.get(each) or project.materials.get(each) for each in worn_looks(project, thing))
    worn = ", ".join(dict.fromkeys(each.name for each in looks if each)) or "nothing"
    return f"{thing.name}. wears {worn}; at {', '.join(written(each) for each in thing.position)}"
