"""How numbers of things are said, and things of one kind numbered."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import count


def counted(number: int, one: str, several: str = "") -> str:
    """The number and what it counts, such as "1 part" or "3 parts"; `several` where the plural takes more than an s."""
    return f"{number:,} {one if number == 1 else several or f'{one}s'}"


def listed(names: Iterable[str]) -> str:
    """The names as a sentence has them, such as "a, b and c"."""
    *before, last = names
    return f"{', '.join(before)} and {last}" if before else last


def free_name(name: str, taken: Collection[str]) -> str:
    """The name, or the first of "Name 2", "Name 3" and so on where it is taken."""
    return name if name not in taken else first_numbered(name, taken, 2)


def first_numbered(stem: str, taken: Collection[str], first: int = 1) -> str:
    """The first of "Scene 1", "Scene 2" and so on that is not taken, counted from `first`."""
    return next(name for number in count(first) if (name := f"{stem} {number}") not in taken)
