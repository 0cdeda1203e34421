"""A benchmark table beside an earlier one: what got worse, what got better, and by how much."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from soft_lantern.errors import BadFile
from soft_lantern.formats.places import read_text
from soft_lantern.measures.row import Row
from soft_lantern.values.words import counted

SWING = 1.15
"""How many times more, or less, a measure may be by chance."""
LEAST = 1e-9


def read_table(path: Path) -> dict[str, float]:
    """The values of a table that `bench --json` printed, by name. Raises BadFile where the file is none."""
    try:
        return {str(row["name"]): float(row["value"]) for row in json.loads(read_text(path))}
    except (ValueError, LookupError, TypeError) as error:
        raise BadFile(f"{path.name} is no table of `bench --json`: {error}") from error


def compared(rows: Sequence[Row], earlier: Mapping[str, float]) -> Iterator[str]:
    """What is worse or better than before by more than chance, the worst first, and what is not in both."""
    times = {row.name: (row.value + LEAST) / (earlier[row.name] + LEAST) for row in rows if row.name in earlier}
    by_name = {row.name: row for row in rows}
    for name, by in sorted(times.items(), key=lambda pair: -pair[1]):
        if by > SWING or by < 1 / SWING:
            row, words = by_name[name], "worse" if by > SWING else "better"
            yield f"{words}: {name}: {earlier[name]:.3g} → {row.value:.3g} {row.unit}".rstrip()
    worse = sum(by > SWING for by in times.values())
    yield f"{counted(worse, 'row')} worse than before, of {counted(len(times), 'row')} that are in both"
    new, gone = sorted(by_name.keys() - earlier.keys()), sorted(earlier.keys() - by_name.keys())
    for words, names in (("new", new), ("gone", gone)):
        if names:
            yield f"{words}: {', '.join(names)}"
