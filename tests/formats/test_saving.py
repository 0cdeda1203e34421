"""Saving and recovering: record by record, never over what is not ours, and nothing gone until a person says so."""

from __future__ import annotations

import json
import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from soft_lantern.errors import BadFile, BadProject
from soft_lantern.formats.journal import ASIDE, JOURNAL, OWN
from soft_lantern.formats.places import file_inside, new_file, read_plain, whole, write_whole
from soft_lantern.formats.project_folder import OnDisk, open_project
from soft_lantern.formats.records import as_text
from soft_lantern.formats.recovery import RECOVERY, UnsavedWork, earlier_states, left_behind
from soft_lantern.formats.saving import ChangedOutside, save_project
from soft_lantern.graph.document import Instance, Parameter, Project, Sun, changed
from soft_lantern.graph.instances.values import override, put_instance, put_material
from soft_lantern.graph.parameters.edits import expose
from soft_lantern.values.kinds import Kind


def _raw(path: Path) -> dict[str, object]:
    found: dict[str, object] = json.loads(path.read_text())
    return found


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | st.text(),
        lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(), inner, max_size=4),
    )
)
def test_files_are_json_as_python_sets_it_out_in_lines(raw: object) -> None:
    text = json.dumps(raw, indent=2, sort_keys=True, ensure_ascii=False) + "\n"
    assert as_text(raw) == text.encode("utf-8", "replace")


def test_what_did_not_change_is_not_rewritten_whatever_is_in_it(demo_folder: Path) -> None:
    path = demo_folder / "scenes" / "garden.json"
    odd = json.dumps({**_raw(path), "later": {"a.b": 1, "c~1d/e": [2]}}, indent=7)
    path.write_text(odd)
    opened = open_project(demo_folder)
    save_project(override(opened.project, "amber_hour", "origin", 2.0), demo_folder, opened.on_disk)
    assert path.read_text() == odd


def test_unknown_fields_stay_in_list_items_unions_and_under_odd_keys(demo_folder: Path) -> None:
    scene, gradient = demo_folder / "scenes" / "garden.json", demo_folder / "gradients" / "nectar_depths.json"
    raw = _raw(scene)
    raw["environment"] = {"sun": {"azimuth": 20.0, "flare": {"a.b": 1}}}
    raw["bookmarks"] = [{"name": "Gate", "view": {"yaw": 5.0, "lens~": 35}, "key": "F", "unknown": {"name": "a field"}}]
    scene.write_text(json.dumps(raw))
    stops = _raw(gradient)
    stops["stops"][1]["a/b.c~d"] = [None, "x"]  # type: ignore[index]
    gradient.write_text(json.dumps(stops))
    opened = open_project(demo_folder)
    garden, depths = opened.project.scenes["garden"], opened.project.gradients["nectar_depths"]
    assert isinstance(garden.environment.sun, Sun)
    brighter = changed(garden.environment, sun=changed(garden.environment.sun, strength=2.0))
    project = changed(
        opened.project,
        scenes={**opened.project.scenes, "garden": changed(garden, environment=brighter)},
        gradients={**opened.project.gradients, "nectar_depths": changed(depths, stops=depths.stops[::-1])},
    )
    save_project(project, demo_folder, opened.on_disk)
    now = _raw(scene)
    assert now["environment"]["sun"] == {"azimuth": 20.0, "flare": {"a.b": 1}, "strength": 2.0}  # type: ignore[index]
    assert now["bookmarks"][0]["unknown"] == {"name": "a field"}  # type: ignore[index]
    assert now["bookmarks"][0]["key"] == "F" and now["bookmarks"][0]["view"]["lens~"] == 35  # type: ignore[index]
    assert _raw(gradient)["stops"][-2]["a/b.c~d"] == [None, "x"]  # type: ignore[index]


