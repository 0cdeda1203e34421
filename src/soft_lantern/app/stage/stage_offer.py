"""A sentence over the stage with a button that mends what it says."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QWidget

from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import plain_label

MARGIN = 10


class StageOffer(QFrame):
    """Lies over a stage, at its top, while there is something to offer."""

    def __init__(self, stage: QWidget) -> None:
        super().__init__(stage)
        self.setObjectName("offer")
        self.setAutoFillBackground(True)
        self._call: Callable[[], object] = lambda: None
        self.words = plain_label()
        self.button = tool_button("", lambda: self._call())
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 6, 6)
        row.addWidget(self.words)
        row.addWidget(self.button)
        self.hide()

    def offer(self, words: str, mend: str, call: Callable[[], object]) -> None:
        """Say something, with a button of some name that does something about it."""
        self.words.setText(words)
        self.button.setText(mend)
        self._call = call
        self.adjustSize()
        self.move(MARGIN, MARGIN)
        self.show()
        self.raise_()
