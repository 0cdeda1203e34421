"""Hands on the real window: what the tests that drive it share."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.document import Material

LEFT, SHIFT, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
NONE = Qt.KeyboardModifier.NoModifier
Open = Callable[[Path], MainWindow]


def until(condition: Callable[[], object], seconds: float = 90) -> None:
    """Let the window live until something is so."""
    end = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < end, "it did not come about"
        QTest.qWait(10)


def drag(widget: QWidget, start: QPointF, end: QPointF, modifier: Qt.KeyboardModifier = NONE) -> None:
    """Press at one point of a widget, move in steps, let go at another."""
    QTest.mousePress(widget, LEFT, modifier, start.toPoint())
    for step in range(1, 6):
        QTest.mouseMove(widget, (start + (end - start) * step / 5).toPoint())
        QTest.qWait(2)
    QTest.mouseRelease(widget, LEFT, modifier, end.toPoint())


def click(widget: QWidget, at: QPointF) -> None:
    QTest.mouseClick(widget, LEFT, NONE, at.toPoint())


def node_of(material: Material, node_type: str, nth: int = 0) -> str:
    return [i for i, n in material.nodes.items() if n.type == node_type][nth]


def tooth(canvas: Canvas, node_id: str, port: str, *, is_output: bool = False) -> QPointF:
    """Where a port is on the canvas widget."""
    slip = canvas.spread.slips[node_id]
    row = slip.row(port, is_output=is_output)
    assert row
    return canvas.to_widget(slip.port_point(row))


def middle_of(canvas: Canvas, node_id: str) -> QPointF:
    rect = canvas.spread.slips[node_id].rect
    return canvas.to_widget(QPointF(rect.center().x() - 20, rect.top() + 14))


def wire(canvas: Canvas, out: tuple[str, str], into: tuple[str, str]) -> None:
    drag(canvas, tooth(canvas, *out, is_output=True), tooth(canvas, *into))


def type_node(canvas: Canvas, text: str, at: QPointF) -> str:
    """Move the pointer, type anywhere, press Return; the new node's id."""
    before = set(canvas.material.nodes)
    QTest.mouseMove(canvas, at.toPoint())
    canvas.pointer = at
    QTest.keyClick(canvas, text[0])
    assert canvas.placing.finder.isVisible()
    canvas.placing.finder.field.setText(text)
    QTest.keyClick(canvas.placing.finder.field, Qt.Key.Key_Return)
    (new,) = set(canvas.material.nodes) - before
    return new


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def settled(window: MainWindow, desk: str = "build") -> np.ndarray:
    """The stage's pixels once it shows how things are now, at full size."""
    stage = getattr(window, desk).stage
    QTest.qWait(5)
    stage.request(still=True)
    until(lambda: stage.pictures.still and stage.pictures.image.size() == stage.size())
    return pixels(stage.pictures.image)
