"""No word is cut off: on every desk, in both themes, at three sizes of text, in small windows and in large ones."""

from __future__ import annotations

import time
from collections.abc import Iterator
from itertools import product
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QRect, QRectF
from PyQt6.QtGui import QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QLabel,
    QStyle,
    QStyleOptionComboBox,
    QTabBar,
    QWidget,
)

from by_hand import Open
from soft_lantern.app.theme import choice, style
from soft_lantern.app.theme.remembered import remembered
from soft_lantern.app.widgets.labels import ElidedLabel
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.window.offered_desks import DESKS
from soft_lantern.app.window.settings_dialog import TEXT
from soft_lantern.app.window.window import MainWindow

SIZES = ((1024, 700), (1920, 1200))


@pytest.fixture
def window(open_window: Open, demo_folder: Path) -> Iterator[MainWindow]:
    """A window; the usual size and theme come back after the test."""
    yield open_window(demo_folder)
    remembered().clear()
    choice.choose_text_size(style.SIZE)


def needed(widget: QWidget) -> tuple[int, int]:
    """The pixels that a widget's words need beside what they have; along the lines, or down them where they wrap."""
    if isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        field = QStyle.SubControl.SC_ComboBoxEditField
        drawn = widget.style()
        assert drawn
        room = drawn.subControlRect(QStyle.ComplexControl.CC_ComboBox, option, field, widget).width()
        return widget.fontMetrics().horizontalAdvance(widget.currentText()), room
    if isinstance(widget, QLabel):
        if isinstance(widget, ElidedLabel) or not widget.pixmap().isNull():
            return 0, 0
        if widget.wordWrap():
            return widget.heightForWidth(widget.width()), widget.height()
        return widget.sizeHint().width(), widget.width()
    if isinstance(widget, QCheckBox | QTabBar):
        return widget.sizeHint().width(), widget.width()
    if isinstance(widget, QAbstractButton):
        return widget.fontMetrics().horizontalAdvance(widget.text()), widget.width() - 2
    return 0, 0


def cut(window: MainWindow) -> list[str]:
    """The words of a window that have less room than they need."""
    found = []
    for widget in window.findChildren(QWidget):
        wanted, room = needed(widget) if widget.isVisible() and not isinstance(widget.parent(), QTabBar) else (0, 0)
        if wanted > room + 1:
            if isinstance(widget, QTabBar):
                words = widget.tabText(widget.count() - 1)
            else:
                words = widget.currentText() if isinstance(widget, QComboBox) else widget.text()  # type: ignore[attr-defined]
            found.append(f"{type(widget).__name__} “{words[:40]}” needs {wanted} of {room}")
    return found


def left_cut(window: MainWindow, seconds: float = 3.0) -> list[str]:
    """The same once the layout has had its time."""
    end = time.monotonic() + seconds
    QTest.qWait(30)
    while cut(window) and time.monotonic() < end:
        QTest.qWait(30)
    return cut(window)


class Painted:
    """What views paint as words; `cut`: the words whose box was smaller than they are."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.cut: set[str] = set()
        self._draw = QPainter.drawText
        monkeypatch.setattr(QPainter, "drawText", lambda painter, *given: self._drawn(painter, *given))

    def _drawn(self, painter: QPainter, *given: Any) -> Any:
        box, words = given[0], given[-1]
        if len(given) == 3 and isinstance(box, QRect | QRectF) and isinstance(words, str):
            room, flags = QRectF(box), given[1]
            wanted = painter.boundingRect(room, flags if isinstance(flags, int) else flags.value, words)
            if wanted.height() > room.height() + 1 or wanted.width() > room.width() + 1:
                self.cut.add(f"“{words}” needs {wanted.size()} of {room.size()}")
        return self._draw(painter, *given)


@pytest.mark.parametrize("desk", DESKS)
def test_no_word_is_cut_off(window: MainWindow, desk: str, monkeypatch: pytest.MonkeyPatch) -> None:
    painted = Painted(monkeypatch)
    window.go_to_desk(desk)
    for points, size in product(TEXT.values(), SIZES):
        choice.choose_text_size(points)
        window.resize(*size)
        assert left_cut(window) == [], (points, size)
        painted.cut.clear()  # what was painted before the layout had its time
        window.grab()
        assert not painted.cut, (points, size)
    choice.choose_theme("dusk")
    assert left_cut(window) == []


def test_the_window_fits_a_small_screen(window: MainWindow) -> None:
    for desk in DESKS:
        window.go_to_desk(desk)
        window.resize(1024, 700)
        QTest.qWait(60)
        assert (window.width(), window.height()) == (1024, 700), desk


def test_a_long_sentence_does_not_widen_the_window(window: MainWindow) -> None:
    window.resize(1024, 700)
    window.say("A file brought much, and much of it has no place here: " * 12)
    QTest.qWait(60)
    assert window.width() == 1024 and window.minimumSizeHint().width() <= 1024
    assert window.status.message.toolTip().startswith("A file brought")  # what is cut is told whole


def test_a_word_that_is_cut_off_would_be_found(window: MainWindow) -> None:
    window.status.notice_button.setFixedWidth(12)
    QTest.qWait(30)
    assert any("notice" in each for each in cut(window))


def test_values_and_those_to_try_have_room_on_a_small_screen(window: MainWindow) -> None:
    """Nothing of the sheet lies beside what is seen of it, numbers are whole, and the strip widens nothing."""
    window.session.open_scene("tea_terrace")
    window.go_to_desk("Tune")
    window.resize(1024, 700)
    tune = window.tune
    tune.select("aged_copper")
    tune.strip.open_on("aged_copper", "roughness")
    assert left_cut(window) == [] and window.width() == 1024
    seen = tune.sheet.viewport()
    assert seen
    for row in tune.sheet.rows.values():
        for widget in (each for each in row if each.isVisible()):
            assert widget.mapTo(seen, widget.rect().topRight()).x() <= seen.width(), widget.accessibleName()
    fields = [field for field in window.findChildren(NumberField) if field.isVisible()]
    assert len(fields) > 8
    for field in fields:
        inside = field.width() - (4 if field.property("narrow") else 14)
        assert field.fontMetrics().horizontalAdvance(field.text()) <= inside, field.accessibleName()


def test_a_gradient_is_edited_without_moving_sideways_on_a_small_screen(window: MainWindow) -> None:
    window.go_to_desk("Colour")
    window.resize(1024, 700)
    window.colour.choose("embers")
    page = window.colour.gradient_page
    QTest.qWait(60)
    around = page.parentWidget()
    assert around and page.isVisible() and page.width() <= around.width()
