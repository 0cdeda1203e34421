"""The session: one undo entry a gesture, work beside the window, recovery, and what is told."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from by_hand import until
from soft_lantern.app.main import make_application
from soft_lantern.app.session import loaded_files
from soft_lantern.app.session.session import Session, sentence
from soft_lantern.errors import BadValue
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.recovery import RECOVERY
from soft_lantern.graph.document import Asset, Scene, StageObject, View, changed, with_records
from soft_lantern.graph.instances.family import new_instance
from soft_lantern.graph.instances.look_tree import look_choices
from soft_lantern.graph.instances.values import override, put_instance


@pytest.fixture
def session(qtbot: object, demo_folder: Path) -> Iterator[Session]:
    """A session on the demo project, its meshes read."""
    make_application()
    made = Session(demo_folder)
    until(lambda: not made.loading)
    yield made
    made.close()


def tune(session: Session, value: float, merge: str = "spread") -> None:
    session.apply("Tune", lambda project: override(project, "amber_hour", "spread", value), merge)


def test_edits_of_one_gesture_are_one_entry_and_of_two_are_two(session: Session) -> None:
    start = session.project
    for value in (4.0, 3.0, 2.0):
        tune(session, value)
    session.gestures.count += 1
    tune(session, 1.0)
    assert session.undo.count == 2
    session.undo.undo()
    assert session.project.instances["amber_hour"].values["spread"] == 2.0
    session.undo.undo()
    assert session.project is start


def test_different_values_in_one_gesture_stay_apart(session: Session) -> None:
    tune(session, 4.0, "one")
    tune(session, 3.0, "other")
    tune(session, 2.0, "")
    tune(session, 1.0, "")
    assert session.undo.count == 4


def test_an_edit_that_changes_nothing_leaves_no_entry(session: Session) -> None:
    session.apply("Nothing", lambda project: changed(project, name=project.name))
    assert session.undo.count == 0


def test_what_cannot_be_done_is_told_and_changes_nothing(session: Session) -> None:
    said: list[str] = []
    session.told.connect(said.append)

    def impossible(project: object) -> None:
        raise BadValue("the moon is not a number")

    before = session.project
    assert not session.apply("Impossible", impossible)  # type: ignore[arg-type]
    assert said == ["The moon is not a number"]
    assert session.project is before


def test_sentences_begin_with_a_capital_but_file_names_stay() -> None:
    assert sentence("this is so") == "This is so"
    assert sentence("post.glb is cut short") == "post.glb is cut short"
    assert sentence("") == ""


def test_notices_are_found_beside_the_window_for_the_newest_project_only(session: Session) -> None:
    until(lambda: session.notices)
    assert {n.place for n in session.notices} == {"moth_trail"}
    stray = changed(session.project.instances["amber_hour"], id="stray", parent="nowhere")
    session.apply("Break", lambda project: changed(project, instances={**project.instances, "stray": stray}))
    until(lambda: any(n.kind == "parent" for n in session.notices))
    session.undo.undo()
    until(lambda: not any(n.kind == "parent" for n in session.notices))
    opens = [n.open for n in session.notices]
    assert opens == sorted(opens, reverse=True)


def test_a_missing_mesh_is_a_notice_and_comes_back_with_its_file(session: Session, demo_folder: Path) -> None:
    lost = Asset(id="lost", name="Lost", file="meshes/lost.glb")
    session.apply("Add", lambda project: changed(project, assets={**project.assets, "lost": lost}))
    until(lambda: any("lost.glb" in n.text for n in session.notices))
    assert "lost" not in session.models
    shutil.copy(demo_folder / "meshes" / "lantern_post" / "lantern_post.glb", demo_folder / "meshes" / "lost.glb")
    session.apply("Rename", lambda p: changed(p, assets={**p.assets, "lost": changed(lost, name="Found")}))
    until(lambda: "lost" in session.models)
    until(lambda: not any("lost.glb" in n.text for n in session.notices))


def test_files_that_are_held_are_read_once_that_is_begun(
    demo_folder: Path, qapp: QApplication, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Or after a while, where no window says that it has been seen."""
    held = Session(demo_folder, held=True)
    QTest.qWait(60)
    assert held.loading and not held.models and not held.files.all_read
    held.files.begin()
    held.files.begin()  # a second window
    until(lambda: held.files.all_read)
    assert held.models.keys() == held.project.assets.keys() and held.images.keys() >= held.project.textures.keys()
    held.close()
    monkeypatch.setattr(loaded_files, "LONG", 30)
    unseen = Session(demo_folder, held=True)
    until(lambda: unseen.files.all_read)
    unseen.close()


