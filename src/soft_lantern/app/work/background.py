"""Work beside the window: files read and written one after another, and long work that shows and can be cancelled."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.beside import reply_to
from soft_lantern.app.work.mishaps import outcome
from soft_lantern.app.work.tasks import Task
from soft_lantern.progress import Progress

T = TypeVar("T")
Run = Callable[[Callable[[], None]], object]
"""What runs work on a thread."""


class Background(QObject):
    """`started` tells of long work as a Task, `failed` a sentence on what could not be done."""

    started = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(1, "files")
        self._tasks: list[Task] = []

    def submit(self, work: Callable[[], object]) -> Future[None] | None:
        """Do short work on files, after what waits already. It holds no QObject, and tells by a `reply_to`."""
        complain = reply_to(self, self.failed.emit)

        def run() -> None:
            _, trouble = outcome(work, "work on files")
            if trouble:
                complain(trouble)

        with contextlib.suppress(RuntimeError):  # closing
            return self._pool.submit(run)
        return None

    def work_out(
        self, work: Callable[[], T], take: Callable[[T], object], failed: Callable[[str], object] | None = None
    ) -> None:
        """Do short work on files, then take what it gives; `failed` hears what was wrong with it, in words."""
        taken, complain = reply_to(self, take), reply_to(self, failed or self.failed.emit)

        def run() -> None:
            found, trouble = outcome(work, "work on files")
            if trouble:
                complain(trouble)
            else:
                taken(found)

        self.submit(run)

    def begin(
        self, words: str, work: Callable[[Progress], T], take: Callable[[T], object], run: Run | None = None
    ) -> Task:
        """Do long work, then take what it gives; where it fails, `failed` says why.

        `run`: what runs it, if not a thread of its own.
        """
        task = Task(words, self)
        self.started.emit(task)
        self._tasks.append(task)

        def over(found: T | None, trouble: str) -> None:
            task.end()
            self._tasks.remove(task)
            task.deleteLater()
            if trouble:
                self.failed.emit(trouble)
            else:
                take(found)  # type: ignore[arg-type]

        progress, told = task.progress, reply_to(self, over)

        (run or _on_its_own_thread)(lambda: told(*outcome(lambda: work(progress), words)))
        return task

    @property
    def busy(self) -> bool:
        """Whether long work is under way."""
        return bool(self._tasks)

    def stop(self) -> None:
        """Cancel long work, and wait for what is at the files."""
        for task in self._tasks:
            task.cancel()
        self._pool.shutdown(wait=True, cancel_futures=False)


def _on_its_own_thread(work: Callable[[], None]) -> None:
    threading.Thread(target=work, name="long work", daemon=True).start()
