"""Many pictures drawn one after the other beside the window, with progress; cancelling stops between two."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QObject

from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.work.beside import reply_to
from soft_lantern.app.work.tasks import Task
from soft_lantern.errors import LanternError
from soft_lantern.render.frame import Frame, Picture
from soft_lantern.render.worker import Job, RenderWorker


class Work(Struct, frozen=True):
    """So many pictures: what makes each frame, who takes each picture, and what is said at the end.

    `take` and `over` run beside the window and may raise LanternError; `over` is told how many were taken.
    """

    words: str
    count: int
    make: Callable[[int], Callable[[], Frame]]
    take: Callable[[int, Picture], None]
    over: Callable[[int], str]


class Batch(QObject):
    """Carries out some work. Other pictures, such as the stage's own, are drawn in between."""

    def __init__(self, session: Session, worker: RenderWorker, place: str, work: Work) -> None:
        super().__init__(session)
        self.session, self.worker, self.place, self.work = session, worker, place, work
        self.task = Task(work.words, self)
        session.task_started.emit(self.task)
        self._next(0)

    def _next(self, number: int) -> None:
        work = self.work
        try:
            self.task.progress(number / work.count, f"{work.words}, {min(number + 1, work.count)} of {work.count}")
        except LanternError:
            self._end(work.over(number))
            return
        if number == work.count:
            try:
                self._end(work.over(number))
            except LanternError as error:
                self._end(sentence(str(error)))
            return

        go_on, failed, keep = reply_to(self, self._next), reply_to(self, self._end), work.take

        def take(picture: Picture) -> None:
            try:
                keep(number, picture)
            except LanternError as error:
                failed(sentence(str(error)))
                return
            go_on(number + 1)

        self.worker.submit(self.place, Job(work.make(number), take, failed))

    def _end(self, text: str) -> None:
        self.task.end()
        self.session.told.emit(text)
        self.deleteLater()
