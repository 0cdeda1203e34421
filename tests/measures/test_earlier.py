"""A table of measures beside an earlier one."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from soft_lantern.errors import BadFile
from soft_lantern.measures.earlier import compared, read_table
from soft_lantern.measures.row import Row


def test_what_got_worse_is_said_first_and_chance_is_not(tmp_path: Path) -> None:
    file = tmp_path / "before.json"
    before = {"frame": 1.0, "wire": 10.0, "page": 4.0, "gone": 1.0}
    file.write_text(json.dumps([{"name": name, "value": value} for name, value in before.items()]))
    rows = [Row("frame", 1.1, 2.0), Row("wire", 13.0, 33, "ms"), Row("page", 2.0, 5, "MB"), Row("new", 1.0, 1)]
    told = list(compared(rows, read_table(file)))
    assert told == [
        "worse: wire: 10 → 13 ms",
        "better: page: 4 → 2 MB",
        "1 row worse than before, of 3 rows that are in both",
        "new: new",
        "gone: gone",
    ]


@pytest.mark.parametrize("text", ["", '[{"name": "frame"}]', "[1]"])
def test_what_is_no_table_is_refused(text: str, tmp_path: Path) -> None:
    file = tmp_path / "table.json"
    file.write_text(text)
    with pytest.raises(BadFile, match=r"table.json is no table"):
        read_table(file)
