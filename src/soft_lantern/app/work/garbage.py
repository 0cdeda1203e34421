"""Collects Python's cyclic garbage on the window's thread only.

Widgets end up in reference cycles; freed by the collector on a drawing or file thread they would take Qt down.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import threading
import time

from PyQt6.QtCore import QObject, QTimer

PAUSE = 1500
"""Milliseconds between two looks for garbage."""
GIVEN_BACK_EVERY = 60.0
"""Seconds between two times that memory is handed back."""


class GarbageCollector(QObject):
    """Switches automatic collection off and collects now and then from the event loop it lives in."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._given_back = time.monotonic()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._collect)
        self._timer.start(PAUSE)

    def _collect(self) -> None:
        counts, limits = gc.get_count(), gc.get_threshold()
        for generation in (2, 1, 0):
            if counts[generation] > limits[generation]:
                gc.collect(generation)
                break
        if time.monotonic() - self._given_back > GIVEN_BACK_EVERY:
            self._given_back = time.monotonic()
            threading.Thread(target=_give_back, name="memory", daemon=True).start()


def _give_back() -> None:
    """Hand memory that is free back to the system: pictures come and go by tens of megabytes."""
    with contextlib.suppress(OSError, AttributeError):  # only the GNU C library has it
        ctypes.CDLL(None).malloc_trim(0)
