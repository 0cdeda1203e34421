"""Questions across the window that do not stop the work, one after another."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from soft_lantern.app.widgets.labels import plain_label

Answers = dict[str, Callable[[], object]]


class Banner(QFrame):
    """Shows the first question that is not answered, with a button for each answer."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("banner", True)
        self.words = plain_label()
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 6, 12, 6)
        self._row.addWidget(self.words, 1)
        self.buttons: dict[str, QPushButton] = {}
        self._asked: dict[str, tuple[str, Answers]] = {}
        self.hide()

    def ask(self, about: str, text: str, answers: Answers) -> None:
        """Ask something; what was asked before about the same is no longer asked, other questions stay."""
        self._asked[about] = (text, answers)
        self._show_first()

    def _show_first(self) -> None:
        for button in self.buttons.values():
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = {}
        if not self._asked:
            self.hide()
            return
        about, (text, answers) = next(iter(self._asked.items()))
        more = len(self._asked) - 1
        self.words.setText(f"{text}  (and {more} more)" if more else text)
        for name, call in answers.items():
            button = QPushButton(name)
            button.clicked.connect(lambda _, call=call, about=about: self._answered(about, call))
            self._row.addWidget(button, 0, Qt.AlignmentFlag.AlignRight)
            self.buttons[name] = button
        self.show()

    def _answered(self, about: str, call: Callable[[], object]) -> None:
        self._asked.pop(about, None)
        self._show_first()
        call()
