"""How numbers of things are said."""

from __future__ import annotations


def counted(number: int, one: str, several: str = "") -> str:
    """The number and what it counts, such as "1 part" or "3 parts"; `several` where the plural takes more than an s."""
    return f"{number:,} {one if number == 1 else several or f'{one}s'}"
