"""Questions worked out beside the window, of which only the newest counts."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.render.worker import Newest


class Asking(QObject):
    """`answered` hands on what the work came to, `failed` why it could not be done; both on the window's thread.

    Connect them to methods of widgets: a plain function would be called on the other thread.
    """

    answered = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._newest = Newest(name)

    def ask(self, work: Callable[[], object]) -> None:
        """Work something out; what is asked and not yet begun is dropped for it."""
        self._newest.submit("question", lambda: self.answered.emit(work()), self.failed.emit)

    def stop(self, *, wait: bool = True) -> None:
        """Ask nothing more; without `wait`, what is being worked out ends in its own time."""
        self._newest.stop(wait=wait)
