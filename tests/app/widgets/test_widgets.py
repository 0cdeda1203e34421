"""Each small widget by itself: what keys and hands ask for, what it shows, what it refuses."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf, nan
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QWidget

from by_hand import activate, until
from soft_lantern.app.main import make_application
from soft_lantern.app.panels.parameter_dialog import ParameterDialog
from soft_lantern.app.widgets.clock_bar import ClockBar
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.app.widgets.histogram import Histogram
from soft_lantern.app.widgets.notice_list import NoticeList
from soft_lantern.app.widgets.number_field import NumberField, written
from soft_lantern.app.widgets.parameter_control import ParameterControl
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.shelf import Shelf
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.app.widgets.wire_bar import WireBar
from soft_lantern.graph.document import Material, Parameter, changed
from soft_lantern.graph.notice import Fix, Notice, Severity
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Kind

LEFT, SHIFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier


@pytest.fixture(autouse=True)
def application(qtbot: object) -> Iterator[QApplication]:
    yield make_application()


def shown(widget: QWidget, width: int = 160, height: int = 28) -> QWidget:
    widget.resize(width, height)
    widget.show()
    activate(widget)
    return widget


def heard(signal: Any) -> list[Any]:
    said: list[Any] = []
    signal.connect(lambda *parts: said.append(parts[0] if len(parts) == 1 else parts))
    return said


@pytest.mark.parametrize(
    ("value", "text"),
    [
        (0.5, "0.50"),
        (-2.0, "−2.00"),
        (0.12345, "0.1235"),
        (12.0, "12.00"),
        (1e-9, "1e−09"),
        (2.5e12, "2.5e+12"),
        (inf, "∞"),
        (-inf, "−∞"),
        (nan, "not a number"),
        (0.0, "0.00"),
    ],
)
def test_numbers_are_written_for_people(value: float, text: str) -> None:
    assert written(value) == text


@pytest.mark.parametrize(
    ("typed", "value"),
    [("0.75", 0.75), ("−0.5", 0.0), ("7", 1.0), ("0,25", 0.25), ("0.3 m", 0.3), ("nonsense", 0.5), ("1e999", 0.5)],
)
def test_a_typed_number_is_held_to_the_limits_and_nonsense_dropped(typed: str, value: float) -> None:
    field = NumberField(0.5, 0.0, 1.0, unit="m")
    shown(field)
    field.setFocus()
    field.selectAll()
    field.insert(typed)  # keyClicks knows no true minus sign
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.value == pytest.approx(value)
    assert field.text() == f"{written(value)} m"


def test_a_number_is_stepped_by_keys_and_scrubbed_by_hand() -> None:
    field = NumberField(5.0, 0.0, 10.0, step=0.1)
    shown(field)
    said = heard(field.changed)
    QTest.keyClick(field, Qt.Key.Key_Up)
    QTest.keyClick(field, Qt.Key.Key_Down, SHIFT)
    assert said == [pytest.approx(5.1), pytest.approx(5.09)]
    field.clearFocus()
    start = field.rect().center()
    QTest.mousePress(field, LEFT, NONE, start)
    for step in (10, 40, 60):
        QTest.mouseMove(field, start + QPointF(step, 0).toPoint())
    QTest.mouseRelease(field, LEFT, NONE, start)
    assert field.value == pytest.approx(8.09, abs=0.06)
    field.want(nan)
    field.want(inf)
    assert field.value <= 10.0


def test_a_field_without_the_focus_leaves_the_wheel_to_the_page() -> None:
    field = NumberField(5.0, 0.0, 10.0)
    shown(field)
    field.clearFocus()
    centre = QPointF(field.rect().center())
    turn = QWheelEvent(
        centre,
        centre,
        QPointF(0, 0).toPoint(),
        QPointF(0, 120).toPoint(),
        Qt.MouseButton.NoButton,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    field.wheelEvent(turn)
    assert field.value == 5.0 and not turn.isAccepted()


def test_a_slider_jumps_drags_and_takes_keys() -> None:
    slider = Slider(-10.0, 10.0, 0.0)
    shown(slider, 216, 24)
    said = heard(slider.changed)
    QTest.mouseClick(slider, LEFT, NONE, QPointF(slider.position_of(5.0), 12).toPoint())
    assert slider.value == pytest.approx(5.0, abs=0.06)
    for key, value in (
        (Qt.Key.Key_End, 10.0),
        (Qt.Key.Key_Right, 10.0),
        (Qt.Key.Key_Home, -10.0),
        (Qt.Key.Key_PageUp, -8.0),
    ):
        QTest.keyClick(slider, key)
        assert slider.value == pytest.approx(value)
    told = len(said)
    slider.show_value(3.0)
    assert len(said) == told
    start = QPointF(slider.position_of(3.0), 12).toPoint()
    QTest.mousePress(slider, LEFT, SHIFT, start)
    QTest.mouseMove(slider, start + QPointF(100, 0).toPoint())
    QTest.mouseRelease(slider, LEFT, SHIFT, start)
    assert slider.value <= 13.0 and slider.value == pytest.approx(4.0, abs=9.1)


def test_escape_in_a_picker_takes_the_colour_back_and_return_keeps_it() -> None:
    button = ColourButton(colour_from_hex("#3060c0"))
    shown(button)
    said = heard(button.changed)
    QTest.keyClick(button, Qt.Key.Key_Return)
    picker = button.picker
    assert picker and picker.isVisible()
    QTest.mouseClick(picker.field, LEFT)
    assert button.value != colour_from_hex("#3060c0")
    QTest.keyClick(picker.hex, Qt.Key.Key_Escape)
    assert not picker.isVisible() and button.value == said[-1] == colour_from_hex("#3060c0")
    QTest.keyClick(button, Qt.Key.Key_Return)
    QTest.keyClicks(picker.hex, "#ff8000")
    QTest.keyClick(picker.hex, Qt.Key.Key_Return)
    assert not picker.isVisible() and button.value == colour_from_hex("#ff8000")


def test_the_picker_keeps_hue_through_black_and_tells_linear_colours() -> None:
    picker = ColourPicker(colour_from_hex("#3060c0"))
    said = heard(picker.changed)
    hue = picker.hue
    picker._set(brightness=0.0)
    assert said[-1][:3] == (0.0, 0.0, 0.0)
    picker.show_value(said[-1])
    picker._set(brightness=1.0)
    assert picker.hue == hue
    picker.hex.setText("#80ff0040")
    picker.hex.setModified(True)
    picker._typed()
    assert said[-1] == pytest.approx(colour_from_hex("#80ff0040"))
    picker.hex.setText("#zz")
    picker.hex.setModified(True)
    picker._typed()
    assert said[-1] == pytest.approx(colour_from_hex("#80ff0040"))
    assert picker.hex.text() == "#80ff0040"


def test_a_swatch_shows_its_colour_in_pixels_and_opens_with_the_keyboard() -> None:
    button = ColourButton(colour_from_hex("#c04020"))
    shown(button, 120, 26)
    pixel = button.grab().toImage().pixelColor(16, 13)
    assert (pixel.red(), pixel.green(), pixel.blue()) == (0xC0, 0x40, 0x20)
    assert screen_colour((4.0, -1.0, 0.0)).name() == "#ff0000"
    QTest.keyClick(button, Qt.Key.Key_Space)
    assert button.picker and button.picker.isVisible()
    button.picker.close()


def parameter(**fields: Any) -> Parameter:
    plain = Parameter(id="p", identifier="p", label="Spread", kind=Kind.NUMBER, default=1.0, low=0.0, high=4.0)
    return changed(plain, **fields)


def test_a_control_suits_its_parameter() -> None:
    slider = ParameterControl(parameter(control="slider"), 2.0)
    assert slider.slider and slider.field and slider.slider.value == 2.0
    plain = ParameterControl(parameter(control="slider", low=None), 2.0)
    assert plain.field and not plain.slider
    colour = ParameterControl(parameter(kind=Kind.COLOUR, low=None, high=None, default=(0, 0, 0, 1)), (1, 0, 0, 1))
    assert colour.swatch and colour.swatch.value == (1, 0, 0, 1)
    said = heard(slider.changed)
    slider.field.want(3.0)
    slider.slider.want(9.0)
    assert said == [3.0, 4.0]


def test_the_shelf_keeps_order_and_groups_and_its_controls_under_a_new_default() -> None:
    listed = (
        parameter(id="a", label="A", group="One"),
        parameter(id="b", label="B", group="One"),
        parameter(id="c", label="C", group="Two", kind=Kind.COLOUR, default=(0, 0, 0, 1), low=None, high=None),
    )
    shelf = Shelf()
    shelf.show_parameters(listed, {"b": 3.0})
    assert list(shelf.controls) == ["a", "b", "c"]
    held = shelf.controls["a"]
    shelf.show_parameters((changed(listed[0], default=2.5), *listed[1:]), {})
    assert shelf.controls["a"] is held
    assert held.field and held.field.value == 2.5
    shelf.show_parameters(listed[1:], {})
    assert list(shelf.controls) == ["b", "c"]
    shelf.show_parameters((), {})
    assert not shelf.controls


@pytest.mark.parametrize(("shipped", "identifier"), [(False, "brightness"), (True, "spread")])
def test_an_identifier_follows_its_label_until_it_has_gone_out(shipped: bool, identifier: str) -> None:
    exposed = parameter(identifier="spread", shipped=shipped)
    dialog = ParameterDialog(Material(id="m", name="M", parameters=(exposed,)), exposed)
    dialog.label.selectAll()
    QTest.keyClicks(dialog.label, "Brightness")
    assert dialog.identifier.text() == identifier
    dialog.reject()


def test_the_parameter_dialog_refuses_bad_entries_as_they_are_typed() -> None:
    exposed = parameter(low=0, high=5)
    dialog = ParameterDialog(Material(id="m", name="M", parameters=(exposed,)), exposed)
    ok = dialog.buttons.button(QDialogButtonBox.StandardButton.Ok)
    assert ok and ok.isEnabled()
    for field, text, words in (
        (dialog.low, "wide", "not known"),
        (dialog.low, "9", "above its upper limit"),
        (dialog.low, "1e99", "too large"),
    ):
        field.setText(text)
        assert words in dialog.words.text() and not ok.isEnabled()
    dialog.low.setText("−1,5")
    dialog.unit.setText("m")
    dialog.accept()
    assert (dialog.result_parameter.low, dialog.result_parameter.unit) == (-1.5, "m")
    dialog.choices.setText("Moss, , Ash,Snow")
    assert dialog.result_parameter.choices == ("Moss", "Ash", "Snow") and not dialog.low.isEnabled()
    assert (dialog.result_parameter.low, dialog.result_parameter.high) == (0.0, 2.0)
    dialog.choices.clear()
    assert (dialog.result_parameter.low, dialog.low.isEnabled()) == (-1.5, True)


def test_the_clock_loops_scrubs_and_runs_at_its_speed() -> None:
    clock = ClockBar()
    said = heard(clock.ticked)
    clock.loop_field.want(2.0)
    clock.go_to(5.0)
    assert said[-1] == pytest.approx(1.0)
    clock.scrub.want(0.5)
    assert (clock.time, clock.shown.text()) == (0.5, "0.50 s")
    clock.speed_field.want(-1.0)
    clock.play.setChecked(True)
    until(lambda: clock.time < 0.4)
    clock.play.setChecked(False)
    assert clock.play.text() == "Play"
    assert 0.0 < clock.time < 0.4


def test_the_histogram_hatches_what_lies_outside_the_expected_range() -> None:
    histogram = Histogram()
    shown(histogram, 200, 80)
    counts = np.ones((1, 64), np.int64)
    plain, hatched = [], []
    for expected, kept in ((None, plain), ((0.0, 1.0), hatched)):
        histogram.show_counts(counts, (-1.0, 2.0), 0.5, expected)
        kept.append(histogram.grab().toImage())
    assert plain[0] != hatched[0]
    assert plain[0].pixelColor(100, 10) == hatched[0].pixelColor(100, 10)
    histogram.clear()
    assert histogram.counts.size == 0


def test_the_notice_list_offers_mends_of_the_newest_notices() -> None:
    def notice(text: str, mend: Fix, **fields: Any) -> Notice:
        return Notice(Severity.WARNING, "range", text, "m", "node", "out", fixes=(mend,), **fields)

    first, second = Fix("Clamp it", lambda m: m), Fix("Clamp it", lambda m: m)
    cards = NoticeList()
    wanted = heard(cards.fix_wanted)
    cards.show_notices([notice("<b>odd</b> & name", first)])
    assert not cards.fix_buttons  # a hidden list makes no cards
    cards.show()
    cards.show_notices([notice("<b>odd</b> & name", second)])
    cards.fix_buttons[("range", "node", "Clamp it")].click()
    assert wanted[0][1] is second
    cards.show_notices([notice("odd", first, accepted="meant so")])
    assert not cards.fix_buttons
    cards.show_notices([notice(f"notice {i}", first) for i in range(500)])
    assert len(cards.fix_buttons) <= 60


def test_the_wire_bar_tells_its_choices() -> None:
    bar = WireBar()
    said = heard(bar.changed)
    bar.button.click()
    bar.scale_box.setCurrentText("signed")
    bar.channel_box.setCurrentText("y")
    assert (bar.shown, bar.scale, bar.channel, len(said)) == (True, "signed", "y", 3)
