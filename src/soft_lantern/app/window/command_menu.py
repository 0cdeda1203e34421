"""The window's menu, keys and command finder, made from the commands that the window and its desks publish.

There are hundreds, and most desks are yet to be imported for them: a window is seen first and gets them then, or when a
hand first asks for any.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from msgspec import Struct, field
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.app.command import Command, Commands
from soft_lantern.app.session.gestures import Gestures
from soft_lantern.app.window.command_finder import CommandFinder, Offer
from soft_lantern.app.window.key_choices import chosen_keys
from soft_lantern.app.work.only_one import only_one
from soft_lantern.app.work.timers import single_shot

WINDOW = ""
"""Stands for the window itself, beside the desks by name."""
SOON = 800
"""Milliseconds after which commands come: the window and its first picture are seen by then."""
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
        self,
        published: Iterator[tuple[str, Commands]],
        owner: Callable[[str], Any],
        current: Callable[[], str],
        go_to: Callable[[str], object],
        window: QWidget,
    ) -> None:
        """`published`: the commands of the window and of each desk by its name, of one owner each time it is asked."""
        super().__init__(window)
        self.owner, self.current, self.go_to, self.window = owner, current, go_to, window
        self.menu = QMenu(window)
        self.menu.aboutToShow.connect(self._take_all)
        self._groups: dict[str, QMenu] = {}
        self._taken: dict[str, _Offered] = {}
        self._own_keys: dict[str, str] = {}
        self._published, self._whole = published, False
        self._soon = single_shot(self, SOON, self._take_some)
        self._soon.start()
        first, at_first_key = only_one(Gestures).first, self._at_first_key
        first.add(at_first_key)
        self.destroyed.connect(lambda: first.discard(at_first_key))

    def _at_first_key(self, watched: QObject | None, event: QKeyEvent) -> bool:
        """Keys mean commands: before the first is heard, all are there."""
        self._take_all()
        return False

    @property
    def _offered(self) -> dict[str, _Offered]:
        """All there are, by name."""
        self._take_all()
        return self._taken

    def _take_all(self) -> None:
        while not self._whole:
            self._take_some()

    def _take_some(self) -> None:
        """Offer what one more owner publishes, or give all their keys where there is no other."""
        owner, commands = next(self._published, (WINDOW, None))
        if commands is None:
            self._end()
            return
        for group, listed in commands.items():
            for command in listed:
                self._add(group, command, owner)
        self._soon.start(0)

    def _end(self) -> None:
        self._whole = True
        self._soon.stop()
        only_one(Gestures).first.discard(self._at_first_key)
        for key, keys in chosen_keys(self._own_keys).items():
            self._taken[key].action.setShortcuts(keys)

    @functools.cached_property
    def finder(self) -> CommandFinder:
        """Finds them by part of a name."""
        finder = CommandFinder(self._offers, self.window)
        finder.wanted.connect(self.run)
        return finder

    @property
    def actions(self) -> dict[str, QAction]:
        """The action of each command, by the command's name."""
        return {key: offered.action for key, offered in self._offered.items()}

    @property
    def own_keys(self) -> dict[str, str]:
        """The keys that each command comes with, by its name."""
        self._take_all()
        return self._own_keys

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
        if key not in self._taken:
            action = QAction(command.name, self.window)
            self._own_keys[key] = command.keys
            action.triggered.connect(lambda _=False: self.run(key))
            self.window.addAction(action)
            self._group(group).addAction(action)
            self._taken[key] = _Offered(command.name, action)
        self._taken[key].by_owner[owner] = command

    def _group(self, name: str) -> QMenu:
        """A group of the menu, made when something first stands in it, in its place."""
        if name not in self._groups:
            later = GROUPS[GROUPS.index(name) + 1 :]
            before = next((self._groups[each].menuAction() for each in later if each in self._groups), None)
            self._groups[name] = below = QMenu(name, self.menu)
            self.menu.insertMenu(before, below)
            below.aboutToShow.connect(lambda: self._show_group(name))
            below.aboutToHide.connect(self._all_keys)
        return self._groups[name]

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
