"""Collects Python's cyclic garbage on the window's thread only, and gives memory back that nothing holds.

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
LARGE = 4 << 20
"""Bytes from which a block goes back to the system as soon as it is free, rather than into a heap with others."""
_MMAP_THRESHOLD = -3
"""What the GNU C library's `mallopt` calls it; left alone, it grows with every large block that is freed."""


class GarbageCollector(QObject):
    """Switches automatic collection off and collects now and then from the event loop it lives in."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        with contextlib.suppress(OSError, AttributeError):  # only the GNU C library has it
            ctypes.CDLL(None).mallopt(_MMAP_THRESHOLD, LARGE)
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
            threading.Thread(target=give_back, name="memory", daemon=True).start()


def give_back() -> None:
    """Hand memory that is free back to the system: pictures come and go by tens of megabytes."""
    with contextlib.suppress(OSError, AttributeError):  # only the GNU C library has it
        ctypes.CDLL(None).malloc_trim(0)
