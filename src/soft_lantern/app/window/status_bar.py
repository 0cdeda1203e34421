"""The window's status bar: the last sentence, long work, what draws, and the count of notices."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStatusBar, QToolButton, QWidget

from soft_lantern.app.widgets.labels import ElidedLabel, quiet_label
from soft_lantern.app.window.task_bar import TaskBar
from soft_lantern.graph.notice import notices_in_words


class StatusBar(QStatusBar):
    """Shows what it is told."""

    notices_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizeGripEnabled(False)
        self.setContentsMargins(10, 0, 10, 0)  # as the header
        self.message = ElidedLabel()
        self.notice_button = QToolButton()
        self.notice_button.setText(notices_in_words([]))
        self.notice_button.clicked.connect(lambda _: self.notices_wanted.emit())
        self.notice_button.setAccessibleName("notices")
        self.renderer_label = quiet_label()
        self.task_bar = TaskBar()
        self.addWidget(self.message, 1)
        for widget in (self.task_bar, self.renderer_label, self.notice_button):
            self.addPermanentWidget(widget)