def test_what_the_open_scene_shows_is_read_first(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    until(lambda: not session.loading)
    reading = threading.Event()
    session.background.submit(lambda: reading.wait(20))
    order: list[str] = []

    def noted(asset: Asset, folder: Path) -> object:
        order.append(asset.id)
        return read(asset, folder)

    read = loaded_files._model_of
    monkeypatch.setattr(loaded_files, "_model_of", noted)
    pot = session.project.assets["nectar_basin"]
    pots = {f"pot_{n}": changed(pot, id=f"pot_{n}") for n in range(5)}
    shelf = Scene(id="shelf", name="Shelf", objects=(StageObject(id="third", name="Third", asset="pot_3"),))
    session.apply("Add", lambda project: with_records(project, *pots.values(), shelf))
    session.open_scene("shelf")
    reading.set()
    until(lambda: not session.loading)
    assert order == ["pot_3", "pot_0", "pot_1", "pot_2", "pot_4"]
    assert pots.keys() <= session.models.keys()


def test_unsaved_work_is_kept_beside_and_dropped_by_saving(session: Session, demo_folder: Path) -> None:
    tune(session, 2.25)
    until(lambda: [k for k in (demo_folder / RECOVERY).glob("unsaved-*.json") if "2.25" in k.read_text()])
    assert not session.is_saved and session.save() and session.is_saved
    until(lambda: not list((demo_folder / RECOVERY).glob("unsaved-*.json")))
    assert open_project(demo_folder).project == session.project


def test_a_project_is_saved_again_once_the_last_difference_is_undone(session: Session) -> None:
    start, tuned = session.project, ("amber_hour", "last_light")
    for key in tuned:
        session.apply("Tune", lambda project, key=key: override(project, key, "spread", 1.25))
        assert not session.is_saved
    for key in tuned:  # the one that was found to differ first is put back first
        assert not session.is_saved
        session.apply("Put back", lambda p, k=key: changed(p, instances={**p.instances, k: start.instances[k]}))
    assert session.is_saved
    session.undo.undo()
    assert not session.is_saved


def test_looking_round_is_no_edit_and_framing_fits_everything(session: Session) -> None:
    seen: list[View] = []
    session.view_changed.connect(lambda: seen.append(session.view))
    session.set_view(View(target=(90.0, 0.0, 0.0), distance=0.5))
    session.frame_all()
    assert len(seen) == 2 and session.undo.count == 0
    assert abs(seen[1].target[0]) < 2 and 8 < seen[1].distance < 40


def test_objects_are_added_to_an_empty_project_with_a_scene_of_their_own(session: Session) -> None:
    session.apply("Empty", lambda project: changed(project, scenes={}))
    assert session.scene is None
    object_id = session.add_object(Asset(id="ball", name="Ball", primitive="sphere"))
    assert session.scene and session.scene.object(object_id)
    until(lambda: "ball" in session.models)
    session.change_object("Move", object_id, position=(1.0, 2.0, 3.0))
    assert session.scene.objects[0].position == (1.0, 2.0, 3.0)
    session.undo.undo()
    session.undo.undo()
    assert session.scene is None


def test_choices_list_materials_with_their_families_and_new_names_differ(session: Session) -> None:
    ids = [look_id for look_id, _ in look_choices(session.project)]
    assert ids[:2] == ["basin_nectar", "night_nectar"]
    ramp = ids.index("height_ramp")
    assert ids[ramp : ramp + 5] == ["height_ramp", "amber_hour", "last_light", "pool_depths", "kettle_metal"]
    first = new_instance(session.project, "height_ramp")
    project = put_instance(session.project, first)
    assert new_instance(project, "height_ramp").name != first.name
