"""A swatch that opens a colour picker: a field of saturation and value, a strip of hue, alpha, and sRGB hex."""

from __future__ import annotations

import colorsys

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.slider import Slider
from soft_lantern.errors import BadValue
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, linear_to_srgb, srgb_to_linear

Linear = tuple[float, ...]


class ColourButton(QWidget):
    """Shows a linear RGBA colour as a swatch and its hex; press to pick another."""

    changed = pyqtSignal(tuple)

    def __init__(self, value: Linear = (0.5, 0.5, 0.5, 1.0), parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.value = value
        self.setMinimumSize(QSize(96, 24))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.picker: ColourPicker | None = None

    def show_value(self, value: Linear) -> None:
        """Show a value without telling anyone."""
        if self.picker and self.picker.isVisible():
            self.picker.show_value(value)
        if value != self.value:
            self.value = value
            self.update()

    def open_picker(self) -> None:
        """Open the picker below the swatch."""
        if self.picker is None:
            self.picker = ColourPicker(self.value, self)
            self.picker.changed.connect(self._picked)
        self.picker.show_value(self.value)
        self.picker.open_at(self.mapToGlobal(QPoint(0, self.height() + 2)))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.open_picker()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open_picker()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        now = theme()
        painter.setPen(QPen(now.colour("amber" if self.hasFocus() else "edge"), 1))
        painter.setBrush(screen_colour(self.value))
        painter.drawRoundedRect(QRectF(0.5, 2.5, 34, self.height() - 5), 4, 4)
        painter.setPen(now.colour("text"))
        painter.drawText(
            QRectF(42, 0, self.width() - 42, self.height()), Qt.AlignmentFlag.AlignVCenter, colour_to_hex(self.value)
        )

    def _picked(self, value: Linear) -> None:
        self.value = value
        self.update()
        self.changed.emit(value)


class ColourPicker(QFrame):
    """The picker itself: a popup that tells every colour on the way."""

    changed = pyqtSignal(tuple)

    def __init__(self, value: Linear, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("picker")
        self.hue, self.saturation, self.brightness, self.alpha = 0.0, 0.0, 0.0, 1.0
        self.field = _Field(self)
        self.strip = _HueStrip(self)
        self.alpha_slider = Slider(0, 1, 1)
        self.hex = QLineEdit()
        self.hex.setMaximumWidth(96)
        self.hex.setPlaceholderText("#rrggbb")
        self.hex.setAccessibleName("hex colour")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.addWidget(self.field)
        layout.addWidget(self.strip)
        row = QHBoxLayout()
        row.addWidget(QLabel("alpha"))
        row.addWidget(self.alpha_slider, 1)
        row.addWidget(self.hex)
        layout.addLayout(row)
        self.alpha_slider.changed.connect(lambda a: self._set(alpha=a))
        self.hex.returnPressed.connect(self._typed)
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
        self.show()
        self.hex.setFocus()
        self.hex.selectAll()

    def show_value(self, value: Linear) -> None:
        """Show a colour; hue and saturation stay where they are when the colour no longer tells them."""
        rgb = [linear_to_srgb(min(max(c, 0.0), 1.0)) for c in value[:3]]
        hue, saturation, brightness = colorsys.rgb_to_hsv(*rgb)
        if brightness > 0:
            self.saturation = saturation
            if saturation > 0:
                self.hue = hue
        self.brightness = brightness
        self.alpha = value[3] if len(value) > 3 else 1.0
        self.alpha_slider.show_value(self.alpha)
        if not self.hex.isModified():
            self.hex.setText(colour_to_hex(value))
        self.field.update()
        self.strip.update()

    def value(self) -> Linear:
        """The colour picked, linear RGBA."""
        red, green, blue = colorsys.hsv_to_rgb(self.hue, self.saturation, self.brightness)
        return (srgb_to_linear(red), srgb_to_linear(green), srgb_to_linear(blue), self.alpha)

    def _set(self, **parts: float) -> None:
        for name, part in parts.items():
            setattr(self, name, min(max(part, 0.0), 1.0))
        self.hex.setModified(False)
        self.hex.setText(colour_to_hex(self.value()))
        self.field.update()
        self.strip.update()
        self.changed.emit(self.value())

    def _typed(self) -> None:
        if self.hex.isModified():
            self.hex.setModified(False)
            try:
                value = colour_from_hex(self.hex.text())
            except BadValue:
                self.hex.setText(colour_to_hex(self.value()))
                return
            self.show_value(value)
            self.changed.emit(value)


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


def screen_colour(value: Linear) -> QColor:
    """A linear colour as the screen shows it, without its alpha."""
    red, green, blue = (linear_to_srgb(min(max(c, 0.0), 1.0)) for c in value[:3])
    return QColor.fromRgbF(red, green, blue)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(ColourButton)
