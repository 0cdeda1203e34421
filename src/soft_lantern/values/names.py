"""Names that no two things share, found quickly however many there are."""

from __future__ import annotations

from collections.abc import Iterable


class Names:
    """Gives out names; one that is taken gets the next free number."""

    def __init__(self, taken: Iterable[str] = (), between: str = " ") -> None:
        self._taken, self._between = set(taken), between
        self._next: dict[str, int] = {}

    def take(self, wanted: str) -> str:
        """The wanted name, or that name with a number; taken from now on."""
        name, number = wanted, self._next.get(wanted, 2)
        while name in self._taken:
            name, number = f"{wanted}{self._between}{number}", number + 1
        self._next[wanted] = number
        self._taken.add(name)
        return name
