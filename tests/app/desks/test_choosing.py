"""Vertices selected by hand on the Dress desk, and what fills and the brush then reach."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from by_hand import CTRL, LEFT, SHIFT, Open, click, drag, pixels, seen_at, settled, until
from soft_lantern.app.desks.dress.desk import DressDesk
from soft_lantern.app.desks.dress.layer_panel import FLAT
from soft_lantern.app.desks.dress.vertex_panel import DISTANCE, FACING, HEIGHT, NODE
from soft_lantern.app.window.window import MainWindow
from soft_lantern.formats.layer_files import read_layers
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Project, Scene, StageObject, View
from soft_lantern.scene.vertex_ranges import Heights


@pytest.fixture
def ball(open_window: Open, tmp_path: Path) -> MainWindow:
    """A ball 2 m across with a white layer, in a material that shows it, seen from straight ahead."""
    m = Authoring("Painted")
    m.add("separate", name="Parts", vector=m.add("position", space="object"))
    m.add("unlit_surface", colour=m.add("vertex_colour"))
    asset = Asset(id="ball", name="Ball", primitive="sphere", subdivision=40)
    thing = StageObject(id="one", name="Ball", asset="ball", wears={"": "painted"})
    scene = Scene(id="scene", name="Scene", objects=(thing,), view=View(target=(0, 0, 0), yaw=0, pitch=0, distance=4))
    project = m.into_project(Project(name="Ball", assets={"ball": asset}, scenes={"scene": scene}))
    save_project(project, tmp_path / "ball")
    window = open_window(tmp_path / "ball", "Dress")
    window.dress.select("one")
    window.commands.run("Paint colours into the mesh")
    window.dress.paint.layers.add_wanted.emit()
    done(window)
    QTest.mouseClick(window.dress.paint.vertices.hand, LEFT)
    return window


def done(window: MainWindow) -> None:
    until(lambda: not window.status.task_bar.tasks and not window.session.loading)
    idle: list[bool] = []
    window.session.background.work_out(lambda: True, idle.append)
    until(lambda: idle)
    settled(window, "dress")


def points(desk: DressDesk) -> np.ndarray:
    part = desk.paint.painting.on.part()
    assert part
    return part.bare.positions


def chosen(desk: DressDesk) -> np.ndarray:
    part = desk.paint.painting.on.part()
    assert part
    return desk.paint.painting.selected.all_of(desk.paint.painting.on.key(), part.bare)


def filled(window: MainWindow, colour: tuple[float, ...]) -> np.ndarray:
    """The layer's values after a fill by one colour."""
    panel = window.dress.paint.layers
    panel.way.setCurrentIndex(FLAT)
    panel.colour.show_value(colour)
    QTest.mouseClick(panel.fill, LEFT)
    done(window)
    return (window.dress.paint.painting.on.layers() or ())[0].values


