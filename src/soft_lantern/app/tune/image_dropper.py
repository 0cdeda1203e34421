"""Takes a colour from an image: a texture of the project or a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QDialog, QFileDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from soft_lantern.app.session import Session, sentence
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.choices import fill
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import READABLE_IMAGES, read_image
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.images import Image

Linear = tuple[float, ...]


class ImageDropper(QDialog):
    """Choose an image, click it: `then` gets the linear colour of the texel."""

    def __init__(self, session: Session, then: Callable[[Linear], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.then = session, then
        self.setWindowTitle("Take a colour from an image")
        self.resize(560, 460)
        self.chooser = QComboBox()
        self.chooser.setAccessibleName("image")
        self.file = QPushButton("A file…")
        self.canvas = _Texels()
        self.words = QLabel("Click the colour")
        self.words.setProperty("quiet", True)
        row = QHBoxLayout()
        row.addWidget(self.chooser, 1)
        row.addWidget(self.file)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.words)
        fill(self.chooser, [(t.name, t.id) for t in session.project.textures.values() if t.id in session.images], "")
        self.chooser.activated.connect(lambda _: self.canvas.show_image(session.images[self.chooser.currentData()]))
        self.file.clicked.connect(self._choose)
        self.canvas.picked.connect(self._picked)
        if self.chooser.count():
            self.chooser.setCurrentIndex(0)
            self.canvas.show_image(session.images[self.chooser.currentData()])

    def open_file(self, path: Path) -> None:
        """Show an image of a file; where it is none, say why."""
        try:
            self.canvas.show_image(read_image(path, "colour"))
        except LanternError as error:
            self.words.setText(sentence(str(error)))

    def _choose(self) -> None:
        endings = " ".join(f"*{suffix}" for suffix in READABLE_IMAGES)
        name, _ = QFileDialog.getOpenFileName(self, "Take a colour from", "", f"Images ({endings})")
        if name:
            self.open_file(Path(name))

    def _picked(self, colour: Linear) -> None:
        self.session.told.emit(f"Took {colour_to_hex(colour)}")
        self.then(colour)
        self.accept()


class _Texels(QWidget):
    """An image as large as fits, with its texels to click."""

    picked = pyqtSignal(tuple)

    def __init__(self) -> None:
        super().__init__()
        self.image: Image | None = None
        self._shown = QImage()
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setMinimumSize(200, 160)

    def show_image(self, image: Image) -> None:
        """Show another image."""
        self.image = image
        texels = image.texels
        if texels.dtype == np.uint16:
            texels = (texels >> 8).astype(np.uint8)
        elif texels.dtype != np.uint8:
            texels = (np.clip(np.nan_to_num(texels), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        height, width = texels.shape[:2]
        data = np.ascontiguousarray(texels).tobytes()
        self._shown = QImage(data, width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
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
        found = self.colour_at(event.position()) if event else None
        if found:
            self.picked.emit(found)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme().colour("ground"))
        if not self._shown.isNull():
            painter.drawImage(self.place(), self._shown)
