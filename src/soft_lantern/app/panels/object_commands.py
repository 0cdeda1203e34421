"""All that can be asked of the objects of a scene by name, on desks that show them."""

from __future__ import annotations

from soft_lantern.app.command import Command
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.scene.primitives import PRIMITIVES


def _no_object(panel: ObjectPanel) -> str:
    return "" if panel.object_id else "Select an object first"


def _adds(shape: str) -> Command[ObjectPanel]:
    return Command(f"Add {shape} to the stage", lambda panel: panel.add_primitive(shape))


OBJECTS = (
    *(_adds(shape) for shape in PRIMITIVES),
    Command("Duplicate object", ObjectPanel.duplicate, "Ctrl+Shift+D", _no_object),
    Command("Delete object", ObjectPanel.delete, hindered=_no_object),
)
