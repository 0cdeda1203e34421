"""A palette from the colours of pictures: which are distinct, which are merged, and what fewer of them cost."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.palette_grid import PaletteGrid
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.formats.sprites import Picture
from soft_lantern.graph.document import Palette
from soft_lantern.graph.palettes.indexing import (
    ORDERS,
    Counted,
    Order,
    Pixels,
    count_of,
    distinct_colours,
    merged,
    palette_of,
    quantised,
    room_words,
)

MOST_SHOWN, MOST_MERGED, MOST_LISTED = 4096, 20_000, 100_000


class Options(Struct, frozen=True):
    """How colours are counted. `tolerance`: ΔE OK within which they are merged; `count`: at most so many, 0 for all.

    `hidden`: colours of pixels that are wholly see-through count as well.
    """

    ignore_alpha: bool
    order: Order
    tolerance: float
    count: int
    hidden: bool = False


class Extracted(Struct, frozen=True, eq=False):
    """The colours that were found, what is said of them, and the pictures, brought down where there were too many."""

    colours: list[Counted]
    words: str
    pictures: list[Picture]


class ExtractDialog(QDialog):
    """`then` gets the palette, and the pictures it is of, brought down to its colours where they were quantised."""

    def __init__(
        self,
        pictures: Sequence[Picture],
        palette: Palette,
        then: Callable[[Palette, list[Picture]], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.pictures, self.palette_record, self.then = list(pictures), palette, then
        self.setWindowTitle(
            f"The colours of {pictures[0].name}" if len(pictures) == 1 else "The colours of the pictures"
        )
        self.resize(420, 520)
        self.ignore_alpha = QCheckBox("colours that differ in alpha alone count once")
        self.ignore_alpha.setChecked(True)
        self.hidden = QCheckBox("keep the colours under alpha 0 as well")
        self.hidden.setToolTip("What see-through pixels hold, which filtering or an effect may bring to light")
        self.order = QComboBox()
        self.order.setAccessibleName("order")
        self.order.addItems(ORDERS)
        self.order.setCurrentText("luminance")
        self.tolerance = NumberField(0.0, 0.0, 0.5, 0.005)
        self.tolerance.setAccessibleName("merge colours closer than")
        self.limit = QCheckBox("no more than")
        self.count = QSpinBox()
        self.count.setRange(1, 256)
        self.count.setValue(16)
        self.count.setAccessibleName("how many colours")
        self.grid = PaletteGrid(palette)
        self.words = quiet_label(wraps=True)
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        form = QFormLayout()
        form.addRow("", self.ignore_alpha)
        form.addRow("", self.hidden)
        form.addRow("Ordered by", self.order)
        form.addRow("Merge colours closer than", self.tolerance)
        form.addRow(self.limit, self.count)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.grid, 1)
        column.addWidget(self.words)
        column.addWidget(self.buttons)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.ignore_alpha.clicked.connect(lambda _: self.refresh())
        self.hidden.clicked.connect(lambda _: self.refresh())
        self.order.activated.connect(lambda _: self.refresh())
        self.tolerance.changed.connect(lambda _: self.refresh())
        self.limit.clicked.connect(lambda _: self.refresh())
        self.count.valueChanged.connect(lambda _: self.refresh())
        self.result_palette = palette
        self.result_pictures: list[Picture] = []
        self._counting = NewestAnswer("counting colours", self, self._show, self.words.setText)
        self.refresh()

    def refresh(self) -> None:
        """Count again beside the window, and show the palette it would be."""
        options = Options(
            self.ignore_alpha.isChecked(),
            next(each for each in ORDERS if each == self.order.currentText()),
            self.tolerance.value,
            self.count.value() if self.limit.isChecked() else 0,
            self.hidden.isChecked(),
        )
        pictures, ok = self.pictures, self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok
        ok.setEnabled(False)
        self.words.setText("Counting…")
        self._counting.ask(lambda: extracted(pictures, options))

    def accept(self) -> None:
        self.then(self.result_palette, self.result_pictures)
        super().accept()

    def done(self, result: int) -> None:
        self._counting.stop(wait=False)
        super().done(result)

    def _show(self, found: Extracted) -> None:
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok
        fits = 0 < len(found.colours) <= MOST_SHOWN
        ok.setEnabled(fits)
        self.result_pictures = found.pictures
        if not fits:
            self.words.setText(f"{found.words}: too many for a palette. Merge or limit them")
            return
        self.result_palette = palette_of([each.colour for each in found.colours], self.palette_record)
        self.grid.show_palette(self.result_palette)
        self.words.setText(f"{found.words}.\n{room_words(self.result_palette)}")


def extracted(pictures: Sequence[Picture], options: Options) -> Extracted:
    """The colours of pictures, by the options."""
    stacked = _stacked([picture.pixels for picture in pictures])
    brought, count = list(pictures), count_of(_seen(stacked, options))
    told = [f"{count:,} distinct colours"]
    if count > MOST_LISTED and not options.count:
        return Extracted([], told[0], brought)
    found = _counted(stacked, options) if count <= MOST_LISTED else []
    told = [f"{len(found):,} distinct colours"] if found else told
    if options.count and count > options.count:
        stacked, error = quantised(stacked, options.count)
        found = _counted(stacked, options)
        told.append(f"quantised to {len(found)}, {error:.2f}/255 from the pictures (root mean square)")
        brought = _taken_apart(stacked, pictures)
    kept = merged(found, options.tolerance) if options.tolerance > 0 and len(found) <= MOST_MERGED else found
    if len(kept) < len(found):
        told.append(f"merged to {len(kept)}")
    order = {each.colour: place for place, each in enumerate(found)}
    return Extracted(sorted(kept, key=lambda each: order[each.colour]), ", ".join(told), brought)


def _counted(pixels: Pixels, options: Options) -> list[Counted]:
    return distinct_colours(_seen(pixels, options), ignore_alpha=options.ignore_alpha, order=options.order)


def _seen(pixels: Pixels, options: Options) -> Pixels:
    return pixels if options.hidden else pixels[pixels[..., 3] > 0][None]


def _stacked(pictures: Sequence[Pixels]) -> Pixels:
    """Pictures of any size as one row of pixels, (1, count, 4)."""
    return np.concatenate([pixels.reshape(1, -1, 4) for pixels in pictures], axis=1)


def _taken_apart(stacked: Pixels, like: Sequence[Picture]) -> list[Picture]:
    found, at = [], 0
    for picture in like:
        height, width = picture.pixels.shape[:2]
        pixels = stacked[0, at : at + height * width].reshape(height, width, 4)
        found.append(Picture(picture.name, np.ascontiguousarray(pixels)))
        at += height * width
    return found
