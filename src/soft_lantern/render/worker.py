"""Draws on a thread of its own. Only the newest job counts: one that was not begun when the next arrived is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from soft_lantern.errors import LanternError
from soft_lantern.render.choose import renderer_for
from soft_lantern.render.frame import Frame, Picture

MakeFrame = Callable[[], Frame]
Deliver = Callable[[Picture], None]
Complain = Callable[[str], None]


@dataclass(frozen=True, slots=True)
class Job:
    """A frame to make and draw, and who gets the picture or the words for what went wrong, on the worker's thread."""

    make_frame: MakeFrame
    deliver: Deliver
    complain: Complain


class RenderWorker:
    """The thread that owns the renderer."""

    def __init__(self, backend: str | None = None) -> None:
        self.remark = ""
        self.device = ""
        self.compiled = 0
        self._backend = backend
        self._waiting: dict[str, Job] = {}
        self._changed = threading.Condition()
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name="stage", daemon=True)
        self._thread.start()

    def submit(self, place: str, job: Job) -> None:
        """Draw a job; it takes the place of the one still waiting for the same `place`, such as a desk's stage."""
        with self._changed:
            self._waiting[place] = job
            self._changed.notify()

    def stop(self) -> None:
        """Forget what waits and end the thread."""
        with self._changed:
            self._stopping = True
            self._waiting.clear()
            self._changed.notify()
        self._thread.join(timeout=10)

    def _run(self) -> None:
        renderer, self.remark = renderer_for(self._backend)
        self.device = renderer.device
        while True:
            with self._changed:
                while not self._waiting and not self._stopping:
                    self._changed.wait()
                if self._stopping:
                    return
                job = self._waiting.pop(next(iter(self._waiting)))
            try:
                picture = renderer.render(job.make_frame())
                self.compiled = renderer.compiled
                job.deliver(picture)
            except LanternError as error:
                job.complain(str(error))
            except Exception as error:  # the thread must outlive any one picture
                job.complain(f"the stage could not be drawn: {type(error).__name__}: {error}")
