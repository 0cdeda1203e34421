"""Which keys each command has: its own, or those a person chose for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtGui import QAction, QKeySequence

from soft_lantern.app.theme.remembered import remembered


def own_keys(text: str) -> list[QKeySequence]:
    """The keys that a command comes with; several, any of which does it, with semicolons between."""
    return [keys for keys in QKeySequence.listFromString(text) if not keys.isEmpty()]


def chosen_keys(own: Mapping[str, str]) -> dict[str, list[QKeySequence]]:
    """The keys of each command by its name; `own`: those that it comes with."""
    kept = remembered()
    chosen = set(kept.allKeys())  # few are, and each question takes long
    return {
        name: own_keys(str(kept.value(_place(name))) if _place(name) in chosen else keys) for name, keys in own.items()
    }


def choose_keys(action: QAction, command: str, own: str, keys: Sequence[QKeySequence]) -> None:
    """Give a command other keys, or none, from now on."""
    if list(keys) == own_keys(own):
        remembered().remove(_place(command))
    else:
        remembered().setValue(_place(command), QKeySequence.listToString(keys))
    action.setShortcuts(keys)


def takers(keys: Sequence[QKeySequence], actions: Mapping[str, QAction], but: str) -> list[str]:
    """The other commands that any of these keys would be taken from."""
    return [name for name, action in actions.items() if name != but and set(keys) & set(action.shortcuts())]


def _place(command: str) -> str:
    return f"keys/{command}"
