"""One line of the benchmark table."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct


class Row(Struct, frozen=True):
    """One measure: what came out, what it must reach, and the unit ("" for a ratio)."""

    name: str
    value: float
    limit: float
    unit: str = ""

    @property
    def reached(self) -> bool:
        return self.value <= self.limit


Measure = Callable[[], list[Row]]
"""Takes its time, and says what came out; may be called again."""
