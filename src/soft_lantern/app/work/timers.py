"""Timers that wait for quiet."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


def single_shot(parent: QObject, delay: int, call: Callable[[], object]) -> QTimer:
    """A timer that calls once, `delay` milliseconds after it was last started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(delay)
    timer.timeout.connect(call)
    return timer
