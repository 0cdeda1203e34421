"""A gradient from a line across an image or the stage, with as few stops as keep to it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.gradient_bar import GradientBar
from soft_lantern.app.widgets.labels import plain_label, quiet_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.app.widgets.texels import Line, Texels
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import READABLE_IMAGES, read_image
from soft_lantern.graph.document import Gradient
from soft_lantern.graph.gradients.editing import fitted_gradient
from soft_lantern.values.images import Image

STAGE = "stage:"


class LineDialog(QDialog):
    """Drag a line over the image; `then` gets the gradient that was fitted to it."""

    def __init__(
        self,
        session: Session,
        gradient: Gradient,
        stage: Image | None,
        then: Callable[[Gradient], None],
        parent: QWidget | None = None,
        *,
        on_stage: bool = False,
    ) -> None:
        """`stage`: the stage's picture in linear light, to be offered beside the project's textures."""
        super().__init__(parent)
        self.session, self.gradient, self.stage, self.then = session, gradient, stage, then
        self.setWindowTitle("A gradient from a line")
        self.resize(640, 560)
        self.chooser = PictureBox("Which image? Part of its name")
        self.chooser.setAccessibleName("image")
        self.file = QPushButton("A file…")
        self.canvas = Texels(lines=True)
        self.bar = GradientBar(gradient)
        self.bar.setEnabled(False)
        self.tolerance = NumberField(0.03, 0.001, 0.5, 0.005)
        self.tolerance.setAccessibleName("tolerance")
        self.words = quiet_label("Drag a line over the image", wraps=True)
        self.fitted: Gradient | None = None
        self._asked = 0
        self._fitting = NewestAnswer("fitting a gradient", self, self._show_fitted, self._complain)
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._lay_out()
        textures = [(t.name, t.id) for t in session.project.textures.values() if t.id in session.images]
        offered = [("The stage", STAGE)] if stage else []
        fill(self.chooser, [*offered, *sorted(textures)], STAGE if on_stage and stage else "")
        self.chooser.activated.connect(lambda _: self._show_chosen())
        self.file.clicked.connect(self._choose)
        self.canvas.drawn.connect(lambda _: self.fit())
        self.tolerance.changed.connect(lambda _: self.fit())
        if self.chooser.currentIndex() < 0:
            self.chooser.setCurrentIndex(min(len(offered), self.chooser.count() - 1))
        self._show_chosen()

    def open_file(self, path: Path) -> None:
        """Show an image of a file; where it is none, say why."""
        try:
            self.canvas.show_image(read_image(path, "colour"))
        except LanternError as error:
            self.words.setText(sentence(str(error)))
            return
        self.fit()

    def fit(self) -> None:
        """Fit a gradient to the line as it is drawn, beside the window."""
        if self.canvas.image is None:
            return
        colours, tolerance = along(self.canvas.image, self.canvas.line), self.tolerance.value
        self._asked = asked = self._asked + 1
        self._let_accept(False)
        gradient = self.gradient
        self._fitting.ask(lambda: (*fitted_gradient(colours, tolerance, gradient), len(colours), asked))

    def done(self, result: int) -> None:
        self._fitting.stop(wait=False)
        super().done(result)

    def _let_accept(self, on: bool) -> None:
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok
        ok.setEnabled(on)

    def _show_fitted(self, found: tuple[Gradient, float, int, int]) -> None:
        self.fitted, error, texels, asked = found
        self._let_accept(asked == self._asked)
        self.bar.show_gradient(self.fitted)
        self.words.setText(f"{len(self.fitted.stops)} stops, within ΔE OK {error:.4f} of {texels} texels")

    def _complain(self, text: str) -> None:
        self.words.setText(sentence(text))

    def accept(self) -> None:
        if self.fitted:
            self.then(self.fitted)
        super().accept()

    def _show_chosen(self) -> None:
        chosen = self.chooser.currentData()
        image = self.stage if chosen == STAGE else self.session.images.get(chosen or "")
        if image:
            self.canvas.show_image(image)
            self.fit()

    def _choose(self) -> None:
        endings = " ".join(f"*{suffix}" for suffix in READABLE_IMAGES)
        name, _ = QFileDialog.getOpenFileName(self, "A gradient from", "", f"Images ({endings})")
        if name:
            self.open_file(Path(name))

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        row = QHBoxLayout()
        row.addWidget(self.chooser, 1)
        row.addWidget(self.file)
        column.addLayout(row)
        column.addWidget(self.canvas, 1)
        column.addWidget(self.bar)
        below = QHBoxLayout()
        below.addWidget(plain_label("Within ΔE OK"))
        below.addWidget(self.tolerance)
        below.addWidget(self.words, 1)
        column.addLayout(below)
        column.addWidget(self.buttons)


def along(image: Image, line: Line) -> np.ndarray:
    """The linear colours of the texels under a line, (count, 4), at least 2."""
    x, y, to_x, to_y = line
    width, height = image.width, image.height
    count = max(int(np.hypot((to_x - x) * width, (to_y - y) * height)) + 1, 2)
    columns = np.clip(np.linspace(x, to_x, count) * width, 0, width - 1).astype(int)
    rows = np.clip(np.linspace(y, to_y, count) * height, 0, height - 1).astype(int)
    texels = np.ascontiguousarray(image.texels[rows, columns][None])
    return np.asarray(Image(texels, image.encoding).linear()[0], np.float64)