def test_a_box_on_the_stage_selects_what_is_seen_and_only_that_is_filled_and_kept_by_a_name(
    ball: MainWindow, open_window: Open
) -> None:
    desk, stage = ball.dress, ball.dress.stage
    place = stage.lens.place
    left, right = place(np.array([-1.3, 0.3, 0.0])), place(np.array([1.3, -1.3, 0.0]))
    bare = settled(ball, "dress")
    drag(stage, left, right)
    done(ball)
    seen, at = chosen(desk), points(desk)
    # From 4 m a unit ball's horizon is at z = 1/4; its flat facets let a little more be seen.
    assert seen.any() and (at[seen][:, 2] > 0.1).all() and (at[seen][:, 1] < 0.4).all()
    until(lambda: (pixels(stage.grab().toImage()) != pixels(stage.pictures.image)).any(axis=2).sum() > seen.sum() * 4)
    desk.paint.vertices.seen.setCurrentText("through")
    drag(stage, left, right)
    done(ball)
    through = chosen(desk)
    assert (at[through][:, 2] < -0.2).any() and (seen & ~through).sum() == 0
    up, down = place(np.array([-0.2, 1.2, 0.0])), place(np.array([0.2, -1.2, 0.0]))
    drag(stage, up, down, CTRL)
    done(ball)
    without = chosen(desk)
    assert without.sum() < through.sum() and not (without & (np.abs(at[:, 0]) < 0.1)).any()
    drag(stage, up, down, SHIFT)
    done(ball)
    assert (chosen(desk) >= through).all()
    drag(stage, left, right)
    done(ball)
    assert f"{through.sum():,} of {len(at):,}" in desk.paint.vertices.count.text()
    values = filled(ball, (1.0, 0.0, 0.0, 1.0))
    assert (values[through] == (1, 0, 0, 1)).all() and (values[~through] == 1).all()
    assert (settled(ball, "dress") != bare).any(axis=2).mean() > 0.02
    desk.paint.vertices.keep_wanted.emit("lower half")
    done(ball)
    assert desk.paint.vertices.kept.currentText() == "lower half" and desk.paint.layers.list.count() == 1
    ball.commands.run("Select no vertices")
    done(ball)
    assert not chosen(desk).any() and desk.paint.vertices.count.text() == "none selected"
    assert ball.session.save()
    again = open_window(ball.session.folder)
    again.go_to_desk("Dress")
    again.dress.select("one")
    again.commands.run("Paint colours into the mesh")
    until(lambda: again.dress.paint.vertices.kept.currentText() == "lower half")
    QTest.mouseClick(again.dress.paint.vertices.take, LEFT)
    done(again)
    assert (chosen(again.dress) == through).all()
    (asset,) = again.session.project.assets.values()
    ((_, layers),) = read_layers(again.session.folder / asset.layers).values()
    assert [layer.use for layer in layers] == ["colour", "selection"]
    target = again.session.folder.parent / "out.glb"
    again.dress.paint.painting.export_to(asset, target)
    done(again)
    assert b"COLOR_0" in target.read_bytes() and b"LOWER" not in target.read_bytes()  # it is no one else's
    again.session.undo.undo()  # nothing to undo in a fresh window; the kept one stays
    QTest.mouseClick(again.dress.paint.vertices.forget, LEFT)
    done(again)
    assert not again.dress.paint.painting.on.kept() and not again.dress.paint.vertices.take.isVisible()


def test_a_click_takes_the_nearest_vertex_and_steps_carry_it_on(ball: MainWindow) -> None:
    desk, stage = ball.dress, ball.dress.stage
    painted: list[int] = []
    stage.modes.over.append(lambda _: painted.append(1))
    QTest.qWait(300)
    before = len(painted)
    QTest.qWait(500)
    assert len(painted) - before < 5  # marks of nothing are made once, not again and again
    click(stage, stage.lens.place(np.array([0.0, 0.0, 1.0])))
    done(ball)
    at = points(desk)
    (one,) = {tuple(p) for p in at[chosen(desk)].round(4).tolist()}
    assert np.linalg.norm(np.array(one) - (0, 0, 1)) < 0.1
    sizes = [chosen(desk).sum()]
    for step in ("Grow", "Grow", "Shrink", "Invert", "Connected"):
        desk.paint.vertices.step_wanted.emit(step)
        done(ball)
        sizes.append(chosen(desk).sum())
    assert sizes[0] < sizes[1] < sizes[2] and sizes[3] == sizes[1] and sizes[4] == len(at) - sizes[3]
    assert sizes[5] == len(at)
    click(stage, QPointF(4, 4))  # beside the ball
    done(ball)
    assert not chosen(desk).any()
    desk.paint.vertices.step_wanted.emit("Grow")
    done(ball)
    assert "select some vertices first" in ball.status.message.text().lower()


