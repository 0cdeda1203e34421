"""A number to type, scrub or step; shown with tabular figures and its unit."""

from __future__ import annotations

import contextlib
import functools
import math

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from soft_lantern.app.theme.remembered import remembered, remembered_number
from soft_lantern.errors import BadValue
from soft_lantern.nodes.formula import number_of


class NumberField(QLineEdit):
    """A number within limits. Drag sideways to scrub (Shift finer, Ctrl coarser), arrow keys step, Return sets.

    What is typed may be arithmetic: `1/3`, `* 2` of the present number. `whole` keeps it to whole numbers. `changed`
    tells the value a person wants; call `show_value` to show what it became.
    """

    changed = pyqtSignal(float)

    def __init__(
        self,
        value: float = 0.0,
        low: float | None = None,
        high: float | None = None,
        step: float | None = None,
        unit: str = "",
        parent: QWidget | None = None,
        *,
        whole: bool = False,
    ) -> None:
        super().__init__(parent)
        self.value, self.low, self.high, self.unit, self.whole = value, low, high, unit, whole
        self.step = step or (1.0 if whole else _natural_step(low, high))
        self.mixed = False
        self._pressed: QPointF | None = None
        self._scrubbing = False
        self._start = value
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        # A press must not take the focus by itself: it may become a scrub. The release gives it.
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMinimumWidth(62)
        self.editingFinished.connect(self._typed)
        self.show_value(value)

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self.value, self.mixed = value, False
        shown = f"{value:.0f}".replace("-", "−") if self.whole and math.isfinite(value) else written(value)
        self._show_text(shown + (f" {self.unit}" if self.unit else ""))

    def show_mixed(self) -> None:
        """Show that several values are meant that differ; what is typed then becomes the value of all."""
        self.mixed = True
        self._show_text("mixed")

    def _show_text(self, text: str) -> None:
        if text != self.text() and not (self.hasFocus() and self.isModified()):
            self.setText(text)
            self.setCursorPosition(0)
            self.setModified(False)

    def want(self, value: float) -> None:
        """Ask for a value, held to the limits."""
        if not math.isfinite(value):
            return
        if self.whole:
            value = float(round(value))
        if self.low is not None:
            value = max(value, self.low)
        if self.high is not None:
            value = min(value, self.high)
        self.setModified(False)
        if value != self.value or self.mixed:
            self.show_value(value)
            self.changed.emit(value)

    def _typed(self) -> None:
        if not self.isModified():
            return
        text = self.text().strip().removesuffix(self.unit).strip()
        self.setModified(False)
        if text != "mixed":
            with contextlib.suppress(BadValue):
                self.want(number_of(text, self.value))
        if self.mixed:
            self.show_mixed()
        else:
            self.show_value(self.value)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and not self.hasFocus():
            self._pressed, self._start, self._scrubbing = event.position(), self.value, False
            event.accept()
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed is None:
            super().mouseMoveEvent(event)
            return
        moved = event.position().x() - self._pressed.x()
        if abs(moved) > 4 or self._scrubbing:
            self._scrubbing = True
            self.setCursor(Qt.CursorShape.SizeHorCursor)
            pace = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            pace *= 10.0 if event.modifiers() & Qt.KeyboardModifier.ControlModifier else 1.0
            self.want(round((self._start + moved * self.step * pace * 0.5) / (self.step * 0.1)) * self.step * 0.1)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed is not None and not self._scrubbing:
            self.setFocus(Qt.FocusReason.MouseFocusReason)
            self.selectAll()
        elif self._pressed is None:
            super().mouseReleaseEvent(event)
        self._pressed = None
        self.unsetCursor()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        sign = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if sign:
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.want(self.value + sign * self.step * fine)
        elif event.key() == Qt.Key.Key_Escape:
            self.setModified(False)
            self.show_value(self.value)
            self.clearFocus()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if self.hasFocus():
            self.want(self.value + math.copysign(self.step, event.angleDelta().y()))
            event.accept()
        else:
            event.ignore()


MOST_DECIMALS = 4


@functools.cache
def decimals() -> int:
    """How many decimals numbers have at most, as a person chose."""
    return int(remembered_number("decimals", MOST_DECIMALS, 2, 6))


def choose_decimals(count: int) -> None:
    """Let numbers have so many at most; each field follows when it shows another number."""
    remembered().setValue("decimals", count)
    decimals.cache_clear()


def written(value: float) -> str:
    """A number as people read it: few decimals, a true minus sign, no needless zeros beyond two."""
    places = decimals()
    if not math.isfinite(value):
        return "not a number" if math.isnan(value) else ("∞" if value > 0 else "−∞")
    text = f"{value:.6g}" if value and not 10.0**-places <= abs(value) < 1e6 else f"{value:.{places}f}".rstrip("0")
    if "." in text and "e" not in text:
        whole, _, fraction = text.partition(".")
        text = f"{whole}.{fraction.ljust(2, '0')}"
    return text.replace("-", "−")


def _natural_step(low: float | None, high: float | None) -> float:
    if low is None or high is None or high <= low:
        return 0.1
    return float(10.0 ** math.floor(math.log10((high - low) / 20)))


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(lambda: NumberField(0.5, 0, 1, unit="m"))
