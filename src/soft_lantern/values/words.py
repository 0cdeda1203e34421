"""How numbers of things are said, and things of one kind numbered."""

from __future__ import annotations

from collections.abc import Collection
from itertools import count


def counted(number: int, one: str, several: str = "") -> str:
    """The number and what it counts, such as "1 part" or "3 parts"; `several` where the plural takes more than an s."""
    return f"{number:,} {one if number == 1 else several or f'{one}s'}"


def first_numbered(stem: str, taken: Collection[str], first: int = 1) -> str:
    """The first of "Scene 1", "Scene 2" and so on that is not taken, counted from `first`."""
    return next(name for number in count(first) if (name := f"{stem} {number}") not in taken)