def test_ranges_follow_their_handles_and_a_node_selects_where_it_is_above_a_threshold(ball: MainWindow) -> None:
    desk, stage, panel = ball.dress, ball.dress.stage, ball.dress.paint.vertices
    at = points(desk)
    panel.way.setCurrentIndex(HEIGHT)
    done(ball)
    assert (chosen(desk) == (at[:, 1] >= 0)).all()
    grips = desk.paint.choosing.grips()
    assert grips
    drag(stage, grips.lens.place(grips.places()["low"]), grips.lens.place(np.array([0.0, 0.5, 0.0])))
    done(ball)
    held = desk.paint.choosing.range
    assert isinstance(held, Heights) and held.low == pytest.approx(0.5, abs=0.02)
    assert panel.low.value == held.low
    assert (chosen(desk) == (at[:, 1] >= held.low)).all()
    panel.way.setCurrentIndex(FACING)
    done(ball)
    assert (at[chosen(desk)][:, 1] > 0.8).all() and chosen(desk).any()
    grips = desk.paint.choosing.grips()
    assert grips
    drag(stage, grips.lens.place(grips.places()["toward"]), grips.lens.place(np.array([0.9, 0.0, 0.0])))
    done(ball)
    assert (at[chosen(desk)][:, 0] > 0.4).all() and chosen(desk).any()
    panel.way.setCurrentIndex(DISTANCE)
    done(ball)
    grips = desk.paint.choosing.grips()
    assert grips
    drag(stage, grips.lens.place(grips.places()["centre"]), grips.lens.place(np.array([-1.0, 0.0, 0.0])))
    done(ball)
    assert chosen(desk).any() and (at[chosen(desk)][:, 0] < -0.4).all()
    panel.way.setCurrentIndex(NODE)
    panel.wire.setCurrentIndex(panel.wire.findText("Parts: y"))
    panel.threshold.changed.emit(0.5)
    done(ball)
    assert (chosen(desk) == (at[:, 1] > 0.5)).all()


def test_the_brush_keeps_to_the_selection_and_the_selecting_brush_and_outline_find_what_they_go_over(
    ball: MainWindow,
) -> None:
    desk, stage, panel = ball.dress, ball.dress.stage, ball.dress.paint.vertices
    at, place = points(desk), stage.lens.place
    panel.how.setCurrentText("brush")
    panel.reach.show_value(20.0)
    drag(stage, place(np.array([-0.6, 0.0, 0.8])), place(np.array([0.6, 0.0, 0.8])))
    done(ball)
    band = chosen(desk)
    assert band.any() and (np.abs(at[band][:, 1]) < 0.3).all() and (at[band][:, 2] > 0).all()
    panel.how.setCurrentText("outline")
    corners = [place(np.array(p)) for p in ((-0.5, 0.6, 0.7), (0.5, 0.6, 0.7), (0.0, -0.2, 1.0))]
    QTest.mousePress(stage, LEFT, SHIFT, corners[0].toPoint())
    for corner in (*corners[1:], corners[0] + QPointF(4, 0)):
        QTest.mouseMove(stage, corner.toPoint())
        QTest.qWait(2)
    QTest.mouseRelease(stage, LEFT, SHIFT, corners[0].toPoint())
    done(ball)
    both = chosen(desk)
    assert (both >= band).all() and (at[both & ~band][:, 1] > 0.1).any()
    QTest.mouseClick(desk.paint.layers.brush, LEFT)
    assert not panel.hand.isChecked()
    desk.paint.layers.ink.show_value((0.0, 0.0, 0.0, 1.0))
    desk.paint.layers.radius.show_value(0.5)
    drag(stage, place(np.array([0.0, 0.8, 0.6])), seen_at(stage, "one"))
    done(ball)
    drag(stage, place(np.array([0.0, -0.4, 0.9])), place(np.array([0.0, 0.4, 0.9])))
    done(ball)
    values = (desk.paint.painting.on.layers() or ())[0].values
    assert (values[both] < 1).any() and (values[~both] == 1).all()
    QTest.keyClick(stage, Qt.Key.Key_Escape)
    assert not desk.paint.layers.brush.isChecked()
