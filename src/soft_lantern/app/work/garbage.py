"""Collects Python's cyclic garbage on the window's thread only.

Widgets end up in reference cycles; freed by the collector on a drawing or file thread they would take Qt down.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

PAUSE = 1500


class GarbageCollector(QObject):
    """Switches automatic collection off and collects now and then from the event loop it lives in."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._collect)
        self._timer.start(PAUSE)

    def _collect(self) -> None:
        counts, limits = gc.get_count(), gc.get_threshold()
        for generation in (2, 1, 0):
            if counts[generation] > limits[generation]:
                gc.collect(generation)
                return
