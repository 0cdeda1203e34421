"""A project on disk: what is saved comes back, a save is whole or not at all, damage is told and nothing is lost."""

from __future__ import annotations

import json
import multiprocessing
import os
import random
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import jsonschema
import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadProject, LanternError
from soft_lantern.formats import journal
from soft_lantern.formats.project_folder import changed_outside, open_project
from soft_lantern.formats.records import project_files, schemas
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Project, changed, with_records
from soft_lantern.graph.instances.values import override, put_material, remove_instance
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.parameters.edits import change_parameter

ROOT = Path(__file__).parents[2]


def test_what_is_saved_comes_back_equal_with_sorted_keys(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    whole = demo_project()
    painted = changed(whole.assets["vine_arch"], layers="layers/vine_arch_2.glb")
    assert opened.project == with_records(whole, painted) and (demo_folder / painted.layers).exists()
    assert opened.notices == ()
    for path in demo_folder.rglob("*.json"):
        text = path.read_text()
        assert text == json.dumps(json.loads(text), indent=2, sort_keys=True, ensure_ascii=False) + "\n"


def test_saving_writes_only_what_changed_and_removes_only_its_own(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    (demo_folder / "instances" / "from_elsewhere.json").write_text("{ not json")
    before = {p: p.stat().st_mtime_ns for p in demo_folder.rglob("*.json")}
    project = remove_instance(opened.project, "pool_depths")
    project = override(project, "amber_hour", "origin", 1.5)
    save_project(project, demo_folder, opened.on_disk)
    after = {p: p.stat().st_mtime_ns for p in demo_folder.rglob("*.json")}
    touched = {p.name for p in after if before.get(p) != after[p]} | {p.name for p in before if p not in after}
    assert touched == {"pool_depths.json", "amber_hour.json", "garden.json"}
    assert (demo_folder / "instances" / "from_elsewhere.json").exists()
    assert open_project(demo_folder).project == project


def test_fields_of_a_later_version_survive(demo_folder: Path) -> None:
    path = demo_folder / "materials" / "height_ramp.json"
    raw = json.loads(path.read_text())
    raw["mood"] = "dusk"
    raw["nodes"]["ramp_colour"]["tape"] = [1, {"x": None}]
    raw["parameters"][2]["soft_limits"] = [-3, 3]
    path.write_text(json.dumps(raw))
    opened = open_project(demo_folder)
    material = change_parameter(opened.project.materials["height_ramp"], "spread", default=3.0)
    moved = changed(material, parameters=material.parameters[::-1])
    save_project(put_material(opened.project, moved), demo_folder, opened.on_disk)
    again = json.loads(path.read_text())
    assert (again["mood"], again["nodes"]["ramp_colour"]["tape"]) == ("dusk", [1, {"x": None}])
    assert [p.get("soft_limits") for p in again["parameters"] if p["id"] == "origin"] == [[-3, 3]]


def test_files_keep_to_the_published_schema(demo_folder: Path) -> None:
    published = {p.stem: json.loads(p.read_text()) for p in (ROOT / "docs" / "schema").glob("*.json")}
    assert published == schemas()
    for relative, data in project_files(open_project(demo_folder).project).items():
        kind = relative.partition("/")[0].removesuffix("s").removesuffix(".json")
        jsonschema.validate(json.loads(data), published[kind.removesuffix(".j")])
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"format": 1, "id": "x"}, published["instance"])


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "line 1, column 1"),
        ('{"id": "x", "name": "X", "nodes": {"a": {"type": 3}}}', "nodes"),
        ("[" * 100_000, "not JSON|too deeply"),
        ('{"id": "../../escape", "name": "X"}', "letters, digits"),
        ('{"id": "height_ramp", "name": "X", "format": 99}', "reads up to 1"),
        ('{"id": "amber_hour_2", "name": 4}', "name"),
    ],
)
def test_a_damaged_file_is_told_kept_and_does_not_stop_the_rest(demo_folder: Path, text: str, words: str) -> None:
    path = demo_folder / "materials" / "broken.json"
    path.write_text(text)
    opened = open_project(demo_folder)
    (notice,) = opened.notices
    assert "materials/broken.json" in notice.text
    assert __import__("re").search(words, notice.text)
    assert "height_ramp" in opened.project.materials
    save_project(changed(opened.project, name="Renamed"), demo_folder, opened.on_disk)
    assert path.read_text() == text


