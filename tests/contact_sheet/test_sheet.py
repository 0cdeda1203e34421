"""Contact sheets: every combination once, each picture as the stage draws it, by command and by window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox
from typer.testing import CliRunner

from by_hand import NONE, SHIFT, click, until
from soft_lantern.app.window.sheet_dialog import SheetDialog
from soft_lantern.app.window.window import MainWindow
from soft_lantern.cli import app
from soft_lantern.contact_sheet import sheet
from soft_lantern.contact_sheet.cores import draw_on_all_cores
from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadValue, Cancelled
from soft_lantern.formats.assets import load_models
from soft_lantern.graph.instances.values import override
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.primitives import PRIMITIVES, primitive

LOOKS, SKIES = ["amber_hour", "pool_depths"], ["dusk", "neutral grey", "overcast"]


def width_of(path: Path) -> int:
    with Pillow.open(path) as opened:
        return opened.width


def test_a_row_for_each_look_and_every_combination_once() -> None:
    project, ball = sheet.named_asset(demo_project(), "sphere", PRIMITIVES)
    listed = sheet.cells(project, LOOKS, [ball], SKIES)
    assert [(c.look, c.sky) for c in listed] == [(look, sky) for look in LOOKS for sky in SKIES]
    assert listed[0].caption == ("Amber hour", "Sphere, dusk")
    assert sheet.columns_for(1, 3, 6) == 3 and sheet.columns_for(1, 1, 25) == 5
    with pytest.raises(BadValue, match="1 to"):
        sheet.cells(project, [], [ball], SKIES)
    with pytest.raises(BadValue, match="no asset “torus”"):
        sheet.named_asset(project, "torus", PRIMITIVES)
    with pytest.raises(BadValue, match="no sky “noon”"):
        sheet.named_sky(project, "noon")


def test_each_picture_on_the_sheet_is_the_one_drawn_alone(gl: GlRenderer) -> None:
    """And both renderers draw it alike."""
    project, ball = sheet.named_asset(demo_project(), "sphere", PRIMITIVES)
    models, size = {ball: primitive("sphere", 64)}, (64, 48)
    listed = sheet.cells(project, LOOKS, [ball], SKIES)
    pictures = [p.pixels for p in sheet.draw(project, listed, models, {}, size, gl)]
    whole = np.asarray(sheet.laid_out(listed, pictures, 3, "Six"))
    for number, cell in enumerate(listed):
        x = sheet.GAP + number % 3 * (64 + sheet.GAP)
        y = 44 + number // 3 * (48 + sheet.CAPTION + sheet.GAP)
        alone = gl.render(sheet.frame_maker(project, cell, models, size, LoweredMaterials(), {})())
        assert (whole[y : y + 48, x : x + 64] == alone.pixels[..., :3]).all()
    soft = SoftRenderer().render(sheet.frame_maker(project, listed[0], models, size, LoweredMaterials(), {})())
    assert np.abs(soft.pixels.astype(int) - pictures[0]).mean() < 4  # the edges are smoothed by one alone
    assert len({picture.tobytes() for picture in pictures}) == 6


@pytest.mark.parametrize("ending", ["png", "pdf"])
def test_the_command_writes_a_sheet(demo_folder: Path, tmp_path: Path, ending: str) -> None:
    out = tmp_path / f"s.{ending}"
    words = ["sheet", str(demo_folder), "--asset", "garden_urn", "--sky", "overcast", "--size", "48x40", "-o", str(out)]
    done = CliRunner().invoke(app, words)
    assert done.exit_code == 0, done.output
    if ending == "pdf":
        assert out.read_bytes().startswith(b"%PDF")
    else:
        columns = sheet.columns_for(1, 1, len(demo_project().instances))
        assert width_of(out) == sheet.GAP + columns * (48 + sheet.GAP)


def test_all_cores_draw_what_one_does(demo_folder: Path, gl: GlRenderer) -> None:
    project = demo_project()
    models, _ = load_models(project, demo_folder)
    listed = sheet.cells(project, LOOKS * 6, ["garden_urn"], ["dusk", "overcast"])
    told: list[float] = []
    together = draw_on_all_cores(
        project, listed, models, {}, (40, 40), progress=lambda share, words: told.append(share), cores=2
    )
    alone = sheet.draw(project, listed, models, {}, (40, 40), gl)
    assert len(together) == len(listed) == 24 and told == sorted(told) and told[-1] == 1.0
    for one, other in zip(together, alone, strict=True):
        assert np.abs(one.astype(int) - other.pixels).max() <= 1

    def stop(share: float, words: str) -> None:
        raise Cancelled("enough")

    with pytest.raises(Cancelled):
        draw_on_all_cores(project, listed, models, {}, (40, 40), progress=stop, cores=2)


def test_a_sheet_from_the_window_with_progress_and_cancel(window: MainWindow, tmp_path: Path) -> None:
    dialog = SheetDialog(window.session, LOOKS, window)
    dialog.show()
    assert sorted(dialog.looks.ticked) == LOOKS and dialog.count == 2
    skies = dialog.skies.list
    dialog.skies.none.click()
    for row, modifier in ((0, NONE), (2, SHIFT)):
        at = skies.visualItemRect(skies.item(row)).center()
        QTest.mouseClick(skies.viewport(), Qt.MouseButton.LeftButton, modifier, at)
    assert len(dialog.skies.ticked) == 3
    QTest.keyClick(skies, Qt.Key.Key_Space)  # the range is selected
    assert dialog.count == 0
    QTest.keyClick(skies, Qt.Key.Key_Space)
    QTest.keyClicks(dialog.looks.field, "amber")
    dialog.looks.none.click()
    assert dialog.looks.ticked == ["pool_depths"]
    dialog.looks.all.click()
    assert sorted(dialog.looks.ticked) == LOOKS
    save = dialog.buttons.button(QDialogButtonBox.StandardButton.Save)
    assert save and not save.isEnabled()
    dialog.side.setValue(48)
    dialog.path.setText(str(tmp_path / "sheet.png"))
    assert dialog.count == 6 and save.isEnabled()
    dialog.accepted.connect(lambda: dialog.begin())
    click(save, QPointF(save.rect().center()))
    until(lambda: (tmp_path / "sheet.png").exists() and not window.status.task_bar.tasks, 60)
    assert width_of(tmp_path / "sheet.png") == sheet.GAP + 3 * (48 + sheet.GAP)
    assert "contact sheet of 6 pictures" in window.status.message.text()
    dialog.path.setText(str(tmp_path / "never.png"))
    dialog.begin().cancel()
    until(lambda: not window.status.task_bar.tasks)
    assert "was cancelled" in window.status.message.text() and not (tmp_path / "never.png").exists()


def test_every_look_has_a_portrait_that_follows_its_values(window: MainWindow) -> None:
    """Drawn on what wears it; tuning one draws that one and its children again, and nothing else."""
    window.go_to_desk("Tune")
    portraits = window.tune.portraits
    until(lambda: portraits.settled and portraits.images, 60)
    session = window.session
    assert set(portraits.images) == {*session.project.instances, *session.project.materials}
    before = {look_id: image.copy() for look_id, image in portraits.images.items()}
    again: list[str] = []
    portraits.arrived.connect(again.append)
    session.apply("Tune", lambda project: override(project, "amber_hour", "high_colour", (0.0, 0.0, 1.0, 1.0)))
    until(lambda: again)
    until(lambda: portraits.settled, 60)
    assert set(again) == {"amber_hour", "last_light"}  # a child that does not override the colour
    assert portraits.images["amber_hour"] != before["amber_hour"]
    assert portraits.images["pool_depths"] == before["pool_depths"]
    session.undo.undo()
    until(lambda: portraits.settled and portraits.images["amber_hour"] == before["amber_hour"], 60)
    item = window.tune.tree.items["amber_hour"]
    assert not item.icon(0).isNull()
