"""Hands on the real window: what the tests that drive it share."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, QRectF, Qt
from PyQt6.QtGui import QDropEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.stage.drops import LOOK_DRAG
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.document import Material
from soft_lantern.render.staging import placed_parts

LEFT, SHIFT, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
NONE = Qt.KeyboardModifier.NoModifier


class Open(Protocol):
    """Opens a window on a project's folder: at a desk and a scene where it was left so, else as at the first time."""

    def __call__(self, folder: Path, desk: str = "", scene: str = "") -> MainWindow: ...


def until(condition: Callable[[], object], seconds: float = 90) -> None:
    """Let the window live until something is so."""
    end = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < end, "it did not come about"
        QTest.qWait(10)


def activate(window: QWidget) -> None:
    """Make a window the active one: shortcuts go to no other."""
    until(lambda: window.isActiveWindow() or window.activateWindow())


def drag(widget: QWidget, start: QPointF, end: QPointF, modifier: Qt.KeyboardModifier = NONE) -> None:
    """Press at one point of a widget, move in steps, let go at another."""
    QTest.mousePress(widget, LEFT, modifier, start.toPoint())
    for step in range(1, 6):
        QTest.mouseMove(widget, (start + (end - start) * step / 5).toPoint())
        QTest.qWait(2)
    QTest.mouseRelease(widget, LEFT, modifier, end.toPoint())


def click(widget: QWidget, at: QPointF) -> None:
    QTest.mouseClick(widget, LEFT, NONE, at.toPoint())


def seen_at(stage: StageView, object_id: str, part: str = "") -> QPointF:
    """A point of a stage where a part of an object is seen, or any of it."""
    thing = stage.scene.object(object_id) if stage.scene else None
    assert thing
    for name, mesh, matrix in placed_parts(thing, stage.session.models[thing.asset]):
        for point in mesh.positions[:: max(len(mesh.positions) // 80, 1)] if part in ("", name) else ():
            at = stage.lens.place(matrix[:3, :3] @ point + matrix[:3, 3])
            hit = stage.shown().looker(at)(0.0) if QRectF(stage.rect()).adjusted(8, 8, -8, -8).contains(at) else None
            if hit and hit.key == (object_id, name):
                return at
    raise AssertionError(f"{part or object_id} is not seen")


def drop_look(stage: StageView, look_id: str, at: QPointF, modifiers: Qt.KeyboardModifier = NONE) -> None:
    """A look dragged from the tree and let go over a stage."""
    data = QMimeData()
    data.setData(LOOK_DRAG, look_id.encode())
    stage.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, data, LEFT, modifiers))


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
    until(lambda: stage.pictures.still and stage.pictures.image.size() == stage.size())
    return pixels(stage.pictures.image)
