"""Saving what the stage shows: one picture, or a sequence over a loop of time, as PNG or linear OpenEXR."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from soft_lantern.app.pictures.batch import Batch, Work
from soft_lantern.app.pictures.scene_pictures import SAMPLES
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.formats.images import write_exr, write_png
from soft_lantern.render.frame import Frame, Picture

LARGEST = 8192


class Wish(Struct, frozen=True):
    """What is to be saved: the file, the size, and for a sequence its seconds and frames a second."""

    path: Path
    size: tuple[int, int]
    seconds: float = 0.0
    rate: int = 24

    @property
    def frames(self) -> int:
        """How many pictures: one, or those of a loop whose last runs into its first."""
        return max(round(self.seconds * self.rate), 1)

    def name(self, number: int) -> Path:
        """The file of a picture; those of a sequence are numbered from 0001."""
        if self.frames == 1:
            return self.path
        return self.path.with_name(f"{self.path.stem}_{number + 1:04d}{self.path.suffix}")


class SaveDialog(QDialog):
    """Asks what to save. `wish` holds the answer."""

    def __init__(self, size: QSize, loop: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Save pictures")
        self.wish: Wish | None = None
        form = QFormLayout(self)
        self.width_box, self.height_box = QSpinBox(), QSpinBox()
        for box, value in ((self.width_box, size.width() * 2), (self.height_box, size.height() * 2)):
            box.setRange(8, LARGEST)
            box.setValue(value)
        pixels = QHBoxLayout()
        for widget in (self.width_box, plain_label("×"), self.height_box):
            pixels.addWidget(widget)
        form.addRow("Size in pixels", pixels)
        self.kind = QComboBox()
        self.kind.addItem("PNG, as on the screen", ".png")
        self.kind.addItem("OpenEXR, linear light", ".exr")
        form.addRow("File", self.kind)
        self.sequence = QCheckBox("A sequence over a loop of time")
        form.addRow(self.sequence)
        self.seconds = NumberField(loop, unit="s", low=0.04, high=600.0)
        self.rate = QSpinBox()
        self.rate.setRange(1, 120)
        self.rate.setValue(24)
        form.addRow("Loop", self.seconds)
        form.addRow("Pictures a second", self.rate)
        self.loop = loop
        self.seconds.changed.connect(self._set_loop)
        self.path = QLineEdit()
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        place = QHBoxLayout()
        place.addWidget(self.path, 1)
        place.addWidget(choose)
        form.addRow("Into", place)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self._accept)
        self.buttons.rejected.connect(self.reject)
        form.addRow(self.buttons)
        self.sequence.toggled.connect(self._refresh)
        self.path.textChanged.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        for widget in (self.seconds, self.rate):
            widget.setEnabled(self.sequence.isChecked())
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if save:
            save.setEnabled(bool(self.path.text().strip()))

    def _set_loop(self, seconds: float) -> None:
        self.loop = seconds

    def _choose(self) -> None:
        ending = self.kind.currentData()
        name, _ = QFileDialog.getSaveFileName(self, "Save pictures", self.path.text(), f"Pictures (*{ending})")
        if name:
            self.path.setText(name)

    def _accept(self) -> None:
        path = Path(self.path.text().strip()).expanduser()
        path = path.with_suffix(self.kind.currentData())
        seconds = self.loop if self.sequence.isChecked() else 0.0
        self.wish = Wish(path, (self.width_box.value(), self.height_box.value()), seconds, self.rate.value())
        self.accept()


def save_pictures(stage: StageView, wish: Wish) -> Batch:
    """Draw and save beside the window, one picture after the other, with progress; cancelling stops between two."""
    pictures, sight = stage.pictures, stage.modes.sight

    def make(number: int) -> Callable[[], Frame]:
        at = sight.time if wish.frames == 1 else number / wish.rate
        return pictures.frame_maker(replace(sight, time=at), wish.size, SAMPLES)

    def over(count: int) -> str:
        if count < wish.frames:
            return f"Stopped after {count} of {wish.frames} pictures"
        return f"Saved {count} picture{'s' if count > 1 else ''} as {wish.name(0)}"

    work = Work(f"Saving {wish.path.name}", wish.frames, make, lambda n, p: _save(wish.name(n), p), over)
    return Batch(stage.session, pictures.worker, f"{pictures.place} saving", work)


def _save(path: Path, picture: Picture) -> None:
    if path.suffix == ".exr":
        write_exr(picture.linear, path)
    else:
        write_png(picture.pixels, path)
