"""A slider over a range of numbers, painted as a thin scale with a lantern-shaped handle."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QAbstractSlider, QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.number_field import written

WHOLE = 1000


class Slider(QAbstractSlider):
    """Values from `low` to `high`. A press jumps there and drags on; Shift drags ten times finer.

    By `ratio`, equal ways along the slider are equal ratios; the ends must then be above 0. `step` is kept to if given.
    As Qt has it, for screen readers, it goes in whole numbers from 0 to `WHOLE`.
    """

    changed = pyqtSignal(float)

    def __init__(
        self,
        low: float,
        high: float,
        value: float,
        parent: QWidget | None = None,
        *,
        ratio: bool = False,
        step: float | None = None,
    ) -> None:
        super().__init__(parent)
        self.low, self.high, self.ratio, self.step = low, high, ratio, step
        self.value: float = value  # type: ignore[assignment]  # Qt's own is the whole number
        self.mixed = False
        self._from: tuple[float, float] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(QSize(70, 22))
        self.setRange(0, WHOLE)
        self.setValue(self._whole())
        self.valueChanged.connect(self._moved)

    def sizeHint(self) -> QSize:
        return QSize(120, 22)

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self.value, self.mixed = value, False
        self.setValue(self._whole())
        describe(self, written(value))
        self.update()

    def show_mixed(self) -> None:
        """Show no value, since several are meant that differ."""
        self.mixed = True
        describe(self, "mixed")
        self.update()

    def position_of(self, value: float) -> float:
        """Where a value stands, in widget x; one beyond the ends stands at the end."""
        return 8 + min(max(self._share(value), 0.0), 1.0) * (self.width() - 16)

    def want(self, value: float) -> None:
        """Ask for a value, held to the range and the step."""
        if self.step:
            value = self.low + round((value - self.low) / self.step) * self.step
        value = min(max(value, self.low), self.high)
        if value != self.value or self.mixed:
            self.show_value(value)
            self.changed.emit(value)

    def _whole(self) -> int:
        return round(min(max(self._share(self.value), 0.0), 1.0) * WHOLE)

    def _moved(self, whole: int) -> None:
        """Somebody else has moved it, such as a screen reader."""
        if whole != self._whole():
            self.want(self._at_share(whole / WHOLE))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """A wheel scrolls what the slider lies in."""
        if event:
            event.ignore()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            if abs(event.position().x() - self.position_of(self.value)) > 9:
                self.want(self._value_at(event.position().x()))
            self._from = (event.position().x(), self.value)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is not None:
            start, value = self._from
            pace = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            across = max(self.width() - 16, 1)
            self.want(self._at_share(self._share(value) + (event.position().x() - start) * pace / across))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = max(0.01, (self.step or 0.0) / (self.high - self.low)) if self.high > self.low else 0.01
        moves = {
            Qt.Key.Key_Right: step,
            Qt.Key.Key_Up: step,
            Qt.Key.Key_Left: -step,
            Qt.Key.Key_Down: -step,
            Qt.Key.Key_PageUp: step * 10,
            Qt.Key.Key_PageDown: -step * 10,
        }
        if event.key() in moves:
            self.want(self._at_share(self._share(self.value) + moves[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.want(self.low if event.key() == Qt.Key.Key_Home else self.high)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        now, middle = theme(), self.height() / 2
        at = self.position_of(self.value)
        painter.setPen(QPen(now.colour("edge"), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(8, middle), QPointF(self.width() - 8, middle))
        painter.setPen(QPen(now.colour("quiet"), 3, cap=Qt.PenCapStyle.RoundCap))
        if self.mixed:
            return
        painter.drawLine(QPointF(8, middle), QPointF(at, middle))
        beyond = self.value < self.low or self.value > self.high
        painter.setPen(QPen(now.colour("amber" if self.hasFocus() else "quiet"), 1.5))
        painter.setBrush(now.colour("panel" if beyond else "text"))  # hollow: the value lies beyond this end
        painter.drawRoundedRect(QRectF(at - 4, middle - 7, 8, 14), 3, 3)

    def _value_at(self, x: float) -> float:
        return self._at_share((x - 8) / max(self.width() - 16, 1))

    def _share(self, value: float) -> float:
        """How far along the slider a value stands: 0 at its low end, 1 at its high one."""
        if self.high <= self.low:
            return 0.0
        if self.ratio:
            return math.log(max(value, 1e-30) / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def _at_share(self, share: float) -> float:
        share = min(max(share, 0.0), 1.0)
        if self.ratio:
            return float(self.low * (self.high / self.low) ** share)
        return self.low + share * (self.high - self.low)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: Slider(0, 10, 4))
