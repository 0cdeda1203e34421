"""Dressing what is selected on a stage, by name: instances for parts, and back to plain grey."""

from __future__ import annotations

from PyQt6.QtCore import QPoint

from soft_lantern.app.command import Command
from soft_lantern.app.pictures.look_choice import choose_worn
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.graph.document import StageObject
from soft_lantern.graph.dressing import instance_on, instance_per_part


def new_instance_here(stage: StageView) -> None:
    """A new instance on the selected part, a child of what it wears."""
    session, thing, part = stage.session, _thing(stage), stage.modes.sight.part
    if thing:
        scene_id, otherwise = session.scene_id, session.material_id
        if session.apply("New instance on part", lambda p: instance_on(p, scene_id, thing.id, part, otherwise)):
            stage.picking.picked.emit(thing.id, part)


def one_for_each_part(stage: StageView) -> None:
    """An instance of its own on every part of the selected object."""
    session, thing = stage.session, _thing(stage)
    model = session.models.get(thing.asset) if thing else None
    if thing and model:
        names = [part.name for part in model.parts]
        scene_id, otherwise = session.scene_id, session.material_id
        if session.apply("One instance a part", lambda p: instance_per_part(p, scene_id, thing.id, names, otherwise)):
            stage.picking.picked.emit(thing.id, names[0])


def wear(stage: StageView) -> None:
    """Ask by pictures what the selected part is to wear."""
    thing = _thing(stage)
    if thing:
        corner = stage.mapToGlobal(QPoint(stage.width() // 2 - 210, 30))
        choose_worn(stage.session, thing.id, stage.modes.sight.part, stage, corner)


def undress(stage: StageView) -> None:
    """The selected part back to plain grey."""
    thing = _thing(stage)
    if thing:
        stage.session.dress_part(thing.id, stage.modes.sight.part, "")


def _thing(stage: StageView) -> StageObject | None:
    """The selected object; the only one, where there is but one."""
    scene = stage.session.scene
    if scene is None:
        return None
    return scene.object(stage.modes.sight.selected) or (scene.objects[0] if len(scene.objects) == 1 else None)


def _hindered(stage: StageView) -> str:
    return "" if _thing(stage) else "Click an object on the stage first"


DRESSING = (
    Command("Wear another look on this part", wear, "Ctrl+Alt+W", _hindered, designers=True),
    Command("New instance on this part", new_instance_here, "Ctrl+Alt+N", _hindered, designers=True),
    Command("One instance for each part", one_for_each_part, "Ctrl+Alt+P", _hindered, designers=True),
    Command("Undress this part, to plain grey", undress, "Ctrl+Alt+U", _hindered, designers=True),
)