def test_reading_never_writes_and_reads_a_cut_off_save_as_finished(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    path = demo_folder / "instances" / "amber_hour.json"
    later = path.read_bytes().replace(b"Amber hour", b"Amber later")
    (demo_folder / OWN / "pending").mkdir(parents=True)
    (demo_folder / OWN / "pending" / "0").write_bytes(later)
    moves = {"moves": {"0": "instances/amber_hour.json"}, "removals": ["instances/last_light.json"]}
    (demo_folder / JOURNAL).write_text(json.dumps(moves))
    before = {p: p.read_bytes() for p in demo_folder.rglob("*") if p.is_file()}
    again = open_project(demo_folder)
    assert again.project.instances["amber_hour"].name == "Amber later"
    assert "last_light" not in again.project.instances
    assert {p: p.read_bytes() for p in demo_folder.rglob("*") if p.is_file()} == before
    save_project(changed(again.project, name="Next"), demo_folder, again.on_disk)
    assert path.read_bytes() == later and not (demo_folder / "instances" / "last_light.json").exists()
    assert opened.project != again.project


@pytest.mark.parametrize(
    "way", ["../witness.json", "instances/../../witness.json", "/etc/hostname", "meshes/x.glb", "instances/a/b.json"]
)
def test_a_journal_that_leads_elsewhere_is_told_kept_and_not_acted_on(demo_folder: Path, way: str) -> None:
    witness = demo_folder.parent / "witness.json"
    witness.write_text("mine")
    (demo_folder / OWN / "pending").mkdir(parents=True)
    (demo_folder / OWN / "pending" / "0").write_text("gone")
    (demo_folder / JOURNAL).write_text(json.dumps({"moves": {"0": way}, "removals": [way]}))
    opened = open_project(demo_folder)
    assert [n.kind for n in opened.notices] == ["damaged-journal"]
    save_project(changed(opened.project, name="Next"), demo_folder, opened.on_disk)
    assert witness.read_text() == "mine" and open_project(demo_folder).project.name == "Next"
    kept = list((demo_folder / ASIDE).rglob("*"))
    assert any(p.name == "journal.json" for p in kept) and any(p.read_text() == "gone" for p in kept if p.is_file())


def test_nothing_is_saved_through_a_link(demo_folder: Path, tmp_path: Path) -> None:
    opened = open_project(demo_folder)
    elsewhere = tmp_path / "elsewhere"
    (demo_folder / "scenes").rename(elsewhere)
    (demo_folder / "scenes").symlink_to(elsewhere)
    with pytest.raises(BadProject, match="is a link"):
        save_project(changed(opened.project, name="X"), demo_folder, opened.on_disk)
    before = sorted(elsewhere.iterdir())
    assert sorted(elsewhere.iterdir()) == before


@pytest.mark.parametrize("make", [os.mkfifo, lambda p: p.symlink_to("/dev/zero"), lambda p: p.mkdir()])
def test_records_that_are_no_plain_files_are_told_at_once(demo_folder: Path, make: object) -> None:
    make(demo_folder / "instances" / "odd.json")  # type: ignore[operator]
    (notice,) = open_project(demo_folder).notices
    assert notice.kind == "damaged-file" and "odd.json" in notice.text


@pytest.mark.parametrize("file", ["../x", "/etc/passwd", "a/../../x", "link/x", "\0", "a" * 5000, "..\\x"])
def test_paths_from_files_stay_inside_their_folder(tmp_path: Path, file: str) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "link").symlink_to(tmp_path)
    with pytest.raises(BadFile) as caught:
        file_inside(tmp_path / "in", file, "Moss")
    assert "\n" not in str(caught.value)
    assert file_inside(tmp_path / "in", "a/b.png", "Moss") == tmp_path / "in" / "a" / "b.png"


def test_two_savers_of_different_records_keep_each_others_work(demo_folder: Path) -> None:
    one, other = open_project(demo_folder), open_project(demo_folder)
    save_project(override(one.project, "amber_hour", "origin", 1.25), demo_folder, one.on_disk)
    saved = save_project(override(other.project, "last_light", "origin", 0.75), demo_folder, other.on_disk)
    now = open_project(demo_folder).project.instances
    assert (now["amber_hour"].values["origin"], now["last_light"].values["origin"]) == (1.25, 0.75)
    assert not saved.aside


def test_of_a_record_that_both_changed_the_other_version_is_kept(demo_folder: Path) -> None:
    one, other = open_project(demo_folder), open_project(demo_folder)
    save_project(override(one.project, "amber_hour", "origin", 1.25), demo_folder, one.on_disk)
    ours = override(other.project, "amber_hour", "origin", 0.75)
    with pytest.raises(ChangedOutside, match="amber_hour"):
        save_project(ours, demo_folder, other.on_disk, refuse=True)
    saved = save_project(ours, demo_folder, other.on_disk)
    assert open_project(demo_folder).project.instances["amber_hour"].values["origin"] == 0.75
    assert _raw(demo_folder / saved.aside["instances/amber_hour.json"])["values"]["origin"] == 1.25  # type: ignore[index]


