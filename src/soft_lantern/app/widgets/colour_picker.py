"""The colour picker: a field, numbers in HSV and OKLCH, strength in stops, alpha, hex, droppers and swatches."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.labels import plain_label, quiet_label, tip
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.app.widgets.surround import surrounded
from soft_lantern.app.widgets.swatches import Swatches, SwatchRow
from soft_lantern.errors import BadValue
from soft_lantern.ir.oklch import hsv_of, in_gamut, linear_from_oklch, oklch_from_linear, rgb_of_hsv
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, linear_to_srgb, srgb_to_linear

Linear = tuple[float, ...]
BRIGHTEST = 10.0
"""Stops above white that the strength slider reaches."""

HSV = (("hue", 360.0, "°"), ("saturation", 1.0, ""), ("value", 1.0, ""))
OKLCH = (("lightness", 1.0, ""), ("chroma", 0.4, ""), ("hue", 360.0, "°"))
"""What each number is called, how far it reaches and its unit."""


class ColourPicker(QFrame):
    """A popup that tells every colour on the way, linear RGBA. Return keeps it; Escape takes it back.

    `alpha` and `hdr`: whether alpha and strength are offered. `swatches`: the project's, where there are any.
    `droppers`: by name, what lets a person take a colour from elsewhere and hands it on.
    """

    changed = pyqtSignal(tuple)

    def __init__(
        self,
        value: Linear,
        parent: QWidget | None = None,
        *,
        alpha: bool = True,
        hdr: bool = False,
        swatches: Swatches | None = None,
        droppers: dict[str, Callable[[Callable[[Linear], None]], None]] | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("picker")
        self.hue, self.saturation, self.brightness, self.alpha, self.stops = 0.0, 0.0, 0.0, 1.0, 0.0
        self.with_alpha, self.hdr = alpha, hdr
        self._lch = (0.0, 0.0, 0.0)
        self._shown: Linear | None = None
        self._opened: Linear | None = None
        self.field = _Field(self)
        self.strip = _HueStrip(self)
        self.alpha_slider = Slider(0, 1, 1)
        self.alpha_slider.setAccessibleName("alpha")
        self.strength = Slider(0, BRIGHTEST, 0)
        self.strength.setAccessibleName("strength")
        self.strength_field = NumberField(0, 0, BRIGHTEST, 0.1, "stops")
        self.strength_field.setMaximumWidth(84)
        self.hex = QLineEdit()
        self.hex.setMaximumWidth(96)
        self.hex.setPlaceholderText("#rrggbb")
        self.hex.setAccessibleName("hex colour")
        self.hsv = [NumberField(0, 0, high, high / 100, unit) for _, high, unit in HSV]
        self.oklch = [NumberField(0, 0, high, high / 100, unit) for _, high, unit in OKLCH]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.addWidget(surrounded(self.field, self.strip))
        layout.addLayout(self._numbers())
        layout.addWidget(self._row(("alpha", self.alpha_slider), visible=alpha))
        layout.addWidget(self._row(("strength", self.strength), self.strength_field, visible=hdr))
        last = QHBoxLayout()
        last.addWidget(self.hex)
        last.addStretch(1)
        self.droppers: dict[str, QPushButton] = {}
        for name, start in (droppers or {}).items():
            button = QPushButton(name)
            button.clicked.connect(lambda _, start=start: self._drop(start))
            self.droppers[name] = button
            last.addWidget(button)
        layout.addLayout(last)
        layout.addWidget(quiet_label("Return keeps · Escape takes back"))
        self.swatch_row: SwatchRow | None = None
        if swatches is not None:
            self.swatch_row = SwatchRow(swatches)
            self.swatch_row.chosen.connect(self.take)
            self.swatch_row.add_wanted.connect(lambda: swatches.add(self.value()))
            layout.addWidget(self.swatch_row)
        self.alpha_slider.changed.connect(lambda a: self._set(alpha=a))
        for control in (self.strength, self.strength_field):
            control.changed.connect(lambda stops: self._set(stops=stops))
        for fields in (self.hsv, self.oklch):
            for place, field in enumerate(fields):
                field.setMaximumWidth(72)
                field.changed.connect(lambda typed, f=fields, place=place: self._number_typed(f, place, typed))
        self.hex.returnPressed.connect(self._keep)
        self.hex.editingFinished.connect(self._typed)
        self.show_value(value)

    def open_at(self, place: QPoint) -> None:
        """Show the popup with its corner there, moved as far as the screen asks."""
        self.adjustSize()
        screen = self.screen()
        if screen:
            room = screen.availableGeometry()
            place.setX(max(room.left(), min(place.x(), room.right() - self.width())))
            place.setY(max(room.top(), min(place.y(), room.bottom() - self.height())))
        self.move(place)
        self._opened = self._shown
        self.show()
        self.hex.setFocus()
        self.hex.selectAll()

    def show_value(self, value: Linear) -> None:
        """Show a colour; hue, saturation and strength stay where they are when the colour no longer tells them."""
        if value != self._shown:
            self._shown = value
            brightest = max(value[:3])
            self.stops = math.log2(brightest) if brightest > 1.0 else 0.0
            self._show_base([max(part, 0.0) / 2**self.stops for part in value[:3]])
            self.alpha = value[3] if len(value) > 3 else 1.0
        self._refresh()

    def value(self) -> Linear:
        """The colour picked, linear RGBA."""
        strength = 2.0**self.stops
        red, green, blue = (part * strength for part in self._base())
        return (red, green, blue, self.alpha)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.hide()
        elif event.key() == Qt.Key.Key_Escape:
            opened, now = self._opened, self._shown
            self.hex.setModified(False)  # what is typed and not taken goes as well
            self.hide()
            if opened is not None and opened != now:
                self.show_value(opened)
                self.changed.emit(opened)
        else:
            super().keyPressEvent(event)

    def _keep(self) -> None:
        self._typed()
        self.hide()

    def take(self, value: Linear) -> None:
        """Pick a colour from elsewhere, as far as this picker offers what it needs."""
        red, green, blue = (max(part, 0.0) if self.hdr else min(max(part, 0.0), 1.0) for part in value[:3])
        self.show_value((red, green, blue, value[3] if self.with_alpha and len(value) > 3 else self.alpha))
        self.changed.emit(self.value())

    def _base(self) -> list[float]:
        return [srgb_to_linear(part) for part in rgb_of_hsv((self.hue * 360, self.saturation, self.brightness))]

    def _show_base(self, rgb: list[float]) -> None:
        hue, saturation, brightness = hsv_of([linear_to_srgb(min(part, 1.0)) for part in rgb])
        if brightness > 0:
            self.saturation = saturation
            if saturation > 0:
                self.hue = hue / 360
        self.brightness = brightness

    def _set(self, **parts: float) -> None:
        for name, part in parts.items():
            setattr(self, name, min(max(part, 0.0), BRIGHTEST if name == "stops" else 1.0))
        self._tell()

    def _number_typed(self, fields: list[NumberField], place: int, typed: float) -> None:
        """One of three numbers becomes another; the two beside it stay exactly what they are, not what is shown."""
        in_hsv = fields is self.hsv
        parts = list((self.hue * 360, self.saturation, self.brightness) if in_hsv else self._lch)
        parts[place] = typed
        first, second, third = parts
        if in_hsv:
            self.hue, self.saturation, self.brightness = first / 360, second, third
        else:
            self._lch = in_gamut((first, second, third))
            self._show_base([max(part, 0.0) for part in linear_from_oklch(self._lch)])
        self._tell(lch=not in_hsv)

    def _tell(self, *, lch: bool = False) -> None:
        """Tell the colour; `lch`: lightness, chroma and hue are what was set, and are not to be worked out from it."""
        self._shown = self.value()
        self.hex.setModified(False)
        self._refresh(lch=lch)
        self.changed.emit(self._shown)

    def _refresh(self, *, lch: bool = False) -> None:
        self.alpha_slider.show_value(self.alpha)
        self.strength.show_value(self.stops)
        self.strength_field.show_value(round(self.stops, 2))
        if not lch:
            self._lch = oklch_from_linear(self._base())
        numbers = ((self.hsv, (self.hue * 360, self.saturation, self.brightness), HSV), (self.oklch, self._lch, OKLCH))
        for fields, parts, words in numbers:
            for field, part, (_, high, _unit) in zip(fields, parts, words, strict=True):
                field.show_value(round(part, 1 if high > 1 else 3))
        if not self.hex.isModified():
            self.hex.setText(colour_to_hex((*self._base(), self.alpha)))
        self.field.update()
        self.strip.update()

    def _typed(self) -> None:
        if self.hex.isModified():
            self.hex.setModified(False)
            try:
                value = colour_from_hex(self.hex.text())
            except BadValue:
                self._refresh()
                return
            strength = 2.0**self.stops
            red, green, blue = (part * strength for part in value[:3])
            self._show_base(list(value[:3]))
            says_alpha = len(self.hex.text().strip().removeprefix("#")) in (4, 8)
            self.alpha = value[3] if self.with_alpha and says_alpha else self.alpha
            self._shown = (red, green, blue, self.alpha)
            self._refresh()
            self.changed.emit(self._shown)

    def _drop(self, start: Callable[[Callable[[Linear], None]], None]) -> None:
        self.hide()
        start(self.take)

    def _numbers(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        for row, (name, fields, words) in enumerate((("HSV", self.hsv, HSV), ("OKLCH", self.oklch, OKLCH))):
            label = quiet_label(name)
            grid.addWidget(label, row, 0)
            for column, (field, (called, _, _)) in enumerate(zip(fields, words, strict=True)):
                field.setAccessibleName(f"{name} {called}")
                field.setToolTip(tip(called.capitalize()))
                grid.addWidget(field, row, column + 1)
        return grid

    def _row(self, named: tuple[str, QWidget], *others: QWidget, visible: bool) -> QWidget:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        label = plain_label(named[0])
        label.setMinimumWidth(52)
        row.addWidget(label)
        row.addWidget(named[1], 1)
        for other in others:
            row.addWidget(other)
        line.setVisible(visible)
        return line


class _Field(QWidget):
    """Saturation across, value up, at the picker's hue."""

    def __init__(self, picker: ColourPicker) -> None:
        super().__init__(picker)
        self.picker = picker
        self.setFixedSize(264, 150)
        self.setCursor(Qt.CursorShape.CrossCursor)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        across = QLinearGradient(0, 0, self.width(), 0)
        across.setColorAt(0, QColor("white"))
        across.setColorAt(1, QColor.fromHsvF(self.picker.hue, 1, 1))
        painter.fillRect(self.rect(), across)
        down = QLinearGradient(0, 0, 0, self.height())
        down.setColorAt(0, QColor(0, 0, 0, 0))
        down.setColorAt(1, QColor("black"))
        painter.fillRect(self.rect(), down)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        at = QPointF(self.picker.saturation * self.width(), (1 - self.picker.brightness) * self.height())
        painter.setPen(QPen(QColor("black"), 3))
        painter.drawEllipse(at, 6, 6)
        painter.setPen(QPen(QColor("white"), 1.5))
        painter.drawEllipse(at, 6, 6)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = event.position()
        self.picker._set(saturation=place.x() / self.width(), brightness=1 - place.y() / self.height())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self.mousePressEvent(event)


class _HueStrip(QWidget):
    def __init__(self, picker: ColourPicker) -> None:
        super().__init__(picker)
        self.picker = picker
        self.setFixedSize(264, 18)
        hues = QImage(360, 1, QImage.Format.Format_RGB32)
        for degree in range(360):
            hues.setPixelColor(degree, 0, QColor.fromHsv(degree, 255, 255))
        self.hues = hues

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawImage(self.rect(), self.hues)
        at = self.picker.hue * self.width()
        painter.setPen(QPen(QColor("black"), 4))
        painter.drawLine(QPointF(at, 0), QPointF(at, self.height()))
        painter.setPen(QPen(QColor("white"), 2))
        painter.drawLine(QPointF(at, 0), QPointF(at, self.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.picker._set(hue=event.position().x() / self.width())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self.mousePressEvent(event)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: ColourPicker((0.05, 0.2, 0.6, 1.0), hdr=True))
