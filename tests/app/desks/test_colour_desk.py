"""The Colour desk by hand: a depth gradient tuned on the stage and shipped, and one moth in six families of colour."""

from __future__ import annotations

import json
from pathlib import Path

import colour
import numpy as np
import pytest
from PIL import Image as Pillow
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox

from by_hand import CTRL, LEFT, NONE, SHIFT, Open, click, drag, pixels, settled, until
from soft_lantern.app.desks.colour.atlas_dialog import KEPT
from soft_lantern.app.desks.colour.desk import ColourDesk
from soft_lantern.app.desks.colour.swap_cards import seen_part
from soft_lantern.app.session.imports import import_image
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo import moths
from soft_lantern.formats.images import read_image, write_png
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.sprites import pixels_of
from soft_lantern.graph.document import Gradient, Palette, with_records
from soft_lantern.graph.gradients.editing import width_advice
from soft_lantern.graph.palettes.indexing import Pixels, decoded
from soft_lantern.graph.palettes.recolour import tint_words
from soft_lantern.graph.palettes.swap_sets import sprites_of, swap_set
from soft_lantern.graph.ramps.images import colours_at, side_of
from soft_lantern.ir.oklch import oklch_from_linear
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.images import Image

pytestmark = pytest.mark.left_at("Colour")

OK = QDialogButtonBox.StandardButton.Ok


def at_colour(window: MainWindow, scene: str, ramp: str = "") -> ColourDesk:
    """The Colour desk, with a scene on the stage and a gradient or palette chosen."""
    window.session.open_scene(scene)
    QTest.mouseClick(window.header.desk_buttons["Colour"], LEFT)
    desk = window.colour
    until(lambda: desk.stage.pictures.frames_drawn > 0)
    row = next(r for r in range(desk.list.count()) if desk.list.item(r).data(Qt.ItemDataRole.UserRole) == ramp)
    click(desk.list.viewport(), QPointF(desk.list.visualItemRect(desk.list.item(row)).center()))
    assert desk.chosen == ramp
    return desk


