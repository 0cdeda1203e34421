"""A swatch with its hex that opens the colour picker; a colour may be dragged from one onto another."""

from __future__ import annotations

import json
import math

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, is_hex_colour, srgb_to_linear

Linear = tuple[float, ...]
COLOUR_DRAG = "application/x-soft-lantern-colour"
"""Linear RGBA as a JSON list: exact, where a screen colour is not."""


class ColourButton(QAbstractButton):
    """Shows a linear RGBA colour as a swatch and its hex; press to pick another, drag it onto another control.

    `alpha` and `hdr`: whether the picker offers alpha, and strength above white.
    """

    changed = pyqtSignal(tuple)

    def __init__(
        self,
        value: Linear = (0.5, 0.5, 0.5, 1.0),
        parent: QWidget | None = None,
        *,
        alpha: bool = True,
        hdr: bool = False,
    ) -> None:
        super().__init__(parent)
        self.value, self.alpha, self.hdr, self.mixed = value, alpha, hdr, False
        self._pressed: QPointF | None = None
        self.setMinimumSize(QSize(106, 24))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)  # as high as its row
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(True)
        self.picker: ColourPicker | None = None
        self.setAccessibleName("colour")
        self.clicked.connect(lambda _: self.open_picker())  # by a screen reader: hands and keys have ways of their own
        self._say()

    def show_value(self, value: Linear) -> None:
        """Show a value without telling anyone."""
        if self.picker and self.picker.isVisible():
            self.picker.show_value(value)
        if value != self.value or self.mixed:
            self.value, self.mixed = value, False
            self._say()

    def show_mixed(self) -> None:
        """Show that several colours are meant that differ."""
        self.mixed = True
        self._say()

    def open_picker(self, at: QPoint | None = None) -> None:
        """Open the picker below the swatch, or at a place of the screen."""
        if self.picker is None:
            window = self.window()
            self.picker = ColourPicker(
                self.value,
                self,
                alpha=self.alpha,
                hdr=self.hdr,
                swatches=getattr(window, "swatches", None),
                droppers=getattr(window, "droppers", None),
            )
            self.picker.changed.connect(self._picked)
        self.picker.show_value(self.value)
        self.picker.open_at(at or self.mapToGlobal(QPoint(0, self.height() + 2)))

    def words(self) -> str:
        """The colour as text: hex, with its strength where it is brighter than white."""
        brightest = max(self.value[:3])
        if self.mixed:
            return "mixed"
        if brightest <= 1.0:
            return colour_to_hex(self.value)
        base = (*(part / brightest for part in self.value[:3]), *self.value[3:])
        return f"{colour_to_hex(base)} +{math.log2(brightest):.1f}"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and self._pressed is not None and (event.position() - self._pressed).manhattanLength() > 8:
            self._pressed = None
            self._drag()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, self._pressed = self._pressed, None
        if pressed is not None and self.rect().contains(event.position().toPoint()):
            self.open_picker()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open_picker()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event and dragged_colour(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        found = dragged_colour(event.mimeData()) if event else None
        if event and found and event.source() is not self:
            event.acceptProposedAction()
            red, green, blue = (part if self.hdr else min(part, 1.0) for part in found[:3])
            self._picked((red, green, blue, found[3] if self.alpha else self.value[3]))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        now = theme()
        box = QRectF(0.5, 2.5, 34, self.height() - 5)
        painter.setPen(QPen(now.colour("amber" if self.hasFocus() else "edge"), 1))
        painter.setBrush(now.colour("surround"))
        painter.drawRoundedRect(box, 4, 4)
        if not self.mixed:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(screen_colour(self.value))
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 2, 2)
        painter.setPen(now.colour("text" if self.isEnabled() else "quiet"))
        place = QRectF(42, 0, self.width() - 42, self.height())
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, self.words())

    def _drag(self) -> None:
        data = QMimeData()
        data.setData(COLOUR_DRAG, json.dumps(self.value).encode())
        data.setColorData(screen_colour(self.value))
        data.setText(colour_to_hex(self.value))
        square = QPixmap(22, 22)
        square.fill(screen_colour(self.value))
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.setPixmap(square)
        drag.exec(Qt.DropAction.CopyAction)

    def _picked(self, value: Linear) -> None:
        self.value, self.mixed = value, False
        self._say()
        self.changed.emit(value)

    def _say(self) -> None:
        describe(self, self.words())
        self.update()


def dragged_colour(data: QMimeData | None) -> Linear | None:
    """The linear RGBA colour that is dragged, from here or from another program, if one is."""
    if data is None:
        return None
    if data.hasFormat(COLOUR_DRAG):
        return tuple(json.loads(bytes(data.data(COLOUR_DRAG).data())))
    if is_hex_colour(data.text()):
        return colour_from_hex(data.text())
    if data.hasColor():
        red, green, blue, alpha = data.colorData().getRgbF()
        return (*(srgb_to_linear(float(part or 0.0)) for part in (red, green, blue)), float(alpha or 0.0))
    return None


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: ColourButton(hdr=True))
