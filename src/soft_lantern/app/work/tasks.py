"""Long work as the window knows it: what is being done, how far it is, and whether it is to stop."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.beside import reply_to
from soft_lantern.errors import Cancelled


class TaskProgress:
    """How far a piece of work is, for the thread that does it: called from there, and no part of the window."""

    def __init__(self, words: str, tell: Callable[[float, str], None]) -> None:
        self.words = words
        self.stopped = threading.Event()
        self._tell, self._told = tell, 0.0

    def __call__(self, share: float, words: str) -> None:
        """Take note of the share that is done, 0–1, and what is being done. Raises Cancelled."""
        if self.stopped.is_set():
            raise Cancelled(f"{self.words} was cancelled; nothing was changed")
        self.words = words or self.words
        now = time.monotonic()
        if now - self._told > 0.05:
            self._told = now
            self._tell(share, self.words)


class Task(QObject):
    """One piece of long work, as the window knows it. `progress` is what the work itself gets to call."""

    moved = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, words: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.words, self.share = words, 0.0
        self.done = False
        self.progress = TaskProgress(words, reply_to(self, self._move))

    def cancel(self) -> None:
        """Ask it to stop at its next step."""
        self.progress.stopped.set()

    def _move(self, share: float, words: str) -> None:
        self.share, self.words = share, words
        self.moved.emit()

    def end(self) -> None:
        """Say that it is over, one way or the other. On the window's thread."""
        if not self.done:
            self.done = True
            self.ended.emit()