def test_a_new_record_leaves_a_damaged_file_of_its_name_alone(demo_folder: Path) -> None:
    damaged = demo_folder / "instances" / "dusk.json"
    damaged.write_text("{ half")
    opened = open_project(demo_folder)
    project = put_instance(opened.project, Instance(id="dusk", name="Dusk", parent="height_ramp"))
    saved = save_project(project, demo_folder, opened.on_disk)
    assert damaged.read_text() == "{ half"
    again = open_project(demo_folder)
    assert again.project.instances["dusk"].name == "Dusk"
    later = override(again.project, "dusk", "origin", 1.0)
    save_project(later, demo_folder, again.on_disk)
    assert open_project(demo_folder).project.instances["dusk"].values == {"origin": 1.0}
    assert saved.on_disk.homes == {("instances", "dusk"): "instances/dusk-2.json"}


def test_neither_of_two_files_with_one_id_is_touched(demo_folder: Path) -> None:
    plain = demo_folder / "instances" / "amber_hour.json"
    copy = demo_folder / "instances" / "Copy of amber_hour.json"
    copy.write_text(plain.read_text().replace("Amber hour", "Amber copy"))
    before = (plain.read_bytes(), copy.read_bytes())
    opened = open_project(demo_folder)
    assert opened.project.instances["amber_hour"].name == "Amber hour"
    (notice,) = opened.notices
    assert notice.kind == "same-id" and len(notice.fixes) == 3
    save_project(override(opened.project, "last_light", "origin", 1.0), demo_folder, opened.on_disk)
    with pytest.raises(BadProject, match="choose"):
        save_project(override(opened.project, "amber_hour", "origin", 1.0), demo_folder, opened.on_disk)
    assert (plain.read_bytes(), copy.read_bytes()) == before


def test_numbers_that_are_not_finite_are_mended_told_and_never_written(demo_folder: Path) -> None:
    path = demo_folder / "materials" / "height_ramp.json"
    raw = _raw(path)
    raw["parameters"][2]["high"] = "HIGH"  # type: ignore[index]
    raw["parameters"][0]["default"] = "DEFAULT"  # type: ignore[index]
    text = json.dumps(raw).replace('"HIGH"', "Infinity").replace('"DEFAULT"', "[NaN, 1e999, 1.0, 1.0]")
    path.write_text(text)
    opened = open_project(demo_folder)
    (notice,) = opened.notices
    assert notice.kind == "not-finite-file" and "high" in notice.text
    material = opened.project.materials["height_ramp"]
    assert material.parameters[2].high is None
    save_project(put_material(opened.project, changed(material, name="Mended")), demo_folder, opened.on_disk)
    json.loads(path.read_text(), parse_constant=lambda word: pytest.fail(f"{word} was written"))


def test_a_default_that_does_not_fit_its_kind_is_put_right(demo_folder: Path) -> None:
    path = demo_folder / "materials" / "height_ramp.json"
    raw = _raw(path)
    colour = next(p for p in raw["parameters"] if p["kind"] == "colour")  # type: ignore[attr-defined]
    colour["default"] = [1.0, 0.5]
    path.write_text(json.dumps(raw))
    opened = open_project(demo_folder)
    assert "default of" in opened.notices[0].text
    found = next(p for p in opened.project.materials["height_ramp"].parameters if p.kind is Kind.COLOUR)
    assert len(found.default) == 4  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("key", "port"), [("surface", "emissive_strength"), ("rim_mask", "exponent"), ("height_mask", "spread")]
)
def test_exposing_what_expects_above_zero_gives_finite_limits(key: str, port: str) -> None:
    from soft_lantern.graph.authoring import Authoring

    m = Authoring("M")
    m.add(key)
    node_id = next(iter(m.material.nodes))
    exposed, parameter_id = expose(m.material, node_id, port)
    found = exposed.parameter(parameter_id)
    assert isinstance(found, Parameter) and found.high is None and found.low is not None and found.low >= 0
    assert found.soft_high is not None and found.soft_low is not None and 0 <= found.soft_low < found.soft_high <= 100
    assert found.control == "slider" and b"Infinity" not in json.dumps(found.soft_high).encode()


def test_what_stood_at_a_place_stays_until_the_new_is_whole(tmp_path: Path) -> None:
    path = tmp_path / "out.txt"
    write_whole(path, "old")

    def half(draft: Path) -> None:
        draft.write_text("ha")
        raise OSError(28, "No space left on device")

    with pytest.raises(BadFile, match="No space left"), whole(path) as draft:
        half(draft)
    assert path.read_text() == "old" and [p.name for p in tmp_path.iterdir()] == ["out.txt"]
    assert new_file(tmp_path, "out", ".txt", lambda p: p.write_text("2") and None).name == "out_2.txt"
    with pytest.raises(BadFile, match="at most 2"):
        read_plain(path, 2)


