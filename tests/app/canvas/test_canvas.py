"""The canvas by itself: layout that follows edits, hands, keys, and health in pixels."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtTest import QTest

from by_hand import activate, pixels, until
from soft_lantern.app.canvas import view
from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.canvas.finder import HeldWire, offers
from soft_lantern.app.canvas.painting import Health, paint_slip, room_for_name
from soft_lantern.app.canvas.shapes import Slip, spread
from soft_lantern.app.main import make_application
from soft_lantern.app.session.measurer import Answer, Answers, Question
from soft_lantern.app.theme.style import drawn_font
from soft_lantern.demo.project import moth_trail
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, Project, changed
from soft_lantern.graph.edits import fitting_inputs, fitting_outputs
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.nodes import LIBRARY

LEFT, SHIFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def canvas(qtbot: object, ramp: Material) -> Iterator[Canvas]:
    """A canvas that takes every edit it asks for."""
    make_application()
    made = Canvas()
    made.resize(1000, 640)
    made.wishes.edited.connect(lambda graph_id, name, edit, merge: made.show_material(edit(made.material)))
    made.show_material(ramp)
    made.show()
    activate(made)
    yield made
    made.close()


def at(canvas: Canvas, node_id: str) -> QPointF:
    rect = canvas.spread.slips[node_id].rect
    return canvas.to_widget(QPointF(rect.left() + 20, rect.top() + 12))


def test_the_name_of_every_input_in_the_library_is_whole_beside_its_value(qtbot: object) -> None:
    make_application()
    material = Material(id="m", name="M", nodes={key: Node(type=key) for key in LIBRARY if key != "elbow"})
    canvas = QPixmap(8, 8)
    with QPainter(canvas) as painter:
        painter.setFont(drawn_font(10))
        width = painter.fontMetrics().horizontalAdvance
        cut = [
            (slip.node_id, row.name)
            for slip in spread(material).slips.values()
            for row in slip.rows
            if row.port and not row.is_output and width(row.port.label) > room_for_name(painter, slip, row)
        ]
    assert not cut


def test_a_layout_taken_over_is_the_layout_made_anew(ramp: Material) -> None:
    first = spread(ramp)
    steps = [
        lambda m: edits.move_nodes(m, {"rise": (10.0, -40.0), "spread": (0.0, 0.0)}),
        lambda m: edits.type_value(m, "height_mask", "low", 0.25),
        lambda m: parameters.change_parameter(m, "spread", default=9.0, label="Reach"),
        lambda m: edits.change_node(m, "divide", name="Share", thumbnail=False),
        lambda m: edits.disconnect(m, "divide.b"),
        lambda m: edits.choose_setting(m, "position", "space", "object"),
        lambda m: edits.remove_nodes(m, ["rise"]),
        lambda m: changed(m, thumbnail_size=80.0),
    ]
    material, before = ramp, first
    for step in steps:
        material = step(material)
        taken, anew = spread(material, before), spread(material)
        assert taken.slips == anew.slips
        assert [(w.out, w.into, w.line, w.middle) for w in taken.wires] == [
            (w.out, w.into, w.line, w.middle) for w in anew.wires
        ]
        before = taken
    moved = spread(edits.move_nodes(ramp, {"rise": (0.0, 0.0)}), first)
    assert moved.slips["surface"] is first.slips["surface"]


def test_a_canvas_of_another_size_shows_the_whole_graph_or_what_was_looked_at(canvas: Canvas) -> None:
    canvas.resize(700, 500)
    QTest.qWait(20)
    corners = [canvas.to_widget(slip.rect.center()) for slip in canvas.spread.slips.values()]
    assert all(0 < place.x() < 700 and 0 < place.y() < 500 for place in corners)
    canvas.go_to("divide")
    scale = canvas.scale
    canvas.resize(900, 640)
    QTest.qWait(20)
    middle = canvas.to_widget(canvas.spread.slips["divide"].rect.center())
    assert canvas.scale == scale and (middle - QPointF(450, 320)).manhattanLength() < 2


def test_the_pointer_tells_a_port_a_typed_value_and_a_wire(canvas: Canvas) -> None:
    slip = canvas.spread.slips["height_mask"]
    port, typed = slip.row("value", is_output=False), slip.row("low", is_output=False)
    wire = next(each for each in canvas.spread.wires if each.into == "divide.a")
    assert port and typed
    value = slip.row_rect(typed).center() + QPointF(slip.rect.width() / 4, 0)
    for place, shape in (
        (slip.port_point(port), Qt.CursorShape.CrossCursor),
        (value, Qt.CursorShape.IBeamCursor),
        (wire.middle, Qt.CursorShape.PointingHandCursor),
        (slip.rect.topLeft() + QPointF(20, 12), Qt.CursorShape.ArrowCursor),
    ):
        QTest.mouseMove(canvas, canvas.to_widget(place).toPoint())
        until(lambda shape=shape: canvas.cursor().shape() is shape)  # type: ignore[misc]


def test_slips_are_selected_by_click_shift_click_and_box(canvas: Canvas) -> None:
    QTest.mouseClick(canvas, LEFT, NONE, at(canvas, "rise").toPoint())
    QTest.mouseClick(canvas, LEFT, SHIFT, at(canvas, "divide").toPoint())
    assert canvas.selected == {"rise", "divide"}
    QTest.mouseClick(canvas, LEFT, SHIFT, at(canvas, "rise").toPoint())
    assert canvas.selected == {"divide"}
    low, high = canvas.spread.slips["low_colour"].rect, canvas.spread.slips["high_colour"].rect
    box = low.united(high).adjusted(-8, -8, 8, 8)
    start, end = canvas.to_widget(box.topLeft()).toPoint(), canvas.to_widget(box.bottomRight()).toPoint()
    QTest.mousePress(canvas, LEFT, NONE, start)
    QTest.mouseMove(canvas, (start + end) / 2)
    QTest.mouseMove(canvas, end)
    QTest.mouseRelease(canvas, LEFT, NONE, end)
    assert {"low_colour", "high_colour"} <= canvas.selected
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    assert not canvas.selected


def test_keys_nudge_delete_and_go_from_slip_to_slip(canvas: Canvas) -> None:
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Tab)
    assert canvas.selected == {"position"}
    QTest.keyClick(canvas, Qt.Key.Key_Tab)
    assert len(canvas.selected) == 1 and "position" not in canvas.selected
    canvas.select({"rise"})
    x, y = canvas.material.nodes["rise"].x, canvas.material.nodes["rise"].y
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Down, SHIFT)
    assert (canvas.material.nodes["rise"].x, canvas.material.nodes["rise"].y) == (x + 4, y + 20)
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert "rise" not in canvas.material.nodes
    assert "divide.a" not in canvas.material.wires


def test_copied_slips_can_be_pasted_into_another_material(canvas: Canvas, ramp: Material) -> None:
    canvas.acts.select_all()
    canvas.acts.copy_selected()
    canvas.show_material(Material(id="other", name="Other", nodes={"s": Node(type="surface")}))
    assert not canvas.selected
    canvas.acts.paste()
    assert len(canvas.material.nodes) == len(ramp.nodes) + 1
    assert canvas.material.parameters == ramp.parameters
    assert canvas.selected == set(canvas.material.nodes) - {"s"}


def test_zooming_keeps_the_point_under_the_pointer(canvas: Canvas) -> None:
    pointer = QPointF(320, 210)
    under = canvas.to_canvas(pointer)
    for scale in (0.2, 1.7):
        canvas.scale = scale
        canvas.origin = pointer - under * scale
        assert (canvas.to_canvas(pointer) - under).manhattanLength() < 1e-6
        assert not canvas.grab().isNull()
    canvas.frame_all()
    for slip in canvas.spread.slips.values():
        assert canvas.rect().contains(canvas.to_widget(slip.rect.center()).toPoint())


def test_a_pan_paints_what_comes_into_view_and_ends_with_the_whole(
    canvas: Canvas, ramp: Material, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is kept meanwhile looks like what is painted anew, and shows at once what is new in it."""
    painted: list[str] = []

    def counted(painter: QPainter, slip: Slip, *rest: object, **more: object) -> None:
        painted.append(slip.node_id)
        paint_slip(painter, slip, *rest, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(view, "paint_slip", counted)
    canvas.look_at(0.8, canvas.spread.bounds.center())
    hand = QPoint(500, 320)
    QTest.mousePress(canvas, Qt.MouseButton.MiddleButton, NONE, hand)
    canvas.repaint()
    whole = len(painted)
    for step in (QPoint(7, 3), QPoint(-30, 11), QPoint(-2, -40), QPoint(25, -9)):
        hand += step
        QTest.mouseMove(canvas, hand)
        canvas.repaint()
        painted.clear()
    QTest.mouseMove(canvas, hand + QPoint(3, 2))
    canvas.repaint()
    assert len(painted) < whole / 2
    kept = pixels(canvas.grab().toImage())
    canvas.show_notices([Notice(Severity.ERROR, "kinds", "does not fit", ramp.id, "height_mask")])
    marked = pixels(canvas.grab().toImage())
    assert (np.abs(marked - kept).max(axis=2) > 40).sum() > 200
    canvas.show_notices([])
    painted.clear()
    QTest.mouseRelease(canvas, Qt.MouseButton.MiddleButton, NONE, hand + QPoint(3, 2))
    anew = pixels(canvas.grab().toImage())
    assert len(painted) >= whole
    assert (np.abs(anew - kept).max(axis=2) > 40).sum() < 40


def test_finding_goes_to_a_node_or_says_that_there_is_none(canvas: Canvas) -> None:
    said: list[str] = []
    canvas.wishes.told.connect(said.append)
    for text, selected in (("mask", {"height_mask"}), ("unicorn", {"height_mask"})):
        canvas.typing.find_node()
        canvas.typing.type_in.setText(text)
        QTest.keyClick(canvas.typing.type_in, Qt.Key.Key_Return)
        assert canvas.selected == selected
    assert "unicorn" in said[0]


def test_what_fits_a_wire_really_fits(ramp: Material) -> None:
    """Every offer for a wire in the hand can be joined to it without a complaint."""
    for out in ("position.out", "rise.out", "low_colour.out"):
        offered = offers("", ramp, HeldWire(fitting_inputs(ramp, out)))
        assert len(offered) >= 8
        for offer in offered:
            joined = edits.connect(edits.add_node(ramp, "new", offer.node), out, f"new.{offer.port}")
            assert joined.wires[f"new.{offer.port}"] == out
    for into in ("surface.metallic", "separate.vector", "divide.b"):
        for offer in offers("", ramp, HeldWire(fitting_outputs(ramp, into), from_output=False)):
            joined = edits.connect(edits.add_node(ramp, "new", offer.node), f"new.{offer.port}", into)
            assert joined.wires[into] == f"new.{offer.port}"


def measured(material: Material, **fields: object) -> Answer:
    return Answers().answer(Question(material, {}, **fields))  # type: ignore[arg-type]


def test_the_health_of_wires_and_strips_shows_in_pixels(canvas: Canvas) -> None:
    trail = moth_trail().into_project(Project(name="P")).materials["moth_trail"]
    canvas.show_material(trail)
    answer = measured(trail)
    canvas.show_answer(answer)
    assert canvas.health("flicker.out") is Health.NOT_FINITE
    assert canvas.health("both_glows.out") is Health.OUT_OF_RANGE
    assert canvas.health("rise.out") is Health.CALM
    canvas.scale = 1.0

    def ill(node_id: str) -> int:
        slip = canvas.spread.slips[node_id]
        canvas.origin = QPointF(200, 200) - slip.rect.topLeft()
        canvas.repaint()
        image = canvas.grab().toImage()
        row = slip.row_rect(next(r for r in slip.rows if r.is_output)).translated(canvas.origin).toRect()
        spots = ((x, y) for x in range(row.left(), row.right()) for y in range(row.top(), row.bottom() + 1))
        colours = (image.pixelColor(x, y) for x, y in spots)
        return sum(colour.red() - colour.blue() > 40 for colour in colours)

    assert ill("both_glows") > 5
    assert ill("glow") == 0


def test_thumbnails_are_kept_while_their_values_are_the_same(ramp: Material) -> None:
    measurer = Answers()
    first = measurer.answer(Question(ramp, {}))
    second = measurer.answer(Question(parameters.change_parameter(ramp, "spread", default=1.0), {}))
    keys = {n: (first.thumbnails[n].cacheKey(), second.thumbnails[n].cacheKey()) for n in first.thumbnails}
    assert {n for n, (a, b) in keys.items() if a != b} == {"spread", "divide", "height_mask", "ramp_colour"}
    hidden = edits.change_node(ramp, "rise", thumbnail=False)
    assert "rise" not in measured(hidden).thumbnails
