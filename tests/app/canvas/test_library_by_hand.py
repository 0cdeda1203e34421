"""The node library in the real window: recipes built by hand and taken ready-made, help, textures and snippets."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from by_hand import LEFT, click, drag, middle_of, node_of, settled, tooth, type_node, until, wire
from soft_lantern.app.canvas.finder import HeldWire, offers
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.edits import fitting_inputs, type_value
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir.hand_point import hand_point
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.values.colour import colour_from_hex, colour_to_hex


def start(window: MainWindow) -> None:
    """A new material, its surface at the right edge of the canvas, worn by everything on the stage."""
    window.commands.actions["New material"].trigger()
    canvas = window.build.canvas
    canvas.scale = 0.62
    surface = node_of(canvas.material, "surface")
    canvas.origin = QPointF(canvas.width() - 130, 60) - canvas.spread.slips[surface].rect.topLeft() * canvas.scale
    canvas.update()


def place(window: MainWindow, text: str, column: int, row: int) -> str:
    """Type a node's name in a place of a grid on the canvas; the new node's id."""
    return type_node(window.build.canvas, text, QPointF(40 + column * 120, 50 + row * 130))


def undo_all(window: MainWindow) -> None:
    while window.session.undo.can_undo:
        window.session.undo.undo()


def at(window: MainWindow, value: str, **given: tuple[float, ...]) -> np.ndarray:
    """What the open graph gives the surface at one point."""
    material = window.build.canvas.material
    lowered = lower(material)
    leaves = {name: leaf(parts) for name, parts in uniform_values(lowered, material, {}).items()}
    leaves |= {name: leaf(parts) for name, parts in hand_point(given).items()}
    expr = lowered.surface[value]
    return evaluate([expr], leaves)[expr].ravel()


def finish(window: MainWindow, before: np.ndarray) -> None:
    """The graph has no open notice, the stage shows another picture, and undoing everything brings the first back."""
    canvas = window.build.canvas
    until(lambda: window.build.answer and window.build.answer.material is window.session.material)
    assert not lower(canvas.material).notices
    built = settled(window)
    assert (built != before).any(axis=2).mean() > 0.05
    undo_all(window)
    until(lambda: (settled(window) != built).any(axis=2).mean() > 0.05)


def test_a_rim_glow_is_built_from_scratch(window: MainWindow) -> None:
    start(window)
    before, canvas = settled(window), window.build.canvas
    surface = node_of(canvas.material, "surface")
    rim, colour = place(window, "fresnel mask", 0, 0), place(window, "#ffb45e", 0, 2)
    assert canvas.material.nodes[rim].type == "rim_mask"
    tint = place(window, "multiply tint", 2, 1)
    wire(canvas, (colour, "out"), (tint, "colour"))
    wire(canvas, (rim, "out"), (tint, "tint"))
    wire(canvas, (tint, "out"), (surface, "emissive"))
    toward, along = {"normal_world": (0.0, 0.0, 1.0)}, {"normal_world": (1.0, 0.0, 0.0)}
    camera = {"camera_position": (0.0, 0.0, 5.0)}
    assert at(window, "emissive", **toward, **camera) == pytest.approx(0.0, abs=1e-6)
    assert at(window, "emissive", **along, **camera) == pytest.approx(colour_from_hex("#ffb45e")[:3], rel=1e-5)
    finish(window, before)


def test_a_switch_dragged_to_the_shelf_becomes_a_drop_down_of_what_feeds_it(window: MainWindow) -> None:
    start(window)
    canvas, shelf = window.build.canvas, window.build.shelf
    surface = node_of(canvas.material, "surface")
    plain, noise = place(window, "#2040c0", 0, 0), place(window, "per cell", 0, 2)
    switch = place(window, "drop-down", 2, 1)
    wire(canvas, (plain, "out"), (switch, "option_1"))
    wire(canvas, (noise, "colour"), (switch, "option_2"))
    wire(canvas, (switch, "out"), (surface, "base_colour"))
    target = canvas.mapFromGlobal(shelf.mapToGlobal(QPoint(600, 40)))
    drag(canvas, tooth(canvas, switch, "which"), QPointF(target))
    (parameter,) = canvas.material.parameters
    assert (parameter.choices, parameter.low, parameter.high) == (("Colour", "Random per cell 2D"), 0.0, 1.0)
    first, chooser = settled(window), shelf.controls[parameter.id].chooser
    assert chooser and chooser.currentText() == "Colour"
    QTest.keyClick(chooser, Qt.Key.Key_Down)
    assert canvas.material.parameters[0].default == 1.0
    until(lambda: (settled(window) != first).any(axis=2).mean() > 0.05)
    window.session.undo.undo()
    assert chooser.currentText() == "Colour"
    undo_all(window)


def test_dust_on_top_is_built_from_scratch(window: MainWindow) -> None:
    start(window)
    before, canvas = settled(window), window.build.canvas
    surface = node_of(canvas.material, "surface")
    mask, stone, dust = place(window, "snow", 0, 0), "", ""
    if canvas.material.nodes[mask].type != "up_mask":
        pytest.fail("the word an artist uses finds the mask")
    stone, dust = place(window, "#5a4a3c", 0, 2), place(window, "#e8dcc0", 0, 3)
    mixed = place(window, "mix", 2, 1)
    wire(canvas, (stone, "out"), (mixed, "a"))
    wire(canvas, (dust, "out"), (mixed, "b"))
    wire(canvas, (mask, "out"), (mixed, "factor"))
    wire(canvas, (mixed, "out"), (surface, "base_colour"))
    for normal, expected in (((0.0, 1.0, 0.0), "#e8dcc0"), ((0.0, -1.0, 0.0), "#5a4a3c")):
        assert at(window, "base_colour", normal_world=normal) == pytest.approx(colour_from_hex(expected)[:3], rel=1e-5)
    finish(window, before)


def test_colour_bands_by_noise_are_built_from_scratch(window: MainWindow) -> None:
    start(window)
    before, canvas = settled(window), window.build.canvas
    surface = node_of(canvas.material, "surface")
    noise, bands = place(window, "layered noise 3d", 0, 0), place(window, "bands", 1, 1)
    wire(canvas, (noise, "out"), (bands, "value"))
    first, rest = place(window, "#8fa66b", 0, 3), place(window, "#2b3a35", 1, 3)
    mixed = place(window, "mix", 3, 1)
    wire(canvas, (rest, "out"), (mixed, "a"))
    wire(canvas, (first, "out"), (mixed, "b"))
    wire(canvas, (bands, "layer_3"), (mixed, "factor"))
    wire(canvas, (mixed, "out"), (surface, "base_colour"))
    here = np.random.default_rng(2).uniform(-3, 3, (80, 3))
    found = {colour_to_hex(at(window, "base_colour", position_world=tuple(map(float, place)))) for place in here}
    assert found == {"#8fa66b", "#2b3a35"}
    finish(window, before)


def test_a_recipe_comes_wired_to_the_surface_and_goes_in_one_undo(window: MainWindow) -> None:
    start(window)
    canvas, session = window.build.canvas, window.session
    before = session.project
    canvas.setFocus()
    QTest.keyClicks(canvas, "d")
    canvas.placing.finder.field.setText("dust on top")
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    surface = node_of(canvas.material, "surface")
    assert f"{surface}.base_colour" in canvas.material.wires
    assert {p.label for p in canvas.material.parameters} == {"Surface colour", "Dust", "Dust start", "Dust softness"}
    assert set(window.build.shelf.controls) == {p.id for p in canvas.material.parameters}
    session.undo.undo()
    assert session.project == before


def test_the_finder_knows_synonyms_the_wire_in_hand_and_what_was_used_lately(window: MainWindow) -> None:
    material = window.build.canvas.material
    for word, wanted in (("lerp", "Mix"), ("grey", "Luminance"), ("glow", "Rim glow"), ("scroll", "Tile coordinates")):
        titles = [o.title for o in offers(word, material)][:6]
        assert wanted in titles, (word, titles)
    fitting = [o.title for o in offers("", material, HeldWire(fitting_inputs(material, "low_colour.out")))]
    assert fitting.index("Separate colour") < fitting.index("Sine")
    assert offers("", material)[0].title != "Worn" and offers("no", material, recent=["normal"])[0].title == "Normal"
    assert [o.title for o in offers("", material, recent=["cells_2d", "blend"])][:2] == ["Cells 2D", "Blend"]


def test_help_tells_of_the_selected_node_and_what_the_graph_costs(window: MainWindow) -> None:
    build = window.build
    until(lambda: build.answer)
    click(build.canvas, middle_of(build.canvas, "divide"))
    window.commands.actions["Explain the node"].trigger()
    text = build.node_help.toPlainText()
    assert "a / b" in text and "MaterialX 1.39 divide" in text and "The whole graph" in text


def test_images_brought_in_lie_on_no_slip(window: MainWindow, tmp_path: Path) -> None:
    start(window)
    canvas = window.build.canvas
    for name, colour in (("moss", "green"), ("ember", "red")):
        Pillow.new("RGB", (8, 8), colour).save(tmp_path / f"{name}.png")
        window.build.image_import.bring_in(tmp_path / f"{name}.png")
        until(lambda name=name: [n for n in canvas.material.nodes.values() if n.name.lower() == name])
    rects = [slip.rect for slip in canvas.spread.slips.values()]
    assert len(rects) > 2 and not any(one.intersects(other) for n, one in enumerate(rects) for other in rects[:n])


def test_an_image_dropped_in_is_read_in_another_way_and_undone(window: MainWindow, tmp_path: Path) -> None:
    Pillow.fromarray(np.random.default_rng(1).integers(0, 256, (8, 8, 3)).astype(np.uint8)).save(tmp_path / "moss.png")
    start(window)
    canvas, session = window.build.canvas, window.session
    window.build.image_import.bring_in(tmp_path / "moss.png", place=QPointF(120, 120))
    until(lambda: [n for n in canvas.material.nodes.values() if n.type == "image"])
    image = node_of(canvas.material, "image")
    before = settled(window)
    wire(canvas, (image, "colour"), (node_of(canvas.material, "surface"), "base_colour"))
    assert (settled(window) != before).any(axis=2).mean() > 0.05
    texture = next(t for t in session.project.textures.values() if t.name == "Moss")
    assert texture.encoding == "colour"
    until(lambda: window.build.answer and f"{image}.colour" in window.build.answer.measured.statistics)
    mean = window.build.answer.measured.statistics[f"{image}.colour"].mean  # type: ignore[union-attr]
    row = canvas.spread.slips[image].row("texture", is_output=False)
    assert row and row.words == "Moss"
    canvas.typing.type_into(canvas.spread.slips[image], row)
    picker = canvas.findChildren(PicturePicker)[-1]
    until(lambda: texture.id in picker.pictures.icons)
    QTest.keyClicks(picker.field, "as data")
    QTest.keyClick(picker.field, Qt.Key.Key_Return)
    assert session.project.textures[texture.id].encoding == "data"
    until(lambda: window.build.answer and window.build.answer.measured.statistics[f"{image}.colour"].mean > mean + 0.05)
    session.undo.undo()
    assert session.project.textures[texture.id].encoding == "colour"


def test_a_snippet_is_made_opened_edited_and_used_again_by_hand(window: MainWindow) -> None:
    canvas, session = window.build.canvas, window.session
    until(lambda: window.build.answer)
    before = settled(window)
    canvas.select({"rise", "divide", "height_mask"})
    QTest.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    (snippet,) = session.project.snippets.values()
    held = node_of(canvas.material, "snippet")
    assert "rise" not in canvas.material.nodes and (settled(window) == before).all()
    canvas.select({held})
    window.build.explain_node()
    assert "Costs 7 operations" in window.build.node_help.toPlainText()
    QTest.mouseDClick(canvas, LEFT, Qt.KeyboardModifier.NoModifier, middle_of(canvas, held).toPoint())
    assert session.material_id == snippet.id and window.header.materials.currentText() == "Snippet 1 (snippet)"
    canvas.wishes.edit("Type value", lambda m: type_value(m, "height_mask", "high", 0.4))
    session.open_material("height_ramp")
    assert (settled(window) != before).any(axis=2).mean() > 0.02
    second = type_node(canvas, "snippet 1", QPointF(60, 60))
    assert canvas.material.nodes[second].settings["snippet"] == snippet.id
    assert tooth(canvas, second, canvas.spread.slips[second].rows[0].name) is not None
    window.commands.actions["Delete snippet"].trigger()
    assert "Open the snippet" in window.status.message.text()
    session.open_material(snippet.id)
    window.commands.actions["Delete snippet"].trigger()
    assert "is used in" in window.status.message.text() and snippet.id in session.project.snippets
