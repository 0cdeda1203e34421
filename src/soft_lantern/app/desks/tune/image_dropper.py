"""Takes a colour from an image: a texture of the project or a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.app.widgets.texels import Linear, Texels
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import READABLE_IMAGES, read_image
from soft_lantern.values.colour import colour_to_hex


class ImageDropper(QDialog):
    """Choose an image, click it: `then` gets the linear colour of the texel."""

    def __init__(self, session: Session, then: Callable[[Linear], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.then = session, then
        self.setWindowTitle("Take a colour from an image")
        self.resize(560, 460)
        self.chooser = PictureBox("Which image? Part of its name")
        self.chooser.setAccessibleName("image")
        self.file = QPushButton("A file…")
        self.canvas = Texels()
        self.words = quiet_label("Click the colour")
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
