"""Work on threads of their own where only the newest counts: a job not begun when the next arrives is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.render.choose import renderer_for
from soft_lantern.render.frame import Frame, Picture, Renderer

Complain = Callable[[str], None]


class Newest:
    """A thread that does the newest job for each place, such as a desk's stage; at its end it does `finish`."""

    def __init__(self, name: str, finish: Callable[[], None] | None = None) -> None:
        self._finish = finish
        self._waiting: dict[str, tuple[Callable[[], None], Complain]] = {}
        self._changed = threading.Condition()
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def submit(self, place: str, work: Callable[[], None], complain: Complain) -> None:
        """Do the work; it takes the place of what still waits there. What goes wrong is told in words."""
        with self._changed:
            self._waiting[place] = (work, complain)
            self._changed.notify()

    def stop(self, *, wait: bool = True) -> None:
        """Forget what waits and end the thread, after what it is at; without `wait`, in its own time."""
        with self._changed:
            self._stopping = True
            self._waiting.clear()
            self._changed.notify()
        if wait:
            self._thread.join(timeout=10)

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._waiting and not self._stopping:
                    self._changed.wait()
                if self._stopping:
                    break
                work, complain = self._waiting.pop(next(iter(self._waiting)))
            try:
                work()
            except LanternError as error:
                complain(str(error))
            except Exception as error:  # the thread must outlive any one job
                complain(f"this could not be worked out: {type(error).__name__}: {error}")
        if self._finish:
            self._finish()


@dataclass(frozen=True, slots=True)
class Job:
    """A frame to make and draw, and who gets the picture or the words for what went wrong, on the worker's thread."""

    make_frame: Callable[[], Frame]
    deliver: Callable[[Picture], None]
    complain: Complain


class RenderWorker:
    """The thread that owns the renderer."""

    def __init__(self, backend: str | None = None) -> None:
        self.remark = ""
        self.device = ""
        self.compiled = 0
        self._newest = Newest("stage", self._give_up)
        self._backend = backend
        self._local = threading.local()

    def submit(self, place: str, job: Job) -> None:
        """Draw a job; it takes the place of the one still waiting for the same `place`."""
        self._newest.submit(place, lambda: self._draw(job), job.complain)

    def stop(self) -> None:
        """Forget what waits and end the thread."""
        self._newest.stop()

    def _draw(self, job: Job) -> None:
        frame = job.make_frame()
        try:
            picture = self._renderer().render(frame)
        except NoGraphics as error:
            picture = self._again(frame, error)
        self.compiled = self._renderer().compiled
        job.deliver(picture)

    def _renderer(self) -> Renderer:
        if not hasattr(self._local, "renderer"):
            self._local.renderer, self.remark = renderer_for(self._backend)
            self.device = self._local.renderer.device
        found: Renderer = self._local.renderer
        return found

    def _give_up(self) -> None:
        """Give back what the renderer of this thread holds."""
        if hasattr(self._local, "renderer"):
            self._local.renderer.release()
            del self._local.renderer

    def _again(self, frame: Frame, error: NoGraphics) -> Picture:
        """The picture by a renderer made anew; where that fails too, NumPy draws from now on."""
        self._give_up()
        try:
            return self._renderer().render(frame)
        except NoGraphics:
            self._backend = "soft"
            self._give_up()
            picture = self._renderer().render(frame)
            self.remark = f"{error}; the slower NumPy renderer draws the stage"
            return picture
