"""What can be asked for by name: desks publish commands, which the menu, the keys and the command finder read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, Generic, TypeVar

from msgspec import Struct

Owner = TypeVar("Owner")
Whole = TypeVar("Whole")


def never(_: object) -> str:
    """Nothing is ever in the way."""
    return ""


class Command(Struct, Generic[Owner], frozen=True):
    """A name, what it does to its owner, such as a desk, and its keys.

    `hindered` says why it cannot be done at the moment, "" where it can; `on`, for a switch, whether it is on.
    `designers`: whether those may who tune instances and nothing else. `anywhere`: whether it may be asked for on
    another desk, which is left for it.
    """

    name: str
    run: Callable[[Owner], object]
    keys: str = ""
    hindered: Callable[[Owner], str] = never
    on: Callable[[Owner], bool] | None = None
    designers: bool = False
    anywhere: bool = False


Commands = Mapping[str, Iterable[Command[Any]]]
"""Commands by the group of the menu they stand in."""


def for_designers(commands: Commands) -> Commands:
    """Those of the commands that are for who tunes instances and nothing else."""
    return {group: [each for each in listed if each.designers] for group, listed in commands.items()}


def through(commands: Iterable[Command[Owner]], part: Callable[[Whole], Owner]) -> tuple[Command[Whole], ...]:
    """The commands of a part, as commands of the whole that holds it."""

    def lifted(command: Command[Owner]) -> Command[Whole]:
        run, hindered, on = command.run, command.hindered, command.on
        return Command(
            command.name,
            lambda whole: run(part(whole)),
            command.keys,
            lambda whole: hindered(part(whole)),
            (lambda whole: on(part(whole))) if on else None,
            command.designers,
            command.anywhere,
        )

    return tuple(lifted(command) for command in commands)
