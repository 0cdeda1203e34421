"""The Dress desk by hand: light that surfaces give, baked, tuned without baking again, and handed over."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from tests.khronos import complaints

from by_hand import LEFT, Open, settled, until
from soft_lantern.app.desks.dress import baking
from soft_lantern.app.desks.dress.light_panel import WHAT
from soft_lantern.app.window.window import MainWindow
from soft_lantern.formats.gltf import Document
from soft_lantern.formats.layered_exr import read_parts
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Asset,
    Environment,
    Instance,
    LightBake,
    Project,
    Scene,
    StageObject,
    Sun,
    View,
    changed,
)
from soft_lantern.graph.instances.values import put_instance
from soft_lantern.values.colour import colour_from_hex


@pytest.fixture
def grotto(open_window: Open, tmp_path: Path) -> MainWindow:
    """A lantern over stones, with a moth that moves and a pane of glass, on the task of baking."""
    glow = Authoring("Glow")
    colour = glow.expose("Glow", "#00ff00", alpha=False)
    glow.add("surface", base_colour=(0.0, 0.0, 0.0, 1.0), emissive=colour, emissive_strength=12.0)
    stone, glass = Authoring("Stone"), Authoring("Glass")
    stone.add("surface", base_colour=(0.6, 0.6, 0.6, 1.0), roughness=1.0, specular=0.0)
    glass.add("surface", base_colour=(0.5, 0.6, 0.7, 0.3), alpha_mode="blend")
    project = Project(name="Grotto")
    for each in (glow, stone, glass):
        project = each.into_project(project)
    project = put_instance(project, Instance(id="lit", name="Lit", parent=glow.material.id))
    shapes = ("sphere", "cube", "plane")
    assets = {shape: Asset(id=shape, name=shape, primitive=shape, subdivision=12) for shape in shapes}  # type: ignore[arg-type]

    def thing(name: str, asset: str, wears: str, at: tuple[float, float, float], **more: object) -> StageObject:
        return StageObject(id=name.lower(), name=name, asset=asset, position=at, wears={"": wears}, **more)  # type: ignore[arg-type]

    objects = (
        thing("Lantern", "sphere", "lit", (0.0, 0.9, 0.0), scale=(0.2, 0.2, 0.2)),
        thing("Ground", "plane", stone.material.id, (0.0, 0.04, 0.0), scale=(1.5, 1.0, 1.5)),
        thing("Block", "cube", stone.material.id, (0.9, 0.3, 0.0), scale=(0.25, 0.3, 0.25)),
        thing("Moth", "sphere", stone.material.id, (-0.6, 0.6, 0.3), scale=(0.1, 0.1, 0.1), moves=True),
        thing("Pane", "plane", glass.material.id, (0.0, 1.6, 0.0)),
    )
    scene = Scene(
        id="night",
        name="Night",
        objects=objects,
        view=View(target=(0.0, 0.3, 0.0), yaw=20.0, pitch=35.0, distance=4.0),
        environment=Environment(sky="neutral grey", exposure=-20.0, sun=Sun(strength=0.0)),
        baked=LightBake(texels=6.0, samples=8, bounces=2),
    )
    save_project(changed(project, assets=assets, scenes={scene.id: scene}), tmp_path / "grotto")
    window = open_window(tmp_path / "grotto", "Dress")
    window.commands.run("Bake the light that surfaces give")
    until(lambda: window.dress.emitted.rows)
    settled(window, "dress")
    return window


def tick(window: MainWindow, name: str, what: str) -> None:
    """Click the box of a row."""
    panel = window.dress.emitted
    row = next(n for n, each in enumerate(panel.rows) if each.name == name)
    item = panel.table.item(row, 1 + WHAT.index(what))
    assert item
    panel.table.scrollToItem(item)
    box = panel.table.visualItemRect(item)
    viewport = panel.table.viewport()
    assert viewport
    at = QPointF(box.left() + 10, box.center().y()).toPoint()
    before = panel.rows
    QTest.mouseClick(viewport, LEFT, Qt.KeyboardModifier.NoModifier, at)
    until(lambda: panel.rows is not before)


def baked(window: MainWindow) -> None:
    QTest.mouseClick(window.dress.emitted.bake, LEFT)
    until(lambda: window.dress.baking.task is None)
    settled(window, "dress")


def light_at(window: MainWindow, *world: float) -> np.ndarray:
    """The linear light of the stage's picture at a point of the world."""
    settled(window, "dress")
    stage = window.dress.stage
    linear = stage.pictures.linear
    assert linear is not None
    at = stage.lens.place(np.array(world))
    height, width = linear.shape[:2]
    return np.array(linear[int(at.y() * height / stage.height()), int(at.x() * width / stage.width()), :3], float)


