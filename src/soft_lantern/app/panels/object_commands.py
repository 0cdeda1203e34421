"""All that can be asked of the objects of a scene by name, on desks that show them."""

from __future__ import annotations

from soft_lantern.app.command import Command
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.scene.primitives import PRIMITIVES


def _held(panel: ObjectPanel) -> str:
    return panel.session.scene_held


def _no_object(panel: ObjectPanel) -> str:
    return _held(panel) or ("" if panel.object_id else "Select an object first")


def _adds(shape: str) -> Command[ObjectPanel]:
    words = f"Add {shape} to the stage"
    return Command(words, lambda panel: panel.add_primitive(shape), hindered=_held, designers=True)


OBJECTS = (
    *(_adds(shape) for shape in PRIMITIVES),
    Command("Duplicate object", ObjectPanel.duplicate, "Ctrl+Shift+D", _no_object, designers=True),
    Command("Scatter copies of the object", ObjectPanel.scatter, hindered=_no_object, designers=True),
    Command("Delete object", ObjectPanel.delete, hindered=_no_object, designers=True),
)
