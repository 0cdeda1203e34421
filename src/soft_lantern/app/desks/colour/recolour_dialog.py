"""Colours of a sprite replaced, beside what multiplying a tint would do and what a palette does."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import heading_label, link, linked_label, plain_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.pixel_image import rgba_image
from soft_lantern.app.widgets.texels import Texels
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import write_png
from soft_lantern.formats.sprites import Picture
from soft_lantern.graph.document import Palette
from soft_lantern.graph.palettes.indexing import (
    Pixels,
    decoded,
    distinct_colours,
    index_image,
    palette_of,
    recoloured,
    shades_like,
)
from soft_lantern.graph.palettes.recolour import Linear, replaced_all, tint_failure, tint_words, tinted, touched
from soft_lantern.ir.oklch import oklch_from_linear
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.images import Image

SHOWN, MOST_TRIED = 220, 64
WAYS = ("Multiplied tint", "Replaced with its shades", "By palette")


class RecolourDialog(QDialog):
    """Click the colour to replace in the picture; choose another; compare the three ways; add more, and hold some.

    What the tolerance reaches stands out in the picture before anything is taken.
    """

    def __init__(self, session: Session, picture: Picture, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.picture = session, picture
        self.setWindowTitle(f"Recolour {picture.name}")
        self.source = Texels()
        self.source.show_image(Image(picture.pixels))
        self.old, self.new = ColourButton(alpha=False), ColourButton((0.05, 0.15, 0.6, 1.0), alpha=False)
        self.old.setAccessibleName("colour to replace")
        self.new.setAccessibleName("replacement")
        self.tolerance, self.softness = NumberField(0.12, 0.0, 1.0, 0.01), NumberField(0.08, 0.0, 1.0, 0.01)
        self.tolerance.setAccessibleName("tolerance")
        self.softness.setAccessibleName("softness")
        self.reach = QCheckBox("show what is touched")
        self.reach.setChecked(True)
        self.pairs: list[tuple[Linear, Linear]] = []
        """Replacements that are kept beside the one in hand."""
        self.held: list[Linear] = []
        self.listed = linked_label()
        self.listed.linkActivated.connect(self._drop)
        self.more = tool_button("And one more", self._keep_pair)
        self.more.setToolTip("Keep this replacement, and choose another beside it: all are made in one pass")
        self.hold = tool_button("Hold this colour", self._hold)
        self.hold.setToolTip("Its shades stay as they are, however wide the tolerance is")
        self.words = plain_label()
        self.words.setWordWrap(True)
        self.results: dict[str, Pixels] = {}
        self._labels = {way: plain_label() for way in WAYS}
        self.save = QPushButton("Save the replaced…")
        listed = distinct_colours(picture.pixels[picture.pixels[..., 3] > 0][None])[:MOST_TRIED]
        colours = palette_of([each.colour for each in listed], Palette(id="", name="")).colours
        weighed = [c.count * oklch_from_linear(colour[:3])[1] for c, colour in zip(listed, colours, strict=True)]
        self.old.show_value(colours[int(np.argmax(weighed))] if colours else (0.5, 0.5, 0.5, 1.0))
        self._lay_out()
        self.source.picked.connect(self._picked)
        for button in (self.old, self.new):
            button.changed.connect(lambda colour, button=button: self._set(button, colour))
        self.reach.clicked.connect(lambda _: self.refresh())
        for field in (self.tolerance, self.softness):
            field.changed.connect(lambda _: self.refresh())
        self.save.clicked.connect(self._choose)
        self.refresh()

    def refresh(self) -> None:
        """Work the three ways out again."""
        pixels, old, new = self.picture.pixels, self.old.value, self.new.value
        given = (self.tolerance.value, self.softness.value)
        self.results = {
            WAYS[0]: tinted(pixels, new),
            WAYS[1]: replaced_all(pixels, [*self.pairs, (old, new)], self.held, *given),
            WAYS[2]: self._by_palette(),
        }
        changed_ = touched(pixels, self.results[WAYS[1]])
        self.source.mark(changed_ if self.reach.isChecked() else None)
        self._show_listed(100 * float(changed_.sum()) / max(int((pixels[..., 3] > 0).sum()), 1))
        for way, shown in self.results.items():
            self._labels[way].setPixmap(_pixmap(shown))
        failure = tint_failure(pixels, old, new, *given)
        told = f"Multiplied, the colour is ΔE OK {failure.apart:.2f} from the one that is wanted"
        if failure.black > 0.05:
            told += f", and {100 * failure.black:.0f}% of its pixels turn black"
        why = tint_words(old, new)
        self.words.setText(f"{told}. {why + '. ' if why else ''}Replace it, or use a palette.")

    def _by_palette(self) -> Pixels:
        """The picture through a palette of its own colours, the shades of the one recoloured."""
        pixels = self.picture.pixels
        listed = distinct_colours(pixels)
        if len(listed) > 256:
            return pixels
        palette = palette_of([each.colour for each in listed], Palette(id="", name=""))
        old = np.array(self.old.value[:3])
        base = int(np.abs(np.array([c[:3] for c in palette.colours]) - old).sum(axis=1).argmin())
        brought = recoloured(palette, shades_like(palette, base), base, self.new.value)
        return decoded(index_image(pixels, palette).pixels, brought)

    def write_to(self, path: Path) -> None:
        """Save the replaced picture; where that cannot be, say why."""
        try:
            write_png(self.results[WAYS[1]], path)
        except LanternError as error:
            self.words.setText(sentence(str(error)))
            return
        self.session.told.emit(f"Wrote {path}")

    def _choose(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the picture", f"{self.picture.name}.png", "PNG (*.png)")
        if name:
            self.write_to(Path(name).with_suffix(".png"))

    def _picked(self, colour: tuple[float, ...]) -> None:
        self._set(self.old, (*colour[:3], 1.0))

    def _keep_pair(self) -> None:
        self.pairs.append((self.old.value, self.new.value))
        self.words.setText("Click the next colour in the picture")
        self._show_listed(None)

    def _hold(self) -> None:
        self.held.append(self.old.value)
        self.refresh()

    def _drop(self, target: str) -> None:
        kind, _, place = target.partition(" ")
        del (self.pairs if kind == "pair" else self.held)[int(place)]
        self.refresh()

    def _show_listed(self, share: float | None) -> None:
        """Say what is kept, each to click away, and how much of the picture is touched."""
        pairs = [
            link(f"pair {n}", f"{colour_to_hex(old)} by {colour_to_hex(new)}")
            for n, (old, new) in enumerate(self.pairs)
        ]
        held = [link(f"held {n}", f"{colour_to_hex(colour)} held") for n, colour in enumerate(self.held)]
        told = [] if share is None else [f"{share:.0f}% of the picture is touched"]
        self.listed.setText(" · ".join([*told, *pairs, *held]))
        self.listed.setToolTip("Click one to take it out" if pairs or held else "")

    def _set(self, button: ColourButton, colour: tuple[float, ...]) -> None:
        button.show_value(colour)
        self.refresh()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        heads = (f"{self.picture.name}: click the colour", *WAYS)
        for place, (head, widget) in enumerate(zip(heads, (self.source, *self._labels.values()), strict=True)):
            row, column = place // 2 * 2, place % 2
            label = heading_label(head)
            grid.addWidget(label, row, column)
            grid.addWidget(widget, row + 1, column)
            if isinstance(widget, QLabel):
                widget.setMinimumSize(SHOWN, SHOWN)
                widget.setAlignment(Qt.AlignmentFlag.AlignCenter)
        line = QHBoxLayout()
        for word, control in (
            ("Replace", self.old),
            ("by", self.new),
            ("tolerance", self.tolerance),
            ("softness", self.softness),
        ):
            line.addWidget(plain_label(word))
            line.addWidget(control)
        line.addStretch(1)
        second = QHBoxLayout()
        for widget in (self.more, self.hold, self.reach):
            second.addWidget(widget)
        second.addWidget(self.listed, 1)
        column_ = QVBoxLayout(self)
        column_.addLayout(line)
        column_.addLayout(second)
        column_.addLayout(grid, 1)
        column_.addWidget(self.words)
        column_.addWidget(self.save, 0, Qt.AlignmentFlag.AlignRight)


def _pixmap(pixels: Pixels) -> QPixmap:
    image = rgba_image(pixels)
    fitted = Qt.AspectRatioMode.KeepAspectRatio
    small = max(pixels.shape[:2]) < SHOWN
    how = Qt.TransformationMode.FastTransformation if small else Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(image.scaled(SHOWN, SHOWN, fitted, how))