def test_a_green_lantern_lights_stones_and_is_turned_orange_without_baking_again(
    grotto: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk, session = grotto.dress, grotto.session
    panel = desk.emitted
    rows = {row.name: row for row in panel.rows}
    assert "gives" in rows["Lantern"].does and "takes" not in rows["Ground"].does
    assert rows["Block"].why_not["gives"] == "emissive is 0" and rows["Pane"].why_not["takes"] == "see-through"
    assert set(rows["Moth"].why_not.values()) == {"it moves"} and rows["Moth"].mend
    shade = (0.6, 0.04, 0.9)
    assert light_at(grotto, *shade).max() < 1e-3
    for name in ("Ground", "Block"):
        tick(grotto, name, "takes")
    baked(grotto)
    scene = session.scene
    assert scene and (session.folder / scene.baked.file).exists() and "Baked: 8 samples" in panel.state.text()
    green = light_at(grotto, *shade)
    assert green[1] > 0.05 and green[0] < 1e-3 and green[2] < 1e-3
    assert light_at(grotto, -0.6, 0.7, 0.3)[1] > 0.02  # the moth, by the probes round it
    for light in (0.0, green[1]):  # before and after
        QTest.keyClick(grotto, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        assert light_at(grotto, *shade)[1] == pytest.approx(light, abs=1e-3)

    def lit() -> np.ndarray:
        return light_at(grotto, *shade)

    orange = colour_from_hex("#ff8000")
    session.apply(
        "Tune", lambda p: put_instance(p, changed(p.instances["lit"], values={"glow": orange})), "tune the lantern"
    )
    files = sorted((session.folder / "light").iterdir())
    assert np.allclose(lit(), green[1] * np.array(orange[:3]), rtol=0.02, atol=1e-3)
    _, strength = panel._group_fields["Lantern"]
    strength.setFocus()
    strength.selectAll()
    QTest.keyClicks(strength, "0.5")
    QTest.keyClick(strength, Qt.Key.Key_Return)
    assert np.allclose(lit(), 0.5 * green[1] * np.array(orange[:3]), rtol=0.02, atol=1e-3)
    assert sorted((session.folder / "light").iterdir()) == files  # no new bake

    out = tmp_path / "out"
    monkeypatch.setattr(baking.QFileDialog, "getExistingDirectory", lambda *_: str(out))
    out.mkdir()
    QTest.mouseClick(panel.hand_over, LEFT)
    until(lambda: (out / "light.json").exists() and not grotto.status.task_bar.tasks)
    told = json.loads((out / "light.json").read_text())
    assert {each["object"] for each in told["light_maps"]} == {"Ground", "Block"}
    (part,), _ = read_parts(out / "ground.exr")
    assert part.half and part.channels[:3] == ("R", "G", "B")
    assert complaints(*sorted(out.glob("*.glb"))) == []
    # The picture's point by the mesh and the map that were handed over, as another program would look it up.
    mesh = trimesh.load(out / "ground.glb", force="mesh", process=False)
    local = np.tile([[shade[0] / 1.5, 0.0, shade[2] / 1.5]], (len(mesh.triangles), 1))
    weights = trimesh.triangles.points_to_barycentric(mesh.triangles, local)
    (face,) = np.flatnonzero((weights > 0).all(axis=1))
    scale = np.array(part.texels.shape[1::-1])
    document = Document(out / "ground.glb")
    (told_set,) = next(each for each in told["light_maps"] if each["object"] == "Ground")["coordinate_set"].values()
    attributes = document.json["meshes"][0]["primitives"][0]["attributes"]
    coordinates = document.numbers(attributes[f"TEXCOORD_{told_set}"])[mesh.faces[face]]
    x, y = ((weights[face] @ coordinates) * scale).astype(int)
    assert np.allclose(0.6 * part.texels[y, x, :3], lit(), rtol=0.2, atol=2e-3)


def test_what_moved_is_told_and_hatched_and_undo_brings_the_light_back(grotto: MainWindow) -> None:
    session, panel = grotto.session, grotto.dress.emitted
    QTest.mouseClick(panel.all_take, LEFT)
    until(lambda: all("takes" in row.does for row in panel.rows if not row.why_not.get("takes")))
    baked(grotto)
    before = settled(grotto, "dress")
    session.change_object("Move", "block", position=(0.9, 0.3, 0.4))
    assert "moved since" in panel.state.text()
    after = settled(grotto, "dress")
    ground = grotto.dress.stage.lens.place(np.array([-0.7, 0.04, 0.6]))
    near = (slice(int(ground.y()) - 12, int(ground.y()) + 12), slice(int(ground.x()) - 12, int(ground.x()) + 12))
    assert np.abs(after[near].astype(int) - before[near]).max() > 12
    session.undo.undo()
    assert "moved since" not in panel.state.text()
    assert np.abs(settled(grotto, "dress").astype(int) - before).max() <= 1
    session.undo.undo()  # the bake
    assert session.scene and not session.scene.baked.file
    session.undo.redo()
    until(lambda: session.files.light_of("night") and session.files.light_of("night").baked.samples)  # type: ignore[union-attr]
    assert np.abs(settled(grotto, "dress").astype(int) - before).max() <= 2  # from the file, in half precision


def test_nothing_to_bake_is_said_and_a_bake_can_be_held_and_stopped(grotto: MainWindow) -> None:
    session, panel, desk = grotto.session, grotto.dress.emitted, grotto.dress
    told: list[str] = []
    session.told.connect(told.append)
    tick(grotto, "Lantern", "gives")
    QTest.mouseClick(panel.bake, LEFT)
    until(lambda: desk.baking.task is None)
    assert any("Nothing in the scene gives light" in words for words in told)
    session.undo.undo()
    QTest.mouseClick(panel.all_take, LEFT)
    panel.samples.setValue(20_000)
    until(lambda: session.scene and session.scene.baked.samples == 20_000)
    QTest.mouseClick(panel.bake, LEFT)
    until(lambda: "So far" in panel.state.text())
    QTest.mouseClick(panel.hold, LEFT)
    QTest.qWait(300)
    so_far = panel.state.text()
    QTest.qWait(1200)
    assert panel.state.text() == so_far and panel.hold.isChecked()
    QTest.mouseClick(panel.hold, LEFT)
    until(lambda: panel.state.text() != so_far)
    QTest.mouseClick(panel.stop, LEFT)
    until(lambda: desk.baking.task is None)
    assert session.scene and not session.scene.baked.file and not (session.folder / "light").exists()
    assert "No light is baked here yet" in panel.state.text()


def test_lights_are_grouped_by_a_name(grotto: MainWindow) -> None:
    session, panel = grotto.session, grotto.dress.emitted
    panel.table.setCurrentCell(0, 0)
    assert panel.group.isVisible() and panel.group.text() == "Lantern"
    panel.group.setFocus()
    panel.group.selectAll()
    QTest.keyClicks(panel.group, "Paper lights")
    QTest.keyClick(panel.group, Qt.Key.Key_Return)
    until(lambda: panel.rows[0].group == "Paper lights")
    QTest.mouseClick(panel.all_take, LEFT)
    baked(grotto)
    assert list(panel._group_fields) == ["Paper lights"]
    session.undo.undo()
    panel.table.setCurrentCell(1, 0)
    assert not panel.group.isVisible()  # the ground gives none


def test_the_moth_stands_still_by_one_click_and_keys_tick_the_list(grotto: MainWindow) -> None:
    panel = grotto.dress.emitted
    row = next(n for n, each in enumerate(panel.rows) if each.name == "Moth")
    panel.table.setCurrentCell(row, 0)
    assert panel.mend.isVisible() and panel.mend.text() == "Let it stand still"
    assert grotto.dress.stage.modes.sight.selected == "moth"
    QTest.mouseClick(panel.mend, LEFT)
    until(lambda: "stays" in panel.rows[row].does)
    panel.table.setFocus()
    QTest.keyClick(panel.table, Qt.Key.Key_T)
    until(lambda: "takes" in panel.rows[row].does)


def test_light_that_is_gone_or_damaged_is_said_and_nothing_is_lost(grotto: MainWindow, open_window: Open) -> None:
    session = grotto.session
    QTest.mouseClick(grotto.dress.emitted.all_take, LEFT)
    baked(grotto)
    scene = session.scene
    assert scene
    session.save()
    file = session.folder / scene.baked.file
    file.write_bytes(file.read_bytes()[:2000])
    again = open_window(session.folder)
    until(lambda: any(notice.kind == "light" for notice in again.session.notices))
    assert again.session.files.light_of("night") is None
    assert again.session.project.scenes["night"].baked.file == scene.baked.file


def test_an_object_has_texels_of_its_own_for_its_light_map(grotto: MainWindow) -> None:
    desk, session = grotto.dress, grotto.session
    tick(grotto, "Ground", "takes")
    baked(grotto)
    thing = next(each for each in session.scene.objects if each.name == "Ground")  # type: ignore[union-attr]
    light = session.files.light_of("night")
    assert light
    coarse = next(iter(light.baked.maps[thing.id].light.values())).shape
    desk.select(thing.id)
    desk.go_to("Place")
    desk.texels.want(24.0)
    assert session.scene and session.scene.object(thing.id).texels == 24.0  # type: ignore[union-attr]
    desk.go_to("Bake")
    baked(grotto)
    light = session.files.light_of("night")
    assert light
    fine = next(iter(light.baked.maps[thing.id].light.values())).shape
    assert fine[0] > 2 * coarse[0]  # 24 a metre in place of the scene's 6


def test_the_texels_of_light_maps_are_shown_as_fields_as_wide_as_the_density_says(grotto: MainWindow) -> None:
    desk, told = grotto.dress, list[str]()
    grotto.session.told.connect(told.append)
    shown = desk.emitted.shown
    texels = shown.findData("texels")
    shown.setCurrentIndex(texels)
    shown.activated.emit(texels)
    assert "no light maps yet" in told[-1]
    tick(grotto, "Ground", "takes")
    baked(grotto)
    settled(grotto, "dress")
    stage = desk.stage
    linear = stage.pictures.linear
    assert linear is not None
    sizes = np.array([linear.shape[1] / stage.width(), linear.shape[0] / stage.height()])

    def level(x: float, y: float, z: float) -> float:
        at = stage.lens.place(np.array([x, y, z]))
        across, down = (np.array([at.x(), at.y()]) * sizes).astype(int)
        return float(linear[down, across, :3].mean())

    # Along a metre of ground light and dark fields take turns: 6 texels a metre, up to √2 more along the diagonal.
    lines = [[level(x, 0.0, z) for x in np.linspace(-0.9, 0.1, 64)] for z in np.linspace(0.9, 1.2, 9)]
    turns = [int((np.diff((np.array(line) > np.mean(line)).astype(int)) != 0).sum()) for line in lines]
    assert 4 <= np.median(turns) <= 10 and np.max(lines) > 2 * np.min(lines)
    assert level(0.9, 0.6, 0.0) < 0.02  # the block takes no light: it has no map
