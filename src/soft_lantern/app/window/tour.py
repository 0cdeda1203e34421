"""Ten minutes: a strip across the real window that asks for real work, and goes on as soon as it is done."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from soft_lantern.app.theme.remembered import remembered, remembered_number
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.window.tour_steps import STEPS
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.timers import single_shot
from soft_lantern.formats.records import HEAD

LOOKED = 250
"""Milliseconds between two looks at whether a step is done."""
PRAISED = 1200
"""Milliseconds that a step stays on the screen after it."""


class Tour(QFrame):
    """Watches a window and never stops its work; `ended` tells that it is over or was left.

    Left halfway, it goes on where it was.
    """

    ended = pyqtSignal()

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.window_ = window
        self.setProperty("banner", True)
        self.setAccessibleName("tour")
        self.at = int(remembered_number("tour/step", 0, 0, len(STEPS) - 1))
        remembered().setValue("tour/folder", str(window.session.folder))
        self.begun = window.session.project
        self.head, self.words = plain_label(), plain_label()
        self.head.setFont(app_font(11, bold=True))
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.skip = tool_button("Skip", self.go_on)
        self.back = tool_button("Back", lambda: self._show(self.at - 1))
        self.leave = tool_button("Leave the tour", self._leave)
        for button in (self.skip, self.back, self.leave):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keyboard where the work is
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 12, 8)
        said = QVBoxLayout()
        said.setSpacing(2)
        said.addWidget(self.head)
        said.addWidget(self.words)
        row.addLayout(said, 1)
        for button in (self.back, self.skip, self.leave):
            row.addWidget(button)
        self._praise = single_shot(self, PRAISED, self.go_on)
        self._look = QTimer(self)
        self._look.setInterval(LOOKED)
        self._look.timeout.connect(self.look)
        self._show(self.at)
        self._look.start()

    def look(self) -> None:
        """See whether the step is done, and say so."""
        step = STEPS[self.at]
        if self._praise.isActive() or not self.isVisible() or not step.is_done(self.window_, self.begun):
            return
        self.head.setText(f"✓ {step.title}: done")
        self._praise.start()

    def go_on(self) -> None:
        """Show the next step, or the end."""
        self._praise.stop()
        if self.at + 1 < len(STEPS):
            self._show(self.at + 1)
            return
        remembered().remove("tour")
        self._look.stop()
        self.head.setText("That was it")
        self.words.setText(
            "A graph, its numbers, two looks, a delivery. F1 finds every action by name, and the start page has six "
            "graphs to begin with."
        )
        self.skip.hide()
        self.back.hide()
        self.leave.setText("Close")

    def _show(self, at: int) -> None:
        self.at = max(at, 0)
        self.begun = self.window_.session.project
        remembered().setValue("tour/step", self.at)
        step = STEPS[self.at]
        self.head.setText(f"{self.at + 1} of {len(STEPS)}  ·  {step.title}")
        self.words.setText(step.words)
        self.back.setEnabled(self.at > 0)

    def _leave(self) -> None:
        self._look.stop()
        self._praise.stop()
        self.hide()
        self.ended.emit()


def begun_in() -> Path | None:
    """The folder of a tour that was left halfway, if it is still there."""
    folder = str(remembered().value("tour/folder", ""))
    return Path(folder) if folder and (Path(folder) / HEAD).is_file() else None


def attach(window: MainWindow) -> Tour:
    """The tour across a window, under its header."""
    tour = Tour(window)
    middle = window.centralWidget()
    column = middle.layout() if middle else None
    assert isinstance(column, QVBoxLayout)
    column.insertWidget(1, tour)
    tour.show()
    return tour
