"""What a screen reader is told: every control by a name, what paints itself with its value, slips in words."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
    QScrollBar,
    QSplitter,
    QTabBar,
    QTableView,
    QTabWidget,
    QWidget,
)

from by_hand import Open, click, middle_of, node_of, pixels, until
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.gradient_bar import GradientBar
from soft_lantern.app.widgets.palette_grid import PaletteGrid
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.app.window.offered_desks import DESKS
from soft_lantern.app.window.window import MainWindow

CONTROLS = (
    *(QAbstractButton, QLineEdit, QComboBox, QAbstractSpinBox, QAbstractItemView, QAbstractSlider, QTabWidget),
    QPlainTextEdit,
)
QTS_OWN = (QScrollBar, QHeaderView, QScrollArea, QSplitter, QTabBar)
"""Qt makes and names these by itself."""


@pytest.fixture
def window(open_window: Open, demo_folder: Path) -> MainWindow:
    return open_window(demo_folder)


def is_a_control(widget: QWidget) -> bool:
    """Whether people act on it; not what Qt puts inside its own controls."""
    if isinstance(widget, QTS_OWN) or not (
        isinstance(widget, CONTROLS) or widget.focusPolicy() != Qt.FocusPolicy.NoFocus
    ):
        return False
    inside = (QComboBox, QAbstractSpinBox, QTabBar)
    above: QWidget | None = widget.parentWidget()
    if isinstance(widget, QAbstractButton) and isinstance(above, QTableView | QLineEdit):
        return False  # a table's corner, a field's cross
    while above is not None:
        if isinstance(above, inside):
            return False
        above = above.parentWidget()
    return True


def name_of(widget: QWidget) -> str:
    """What a screen reader calls it."""
    if isinstance(widget, QAbstractButton) and widget.text():
        return widget.text()
    buddies = (label for label in widget.window().findChildren(QLabel) if label.buddy() is widget)
    return widget.accessibleName() or next((label.text() for label in buddies), "")


@pytest.mark.parametrize("desk", DESKS)
def test_every_control_has_a_name(window: MainWindow, desk: str) -> None:
    window.go_to_desk(desk)
    QTest.qWait(300)
    found = [each for each in window.findChildren(QWidget) if is_a_control(each)]
    assert len(found) > 40
    nameless = [each for each in found if not name_of(each).strip() and each.isVisibleTo(window)]
    assert [f"{type(each).__name__} in {type(each.parentWidget()).__name__}" for each in nameless] == []


def test_controls_that_paint_themselves_tell_their_value(window: MainWindow) -> None:
    build = window.build
    slider = next(each for each in build.shelf.findChildren(Slider) if each.isVisible())
    slider.setFocus()
    before = slider.accessibleDescription()
    QTest.keyClick(slider, Qt.Key.Key_Right)
    assert slider.accessibleDescription() not in ("", before)
    wanted = list[float]()
    slider.changed.connect(wanted.append)
    slider.setValue(250)  # as a screen reader moves it
    assert wanted == [pytest.approx(slider.low + (slider.high - slider.low) / 4)] and slider.value == wanted[0]
    swatch = next(each for each in build.shelf.findChildren(ColourButton) if each.isVisible())
    assert swatch.accessibleDescription() == swatch.words() and swatch.words().startswith("#")
    swatch.click()  # as a screen reader presses it
    assert swatch.picker and swatch.picker.isVisible()
    swatch.picker.hide()
    window.go_to_desk("Colour")
    window.edit_ramps("embers")
    (bar,) = (each for each in window.colour.findChildren(GradientBar) if each.isVisible())
    bar.select(1)
    assert bar.accessibleDescription() == "stop 2 of 4, at 0.35, #6e1f1c" == bar.spoken.spoken()[1]
    window.edit_ramps("moth_dust")
    (grid,) = (each for each in window.colour.findChildren(PaletteGrid) if each.isVisible())
    grid.setFocus()
    grid.select(0)
    QTest.keyClick(grid, Qt.Key.Key_Right)
    assert grid.accessibleDescription() == "cell 2 of 11, #6b4632" == grid.spoken.spoken()[1]


def test_the_canvas_tells_what_a_slip_shows_and_what_feeds_it(window: MainWindow) -> None:
    canvas = window.build.canvas
    until(lambda: canvas.answer)
    assert canvas.accessibleDescription() == "12 slips; none selected"
    click(canvas, middle_of(canvas, node_of(canvas.material, "clamp")))
    told = canvas.accessibleDescription()
    assert told.startswith("12 slips; Height mask selected. value from Divide; low 0.00; high 1.00; gives number from ")
    click(canvas, middle_of(canvas, "low_colour"))
    assert "Low colour selected" in canvas.accessibleDescription() and "#2a4d5e" in canvas.accessibleDescription()
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Tab)
    assert "Low colour" not in canvas.accessibleDescription()  # Tab goes on to the next slip, and that is told
    click(canvas, QPointF(4, canvas.height() - 4))
    assert canvas.accessibleDescription() == "12 slips; none selected"


def test_slips_and_objects_are_lists_to_be_read_out(window: MainWindow) -> None:
    canvas, stage, session = window.build.canvas, window.build.stage, window.session
    until(lambda: canvas.answer)
    slips = canvas.spoken.list.spoken()
    assert len(slips) == 12
    mask = next(line for line in slips if line.startswith("Height mask. "))
    assert mask.startswith("Height mask. value from Divide; low 0.00; high 1.00; gives number from ")
    before = pixels(canvas.grab().toImage())
    canvas.spoken.list.hide()
    assert (pixels(canvas.grab().toImage()) == before).all()  # it is not seen
    session.open_scene("tea_terrace")
    assert session.scene
    objects = stage.spoken.list.spoken()
    assert [line.split(". ")[0] for line in objects] == [thing.name for thing in session.scene.objects]
    first = session.scene.objects[0]
    window.build.select_object(first.id)
    assert stage.accessibleDescription() == (f"{session.scene.name}: {len(objects)} objects; {first.name} selected")
    session.change_object("Move", first.id, position=(0.25, 0.0, -1.0))
    moved = next(line for line in stage.spoken.list.spoken() if line.startswith(f"{first.name}. wears "))
    assert moved.endswith("; at 0.25, 0.00, −1.00")