@pytest.mark.parametrize("text", ["", "[]", "{}", '{"format": 7}', '{"format": "1"}', "\x00\xff"])
def test_a_folder_that_is_no_project_is_refused_in_one_line(tmp_path: Path, text: str) -> None:
    (tmp_path / "project.json").write_text(text)
    with pytest.raises(BadProject) as caught:
        open_project(tmp_path)
    assert "project.json" in str(caught.value) and "\n" not in str(caught.value)


def test_changes_from_outside_are_seen(demo_folder: Path) -> None:
    snapshot = open_project(demo_folder).on_disk.files
    assert changed_outside(demo_folder, snapshot) == []
    (demo_folder / "instances" / "amber_hour.json").write_text("{}")
    (demo_folder / "instances" / "last_light.json").unlink()
    (demo_folder / "scenes" / "new.json").write_text("{}")
    assert changed_outside(demo_folder, snapshot) == [
        "instances/amber_hour.json",
        "instances/last_light.json",
        "scenes/new.json",
    ]


def _states() -> tuple[Project, Project]:
    whole = demo_project()
    few = {"amber_hour", "pool_depths", "last_light"}
    kept = {key: each for key, each in whole.instances.items() if key in few}
    used = {each.parent for each in kept.values()} - few
    old = changed(Project(name=whole.name), instances=kept, materials={key: whole.materials[key] for key in used})
    new = override(remove_instance(old, "pool_depths"), "amber_hour", "origin", 3.0)
    return old, changed(new, name="After")


def _save_and_die(folder: Path, steps: int) -> None:
    """Save the new state, killed at the given call that touches the disk."""
    left = [steps]

    def counted(call: Callable[..., object]) -> Callable[..., object]:
        def wrapper(*args: object, **named: object) -> object:
            left[0] -= 1
            if left[0] < 0:
                os._exit(9)
            return call(*args, **named)

        return wrapper

    for name in ("replace", "fsync", "open", "unlink", "mkdir", "pwrite", "rmdir"):
        setattr(os, name, counted(getattr(os, name)))
    opened = open_project(folder)
    save_project(_states()[1], folder, opened.on_disk)
    os._exit(0)


def test_a_save_killed_anywhere_leaves_the_old_or_the_new_state_whole(tmp_path: Path) -> None:
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as small:  # which is forked quickly
        found = small.submit(_killed_everywhere, tmp_path).result()
    assert found["old"] > 5 and found["new"] > 3, found


def _killed_everywhere(tmp_path: Path) -> dict[str, int]:
    """Saves that end after 0, 1, 2 … steps, until one comes to its end: how many left the old state, and the new."""
    old, new = _states()
    context = multiprocessing.get_context("fork")
    found = {"old": 0, "new": 0}
    for steps in range(200):
        folder = tmp_path / str(steps)
        save_project(old, folder)
        process = context.Process(target=_save_and_die, args=(folder, steps))
        process.start()
        process.join()
        got = open_project(folder)
        assert got.project in (old, new) and not got.notices
        found["old" if got.project == old else "new"] += 1
        save_project(changed(got.project, name="Next"), folder, got.on_disk)
        assert open_project(folder).project == changed(got.project, name="Next")
        assert [each.name for each in (folder / ".lantern").iterdir()] == ["lock"]
        if process.exitcode == 0:
            break
    assert process.exitcode == 0
    return found


def test_mutated_files_never_crash_and_always_say_what_is_wrong(demo_folder: Path) -> None:
    """Bytes changed, cut, doubled and swapped in a material file: it opens, or it is told."""
    chance = random.Random(11)
    path = demo_folder / "materials" / "height_ramp.json"
    for other in path.parent.glob("*.json"):
        if other != path:
            other.unlink()
    good = path.read_bytes()
    pieces = [b"null", b"-1e999", b'""', b"[]", b"{}", b'"position"', b"1e40", b"NaN", b"\xff", b'"out"', b"true"]
    told = 0
    for _ in range(800):
        data = bytearray(good)
        for _ in range(chance.randint(1, 4)):
            at = chance.randrange(len(data))
            span = data[at : at + chance.randint(0, 30)]
            data[at : at + len(span)] = chance.choice([b"", bytes(span) * 2, chance.choice(pieces)])
        path.write_bytes(data)
        opened = open_project(demo_folder)
        told += bool(opened.notices)
        try:
            assert check_project(opened.project) is not None
        except LanternError:
            pytest.fail("checks must not raise")
    assert told > 250


def test_a_read_only_folder_is_said_not_crashed(demo_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    opened = open_project(demo_folder)

    def refuse(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(journal, "_sync", refuse)
    with pytest.raises(BadProject, match="No space left"):
        save_project(changed(opened.project, name="X"), demo_folder, opened.on_disk)
    monkeypatch.undo()
    assert open_project(demo_folder).project == opened.project
