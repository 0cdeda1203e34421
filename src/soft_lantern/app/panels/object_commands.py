"""All that can be asked of the objects of a scene by name, on desks that show them."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.app.command import Command
from soft_lantern.app.panels.arranging import Arranging
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.scene.placing import AXES, SIDES, Side
from soft_lantern.scene.primitives import PRIMITIVES


def _held(panel: ObjectPanel) -> str:
    return panel.session.scene_held


def _no_object(panel: ObjectPanel) -> str:
    return _held(panel) or ("" if panel.object_id else "Select an object first")


def _adds(shape: str) -> Command[ObjectPanel]:
    words = f"Add {shape} to the stage"
    return Command(words, lambda panel: panel.add_primitive(shape), hindered=_held, designers=True)


def _not_several(panel: ObjectPanel) -> str:
    return _no_object(panel) or ("" if len(panel.held()) > 1 else "Select several objects first")


def _arranges(words: str, run: Callable[[Arranging], object], keys: str = "") -> Command[ObjectPanel]:
    return Command(words, lambda panel: run(panel.arranging), keys, _no_object, designers=True)


def _aligns(axis: str, side: Side) -> Command[ObjectPanel]:
    words = f"Align by {side} {axis}"
    return Command(words, lambda panel: panel.arranging.align(axis, side), hindered=_not_several, designers=True)


OBJECTS = (
    Command("Add an object to the stage…", ObjectPanel.ask_what_to_add, hindered=_held, designers=True),
    *(_adds(shape) for shape in PRIMITIVES),
    _arranges("Duplicate object", Arranging.duplicate, "Ctrl+Shift+D"),
    _arranges("Duplicate in a row", Arranging.ask_row),
    _arranges("Scatter copies of the object", Arranging.ask_scatter),
    _arranges("Snap to the floor", Arranging.to_floor),
    *(_aligns(axis, side) for axis in AXES for side in SIDES),
    _arranges("Group objects", Arranging.ask_group),
    _arranges("Ungroup objects", lambda arranging: arranging.group("")),
    _arranges("Delete object", Arranging.delete),
)
