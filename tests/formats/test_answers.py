"""Answers to a review page: what they bring, and what of them is refused."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadFile
from soft_lantern.formats.answers import ANSWER, read_values
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.instances.values import look

PROJECT = demo_project()


def answer(folder: Path, values: dict[str, Any], **other: Any) -> Path:
    row = {"instance": "Copper", "parent": "kettle_metal", "remark": " warmer ", "values": values}
    row |= other.pop("row", {})
    told = {"format": ANSWER, "project": PROJECT.name, "material": "kettle_metal", "instances": [row]} | other
    path = folder / "a.json"
    path.write_text(json.dumps(told), encoding="utf-8")
    return path


def test_an_answer_brings_a_look_of_its_own_with_its_remark(tmp_path: Path) -> None:
    plan = read_values(PROJECT, "height_ramp", answer(tmp_path, {"roughness": 0.5}))
    (new,) = plan.added
    assert not plan.troubles and plan.material == "kettle_metal" and plan.name_of(PROJECT, new.id) == "Copper"
    after = plan.applied(PROJECT)
    made = after.instances[new.id]
    assert made.name == "Copper 2" and made.parent == "kettle_metal"  # there is a Copper already
    found = look(after, new.id)
    assert found and list(found.values.values()) == [0.5]
    (kept,) = (each for each in after.snapshots.values() if each.look == new.id)
    assert kept.remark == "warmer"
    assert {k: v for k, v in after.instances.items() if k != new.id} == PROJECT.instances


@pytest.mark.parametrize("value", [7.0, -1.0, "x", [1.0, 2.0], float("inf"), True])
def test_a_value_outside_its_limits_is_told_with_its_place_and_left_out(tmp_path: Path, value: object) -> None:
    path = answer(tmp_path, {"roughness": value, "patina_amount": 0.25})
    plan = read_values(PROJECT, "kettle_metal", path)
    (trouble,) = plan.troubles
    assert "roughness" in str(trouble) and "line 1" in str(trouble)
    assert [change.after for change in plan.changes] == [0.25]


@pytest.mark.parametrize(
    ("other", "said"),
    [
        ({"project": "Another"}, "answers a page of “Another”"),
        ({"project": None}, "answers a page of"),
        ({"material": "gone"}, "a material that is not here"),
        ({"row": {"parent": "height_ramp"}}, "no look “height_ramp”"),
        ({"row": {"parent": "gone"}}, "no look “gone”"),
        ({"instances": 3}, "no list"),
        ({"instances": [3]}, "holds no"),
    ],
)
def test_what_answers_something_else_is_refused_in_a_sentence(tmp_path: Path, other: dict[str, Any], said: str) -> None:
    with pytest.raises(BadFile, match=said):
        read_values(PROJECT, "kettle_metal", answer(tmp_path, {}, **other))


def test_the_command_says_what_would_change_and_changes_it_only_when_told(tmp_path: Path) -> None:
    home, path = tmp_path / "p", answer(tmp_path, {"roughness": 0.5})
    lantern = [sys.executable, "-m", "soft_lantern"]
    subprocess.run([*lantern, "new", str(home), "--demo"], check=True, capture_output=True)
    before = open_project(home).project
    told = subprocess.run([*lantern, "answer", str(home), str(path)], check=True, capture_output=True, text=True).stdout
    assert "new look of Kettle metal: Copper (“warmer”)" in told and "→ 0.5" in told
    assert open_project(home).project == before
    subprocess.run([*lantern, "answer", str(home), str(path), "--take"], check=True, capture_output=True)
    assert len(open_project(home).project.instances) == len(before.instances) + 1
    bad = answer(tmp_path, {"roughness": 9})
    refused = subprocess.run([*lantern, "answer", str(home), str(bad), "--take"], capture_output=True, text=True)
    assert refused.returncode == 2 and refused.stderr.count("\n") == 1 and "limits" in refused.stderr
