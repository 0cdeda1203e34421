"""The editor of one gradient: its bar and stops, what it comes to, where it is from and where it goes."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.buttons import below
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.gradient_bar import AlphaBar, GradientBar
from soft_lantern.app.widgets.gradient_views import Curves, Sights, Usage
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, side_by_side
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import AlphaStop, Gradient, Stop, changed
from soft_lantern.graph.gradients.editing import (
    ENOUGH,
    WidthError,
    jumps,
    mirrored,
    reversed_,
    rotated,
    spaced_evenly,
    width_advice,
)
from soft_lantern.graph.ramps.images import SHAPES, colours_at, in_order, shown_row
from soft_lantern.values.words import counted

FIRST = (Stop(at=0.0, colour=(0.02, 0.05, 0.2, 1.0)), Stop(at=1.0, colour=(1.0, 0.6, 0.2, 1.0)))
MIXINGS = {"oklab": "in OKLab", "oklch": "in OKLCH", "linear": "as linear light", "srgb": "in sRGB"}
HUES = ("shorter", "longer", "increasing", "decreasing")
ADVISED = (8, 32, 128, 512)
"""Widths whose errors are shown."""


class GradientPage(QWidget):
    """`changed` tells the gradient a person wants, and what that is called; edits of one gesture go together."""

    changed = pyqtSignal(object, str)
    source_wanted = pyqtSignal(str)
    """Where the gradient is to come from: one of SOURCES."""
    atlas_wanted = pyqtSignal()
    file_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.gradient = Gradient(id="", name="", stops=FIRST)
        self.bar, self.alpha_bar = GradientBar(self.gradient), AlphaBar(self.gradient)
        self.alpha_bar.setAccessibleName("alpha")
        self.place, self.alpha = NumberField(0.0, 0.0, 1.0, 0.01), NumberField(1.0, 0.0, 1.0, 0.01)
        self.place.setAccessibleName("place of the stop")
        self.alpha.setAccessibleName("alpha of the alpha stop")
        self.alpha_place = NumberField(0.0, 0.0, 1.0, 0.01)
        self.alpha_place.setAccessibleName("place of the alpha stop")
        self.colour = ColourButton(hdr=True)
        self.colour.setAccessibleName("colour of the stop")
        self.colour.setMinimumWidth(132)
        for field in (self.place, self.alpha, self.alpha_place):
            field.setMaximumWidth(84)
        self.shape, self.mixing, self.hue = QComboBox(), QComboBox(), QComboBox()
        self.shape.setAccessibleName("shape")
        self.shape.setToolTip("How it goes from this stop to the next")
        self.shape.addItems(SHAPES)
        self.mixing.setAccessibleName("mixing")
        for value, words in MIXINGS.items():
            self.mixing.addItem(f"mixed {words}", value)
        self.hue.setAccessibleName("way of the hue")
        self.hue.setToolTip("Which way round the hue goes")
        self.hue.addItems([f"{way} hue" for way in HUES])
        self.apart = QCheckBox("alpha has stops of its own")
        self.duplicate, self.remove = QToolButton(), QToolButton()
        self.duplicate.setText("Duplicate")
        self.remove.setText("Remove")
        self.turn = NumberField(0.1, -1.0, 1.0, 0.05)
        self.turn.setAccessibleName("how far to rotate")
        self.curves, self.usage, self.sights = Curves(), Usage(), Sights()
        self.advice = quiet_label(wraps=True)
        self.edits: dict[str, QPushButton] = {}
        self.from_button, self.atlas, self.file = (
            QToolButton(),
            QPushButton("Bake an atlas…"),
            QPushButton("To a file…"),
        )
        self.from_button.setText("Take it from")
        self._advising = single_shot(self, 150, self._advise)
        self._lay_out()
        self.bar.changed.connect(lambda gradient: self.changed.emit(gradient, "Change gradient"))
        self.alpha_bar.changed.connect(lambda gradient: self.changed.emit(gradient, "Change alpha"))
        for bar in (self.bar, self.alpha_bar):
            bar.chosen.connect(lambda _: self._show_stop())
        self.place.changed.connect(self.bar.move_to)
        self.alpha_place.changed.connect(self.alpha_bar.move_to)
        self.alpha.changed.connect(self.alpha_bar.set_alpha)
        self.colour.changed.connect(self.bar.recolour)
        self.shape.activated.connect(lambda _: self.bar.reshape(self.shape.currentText()))
        self.mixing.activated.connect(
            lambda _: self._want("Mix otherwise", changed(self.gradient, mixing=self.mixing.currentData()))
        )
        self.hue.activated.connect(
            lambda at: self._want("Take the hue another way", changed(self.gradient, hue=HUES[at]))
        )
        self.apart.clicked.connect(self._set_apart)
        self.duplicate.clicked.connect(lambda _: self.bar.duplicate())
        self.remove.clicked.connect(lambda _: self.bar.take_out())
        self.from_button.clicked.connect(lambda _: self.source_menu().popup(below(self.from_button)))
        self.atlas.clicked.connect(lambda _: self.atlas_wanted.emit())
        self.file.clicked.connect(lambda _: self.file_wanted.emit())

    def show_gradient(self, gradient: Gradient) -> None:
        """Show a gradient without telling anyone."""
        if gradient == self.gradient:
            return
        self.gradient = gradient
        self.bar.show_gradient(gradient)
        self.alpha_bar.show_gradient(gradient)
        self.mixing.setCurrentIndex(list(MIXINGS).index(gradient.mixing))
        self.hue.setCurrentIndex(HUES.index(gradient.hue))
        self.hue.setVisible(gradient.mixing == "oklch")
        self.apart.setChecked(bool(gradient.alphas))
        self.alpha_row.setVisible(bool(gradient.alphas))
        self.curves.show_gradient(gradient)
        self.sights.show_gradient(gradient)
        self._advising.start()
        self._show_stop()

    def source_menu(self) -> QMenu:
        """Where a gradient can be taken from."""
        menu = QMenu(self)
        for key, words in SOURCES.items():
            menu.addAction(words, lambda key=key: self.source_wanted.emit(key))
        return menu

    def two_ends(self) -> None:
        """Keep the first and the last colour alone."""
        stops = in_order(self.gradient)
        if not stops:
            return
        ends = (changed(stops[0], at=0.0, shape="linear"), changed(stops[-1], at=1.0))
        self._want("Keep two colours", changed(self.gradient, stops=ends, alphas=()))

    def _want(self, name: str, gradient: Gradient) -> None:
        self.changed.emit(gradient, name)

    def _set_apart(self, on: bool) -> None:
        """Give alpha stops of its own where the colours' stops had theirs, or hand it back to them."""
        gradient = self.gradient
        if on:
            alphas = tuple(AlphaStop(at=stop.at, alpha=stop.colour[3]) for stop in in_order(gradient))
            self._want("Take alpha apart", changed(gradient, alphas=alphas))
            return
        alpha = colours_at(gradient, [stop.at for stop in gradient.stops])[:, 3]
        pairs = zip(gradient.stops, alpha, strict=True)
        stops = tuple(changed(stop, colour=(*stop.colour[:3], float(part))) for stop, part in pairs)
        self._want("Join alpha and colour", changed(gradient, stops=stops, alphas=()))

    def _show_stop(self) -> None:
        if self.bar.stops:
            stop = self.bar.stops[self.bar.at]
            self.place.show_value(stop.at)
            self.colour.show_value(stop.colour)
            self.shape.setCurrentText(stop.shape)
            self.remove.setEnabled(len(self.bar.stops) > 1)
        if self.alpha_bar.stops:
            alpha = self.alpha_bar.stops[self.alpha_bar.at]
            self.alpha_place.show_value(alpha.at)
            self.alpha.show_value(alpha.alpha)

    def _advise(self) -> None:
        """What a baked row of the gradient needs; told once the hand rests."""
        errors, least = width_advice(self.gradient)
        shown = [
            f"{each.width}:{_TIED}{255 * each.error:.2g}{_TIED + '✓' if each.error < ENOUGH else ''}"
            for each in errors
            if each.width in ADVISED or each.width == least
        ]
        told = f"{least} texels keep within 1/255" if least else "no width up to 1,024 keeps within 1/255"
        sharp = jumps(self.gradient)
        edges = f"; {counted(len(sharp), 'sharp edge')} stay a texel wide" if sharp else ""
        bright = "; brighter than white, so a PNG clips it" if self._brightest() > 1.0 + 1e-6 else ""
        by_width = "Largest error in 8-bit steps, by width  " + "   ".join(shown)
        self.advice.setText("\n".join([f"Baked as a row, {told}{edges}{bright}.", by_width, *_oddly(errors)]))

    def _brightest(self) -> float:
        return float(shown_row(self.gradient, 256)[:, :3].max())

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 10, 6, 8)
        column.setSpacing(5)
        column.addWidget(self.bar)
        column.addWidget(side_by_side(plain_label("Stop at"), self.place, self.colour, self.shape))
        column.addWidget(side_by_side(self.duplicate, self.remove))
        self.alpha_row = QWidget()
        inside = QVBoxLayout(self.alpha_row)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.alpha_bar)
        inside.addWidget(side_by_side(plain_label("Alpha stop at"), self.alpha_place, plain_label("alpha"), self.alpha))
        column.addWidget(self.alpha_row)
        column.addWidget(side_by_side(self.mixing, self.hue, self.apart))
        whole: list[QWidget] = []
        turns: dict[str, Callable[[Gradient], Gradient]] = {
            "Reverse": reversed_,
            "Space evenly": spaced_evenly,
            "Mirror": mirrored,
            "Rotate by": lambda gradient: rotated(gradient, self.turn.value),
        }
        for name, edit in turns.items():
            button = QPushButton(name)
            button.clicked.connect(lambda _, name=name, edit=edit: self._want(name, edit(self.gradient)))
            self.edits[name] = button
            whole.append(button)
        self.turn.setMinimumWidth(50)
        column.addWidget(side_by_side(*whole, self.turn))
        for title, view in (
            ("Curves", self.curves),
            ("Used by the stage", self.usage),
            ("As colour-blind people see it", self.sights),
        ):
            label = heading_label(title)
            column.addWidget(label)
            column.addWidget(view)
        column.addWidget(self.advice)
        column.addStretch(1)
        column.addWidget(side_by_side(self.from_button, self.file, self.atlas))


_TIED = "\u00a0"
"""A space at which no line ends."""

SOURCES = {
    "ends": "Its two end colours alone",
    "fewer": "As few stops as keep to it",
    "image": "A line across an image…",
    "stage": "A line across the stage…",
    "file": "A .ggr or .csv file…",
    "mixes": "Nested mixes of the open graph…",
}


def _oddly(errors: list[WidthError]) -> list[str]:
    """Why a wider row can be worse, where one of those that are shown is."""
    for narrow, wide in pairwise(errors):
        if wide.width in ADVISED and wide.error > max(1.2 * narrow.error, ENOUGH):
            first = f"{wide.width} texels err more than {narrow.width}:"
            return [f"{first} a stop that lay on a texel of the narrow row lies between two of the wide one."]
    return []


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(GradientPage)
