"""What a window offers of the application as a whole: other windows, how it looks, its settings."""

from __future__ import annotations

from typing import Any

from soft_lantern.app.command import Command
from soft_lantern.app.theme import choice
from soft_lantern.app.widgets.manual_view import open_manual
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.window.settings_dialog import SettingsDialog


def _settings(window: Any) -> None:
    commands = window.commands
    passing(SettingsDialog(window.session.undo, commands.actions, commands.own_keys, window)).open()


OTHERS: tuple[Command[Any], ...] = (
    Command("Start page", lambda window: window.wanted.emit("start"), "Ctrl+Alt+Home", designers=True),
    Command("Take the tour", lambda window: window.wanted.emit("tour")),
)
"""Other windows."""
LOOK: tuple[Command[Any], ...] = (
    Command("Switch between dark and light theme", lambda _: choice.switch_theme(), "F9", designers=True),
    Command("Manual", open_manual, "Ctrl+F1", designers=True),
    Command("Settings", _settings, "Ctrl+,", designers=True),
)
"""How all windows are, and what is told about them."""
