"""An image as large as fits, with its texels to click and lines to draw across it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.pixel_image import rgba_image
from soft_lantern.values.images import Image

Linear = tuple[float, ...]
Line = tuple[float, float, float, float]
"""From x, y to x, y, as shares of the image's width and height."""


class Texels(QWidget):
    """`picked` tells the linear colour of a texel that is clicked; `drawn` a line, where lines are wanted."""

    picked = pyqtSignal(tuple)
    drawn = pyqtSignal(tuple)

    def __init__(self, parent: QWidget | None = None, *, lines: bool = False) -> None:
        super().__init__(parent)
        self.image: Image | None = None
        self.lines = lines
        self.line: Line = (0.0, 0.5, 1.0, 0.5)
        self._from: QPointF | None = None
        self._shown = QImage()
        self._veil = QImage()
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setMinimumSize(200, 160)
        self.setAccessibleName("image")

    def show_image(self, image: Image) -> None:
        """Show another image."""
        self.image = image
        self._shown = picture_of(image)
        self._veil = QImage()
        self.update()

    def mark(self, texels: npt.NDArray[np.bool_] | None) -> None:
        """Let some texels, (height, width), stand out from the others; None: all alike."""
        self._veil = QImage()
        if texels is not None:
            veil = np.zeros((*texels.shape, 4), np.uint8)
            veil[~texels] = (40, 38, 46, 200)
            self._veil = rgba_image(veil)
        self.update()

    def place(self) -> QRectF:
        """Where the image is on the widget."""
        if self._shown.isNull():
            return QRectF()
        scale = min(self.width() / self._shown.width(), self.height() / self._shown.height())
        width, height = self._shown.width() * scale, self._shown.height() * scale
        return QRectF((self.width() - width) / 2, (self.height() - height) / 2, width, height)

    def colour_at(self, at: QPointF) -> Linear | None:
        """The linear colour of the texel at a point of the widget."""
        place = self.place()
        if self.image is None or not place.contains(at):
            return None
        x = min(int((at.x() - place.x()) / place.width() * self.image.width), self.image.width - 1)
        y = min(int((at.y() - place.y()) / place.height() * self.image.height), self.image.height - 1)
        one = Image(self.image.texels[y : y + 1, x : x + 1], self.image.encoding).linear()[0, 0]
        return tuple(float(part) for part in one)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.lines:
            self._from = event.position()
            return
        found = self.colour_at(event.position())
        if found:
            self.picked.emit(found)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and self._from is not None and (event.position() - self._from).manhattanLength() > 3:
            self.line = (*self._share(self._from), *self._share(event.position()))
            self.update()
            self.drawn.emit(self.line)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme().colour("surround"))
        if self._shown.isNull():
            return
        place = self.place()
        painter.drawImage(place, self._shown)
        if not self._veil.isNull():
            painter.drawImage(place, self._veil)
        if self.lines:
            x, y, to_x, to_y = self.line
            ends = [place.topLeft() + QPointF(u * place.width(), v * place.height()) for u, v in ((x, y), (to_x, to_y))]
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for pen in (QPen(theme().colour("ground"), 4.0), QPen(theme().colour("amber"), 2.0)):
                painter.setPen(pen)
                painter.drawLine(*ends)
                painter.drawEllipse(ends[0], 5.0, 5.0)

    def _share(self, at: QPointF) -> tuple[float, float]:
        place = self.place()
        shares = ((at.x() - place.x()) / place.width(), (at.y() - place.y()) / place.height())
        return (min(max(shares[0], 0.0), 1.0), min(max(shares[1], 0.0), 1.0))


def picture_of(image: Image) -> QImage:
    """An image as the screen shows it."""
    texels = image.texels
    if texels.dtype == np.uint16:
        texels = (texels >> 8).astype(np.uint8)
    elif texels.dtype != np.uint8:
        texels = (np.clip(np.nan_to_num(texels), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
    return rgba_image(texels)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: Texels(lines=True))
