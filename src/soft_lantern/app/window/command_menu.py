"""The window's menu, keys and command finder, made from the commands that the window and its desks publish."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from msgspec import Struct, field
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.app.command import Command, Commands
from soft_lantern.app.window.command_finder import CommandFinder, Offer
from soft_lantern.app.window.key_choices import chosen_keys

WINDOW = ""
"""Stands for the window itself, beside the desks by name."""
GROUPS = ("Project", "Edit", "Graph", "Objects", "Stage", "Instances", "Window")


class _Offered(Struct):
    """One name, the command that each desk has for it, and the action of the menu."""

    name: str
    action: QAction
    by_owner: dict[str, Command[Any]] = field(default_factory=dict)


class CommandMenu(QObject):
    """Everything by name. `owner` gives the window or a desk by name, `current` the name of the desk that is open.

    A command of a desk acts on that desk only while it is open; one that may be asked for anywhere opens it first.
    """

    told = pyqtSignal(str)

    def __init__(
        self, owner: Callable[[str], Any], current: Callable[[], str], go_to: Callable[[str], object], window: QWidget
    ) -> None:
        super().__init__(window)
        self.owner, self.current, self.go_to, self.window = owner, current, go_to, window
        self.menu = QMenu(window)
        self._groups: dict[str, QMenu] = {}
        self._offered: dict[str, _Offered] = {}
        self.own_keys: dict[str, str] = {}
        self.finder = CommandFinder(self._offers, window)
        self.finder.wanted.connect(self.run)
        for group in GROUPS:
            below = self.menu.addMenu(group)
            assert below
            below.aboutToShow.connect(lambda group=group: self._show_group(group))
            below.aboutToHide.connect(self._all_keys)
            self._groups[group] = below

    def add(
        self, commands: Commands, owner: str = WINDOW, *, only: Callable[[Command[Any]], bool] | None = None
    ) -> None:
        """Offer commands of the window or of a desk, those that `only` lets through."""
        for group, listed in commands.items():
            for command in listed:
                if only is None or only(command):
                    self._add(group, command, owner)

    def end(self) -> None:
        """All there is has been added: it gets its keys, and groups that stayed empty go."""
        for key, keys in chosen_keys(self.own_keys).items():
            self._offered[key].action.setShortcuts(keys)
        for menu in self._groups.values():
            action = menu.menuAction()
            assert action
            action.setVisible(bool(menu.actions()))

    @property
    def actions(self) -> dict[str, QAction]:
        """The action of each command, by the command's name."""
        return {key: offered.action for key, offered in self._offered.items()}

    def run(self, key: str) -> None:
        """Do what is asked for by name; where it cannot be done now, say why."""
        offered = self._offered[key]
        found = self._found(offered)
        if isinstance(found, str):
            self.told.emit(f"{offered.name}: {found}")
            return
        owner, command = found
        if owner not in (WINDOW, self.current()):
            self.go_to(owner)
        target = self.owner(owner)
        why = command.hindered(target)
        if why:
            self.told.emit(why)
        else:
            command.run(target)

    def rename(self, key: str, name: str) -> None:
        """Let a command be called otherwise for now, such as *Undo* by what it would undo."""
        self._offered[key].name = name
        self._offered[key].action.setText(name)

    def _add(self, group: str, command: Command[Any], owner: str) -> None:
        key = command.name
        if key not in self._offered:
            action = QAction(command.name, self.window)
            self.own_keys[key] = command.keys
            action.triggered.connect(lambda _=False: self.run(key))
            self.window.addAction(action)
            self._groups[group].addAction(action)
            self._offered[key] = _Offered(command.name, action)
        self._offered[key].by_owner[owner] = command

    def _found(self, offered: _Offered) -> tuple[str, Command[Any]] | str:
        """Whose command it would be now, or why it is nobody's."""
        for owner in (self.current(), WINDOW):
            if owner in offered.by_owner:
                return owner, offered.by_owner[owner]
        owner, command = next(iter(offered.by_owner.items()))
        return (owner, command) if command.anywhere else f"only on the {_named(offered.by_owner)}"

    def _hindered(self, offered: _Offered) -> str:
        found = self._found(offered)
        if isinstance(found, str):
            return found
        owner, command = found
        return "" if owner not in (WINDOW, self.current()) else command.hindered(self.owner(owner))

    def _offers(self) -> list[Offer]:
        return [
            Offer(key, each.name, each.action.shortcut().toString(), self._hindered(each))
            for key, each in self._offered.items()
        ]

    def _show_group(self, group: str) -> None:
        """What cannot be done now is off, with the reason as its tooltip."""
        self._groups[group].setToolTipsVisible(True)
        for each in self._offered.values():
            why = self._hindered(each)
            each.action.setEnabled(not why)
            each.action.setToolTip(why)

    def _all_keys(self) -> None:
        """Keys of what cannot be done now are heard all the same, to say why."""
        for each in self._offered.values():
            each.action.setEnabled(True)


def _named(desks: Iterable[str]) -> str:
    names = list(desks)
    return f"{' and '.join(names)} desk{'s' if len(names) > 1 else ''}"