def test_the_nectars_depths_are_tuned_by_eye_and_shipped_as_a_row_of_an_atlas(
    window: MainWindow, tmp_path: Path
) -> None:
    session = window.session
    desk = at_colour(window, "two_nectars", "nectar_depths")
    page, bar = desk.gradient_page, desk.gradient_page.bar

    def held() -> Gradient:
        return session.project.gradients["nectar_depths"]

    until(lambda: any(page.usage.counts))
    assert "by 1 part" in page.usage.words and sum(page.usage.counts) > 500
    first, compiled = settled(window, "colour"), window.worker.compiled
    # A stop is dragged: the picture follows, no program is compiled, and the drag is one entry to undo.
    before, entries = held(), session.undo.count
    middle = QPointF(bar.x_of(before.stops[2].at), 40)
    drag(bar, middle, QPointF(bar.x_of(0.62), 40))
    assert held().stops[2].at == pytest.approx(0.62, abs=0.01) and session.undo.count == entries + 1
    second = settled(window, "colour")
    moved = np.abs(second - first).max(axis=2) > 8
    assert moved.any() and window.worker.compiled == compiled
    assert moved[:, : moved.shape[1] // 3].mean() < 0.002  # the basin of two colours stays as it is
    # Nudged by number and by key, added, duplicated, dragged off, recoloured, reshaped.
    bar.setFocus()
    QTest.keyClick(bar, Qt.Key.Key_Right)
    QTest.keyClick(bar, Qt.Key.Key_Left, SHIFT)
    assert held().stops[2].at == pytest.approx(bar.gradient.stops[2].at) and session.undo.count == entries + 3
    page.place.setFocus()
    page.place.selectAll()
    QTest.keyClicks(page.place, "1 / 2")
    QTest.keyClick(page.place, Qt.Key.Key_Return)
    assert held().stops[2].at == 0.5
    click(bar, QPointF(bar.x_of(0.9), 14))
    assert len(held().stops) == 6 and held().stops[5].at == pytest.approx(0.9, abs=0.01)
    assert colours_at(held(), [0.9])[0] == pytest.approx(colours_at(before, [0.9])[0], abs=0.02)
    QTest.mouseClick(page.duplicate, LEFT)
    assert len(held().stops) == 7
    at = QPointF(bar.x_of(held().stops[6].at), 40)
    drag(bar, at, at + QPointF(0, 80))
    QTest.mouseClick(page.remove, LEFT)
    assert len(held().stops) == 5
    page.colour.changed.emit((3.0, 1.5, 0.2, 0.6))
    page.shape.setCurrentText("smooth")
    page.shape.activated.emit(page.shape.currentIndex())
    assert bar.stops[bar.at].colour == (3.0, 1.5, 0.2, 0.6) and bar.stops[bar.at].shape == "smooth"
    assert page.curves.luminance.max() > 1.0
    for name in ("Reverse", "Mirror", "Rotate by", "Space evenly"):
        QTest.mouseClick(page.edits[name], LEFT)
    while session.undo.count > entries + 1 and session.undo.index > entries + 1:
        session.undo.undo()
    assert held().stops[2].at == pytest.approx(0.62, abs=0.01)
    # Alpha gets stops of its own and keeps its course.
    QTest.mouseClick(page.apart, LEFT, NONE, QPoint(8, page.apart.height() // 2))
    assert len(held().alphas) == 5
    drag(page.alpha_bar, QPointF(page.alpha_bar.x_of(held().alphas[1].at), 40), QPointF(page.alpha_bar.x_of(0.3), 40))
    assert held().alphas[1].at == pytest.approx(0.3, abs=0.01)
    page.mixing.setCurrentIndex(page.mixing.findData("oklch"))
    page.mixing.activated.emit(page.mixing.currentIndex())
    assert held().mixing == "oklch" and page.hue.isVisible()
    # The advice is what the calculation gives, and the atlas what was promised.
    _, least = width_advice(held())
    until(lambda: f"{least} texels keep within 1/255" in page.advice.text())
    QTest.mouseClick(page.atlas, LEFT)
    dialog = desk.dialog
    dialog.kept.setCurrentIndex(list(KEPT).index((16, "data")))
    dialog.kept.activated.emit(dialog.kept.currentIndex())
    dialog.width_box.setCurrentIndex(dialog.width_box.findData(256))
    dialog.width_box.activated.emit(dialog.width_box.currentIndex())
    assert dialog.table.item(0, 0).text() == "Nectar depths" and dialog.table.item(0, 1).text() == "0.25"
    said = float(dialog.table.item(0, 2).text().split()[0].rstrip(","))
    dialog.write_to(tmp_path / "nectars.png")
    assert "Wrote" in window.status.message.text()
    texels = read_image(tmp_path / "nectars.png", "data")
    row = texels.linear()[0].astype(float)
    at = np.union1d(np.linspace(0, 1, 5101), [stop.at for stop in (*held().stops, *held().alphas)])
    exact, where = colours_at(held(), at), at * 255
    left = np.minimum(where.astype(int), 254)
    read = row[left] + (row[left + 1] - row[left]) * (where - left)[:, None]
    assert said - 0.05 <= np.abs(read - exact).max() * 255 <= said + 0.01  # a tick is never wrong
    assert json.loads((tmp_path / "nectars.json").read_text())["gradients"][0]["v"] == 0.25
    session.save()
    assert open_project(session.folder).project.gradients["nectar_depths"] == held()


def test_one_moth_in_six_families_without_touching_its_pixels_again(window: MainWindow, tmp_path: Path) -> None:
    session = window.session
    sheet = moths.sheet(moths.SHAPES["moth_broad"])
    given = tmp_path / "sprites"
    for name in ("night_moth", "night_moth_small"):
        write_png(sheet if name == "night_moth" else sheet[:, ::2], given / f"{name}.png")
    desk = at_colour(window, "moth_wall", "moth_dust")
    QTest.mouseClick(desk.add_palette, LEFT)
    page, made = desk.palette_page, desk.chosen
    page.sprites.extract([given])
    until(lambda: getattr(page.sprites, "dialog", None) and page.sprites.dialog.buttons.button(OK).isEnabled())
    opaque = sheet[sheet[..., 3] > 0][:, :3]
    distinct = len(np.unique(opaque, axis=0))
    assert page.sprites.dialog.words.text().startswith(f"{distinct} distinct colours")
    QTest.mouseClick(page.sprites.dialog.buttons.button(OK), LEFT)
    until(lambda: len(session.project.palettes[made].colours) == distinct)

    def palette(palette_id: str = made) -> Palette:
        return session.project.palettes[palette_id]

    sprites = sprites_of(session.project, made)
    assert [t.name for t in sprites] == ["Night moth", "Night moth small"]
    indices = pixels_of(read_image(session.folder / sprites[0].file, "data"))
    assert (decoded(indices, palette(), side_of(palette()))[sheet[..., 3] > 0] == sheet[sheet[..., 3] > 0]).all()
    side = side_of(palette())
    assert set(np.unique(indices[..., :2])) <= {round(255 * n / (side - 1)) for n in range(side)}
    assert f"{distinct} of {side * side} cells used" in page.room.text()
    # Five more: turned twice, on a gradient, a ramp brought to another colour, and one by hand.
    page.grid.setFocus()
    click(page.grid, page.grid.cell(0).center())
    QTest.mouseClick(page.lock, LEFT)
    assert palette().locked == (0,)
    for degrees in (90.0, 200.0):
        desk.choose(made)
        page.making.degrees.want(degrees)
        QTest.mouseClick(page.making.turn, LEFT)
        turned = palette(desk.chosen)
        lightest = max(range(distinct), key=lambda n: oklch_from_linear(palette().colours[n][:3])[1])
        before, after = (oklch_from_linear(p.colours[lightest][:3])[2] for p in (palette(), turned))
        assert (after - before) % 360 == pytest.approx(degrees, abs=6) and turned.colours[0] == palette().colours[0]
    desk.choose(made)
    page.making.gradients.setCurrentIndex(page.making.gradients.findData("embers"))
    QTest.mouseClick(page.making.map, LEFT)
    desk.choose(made)
    wing = next(n for n, c in enumerate(palette().colours) if c == moths.DUST.colours[moths.WING[2]])
    click(page.grid, page.grid.cell(wing).center())
    page.making.aim.show_value((0.05, 0.25, 0.6, 1.0))
    QTest.mouseClick(page.making.bring, LEFT)
    assert palette(desk.chosen).colours[wing][:3] == pytest.approx((0.05, 0.25, 0.6), abs=0.01)
    desk.choose(made)
    QTest.mouseClick(desk.duplicate_button, LEFT)
    spot = next(n for n, c in enumerate(palette().colours) if c == moths.DUST.colours[moths.SPOT[1]])
    click(page.grid, page.grid.cell(spot).center())
    page.colour.changed.emit((0.9, 0.9, 0.1, 1.0))
    by_hand = desk.chosen
    family = swap_set(session.project, made)
    assert len(family) == 6 and palette(by_hand).colours[spot] == (0.9, 0.9, 0.1, 1.0)
    assert (pixels_of(read_image(session.folder / sprites[0].file, "data")) == indices).all()
    # The cards show the sprite in each, and a click chooses.
    for each in family:
        shown, wanted = pixels(page.cards.image_of(each.id)), seen_part(decoded(indices, each, side))
        assert (shown[wanted[..., 3] > 0] == wanted[wanted[..., 3] > 0][:, :3]).all()
    click(page.cards, page.cards.card(2).center())
    assert desk.chosen == family[2].id
    # Grown: the sprites are encoded anew and look the same.
    desk.choose(made)
    page.side.setValue(side + 1)
    QTest.mouseClick(page.grow, LEFT)
    until(lambda: side_of(palette()) == side + 1)
    again = sprites_of(session.project, made)[0]
    assert again.file != sprites[0].file and all(side_of(p) == side + 1 for p in swap_set(session.project, made))
    wider = pixels_of(read_image(session.folder / again.file, "data"))
    assert (decoded(wider, palette(), side + 1)[sheet[..., 3] > 0] == sheet[sheet[..., 3] > 0]).all()
    session.undo.undo()
    assert sprites_of(session.project, made)[0].file == sprites[0].file
    # To files and back, saved and reopened. The cells as an image, read by Pillow, are the colours in their order.
    desk.write_file(tmp_path / "cells.png")
    cells = np.asarray(Pillow.open(tmp_path / "cells.png").convert("RGBA")).reshape(-1, 4)
    assert {tuple(c) for c in cells[:distinct, :3]} == {tuple(c) for c in opaque} and not cells[distinct:].any()
    desk.write_file(tmp_path / "family.json")
    desk.open_file(tmp_path / "family.json")
    assert len(swap_set(session.project, desk.chosen)) == 6
    session.undo.undo()
    session.save()
    assert [p.id for p in swap_set(open_project(session.folder).project, made)] == [p.id for p in family]
    while session.undo.can_undo:
        session.undo.undo()
    assert made not in session.project.palettes


def test_a_wall_of_moths_picks_palettes_by_seed(window: MainWindow) -> None:
    desk = at_colour(window, "moth_wall", "moth_dust")
    page, session = desk.palette_page, window.session
    desk.choose("nectar_depths")
    until(lambda: desk.gradient_page.usage.words == "Not in sight")
    desk.used_by.linkActivated.emit("graded_nectar")
    assert (session.scene_id, session.material_id) == ("two_nectars", "graded_nectar")
    until(lambda: "in sight" in desk.gradient_page.usage.words and any(desk.gradient_page.usage.counts))
    desk.choose("moth_tide")
    desk.used_by.linkActivated.emit("moth_tide_moth")
    assert session.scene_id == "moth_wall"
    desk.choose("moth_dust")
    first = settled(window, "colour")
    page.seed.setValue(77)
    QTest.mouseClick(page.pick, LEFT)
    (pick,) = [p for p in session.project.picks.values() if p.id == "any_moth"]
    assert pick.seed == 77 and len(pick.looks) == 7
    assert np.abs(settled(window, "colour") - first).max() > 40
    click(page.grid, page.grid.cell(2).center())
    QTest.mouseClick(page.grid, LEFT, CTRL, page.grid.cell(3).center().toPoint())
    page.colour.changed.emit((0.1, 0.9, 0.3, 1.0))
    assert session.project.palettes["moth_dust"].colours[2:4] == ((0.1, 0.9, 0.3, 1.0),) * 2
    QTest.mouseClick(page.remove, LEFT)
    assert "Only the last colours can go" in window.status.message.text()
    QTest.mouseClick(page.add, LEFT)
    assert all(len(p.colours) == 12 for p in swap_set(session.project, "moth_dust"))
    desk.delete()
    assert "Moth sprite" in window.status.message.text() and "moth_dust" not in session.project.palettes
    assert "moth_dust" not in session.images
    session.undo.undo()
    assert "moth_dust" in session.images


def test_gradients_are_taken_from_lines_files_and_mixes(window: MainWindow, tmp_path: Path) -> None:
    session = window.session
    desk = at_colour(window, "two_nectars", "embers")
    across = np.linspace(0, 255, 200).round().astype(np.uint8)
    strip = np.dstack(
        [np.tile(across, (20, 1)), np.full((20, 200), 40), np.tile(across[::-1], (20, 1)), np.full((20, 200), 255)]
    )
    write_png(strip.astype(np.uint8), tmp_path / "strip.png")
    desk.sources.take_from("image")
    dialog = desk.sources.line_dialog
    dialog.open_file(tmp_path / "strip.png")
    place = dialog.canvas.place()
    drag(
        dialog.canvas,
        place.topLeft() + QPointF(2, place.height() / 2),
        place.topRight() + QPointF(-2, place.height() / 2),
    )
    until(lambda: dialog.buttons.button(OK).isEnabled())
    assert dialog.fitted and dialog.words.text().startswith(f"{len(dialog.fitted.stops)} stops")
    # The error that is said, by hand: the row's texels under the line, in colour-science's OKLab.
    columns = np.clip(np.linspace(dialog.canvas.line[0], dialog.canvas.line[2], 200) * 200, 0, 199).astype(int)
    under = np.asarray(colour.models.eotf_sRGB(strip[10, columns, :3] / 255.0))
    fitted = colours_at(dialog.fitted, np.linspace(0, 1, 200))[:, :3]
    labs = [colour.XYZ_to_Oklab(colour.RGB_to_XYZ(each, "sRGB")) for each in (under, fitted)]
    said = float(dialog.words.text().split("ΔE OK ")[1].split()[0])
    assert said == pytest.approx(np.linalg.norm(labs[0] - labs[1], axis=1).max(), abs=2e-3)
    QTest.mouseClick(dialog.buttons.button(OK), LEFT)
    ends = colours_at(session.project.gradients["embers"], [0.0, 1.0])[:, [0, 2]]
    assert ends[0, 1] > 0.9 > 0.1 > ends[0, 0] and ends[1, 0] > 0.9 > 0.1 > ends[1, 1]
    settled(window, "colour")
    desk.sources.take_from("stage")
    assert desk.sources.line_dialog.chooser.currentText() == "The stage" and isinstance(
        desk.sources.line_dialog.stage, Image
    )
    desk.sources.line_dialog.reject()
    desk.sources.take_from("fewer")
    kept = session.project.gradients["embers"]
    click(desk.gradient_page.bar, QPointF(desk.gradient_page.bar.x_of(0.5), 14))
    desk.sources.take_from("fewer")
    assert (
        session.project.gradients["embers"].stops == kept.stops and "stops keep within" in window.status.message.text()
    )
    desk.sources.take_from("fewer")
    assert "needs its" in window.status.message.text()
    desk.sources.take_from("ends")
    assert len(session.project.gradients["embers"].stops) == 2
    for ending in ("csv", "ggr"):
        desk.write_file(tmp_path / f"mine.{ending}")
        desk.open_file(tmp_path / f"mine.{ending}")
        found = session.project.gradients[desk.chosen]
        kept = session.project.gradients["embers"]
        assert colours_at(found, [0, 1]) == pytest.approx(colours_at(kept, [0, 1]), abs=0.01)
        desk.choose("embers")
    for name, words in (("nothing.ggr", "cannot be read"), ("wrong.txt", "only .ggr and .csv")):
        desk.open_file(tmp_path / name)
        assert words in window.status.message.text()
    # The open graph's mixes become a gradient, and the stage hardly changes.
    session.open_material("height_ramp")
    desk.sources.take_from("mixes")
    until(lambda: hasattr(desk.sources, "mixes_menu"))
    (action,) = desk.sources.mixes_menu.actions()
    assert "Ramp colour" in action.text() and "taking in Low colour, High colour" in action.text()
    action.trigger()
    desk.sources.mixes_menu.close()
    material = session.project.materials["height_ramp"]
    assert desk.chosen in session.project.gradients and "gradient_lookup" in {n.type for n in material.nodes.values()}
    session.open_material("moth_sprite")
    desk.sources.choose_mixes()
    until(lambda: "has no mixes" in window.status.message.text())


def test_recolouring_without_an_index_shows_where_multiplying_fails(window: MainWindow, tmp_path: Path) -> None:
    desk = at_colour(window, "moth_wall", "moth_dust")
    page = desk.palette_page
    flat: Pixels = np.full((16, 16, 4), (240, 220, 20, 255), np.uint8)
    flat[4:8, 4:8] = (30, 30, 34, 255)
    write_png(flat, tmp_path / "yellow.png")
    page.sprites.recolour(tmp_path / "yellow.png")
    until(lambda: hasattr(page.sprites, "recolouring"))
    dialog = page.sprites.recolouring
    dialog.new.changed.emit((0.0, 0.0, 1.0, 1.0))
    place = dialog.source.place()
    click(dialog.source, place.topLeft() + QPointF(6, 6))
    assert "turn black" in dialog.words.text()
    tint, replaced, by_palette = dialog.results.values()
    assert tint[0, 0, :3].max() < 60 and replaced[0, 0, 2] > 240 and by_palette[0, 0, 2] > 240
    assert (replaced[5, 5] == flat[5, 5]).all()
    seen = pixels(dialog.source.grab().toImage())  # what is touched stands out before it is taken
    far = place.topLeft() + QPointF(0.4 * place.width(), 0.4 * place.height())
    assert "94% of the picture" in dialog.listed.text()  # 240 of 256 pixels
    assert seen[int(place.top()) + 6, int(place.left()) + 6].max() > 200 > 60 > seen[int(far.y()), int(far.x())].max()
    QTest.mouseClick(dialog.more, LEFT)
    click(dialog.source, far)
    dialog.new.changed.emit((0.0, 0.8, 0.0, 1.0))
    both = dialog.results["Replaced with its shades"]
    assert both[0, 0, 2] > 240 and (both[5, 5] != flat[5, 5]).any()
    QTest.mouseClick(dialog.hold, LEFT)
    assert (dialog.results["Replaced with its shades"][5, 5] == flat[5, 5]).all()
    dialog.listed.linkActivated.emit("held 0")
    dialog.listed.linkActivated.emit("pair 0")
    dialog.old.changed.emit(colour_from_hex("#f0dc14"))
    dialog.new.changed.emit((0.0, 0.0, 1.0, 1.0))
    replaced = dialog.results["Replaced with its shades"]
    dialog.write_to(tmp_path / "blue.png")
    assert (pixels_of(read_image(tmp_path / "blue.png", "colour")) == replaced).all()
    dialog.reject()
    write_png(flat, tmp_path / "cells.png")
    page.sprites.check_indices(tmp_path / "cells.png")
    assert "between cells" in page.words.text() and "blue is not 0" in page.words.text()
    page.sprites.check_indices(window.session.folder / "images" / "moth_lamp.png")
    assert "sound indices" in page.words.text()
    page.sprites.check_indices(tmp_path / "missing.png")
    assert "missing" in page.words.text()


def test_colours_are_brought_down_and_merged_with_the_error_said(window: MainWindow, tmp_path: Path) -> None:
    desk = at_colour(window, "moth_wall", "moth_dust")
    across, down = np.meshgrid(np.arange(64), np.arange(64))
    picture = np.dstack([across * 4, down * 4, across + down, np.full_like(across, 255)]).astype(np.uint8)
    write_png(picture, tmp_path / "photo.png")
    hands = desk.palette_page.sprites
    hands.extract([tmp_path / "photo.png"])
    until(lambda: hasattr(hands, "dialog") and "4,096 distinct colours" in hands.dialog.words.text())
    dialog = hands.dialog
    dialog.count.setValue(12)
    QTest.mouseClick(dialog.limit, LEFT, NONE, QPoint(8, dialog.limit.height() // 2))
    until(lambda: "quantised to 12" in dialog.words.text())
    (brought,) = dialog.result_pictures
    by_hand = np.sqrt(((brought.pixels[..., :3].astype(float) - picture[..., :3]) ** 2).mean())
    assert f"{by_hand:.2f}/255 from the pictures" in dialog.words.text()
    assert len(np.unique(brought.pixels.reshape(-1, 4), axis=0)) == 12 == len(dialog.result_palette.colours)
    dialog.tolerance.want(0.5)
    until(lambda: "merged to" in dialog.words.text())
    assert len(dialog.result_palette.colours) < 12
    dialog.reject()


def test_the_desk_opens_on_a_gradient_that_the_stage_uses(open_window: Open, demo_folder: Path) -> None:
    window = open_window(demo_folder)
    window.session.open_scene("two_nectars")
    window.go_to_desk("Colour")
    assert window.colour.chosen == "nectar_depths"


def test_an_index_image_is_written_and_decodes_to_the_picture(window: MainWindow, tmp_path: Path) -> None:
    window.go_to_desk("Colour")
    desk, session = window.colour, window.session
    palette = Palette(id="four", name="Four", colours=tuple(map(colour_from_hex, ("#112233", "#445566", "#ffcc00"))))
    session.apply("Add", lambda project: with_records(project, palette))
    desk.choose("four")
    pixels = np.array([[[0x11, 0x22, 0x33, 255], [0xFF, 0xCC, 0, 255]]], np.uint8)
    Pillow.fromarray(pixels).save(tmp_path / "p.png")
    desk.palette_page.sprites.write_index(tmp_path / "p.png", tmp_path / "i.png")
    written = np.array(Pillow.open(tmp_path / "i.png"))
    assert (decoded(written, palette) == pixels).all()
    assert written[0, :, :2].tolist() == [[0, 0], [0, 255]]  # 2 × 2 cells: the third begins the second row


def test_a_sprite_is_made_of_an_image_without_a_graph_and_the_same_file_twice_is_asked(
    window: MainWindow, tmp_path: Path
) -> None:
    picture = np.zeros((8, 8, 4), np.uint8)
    picture[2:6, 2:6] = (200, 40, 30, 255)
    picture[3, 3] = (20, 180, 60, 255)
    write_png(picture, tmp_path / "red_beetle.png")
    session, before = window.session, window.session.project
    desk = at_colour(window, "moth_wall", "moth_dust")
    hands = desk.palette_page.sprites
    hands.new_material([tmp_path / "red_beetle.png"])
    until(lambda: hasattr(hands, "dialog") and hands.dialog.buttons.button(OK).isEnabled())
    QTest.mouseClick(hands.dialog.buttons.button(OK), LEFT)
    until(lambda: "Red beetle sprite" in {m.name for m in session.project.materials.values()})
    assert session.project.palettes[desk.chosen].name == "Red beetle" and session.material
    assert (
        session.material.name == "Red beetle sprite"
        and session.scene
        and session.scene.objects[-1].wears[""] == session.material_id
    )
    shown = settled(window, "colour")
    assert ((shown[..., 0] > 150) & (shown[..., 1] < 90)).mean() > 0.01  # the beetle is seen
    hands.add_sprites([tmp_path / "red_beetle.png"])
    until(lambda: "Leave out what is there" in window.banner.buttons)
    assert "red_beetle (as Red beetle)" in window.banner.words.text()
    QTest.mouseClick(window.banner.buttons["Leave out what is there"], LEFT)
    assert len(sprites_of(session.project, desk.chosen)) == 1
    session.undo.undo()
    assert session.project == before
    window.go_to_desk("Build")
    taken: list[str] = []
    import_image(session, tmp_path / "red_beetle.png", lambda texture: taken.append(texture.id))
    until(lambda: taken)
    import_image(session, tmp_path / "red_beetle.png", lambda texture: taken.append(texture.id))
    until(lambda: "Use that one" in window.banner.buttons)
    QTest.mouseClick(window.banner.buttons["Use that one"], LEFT)
    assert taken[0] == taken[1] and len(session.project.textures) == len(before.textures) + 1


def test_cells_are_edited_where_they_are_from_the_keyboard(window: MainWindow) -> None:
    desk = at_colour(window, "moth_wall", "moth_dust")
    page, session = desk.palette_page, window.session
    page.grid.setFocus()
    page.grid.select(1)
    QTest.keyClick(page.grid, Qt.Key.Key_Right)
    QTest.keyClick(page.grid, Qt.Key.Key_Return)
    picker = page.colour.picker
    assert picker and picker.isVisible()
    corner = page.grid.mapToGlobal(page.grid.cell(2).bottomRight().toPoint())
    assert (picker.pos() - corner).manhattanLength() < 400
    QTest.keyClicks(picker.hex, "#12ff34")
    QTest.keyClick(picker.hex, Qt.Key.Key_Return)
    assert session.project.palettes["moth_dust"].colours[2] == colour_from_hex("#12ff34")
    count = len(session.project.palettes["moth_dust"].colours)
    QTest.keyClick(page.grid, Qt.Key.Key_Plus)
    assert len(session.project.palettes["moth_dust"].colours) == count + 1
    QTest.keyClick(page.grid, Qt.Key.Key_Delete)
    assert len(session.project.palettes["moth_dust"].colours) == count


def test_why_a_tint_fails_is_said_with_the_numbers() -> None:
    """Yellow holds no blue, so no multiply makes it blue (common practice)."""
    yellow, blue = colour_from_hex("#ffee00"), colour_from_hex("#0010ff")
    words = tint_words(yellow, blue)
    assert "holds 0.00 of blue, where 1.00 is wanted" in words and "can only take away" in words
    assert tint_words((1.0, 1.0, 1.0, 1.0), blue) == ""
