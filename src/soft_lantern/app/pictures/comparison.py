"""Two to four looks on one stage: side by side with a divider to drag, in four, or their difference."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen

from soft_lantern.app.pictures.scene_pictures import ScenePictures
from soft_lantern.app.pictures.sight import Sight
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.pixel_image import opaque_image
from soft_lantern.app.widgets.plates import caption, say
from soft_lantern.app.work.beside import reply_to
from soft_lantern.graph.document import Instance, Project, changed
from soft_lantern.graph.instances.picks import wearing
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.render.frame import Picture
from soft_lantern.render.worker import Job
from soft_lantern.values.kinds import Value

DIVIDER, DIFFERENCE, FOUR = "divider", "difference", "four"
GAIN = 4
"""How much stronger a difference is shown than it is."""
GRASP = 7
"""Pixels from the divider within which it is grasped."""


class Side(Struct, frozen=True):
    """A look to show: a material's or instance's id, or the values kept of one by parameter id."""

    caption: str
    look: str
    values: tuple[tuple[str, Value], ...] | None = None


class Comparison(QObject):
    """What one stage compares. The first side is what is tuned; the others are set against it."""

    changed = pyqtSignal()
    """What is compared is another: pictures of it are wanted."""
    arrived = pyqtSignal()
    """There is something new to paint."""

    def __init__(self, pictures: ScenePictures) -> None:
        super().__init__(pictures)
        self.pictures = pictures
        self.mode = ""
        self.sides: tuple[Side, ...] = ()
        self.divider = 0.5
        """Where it stands, as a share of the width."""
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

    def seen_with(self, number: int, sight: Sight) -> tuple[Project, Sight]:
        """The project in which the stage's objects wear a side, and how it is seen: nothing is tried on over it."""
        project, side = self.pictures.session.project, self.sides[number]
        look_id = side.look
        if side.values is not None:
            _, material = ancestry(project, side.look)
            kept = Instance(
                id="kept_side", name=side.caption, parent=material.id if material else "", values=dict(side.values)
            )
            project, look_id = changed(project, instances={**project.instances, kept.id: kept}), kept.id
        scene = self.pictures.scene
        if scene and sight.tried:  # what the first side is tried on wears the others as well
            project = wearing(project, scene, "", sight.tried)
        if scene:
            project = wearing(project, scene, self.sides[0].look, look_id)
        return project, replace(sight, tried="", on_card=look_id if sight.card else sight.on_card)

    def request(self, sight: Sight, size: tuple[int, int], shown_at: tuple[int, int], samples: int) -> None:
        """Ask for pictures of the sides at a size in pixels; `shown_at`: the size of the stage."""
        if not self.on:
            return
        pictures = self.pictures
        if self.mode == FOUR:
            size = (max(size[0] // 2, 8), max(size[1] // 2, 8))
            shown_at = (shown_at[0] // 2, shown_at[1] // 2)
        asked = self._round
        for number in range(0 if self.mode == FOUR else 1, len(self.sides)):
            project, seen = self.seen_with(number, sight)
            make = pictures.frame_maker(seen, size, samples, project, shown_at=shown_at)
            take = reply_to(self, lambda picture, number=number: self._take(number, picture, asked))
            failed = reply_to(pictures, pictures.failed.emit)
            pictures.worker.submit(f"{pictures.place} side {number}", Job(make, take, failed))

    def grasps(self, at: QPointF, width: int) -> bool:
        """Whether the divider is under a point of a widget of some width."""
        return self.on and self.mode == DIVIDER and abs(at.x() - self.divider * width) <= GRASP

    def drag(self, at: QPointF, width: int) -> None:
        """Put the divider there."""
        self.divider = min(max(at.x() / max(width, 1), 0.0), 1.0)
        self.arrived.emit()

    def paint(self, painter: QPainter, area: QRect) -> None:
        """Paint the sides over the stage's own picture."""
        if self.mode == FOUR:
            self._paint_four(painter, area)
        elif self.mode == DIFFERENCE:
            image = self._difference_image()
            if image:
                painter.drawImage(area, image)
            say(painter, area, f"{self._names()}: difference × {GAIN}", top=True)
        elif 1 in self.images:
            self._paint_divided(painter, area, self.images[1])

    def _names(self) -> str:
        return " and ".join(side.caption for side in self.sides)

    def _paint_divided(self, painter: QPainter, area: QRect, other: QImage) -> None:
        at = self.divider * area.width()
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
            caption(painter, QRectF(8, 8, at - 16, 22), one, Qt.AlignmentFlag.AlignLeft)
        if area.width() - at > 60:
            caption(painter, QRectF(at + 8, 8, area.width() - at - 16, 22), two, Qt.AlignmentFlag.AlignRight)

    def _paint_four(self, painter: QPainter, area: QRect) -> None:
        painter.fillRect(area, theme().colour("surround"))
        for number, side in enumerate(self.sides):
            half = QRect(0, 0, area.width() // 2 - 1, area.height() // 2 - 1)
            half.moveTo(number % 2 * (area.width() // 2 + 1), number // 2 * (area.height() // 2 + 1))
            if number in self.images:
                painter.drawImage(half, self.images[number])
            caption(painter, QRectF(half).adjusted(8, 8, -8, 0), side.caption, Qt.AlignmentFlag.AlignLeft)

    def _difference_image(self) -> QImage | None:
        one, other = self.pictures.image, self.images.get(1)
        if other is None or one.size() != other.size():
            return self._difference[2] if self._difference else None
        key = (one.cacheKey(), other.cacheKey())
        if self._difference is None or self._difference[:2] != key:
            a, b = _pixels(one), _pixels(other)
            apart = np.minimum(np.abs(a.astype(np.int16) - b) * GAIN, 255).astype(np.uint8)
            apart[..., 3] = 255
            self._difference = (*key, opaque_image(apart))
        return self._difference[2]

    def _take(self, number: int, picture: Picture, asked: int) -> None:
        if asked == self._round:
            self.images[number] = opaque_image(picture.pixels)
            self.arrived.emit()


def _pixels(image: QImage) -> np.ndarray:
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8)
    return rows.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width()]
