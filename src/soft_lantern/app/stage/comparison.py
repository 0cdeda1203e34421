"""Two to four looks on one stage: side by side with a divider to drag, in four, or their difference."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen

from soft_lantern.app.beside import reply_to
from soft_lantern.app.miniatures import as_image
from soft_lantern.app.stage import overlay
from soft_lantern.app.theme.colours import theme
from soft_lantern.graph.document import Instance, Project, Scene, changed
from soft_lantern.graph.instances import ancestry
from soft_lantern.graph.picks import worn, worn_looks
from soft_lantern.render.frame import Picture
from soft_lantern.render.worker import Job
from soft_lantern.values.kinds import Value

if TYPE_CHECKING:
    from soft_lantern.app.stage.stage_view import StageView

DIVIDER, DIFFERENCE, FOUR = "divider", "difference", "four"
GAIN = 4
"""How much stronger a difference is shown than it is."""
GRASP = 7
"""Pixels from the divider within which it is grasped."""


@dataclass(frozen=True)
class Side:
    """A look to show: a material's or instance's id, or the values kept of one by parameter id."""

    caption: str
    look: str
    values: tuple[tuple[str, Value], ...] | None = None


class Comparison(QObject):
    """What one stage compares. The first side is what is tuned; the others are set against it."""

    changed = pyqtSignal()

    def __init__(self, stage: StageView) -> None:
        super().__init__(stage)
        self.stage = stage
        self.mode = ""
        self.sides: tuple[Side, ...] = ()
        self.divider = 0.5
        self.images: dict[int, QImage] = {}
        self._difference: tuple[int, int, QImage] | None = None
        self._round = 0

    @property
    def on(self) -> bool:
        """Whether anything is compared."""
        return bool(self.mode) and len(self.sides) > 1

    def show(self, mode: str, sides: tuple[Side, ...]) -> None:
        """Compare these sides in that way; with no mode, none."""
        if (mode, sides) == (self.mode, self.sides):
            return
        self.mode, self.sides = mode, sides[:4] if mode == FOUR else sides[:2]
        self._round += 1
        self.images.clear()
        self._difference = None
        self.changed.emit()
        self.stage.request()

    def project_for(self, number: int) -> Project:
        """The project in which the stage's objects wear a side."""
        project, side = self.stage.session.project, self.sides[number]
        look_id = side.look
        if side.values is not None:
            _, material = ancestry(project, side.look)
            kept = Instance(
                id="kept_side", name=side.caption, parent=material.id if material else "", values=dict(side.values)
            )
            project, look_id = changed(project, instances={**project.instances, kept.id: kept}), kept.id
        scene = self.stage.scene
        return wearing(project, scene, self.sides[0].look, look_id) if scene else project

    def request(self, size: tuple[int, int], samples: int) -> None:
        """Ask for pictures of the sides at a size in pixels."""
        if not self.on:
            return
        if self.mode == FOUR:
            size = (max(size[0] // 2, 8), max(size[1] // 2, 8))
        asked = self._round
        for number in range(0 if self.mode == FOUR else 1, len(self.sides)):
            make = self.stage.frame_maker(size, samples, project=self.project_for(number))
            take = reply_to(self, lambda picture, number=number: self._take(number, picture, asked))
            failed = reply_to(self.stage, self.stage.complain)
            self.stage.worker.submit(f"{self.stage.place} side {number}", Job(make, take, failed))

    def grasps(self, at: QPointF) -> bool:
        """Whether the divider is under a point of the widget."""
        return self.on and self.mode == DIVIDER and abs(at.x() - self._divider_x()) <= GRASP

    def drag(self, at: QPointF) -> None:
        """Put the divider there."""
        self.divider = min(max(at.x() / max(self.stage.width(), 1), 0.0), 1.0)
        self.stage.update()

    def paint(self, painter: QPainter, area: QRect) -> None:
        """Paint the sides over the stage's own picture."""
        if self.mode == FOUR:
            self._paint_four(painter, area)
        elif self.mode == DIFFERENCE:
            image = self._difference_image()
            if image:
                painter.drawImage(area, image)
            overlay.say(painter, area, f"{self._names()}: difference × {GAIN}", top=True)
        elif 1 in self.images:
            self._paint_divided(painter, area, self.images[1])

    def _names(self) -> str:
        return " and ".join(side.caption for side in self.sides)

    def _divider_x(self) -> float:
        return self.divider * self.stage.width()

    def _paint_divided(self, painter: QPainter, area: QRect, other: QImage) -> None:
        at = self._divider_x()
        right = QRectF(at, 0, area.width() - at, area.height())
        across = other.width() / max(area.width(), 1)
        source = QRectF(at * across, 0, other.width() - at * across, other.height())
        painter.drawImage(right, other, source)
        painter.setPen(QPen(theme().colour("ground"), 4))
        painter.drawLine(QPointF(at, 0), QPointF(at, area.height()))
        painter.setPen(QPen(theme().colour("amber"), 1.6))
        painter.drawLine(QPointF(at, 0), QPointF(at, area.height()))
        painter.setBrush(theme().colour("text"))
        painter.drawRoundedRect(QRectF(at - 5, area.height() / 2 - 13, 10, 26), 4, 4)
        one, two = (side.caption for side in self.sides)
        if at > 60:
            _name(painter, QRectF(8, 8, at - 16, 22), one, Qt.AlignmentFlag.AlignLeft)
        if area.width() - at > 60:
            _name(painter, QRectF(at + 8, 8, area.width() - at - 16, 22), two, Qt.AlignmentFlag.AlignRight)

    def _paint_four(self, painter: QPainter, area: QRect) -> None:
        painter.fillRect(area, theme().colour("ground"))
        for number, side in enumerate(self.sides):
            half = QRect(0, 0, area.width() // 2 - 1, area.height() // 2 - 1)
            half.moveTo(number % 2 * (area.width() // 2 + 1), number // 2 * (area.height() // 2 + 1))
            if number in self.images:
                painter.drawImage(half, self.images[number])
            _name(painter, QRectF(half).adjusted(8, 8, -8, 0), side.caption, Qt.AlignmentFlag.AlignLeft)

    def _difference_image(self) -> QImage | None:
        one, other = self.stage.image, self.images.get(1)
        if other is None or one.size() != other.size():
            return self._difference[2] if self._difference else None
        key = (one.cacheKey(), other.cacheKey())
        if self._difference is None or self._difference[:2] != key:
            a, b = _pixels(one), _pixels(other)
            apart = np.minimum(np.abs(a.astype(np.int16) - b) * GAIN, 255).astype(np.uint8)
            apart[..., 3] = 255
            height, width = apart.shape[:2]
            image = QImage(apart.tobytes(), width, height, width * 4, QImage.Format.Format_RGBX8888).copy()
            self._difference = (*key, image)
        return self._difference[2]

    def _take(self, number: int, picture: Picture, asked: int) -> None:
        if asked == self._round:
            self.images[number] = as_image(picture)
            self.stage.update()


def wearing(project: Project, scene: Scene, from_id: str, to_id: str) -> Project:
    """The project where what wears one look in a scene wears another instead.

    Where nothing wears the first, or "" is given, what wears a look of the other's material does, and where there is
    none of that either, everything.
    """
    scene = project.scenes.get(scene.id, scene)
    _, material = ancestry(project, to_id)
    everything = {w for o in scene.objects for w in worn_looks(project, o)}
    family = {from_id} & everything or {w for w in everything if ancestry(project, w)[1] is material}

    def instead(look_id: str) -> str:
        return to_id if look_id in family or not family else look_id

    objects = tuple(
        changed(o, wears={part: instead(worn(project, o, part)) for part in (o.wears or {"": ""})})
        for o in scene.objects
    )
    return changed(project, scenes={**project.scenes, scene.id: changed(scene, objects=objects)})


def _pixels(image: QImage) -> np.ndarray:
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8)
    return rows.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width()]


def _name(painter: QPainter, box: QRectF, text: str, side: Qt.AlignmentFlag) -> None:
    """A caption on a plate of its own width."""
    metrics = painter.fontMetrics()
    shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()) - 12)
    width = metrics.horizontalAdvance(shown) + 12
    left = box.left() if side == Qt.AlignmentFlag.AlignLeft else box.right() - width
    plate = QRectF(left, box.top(), width, 22)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("ground", 0.85))
    painter.drawRoundedRect(plate, 4, 4)
    painter.setPen(theme().colour("text"))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, shown)
