"""The clock: play, freeze, step, scrub, speed and loop length."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.slider import Slider

BEAT = 33
STEP = 1 / 30


class ClockBar(QWidget):
    """Tells the time in seconds by `ticked`; starts frozen at 0."""

    ticked = pyqtSignal(float)
    loop_changed = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.time, self.loop, self.speed = 0.0, 8.0, 1.0
        self.play = self._button("Play", "Let the clock run, or freeze it")
        self.play.setCheckable(True)
        self.play.toggled.connect(self._run)
        self.step = self._button("Step", "A thirtieth of a second on")
        self.step.clicked.connect(lambda: self.go_to(self.time + STEP))
        self.scrub = Slider(0, self.loop, 0)
        self.scrub.setAccessibleName("time")
        self.scrub.changed.connect(self.go_to)
        self.shown = plain_label("0.00 s")
        self.shown.setMinimumWidth(46)
        self.speed_field = NumberField(1.0, -8, 8, 0.1, "×")
        self.speed_field.setToolTip("Speed")
        self.speed_field.setAccessibleName("speed")
        self.speed_field.setFixedWidth(62)
        self.speed_field.changed.connect(lambda speed: setattr(self, "speed", speed))
        self.loop_field = NumberField(self.loop, 0.1, 600, 0.5, "s")
        self.loop_field.setToolTip("Length of the loop")
        self.loop_field.setAccessibleName("loop length")
        self.loop_field.setFixedWidth(66)
        self.loop_field.changed.connect(self._set_loop)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for widget in (self.play, self.step, self.scrub, self.shown, self.speed_field, self.loop_field):
            row.addWidget(widget, 1 if widget is self.scrub else 0)
        self._timer = QTimer(self)
        self._timer.setInterval(BEAT)
        self._timer.timeout.connect(self._beat)
        self._last = 0.0

    def go_to(self, seconds: float) -> None:
        """Set the clock, within the loop."""
        self.time = seconds % self.loop
        self.scrub.show_value(self.time)
        self.shown.setText(f"{self.time:.2f} s")
        self.ticked.emit(self.time)

    def _run(self, on: bool) -> None:
        self.play.setText("Freeze" if on else "Play")
        self._last = time.monotonic()
        if on:
            self._timer.start()
        else:
            self._timer.stop()

    def _beat(self) -> None:
        now = time.monotonic()
        passed, self._last = now - self._last, now
        self.go_to(self.time + passed * self.speed)

    def _set_loop(self, seconds: float) -> None:
        self.loop_changed.emit(seconds)
        self.loop = seconds
        self.scrub.high = seconds
        self.go_to(self.time)

    def _button(self, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        return button


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(ClockBar)
