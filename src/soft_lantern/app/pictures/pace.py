"""How finely a slow machine draws while hands move: smaller pictures, as long as that makes them quicker."""

from __future__ import annotations

LEVELS = (1.0, 0.7, 0.5, 0.35)
"""Shares of the full width and height."""
SLOW = 0.05
"""Seconds a picture may take before the next one is drawn smaller."""
WORTH = 0.85
"""A smaller picture must take no more than this share of the larger one's time to be worth it."""


class Pace:
    """Learns from every picture that is drawn while hands move."""

    def __init__(self) -> None:
        self._at = 0
        self._took: dict[int, float] = {}

    @property
    def share(self) -> float:
        """The share of the full width and height that the next picture is drawn at."""
        return LEVELS[self._at]

    def drawn(self, share: float, seconds: float) -> None:
        """Take note of how long a picture of a share took."""
        level = LEVELS.index(share)
        before = self._took.get(level, seconds)
        self._took[level] = before * 0.5 + seconds * 0.5
        took, larger = self._took[level], self._took.get(level - 1)
        if level > 0 and (took < SLOW * 0.4 or (larger is not None and took > larger * WORTH)):
            self._at = level - 1
        elif took > SLOW and level + 1 < len(LEVELS):
            smaller = self._took.get(level + 1)
            if smaller is None or smaller <= took * WORTH:
                self._at = level + 1
