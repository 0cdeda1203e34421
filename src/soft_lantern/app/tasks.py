"""Long work as people see it: what is being done, how far it is, and a way to stop it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QToolButton, QWidget

from soft_lantern.app.beside import reply_to
from soft_lantern.app.timers import single_shot
from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.errors import Cancelled

SHOWN_AFTER = 300
"""Milliseconds before work shows itself: what is done by then was no wait."""


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

    @property
    def cancelled(self) -> bool:
        """Whether it was asked to stop."""
        return self.progress.stopped.is_set()

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


class TaskBar(QWidget):
    """Shows the newest task that is not over, once it has taken a while."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.words = plain_label()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setFixedWidth(120)
        self.bar.setTextVisible(False)
        self.cancel_button = QToolButton()
        self.cancel_button.setText("Cancel")
        self.cancel_button.clicked.connect(self._cancel)
        for widget in (self.words, self.bar, self.cancel_button):
            row.addWidget(widget)
        self.tasks: list[Task] = []
        self._late = single_shot(self, SHOWN_AFTER, self._show)
        self.hide()

    def watch(self, task: Task) -> None:
        """Show a task until it is over."""
        self.tasks.append(task)
        task.moved.connect(self._show_share)
        task.ended.connect(lambda: self._over(task))
        self._late.start()

    def _over(self, task: Task) -> None:
        self.tasks.remove(task)
        if not self.tasks:
            self._late.stop()
            self.hide()

    def _show(self) -> None:
        if self.tasks:
            self._show_share()
            self.show()

    def _show_share(self) -> None:
        if self.tasks:
            self.words.setText(self.tasks[-1].words)
            self.bar.setValue(round(self.tasks[-1].share * 1000))

    def _cancel(self) -> None:
        if self.tasks:
            self.tasks[-1].cancel()
            self.words.setText("Stopping…")
