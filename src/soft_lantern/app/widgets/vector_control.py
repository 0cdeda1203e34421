"""Two, three or four numbers as one value: parts of a vector, a scale, a range, or a direction on a small globe."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.number_field import NumberField

Parts = tuple[float, ...]
NAMES = {"range": ("from", "to")}


class VectorControl(QWidget):
    """Fields for the parts. As a `use` "scale", they keep their proportions while linked; "direction" has a globe."""

    changed = pyqtSignal(object)

    def __init__(
        self,
        value: Parts,
        low: float | None = None,
        high: float | None = None,
        step: float | None = None,
        unit: str = "",
        use: str = "",
        label: str = "",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.value, self.use = value, use
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.globe: Globe | None = None
        self.link: QToolButton | None = None
        if use == "direction":
            self.globe = Globe(value)
            self.globe.setAccessibleName(f"{label} direction")
            self.globe.changed.connect(self._wanted)
            row.addWidget(self.globe)
        self.fields: list[NumberField] = []
        for place, part in enumerate(value):
            name = NAMES.get(use, ("x", "y", "z", "w"))[place]
            field = NumberField(part, low, high, step, unit)
            field.setProperty("narrow", True)
            field.setMinimumWidth(field.fontMetrics().horizontalAdvance("−0.00") + 12)
            field.setToolTip(tip(name))
            field.setAccessibleName(f"{label} {name}")
            field.changed.connect(lambda typed, place=place: self._typed(place, typed))
            self.fields.append(field)
            row.addWidget(field, 1)
        if use == "scale":
            self.link = QToolButton()
            self.link.setText("1 : 1")
            self.link.setCheckable(True)
            self.link.setChecked(True)
            self.link.setToolTip("Keep the proportions")
            self.link.setAccessibleName(f"{label} proportions")
            row.addWidget(self.link)

    def show_value(self, value: Parts) -> None:
        """Show a value without telling anyone."""
        self.value = value
        for field, part in zip(self.fields, value, strict=True):
            field.show_value(part)
        if self.globe:
            self.globe.show_value(value)

    def show_mixed(self) -> None:
        """Show that several values are meant that differ."""
        for field in self.fields:
            field.show_mixed()

    def _typed(self, place: int, typed: float) -> None:
        parts = list(self.value)
        if self.link and self.link.isChecked() and parts[place]:
            parts = [part * typed / self.value[place] for part in parts]
        parts[place] = typed
        self._wanted(tuple(parts))

    def _wanted(self, value: Parts) -> None:
        self.value = value
        self.changed.emit(value)


class Globe(QWidget):
    """A direction as a point on a ball seen from the front (x right, y up, z nearer); a hollow point lies behind.

    Drag to turn it; the wheel or Page Up and Down bring it through to the other side.
    """

    changed = pyqtSignal(object)

    def __init__(self, value: Parts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.value = value
        self.setFixedSize(QSize(36, 36))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)

    def show_value(self, value: Parts) -> None:
        """Show a direction without telling anyone."""
        if value != self.value:
            self.value = value
            self.update()

    def point_at(self, at: QPointF) -> Parts:
        """The direction of a place on the widget, on the side where the present one is."""
        radius = self.width() / 2 - 3
        x, y = (at.x() - self.width() / 2) / radius, (self.height() / 2 - at.y()) / radius
        across = math.hypot(x, y)
        if across > 1:
            return (x / across, y / across, 0.0)
        z = math.sqrt(1 - across * across)
        return (x, y, -z if self.value[2] < 0 else z)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._want(self.point_at(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self.mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        x, y, z = self.value
        if event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._want((x, y, -z))
            return
        turn = {
            Qt.Key.Key_Left: (-0.05, 0.0),
            Qt.Key.Key_Right: (0.05, 0.0),
            Qt.Key.Key_Up: (0.0, 0.05),
            Qt.Key.Key_Down: (0.0, -0.05),
        }.get(Qt.Key(event.key()))
        if turn is None:
            super().keyPressEvent(event)
            return
        x, y = x + turn[0], y + turn[1]
        length = math.sqrt(x * x + y * y + z * z) or 1.0
        self._want((x / length, y / length, z / length))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        now, middle, radius = theme(), self.width() / 2, self.width() / 2 - 3
        painter.setPen(QPen(now.colour("amber" if self.hasFocus() else "edge"), 1.5))
        painter.setBrush(now.colour("ground"))
        painter.drawEllipse(QPointF(middle, middle), radius, radius)
        painter.setPen(QPen(now.colour("edge"), 1))
        painter.drawLine(QPointF(middle - radius, middle), QPointF(middle + radius, middle))
        painter.drawLine(QPointF(middle, middle - radius), QPointF(middle, middle + radius))
        x, y, z = self.value
        at = QPointF(middle + x * radius, middle - y * radius)
        painter.setPen(QPen(now.colour("text"), 1.5))
        painter.setBrush(now.colour("text") if z >= 0 else now.colour("ground"))
        painter.drawEllipse(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7))

    def _want(self, value: Parts) -> None:
        self.show_value(value)
        self.changed.emit(value)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: VectorControl((0.0, 1.0, 0.0), use="direction"))
