"""Long work that goes on: what is being done, how far it is, and a way to stop it."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QToolButton, QWidget

from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.work.tasks import Task
from soft_lantern.app.work.timers import single_shot

SHOWN_AFTER = 300
"""Milliseconds before work shows itself: what is done by then was no wait."""


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
            # A bar that may paint does so at once, and with it all of the window that is not painted yet.
            self.bar.setUpdatesEnabled(False)
            self.bar.setValue(round(self.tasks[-1].share * 1000))
            self.bar.setUpdatesEnabled(True)

    def _cancel(self) -> None:
        if self.tasks:
            self.tasks[-1].cancel()
            self.words.setText("Stopping…")
