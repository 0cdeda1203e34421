"""Work on threads of their own where only the newest counts: a job not begun when the next arrives is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from itertools import count

from msgspec import Struct

from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.render.choose import renderer_for
from soft_lantern.render.frame import Frame, Picture, Pixels, Renderer
from soft_lantern.render.kept_pictures import KeptPictures, name_of, name_of_start

REST, BETWEEN = 2.0, 0.01
"""Seconds without a job after which there is time for small things, and from one of them to the next."""

Complain = Callable[[str], None]
TellFound = Callable[[Pixels | None], None]


class Newest:
    """A thread that does the newest job for each place, such as a desk's stage; at its end it does `finish`.

    `spare`: done when no job has come for a while, and again as long as it says that more of it remains.
    """

    def __init__(
        self, name: str, finish: Callable[[], None] | None = None, spare: Callable[[], bool] | None = None
    ) -> None:
        self._finish, self._spare = finish, spare
        self._pause: float | None = None
        self._waiting: dict[str, tuple[Callable[[], None], Complain]] = {}
        self._at = ""
        self._changed = threading.Condition()
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def submit(self, place: str, work: Callable[[], None], complain: Complain) -> None:
        """Do the work; it takes the place of what still waits there. What goes wrong is told in words."""
        with self._changed:
            self._waiting[place] = (work, complain)
            self._changed.notify()

    def leave(self, start: str) -> None:
        """Forget what waits at places that begin so, and wait for what is being done at one of them."""
        with self._changed:
            self._waiting = {place: each for place, each in self._waiting.items() if not place.startswith(start)}
            self._changed.wait_for(lambda: not self._at.startswith(start) or not self._at, timeout=10)

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
                    if not self._changed.wait(self._pause):
                        self._waiting[""] = (self._do_spare, _not_said)
                if self._stopping:
                    break
                self._at = next(iter(self._waiting))
                work, complain = self._waiting.pop(self._at)
                self._pause = REST if self._spare else None
            try:
                work()
            except LanternError as error:
                complain(str(error))
            except Exception as error:  # the thread must outlive any one job
                complain(f"this could not be worked out: {type(error).__name__}: {error}")
            with self._changed:
                self._at = ""
                self._changed.notify_all()
        if self._finish:
            self._finish()

    def _do_spare(self) -> None:
        assert self._spare
        self._pause = BETWEEN if self._spare() else None


def _not_said(text: str) -> None:
    """What goes wrong with what nobody asked for."""


class Keeping(Struct, frozen=True):
    """That a job's picture is kept on disk: found there, it is handed over and not drawn.

    `thing`: what it is of, of which the newest picture is kept. `show`: is given one that was kept, on the thread.
    """

    thing: str
    show: Callable[[Pixels], object]


class Job(Struct, frozen=True):
    """A frame to make and draw, and who gets the picture or the words for what went wrong, on the worker's thread."""

    make_frame: Callable[[], Frame]
    deliver: Callable[[Picture], None]
    complain: Complain
    keeping: Keeping | None = None


class RenderWorker:
    """One window's way to the thread that owns the renderer; windows beside each other share it, programs and all."""

    def __init__(self, backend: str | None = None, *, beside: RenderWorker | None = None) -> None:
        self._drawing: _Drawing = beside._drawing if beside else _Drawing(backend)
        self._whose = f"{next(_NUMBERS)}:"
        self._drawing.users += 1

    @property
    def remark(self) -> str:
        """Why another renderer draws than was asked for."""
        return self._drawing.remark

    @property
    def device(self) -> str:
        """What draws, in the driver's words."""
        return self._drawing.device

    @property
    def smooths(self) -> bool:
        """Whether what draws makes edges smoother where it is asked for samples, as far as is known yet."""
        return self._drawing.smooths

    @property
    def compiled(self) -> int:
        """How many programs were built so far."""
        return self._drawing.compiled

    def submit(self, place: str, job: Job) -> None:
        """Draw a job; it takes the place of the one still waiting for the same `place`."""
        drawing = self._drawing
        drawing.newest.submit(self._whose + place, lambda: drawing.draw(job), job.complain)

    def look_back(self, place: str, word: Callable[[], str], tell: TellFound) -> None:
        """Tell, on the thread, the picture that was kept under a word for what it is made of, or that there is none."""
        drawing = self._drawing
        drawing.newest.submit(self._whose + place, lambda: drawing.look_back(word, tell), lambda _: tell(None))

    def keep(self, place: str, word: Callable[[], str], pixels: Pixels) -> None:
        """Keep the last picture of a place under such a word for the next start."""
        self._drawing.last[self._whose + place] = (word, pixels)

    def stop(self) -> None:
        """Forget what waits, after what is being drawn; the last to leave ends the thread."""
        drawing = self._drawing
        drawing.newest.leave(self._whose)
        drawing.users -= 1
        if drawing.users:
            drawing.newest.submit(f"last of {self._whose}", drawing.keep_last, _not_said)
        else:
            drawing.newest.stop()


_NUMBERS = count()


class _Drawing:
    """The thread that owns a renderer."""

    def __init__(self, backend: str | None) -> None:
        self.users = 0
        self.remark = ""
        self.device = ""
        self.smooths = True
        self.compiled = 0
        self.last: dict[str, tuple[Callable[[], str], Pixels]] = {}
        self._kept = KeptPictures()
        self.newest = Newest("stage", self._end, self._kept.write_one)
        self._backend = backend
        self._local = threading.local()

    def look_back(self, word: Callable[[], str], tell: TellFound) -> None:
        """Tell the picture under a word for what it is made of, or that there is none, on the thread."""
        tell(self._kept.find(name_of_start(word())))

    def draw(self, job: Job) -> None:
        """Make the frame and hand its picture over, on the thread."""
        frame, keeping, name = job.make_frame(), job.keeping, ""
        if keeping:
            name = name_of(frame, self._renderer())
            found = self._kept.find(name)
            if found is not None:
                keeping.show(found)
                return
        try:
            picture = self._renderer().render(frame)
        except NoGraphics as error:
            picture, name = self._again(frame, error), ""  # another renderer may have drawn it than was named
        self.compiled = self._renderer().compiled
        if keeping and name:
            self._kept.keep(keeping.thing, name, picture.pixels)
        job.deliver(picture)

    def _renderer(self) -> Renderer:
        if not hasattr(self._local, "renderer"):
            self._local.renderer, self.remark = renderer_for(self._backend)
            self.device, self.smooths = self._local.renderer.device, self._local.renderer.smooths
        found: Renderer = self._local.renderer
        return found

    def keep_last(self) -> None:
        """Keep the last pictures of windows that are gone, on the thread; nothing else of them is held."""
        while self.last:
            place, (word, pixels) = self.last.popitem()
            self._kept.keep(f"last of {place}", name_of_start(word()), pixels)

    def _end(self) -> None:
        self.keep_last()
        self._kept.write_all()
        self._give_up()

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
