"""Calls that wait: for quiet, or until all has happened that is about to."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal


def single_shot(parent: QObject, delay: int, call: Callable[[], object]) -> QTimer:
    """A timer that calls once, `delay` milliseconds after it was last started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(delay)
    timer.timeout.connect(call)
    return timer


class OnceForAll(QObject):
    """Called any number of times, it calls once, after the events that were waiting by then."""

    _wanted = pyqtSignal()

    def __init__(self, parent: QObject, call: Callable[[], object]) -> None:
        super().__init__(parent)
        self._call = call
        self._waits = False
        self._wanted.connect(self._now, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def __call__(self) -> None:
        if not self._waits:
            self._waits = True
            self._wanted.emit()

    def _now(self) -> None:
        self._waits = False
        self._call()