def test_unsaved_work_is_a_version_beside_compared_record_by_record(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    work = UnsavedWork(demo_folder)
    ours = override(opened.project, "amber_hour", "origin", 2.5)
    ours = changed(ours, snapshots={}, gradients={})
    work.keep(ours, opened.on_disk)
    assert not left_behind(demo_folder)  # its window lives
    work.end()
    (state,) = left_behind(demo_folder)
    # Meanwhile somebody saved another record, and the same one.
    save_project(override(opened.project, "last_light", "origin", 9.0), demo_folder, opened.on_disk)
    again = open_project(demo_folder)
    save_project(override(again.project, "amber_hour", "origin", 1.0), demo_folder, again.on_disk)
    now = open_project(demo_folder)
    found = {each.path: each for each in state.differences(now.project, now.on_disk)}
    assert found["instances/amber_hour"].both
    assert any(each.kept is None for each in found.values())  # what was deleted is known as deleted
    some = state.merged(now.project, {"instances/amber_hour"})
    assert some.instances["amber_hour"].values["origin"] == 2.5
    assert some.instances["last_light"].values["origin"] == 9.0 and some.gradients == now.project.gradients
    assert state.merged(now.project).gradients == {}


def test_two_threads_keep_work_one_after_the_other(demo_folder: Path) -> None:
    """A window that is ended keeps its work while a thread still does."""
    opened = open_project(demo_folder)
    for number in range(40):
        work = UnsavedWork(demo_folder)
        edited = changed(opened.project, name=f"Edited {number}")
        with ThreadPoolExecutor(2) as pool:
            for done in [pool.submit(work.keep, edited, opened.on_disk) for _ in range(4)]:
                done.result()
        work.end()
    assert len(left_behind(demo_folder)) == 40


def test_earlier_states_are_kept_ten_and_a_week(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    for number in range(14):
        work = UnsavedWork(demo_folder)
        work.keep(changed(opened.project, name=f"State {number}"), opened.on_disk)
        work.put_by()
        work.end()
    states = earlier_states(demo_folder)
    assert [s.head["name"] for s in states if s.head] == [f"State {n}" for n in range(13, 3, -1)]
    os.utime(states[0].file, (1.0, 1.0))
    work = UnsavedWork(demo_folder)
    work.keep(changed(opened.project, name="Last"), opened.on_disk)
    work.put_by()
    assert states[0].file not in [s.file for s in earlier_states(demo_folder)]
    work.end()


def test_a_damaged_record_in_unsaved_work_is_told_and_left_out(demo_folder: Path) -> None:
    opened = open_project(demo_folder)
    work = UnsavedWork(demo_folder)
    project = override(override(opened.project, "amber_hour", "origin", 2.5), "last_light", "origin", 2.5)
    work.keep(project, opened.on_disk)
    work.end()
    (file,) = (demo_folder / RECOVERY).glob("unsaved-*.json")
    raw = _raw(file)
    raw["records"]["instances/amber_hour"]["name"] = 7  # type: ignore[index]
    file.write_text(json.dumps(raw))
    (state,) = left_behind(demo_folder)
    assert "amber_hour" in state.trouble[0] and set(state.records) == {"instances/last_light"}
    merged = state.merged(opened.project)
    saved = save_project(merged, demo_folder, opened.on_disk)
    assert open_project(demo_folder).project.instances["amber_hour"] == opened.project.instances["amber_hour"]
    assert isinstance(saved.on_disk, OnDisk)


def test_unsaved_work_goes_to_the_state_folder_where_the_project_cannot_be_written(
    demo_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    opened = open_project(demo_folder)
    (demo_folder / OWN).mkdir(exist_ok=True)
    (demo_folder / RECOVERY).write_text("in the way")
    work = UnsavedWork(demo_folder)
    work.keep(changed(opened.project, name="Kept"), opened.on_disk)
    work.end()
    (state,) = left_behind(demo_folder)
    assert state.file.is_relative_to(tmp_path / "state") and state.merged(Project(name="x")).name == "Kept"


def test_a_project_folder_that_is_taken_away_is_not_made_anew_by_unsaved_work(
    demo_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    opened = open_project(demo_folder)
    demo_folder.rename(tmp_path / "elsewhere")
    work = UnsavedWork(demo_folder)
    work.keep(changed(opened.project, name="Kept"), opened.on_disk)
    work.end()
    assert not demo_folder.exists()
    (state,) = left_behind(demo_folder)
    assert state.merged(Project(name="x")).name == "Kept"
