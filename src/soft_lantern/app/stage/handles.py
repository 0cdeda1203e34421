"""Handles on the selected object: arms to move it along the world's axes, rings to turn it, stubs to scale it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import drawn_font
from soft_lantern.graph.document import StageObject, Vector
from soft_lantern.scene.mesh import Matrix
from soft_lantern.scene.transforms import placement, turned

KINDS = ("move", "turn", "scale")
HANDLE = 76.0
"""Length of arms and radius of rings, in pixels."""
SNAP = 15.0
"""Degrees and tenths that Ctrl holds turns and moves to."""
ALL = "all"
"""The middle of the scale handle: every axis at once."""


class Handles:
    """The handle of one kind on one object, as a lens sees it."""

    def __init__(self, kind: str, thing: StageObject, lens: Lens) -> None:
        self.kind, self.thing, self.lens = kind, thing, lens
        self.origin = np.array(thing.position, float)
        self.length = HANDLE / max(lens.pixels_per_metre(self.origin), 1e-6)

    def axes(self) -> Iterator[tuple[str, Matrix]]:
        """The unit directions of the handle's axes in the world: the object's own for scaling."""
        own = placement(self.thing)[:3, :3]
        for number, name in enumerate("xyz"):
            direction = own[:, number] if self.kind == "scale" else np.eye(3)[number]
            size = float(np.linalg.norm(direction))
            yield name, direction / size if size > 1e-9 else np.eye(3)[number]

    def arms(self) -> dict[str, tuple[QPointF, QPointF]]:
        """The start and end of each arm on the widget."""
        axes = dict(self.axes())
        ends = self.lens.places(self.origin + self.length * np.array([np.zeros(3), *axes.values()]))
        return {name: (ends[0], end) for name, end in zip(axes, ends[1:], strict=True)}

    def rings(self) -> dict[str, list[QPointF]]:
        """The ring about each axis on the widget."""
        found = {}
        turn = np.linspace(0, 2 * np.pi, 49)
        for number, (name, _) in enumerate(self.axes()):
            side, other = np.eye(3)[(number + 1) % 3], np.eye(3)[(number + 2) % 3]
            points = self.origin + self.length * (np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other)
            found[name] = self.lens.places(points)
        return found

    def at(self, place: QPointF) -> str:
        """The axis whose handle is at a place of the widget; "" beside all."""
        if self.kind == "turn":
            near = {
                name: min(distance_to_segment(place, a, b) for a, b in pairwise(ring))
                for name, ring in self.rings().items()
            }
            best = min(near, key=lambda name: near[name])
            return best if near[best] < 7 else ""
        if self.kind == "scale" and _apart(place, self.lens.place(self.origin)) < 10:
            return ALL
        for name, (start, end) in self.arms().items():
            if distance_to_segment(place, start, end) < 7 or _apart(place, end) < 10:
                return name
        return ""

    def dragged(self, axis: str, start: QPointF, now: QPointF, *, snap: bool) -> tuple[str, Vector] | None:
        """The field of the object that a drag changes, and its new value; None where the axis points at the eye."""
        if self.kind == "turn":
            return "rotation", self._turned("xyz".index(axis), start, now, snap)
        if axis == ALL:
            factor = 2 ** ((now.x() - start.x()) / 100)
            return "scale", _rounded([part * factor for part in self.thing.scale])
        begin, end = self.arms()[axis]
        arm, moved = end - begin, now - start
        length = arm.x() ** 2 + arm.y() ** 2
        if length < 1:
            return None
        share = (moved.x() * arm.x() + moved.y() * arm.y()) / length
        if self.kind == "scale":
            number = "xyz".index(axis)
            factor = max(1 + share, 0.01)
            return "scale", _rounded([s * factor if i == number else s for i, s in enumerate(self.thing.scale)])
        metres = share * self.length
        if snap:
            metres = round(metres * 10) / 10
        return "position", _rounded(list(self.origin + np.eye(3)["xyz".index(axis)] * metres))

    def _turned(self, axis: int, start: QPointF, now: QPointF, snap: bool) -> Vector:
        middle = self.lens.place(self.origin)
        before, after = (math.atan2(middle.y() - p.y(), p.x() - middle.x()) for p in (start, now))
        toward_eye = float((self.lens.camera.position - self.origin)[axis])
        angle = math.degrees(after - before) * (1 if toward_eye >= 0 else -1)
        angle = (angle + 180) % 360 - 180
        if snap:
            angle = round(angle / SNAP) * SNAP
        return _rounded(list(turned(self.thing.rotation, axis, angle)))

    def paint(self, painter: QPainter, held: str) -> None:
        """Draw the handle; the axis in hand is amber."""
        if self.kind == "turn":
            for name, ring in self.rings().items():
                line = QPolygonF(ring)
                for colour, width in (("ground", 5.0), (_role(name, held), 2.2)):
                    painter.setPen(QPen(theme().colour(colour), width))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawPolyline(line)
                _paint_letter(painter, ring[0], name, held)
            return
        for name, (start, end) in self.arms().items():
            for colour, width in (("ground", 5.0), (_role(name, held), 2.4)):
                painter.setPen(QPen(theme().colour(colour), width, cap=Qt.PenCapStyle.RoundCap))
                painter.drawLine(start, end)
            _paint_letter(painter, end, name, held, square=self.kind == "scale")
        if self.kind == "scale":
            _paint_letter(painter, self.lens.place(self.origin), "", held, square=True)


def distance_to_segment(at: QPointF, start: QPointF, end: QPointF) -> float:
    """Pixels from a place to the nearest point of a line."""
    along = end - start
    length = along.x() ** 2 + along.y() ** 2
    if length < 1e-6:
        return _apart(at, start)
    away = at - start
    t = min(max((away.x() * along.x() + away.y() * along.y()) / length, 0.0), 1.0)
    return _apart(at, start + along * t)


def _apart(a: QPointF, b: QPointF) -> float:
    return math.dist((a.x(), a.y()), (b.x(), b.y()))


def _role(name: str, held: str) -> str:
    return "amber" if name == held else "text"


def _rounded(parts: list[float]) -> Vector:
    x, y, z = (round(float(part), 3) for part in parts)
    return x, y, z


def _paint_letter(painter: QPainter, at: QPointF, name: str, held: str, *, square: bool = False) -> None:
    now = theme()
    painter.setPen(QPen(now.colour(_role(name or ALL, held)), 1.6))
    painter.setBrush(now.colour("ground", 0.9))
    box = QRectF(at.x() - 8, at.y() - 8, 16, 16)
    if square:
        painter.drawRoundedRect(box, 2, 2)
    else:
        painter.drawEllipse(box)
    painter.setFont(drawn_font(9, bold=True))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
