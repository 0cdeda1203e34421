"""A sprite in the colours of every palette of a swap set, side by side; a click chooses the palette."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.pixel_image import rgba_image
from soft_lantern.graph.document import Palette
from soft_lantern.graph.palettes.indexing import Pixels, decoded

NAME, GAP = 18, 8
EMPTY = "Take the colours of images, or add sprites, from the menu Sprites"
MOST = 512
"""Texels along an edge beyond which a sheet is shown from its upper left part."""


class SwapCards(QWidget):
    """`chosen` tells the id of the palette whose card is clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.palettes: tuple[Palette, ...] = ()
        self.current = ""
        self.indices: Pixels | None = None
        self._given: Pixels | None = None
        self._images: list[QImage] = []
        self._shown: dict[str, tuple[Palette, QImage]] = {}
        self.setMinimumSize(QSize(200, 150))
        self.setAccessibleName("swap set")

    def show_swaps(self, palettes: Sequence[Palette], indices: Pixels | None, side: int, current: str) -> None:
        """Show a sprite of indices in each palette; those that did not change are not decoded again."""
        if indices is not self._given:
            self._shown = {}
            self._given, self.indices = indices, None if indices is None else seen_part(indices[:MOST, :MOST])
        self.palettes, self.current = tuple(palettes), current
        before, self._shown = self._shown, {}
        for each in palettes:
            held = before.get(each.id)
            self._shown[each.id] = held if held and held[0] is each else (each, self._picture(each, side))
        self._images = [image for _, image in self._shown.values()]
        self.update()

    def image_of(self, palette_id: str) -> QImage:
        """The picture on a palette's card."""
        return next((i for i, p in zip(self._images, self.palettes, strict=True) if p.id == palette_id), QImage())

    def card(self, number: int) -> QRectF:
        """Where a card is on the widget: as many columns as make the pictures largest."""
        count = max(len(self.palettes), 1)
        columns = self._columns(count)
        rows = -(-count // columns)
        width, height = self.width() / columns, self.height() / rows
        return QRectF(number % columns * width, number // columns * height, width - GAP, height - GAP)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for number, palette in enumerate(self.palettes):
            if self.card(number).contains(event.position()):
                self.chosen.emit(palette.id)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, now = QPainter(self), theme()
        if self.indices is None:
            painter.setPen(now.colour("quiet"))
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignCenter,
                EMPTY,
            )
            return
        for number, (palette, image) in enumerate(zip(self.palettes, self._images, strict=True)):
            box = self.card(number)
            inside = box.adjusted(0, 0, 0, -NAME)
            painter.fillRect(inside, now.colour("surround"))
            scale = min(inside.width() / image.width(), inside.height() / image.height())
            scale = max(int(scale), 1) if scale >= 1 else scale
            size = (image.width() * scale, image.height() * scale)
            place = QRectF(0, 0, *size)
            place.moveCenter(inside.center())
            painter.drawImage(place, image)
            chosen = palette.id == self.current
            if chosen:
                painter.setPen(QPen(now.colour("amber"), 2.0))
                painter.drawRect(inside.adjusted(1, 1, -1, -1))
            painter.setPen(now.colour("text" if chosen else "quiet"))
            name = QRectF(box.left(), inside.bottom(), box.width(), NAME)
            painter.drawText(name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, palette.name)

    def _columns(self, count: int) -> int:
        if self.indices is None:
            return 1
        high, wide = self.indices.shape[:2]

        def scale(columns: int) -> float:
            rows = -(-count // columns)
            return min((self.width() / columns - GAP) / wide, (self.height() / rows - NAME - GAP) / high)

        return max(range(1, count + 1), key=scale)

    def _picture(self, palette: Palette, side: int) -> QImage:
        if self.indices is None:
            return QImage(1, 1, QImage.Format.Format_RGBA8888)
        return rgba_image(decoded(self.indices, palette, side))


def seen_part(pixels: Pixels) -> Pixels:
    """An image without the rows and columns around it that are see-through."""
    seen = pixels[..., 3] > 0
    if not seen.any():
        return pixels
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    return pixels[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
