"""Keeps unsaved work beside the project while it is edited, and offers what an earlier window left there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.background import Background
from soft_lantern.app.work.timers import single_shot
from soft_lantern.errors import LanternError
from soft_lantern.formats.project_folder import OnDisk
from soft_lantern.formats.recovery import State, UnsavedWork, left_behind, put_by
from soft_lantern.graph.document import Project

DELAY = 1500
"""Milliseconds from the first edit that is not kept until it is."""


class Unsaved(QObject):
    """`failed` tells, once, that work cannot be kept. `state` gives the project and what is on disk of it."""

    failed = pyqtSignal(str)

    def __init__(
        self, folder: Path, background: Background, state: Callable[[], tuple[Project, OnDisk]], parent: QObject
    ) -> None:
        super().__init__(parent)
        self._background, self._now = background, state
        self._work = UnsavedWork(folder)
        self._timer = single_shot(self, DELAY, self._keep)
        self._complained = False
        self.left = left_behind(folder)

    def edited(self) -> None:
        """There is an edit to keep. Those that follow soon are kept with it, and do not put it off."""
        if not self._timer.isActive():
            self._timer.start()

    def keep_now(self) -> None:
        """Keep everything at once, on this thread. Raises LanternError where no disk takes it."""
        self._timer.stop()
        self._work.keep(*self._now())

    def settle(self) -> None:
        """What was kept is saved, or let go by the person: put it among the earlier states."""
        self._timer.stop()
        work = self._work
        self._background.submit(work.put_by)

    def answered(self, state: State) -> None:
        """The person has taken up or dropped what an earlier window left."""
        self.left = [each for each in self.left if each is not state]
        put_by(state.file)

    def end(self) -> None:
        """The window goes; what is kept stays for the next one."""
        self._timer.stop()
        work = self._work
        self._background.submit(work.end)

    def _keep(self) -> None:
        work, (project, on_disk) = self._work, self._now()
        self._background.work_out(lambda: work.keep(project, on_disk), self._kept, self._not_kept)

    def _kept(self, _: None) -> None:
        self._complained = False

    def _not_kept(self, text: str) -> None:
        if not self._complained:
            self._complained = True
            self.failed.emit(f"Unsaved work cannot be kept for recovery: {text}")


def keep_or_say(unsaved: Unsaved) -> str:
    """Keep everything at once; what is wrong where that cannot be, else nothing."""
    try:
        unsaved.keep_now()
    except LanternError as error:
        return str(error)
    return ""
