"""What a window offers beside its desks: the project, undo, the stage, other windows, and its panels."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from soft_lantern.app.command import Command, through
from soft_lantern.app.stage.dressing import DRESSING
from soft_lantern.app.stage.stage_commands import BOOKMARKS, HANDLES, JUDGING, SWITCHES
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.focus import step_on
from soft_lantern.app.window.application_commands import LOOK, OTHERS
from soft_lantern.app.window.project_commands import GIVING, MAKING, SCENES, SHEETS, ProjectCommands


def _next_scene(window: Any) -> None:
    """Put the scene that follows by name on the stage."""
    following = window.header.next_scene()
    if following:
        window.session.open_scene(following)


def _step_on(window: Any, step: int) -> None:
    step_on(window.desk(window.desk_name).panes(), window.focusWidget(), step)


def _desk(number: int, name: str) -> Command[Any]:
    return Command(f"{name} desk", lambda window: window.go_to_desk(name), f"Ctrl+{number}")


def _stage_switch(command: Command[StageView]) -> Command[StageView]:
    return replace(command, name=f"Switch {command.name.lower()}")


def _of_project(commands: tuple[Command[ProjectCommands], ...]) -> tuple[Command[Any], ...]:
    return through(commands, lambda window: window.project_commands)


def _of_stage(commands: tuple[Command[StageView], ...]) -> tuple[Command[Any], ...]:
    return through(commands, lambda window: window.stage())


def _nothing_undone(window: Any) -> str:
    return "" if window.session.undo.can_undo else "There is nothing to undo"


def _nothing_to_redo(window: Any) -> str:
    return "" if window.session.undo.can_redo else "There is nothing to make again"


FIRST: dict[str, tuple[Command[Any], ...]] = {
    "Project": (
        *_of_project(MAKING),
        Command("Another window", lambda window: window.wanted.emit("another"), "Ctrl+Alt+O"),
        Command("Rename material", lambda window: window.header.type_name()),
        Command("Gradients and palettes", lambda window: window.edit_ramps(), "Ctrl+G"),
    ),
    "Edit": (
        Command("Find everywhere", lambda w: w.going.find(), "Ctrl+Alt+F"),
        Command("What uses this", lambda w: w.going.find(w.desk(w.desk_name).in_hand), "Ctrl+Shift+U"),
        Command("Undo", lambda w: w.session.undo.undo(), "Ctrl+Z", _nothing_undone, designers=True),
        Command("Redo", lambda w: w.session.undo.redo(), "Ctrl+Shift+Z; Ctrl+Y", _nothing_to_redo, designers=True),
    ),
    "Stage": (
        Command("Frame the stage", lambda w: w.session.frame_all(), "Home", designers=True),
        Command(
            "Frame the selected object",
            lambda w: w.session.frame_all(w.stage().modes.sight.selected),
            "Shift+Home",
            designers=True,
        ),
        *_of_project(SCENES),
        Command("Next scene", _next_scene, "Ctrl+PgDown", designers=True),
        *_of_stage(BOOKMARKS),
        *_of_stage(tuple(_stage_switch(command) for command in SWITCHES)),
        *_of_stage(JUDGING),
    ),
    "Instances": (*_of_project(SHEETS), *_of_stage(DRESSING)),
}
"""What the window offers before its desks do, by group of the menu."""


def last(desks: Iterable[str]) -> dict[str, tuple[Command[Any], ...]]:
    """And after the desks of these names."""
    return {
        "Project": (
            *_of_project(GIVING),
            Command("Save", lambda w: w.session.saver.begin(), "Ctrl+S", designers=True),
            Command("Earlier states", lambda w: w.offers.earlier_states()),
            Command(
                "Save pictures of the stage", lambda w: w.stage_bar().save_pictures(), "Ctrl+Shift+S", designers=True
            ),
            *OTHERS,
            Command("Close", lambda w: w.close(), "Ctrl+Q", designers=True),
        ),
        "Objects": _of_stage(HANDLES),
        "Window": (
            *(_desk(number, name) for number, name in enumerate(desks, 1)),
            Command("Next panel", lambda window: _step_on(window, 1), "Ctrl+Tab", designers=True),
            Command("Panel before", lambda window: _step_on(window, -1), "Ctrl+Shift+Tab", designers=True),
            *LOOK,
            Command("Commands", lambda w: w.commands.finder.open(), "F1", designers=True),
        ),
    }
