"""The live pictures of one stage: asked for as things change, drawn beside the window, kept until the next one."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from soft_lantern.app.pictures.first_sight import FirstSight
from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.pictures.pace import Pace
from soft_lantern.app.pictures.sight import Sight
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.pixel_image import opaque_image
from soft_lantern.app.work.beside import reply_to
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import Project, Scene
from soft_lantern.graph.instances.picks import wearing, worn
from soft_lantern.render.card import card_frame
from soft_lantern.render.frame import Frame, LinearPixels, Picture, Pixels
from soft_lantern.render.frame_cost import cost_in_words
from soft_lantern.render.staging import LoweredMaterials, frame_of
from soft_lantern.render.worker import Job, RenderWorker

LATE = 400
"""Milliseconds after which a picture is said to be waited for."""
SAMPLES = 4
"""Squared, the places looked at for each pixel of a still picture."""


class ScenePictures(QObject):
    """The newest picture is `image`, and `linear` the same before display. `place` names who asks, for the worker."""

    arrived = pyqtSignal(object)
    """The picture, as `render.frame.Picture`."""
    found = pyqtSignal()
    """`image` is a picture of how things are that was kept when the stage was last open; it is still to be drawn."""
    wanted = pyqtSignal()
    """None was found, or the one that was has been seen: now one is to be asked for."""
    failed = pyqtSignal(str)
    """What went wrong with a picture."""
    late = pyqtSignal()
    """The next picture takes a while, such as where programs are compiled."""

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.worker, self.place = session, worker, place
        self.image = QImage()
        self.linear: LinearPixels | None = None
        self.figures: list[str] = []
        self.frames_drawn = 0
        self.samples = SAMPLES
        """Those of a still picture; 0 is one that is not smoothed."""
        self.still = False
        """Whether the picture is one of full quality, of how things are now."""
        self.pace = Pace()
        self._asked = 0
        self._looked = self._looking = False
        self._found: FirstSight | None = None
        """What `image` is of, as long as it is one that was found."""
        self._drawn: tuple[FirstSight, Pixels] | None = None
        """The newest picture of full quality, and what it is of."""
        self._lowered_materials = LoweredMaterials()
        self.waiting = False
        """Whether the next picture has been waited for long enough to say so."""
        self._late = single_shot(self, LATE, self._fall_behind)

    @property
    def scene(self) -> Scene | None:
        """The scene on the stage."""
        return self.session.scene

    @property
    def is_found(self) -> bool:
        """Whether `image` is one that was kept, of how things will be once all is read."""
        return self._found is not None

    def outdate(self) -> None:
        """How things are now is not what was asked for last: another picture will be."""
        self._asked += 1
        self.still = False

    def waits(self, sight: Sight, size: tuple[int, int]) -> bool:
        """Whether no picture is to be asked for yet: before the first, one that was kept is looked for.

        Nothing else is begun until that is seen, so that it is seen at once: then one is `wanted`. And as long as it
        is of how things will be when all is read, nothing less is drawn.
        """
        if self._looked and self._found is None:
            return self._looking
        seen = self._first_sight(sight, size)
        if not self._looked:
            self._looked = self._looking = True
            self.worker.look_back(self.place, seen.word, reply_to(self, lambda pixels: self._show_found(pixels, seen)))
        found = self._found is not None and self._found.is_that_of(seen)
        return self._looking or (found and not self.session.files.all_read)

    def be_seen(self) -> None:
        """What there is has been painted."""
        if self._looking and self._found:
            self._looking = False
            self.wanted.emit()

    def keep(self) -> None:
        """Let the next start find what is shown now."""
        if self.still and self._drawn and self.session.files.all_read:
            seen, pixels = self._drawn
            self.worker.keep(self.place, seen.word, pixels)

    def _first_sight(self, sight: Sight, size: tuple[int, int]) -> FirstSight:
        session, on_card = self.session, self.look_on_card(sight) if sight.card else ""
        return FirstSight(session.project, session.folder, session.scene_id, session.view, sight, on_card, size)

    def request(
        self, sight: Sight, size: tuple[int, int], *, still: bool, figures: bool
    ) -> tuple[tuple[int, int], bool]:
        """Ask for a picture at a size in pixels, or drawn smaller while hands move.

        The size it is drawn at, and whether it is as fine as a still one: of full size, and smoothed if that would be.
        """
        share, shown_at = 1.0 if still or sight.card else self.pace.share, size
        smoothed = self.samples and self.worker.smooths and not sight.card
        fine = still or (share == 1.0 and not smoothed)
        size = (max(round(size[0] * share), 8), max(round(size[1] * share), 8))
        asked, seen, read = self._asked, self._first_sight(sight, shown_at), self.session.files.all_read
        make = self.frame_maker(sight, size, self.samples if still else 0, shown_at=shown_at)
        costs: list[str] = []
        pace, moving = self.pace, not still and not sight.card
        arrived, failed = reply_to(self, self._take), reply_to(self, self._fail)

        def made() -> Frame:
            frame = make()
            if figures:
                costs[:] = cost_in_words(frame)
            return frame

        def deliver(picture: Picture) -> None:
            if moving:
                pace.drawn(share, picture.seconds)
            arrived(picture, asked if fine else 0, costs, seen, read)

        self.worker.submit(self.place, Job(made, deliver, failed))
        if not self._late.isActive() and not self.waiting:
            self._late.start()
        return size, fine

    def _show_found(self, pixels: Pixels | None, seen: FirstSight) -> None:
        if pixels is None:
            self._looking = False
            self.wanted.emit()
        else:
            self.image, self._found = opaque_image(pixels), seen
            self.found.emit()

    def _fail(self, text: str) -> None:
        self._late.stop()
        self.waiting = False
        self.failed.emit(text)

    def _fall_behind(self) -> None:
        self.waiting = True
        self.late.emit()

    def frame_maker(
        self,
        sight: Sight,
        size: tuple[int, int],
        samples: int,
        project: Project | None = None,
        *,
        shown_at: tuple[int, int] = (0, 0),
    ) -> Callable[[], Frame]:
        """What makes the frame of how things are now, or would be in another project, on any thread.

        `size` and `shown_at`: as frames have them.
        """
        project = project or self.session.project
        scene = project.scenes.get(self.session.scene_id) or self.scene
        assert scene
        models, images = dict(self.session.models), dict(self.session.images)
        options, looks, at = sight.options, self._lowered_materials, sight.time
        if sight.card:
            card, look_id = sight.card, self.look_on_card(sight)
            environment = scene.environment
            return lambda: card_frame(project, look_id, card, size, options, looks, environment, at, images)
        tried = wearing(project, scene, "", sight.tried) if sight.tried else project
        shown, camera = tried.scenes[scene.id], Lens(self.session.view, size).camera
        light = self.session.files.light_of(scene.id)

        def made() -> Frame:
            lit = light.now(tried, shown, models, images, looks) if light else None
            frame = frame_of(tried, shown, models, camera, size, options, looks, at, samples, images, lit)
            return replace(frame, shown_at=shown_at)

        return made

    def look_on_card(self, sight: Sight) -> str:
        """What the card wears: what is tuned or selected, or the open material."""
        thing = self.scene.object(sight.selected) if self.scene and sight.selected else None
        return (
            sight.on_card
            or sight.tried
            or (worn(self.session.project, thing) if thing else "")
            or self.session.material_id
        )

    def _take(self, picture: Picture, still_of: int, figures: list[str], seen: FirstSight, read: bool) -> None:
        """`seen`: what it is of; `read`: whether all files were there for it."""
        self._late.stop()
        self.waiting = False
        height, width = picture.linear.shape[:2]
        self.still = still_of == self._asked
        if not (self._found and self._found.is_that_of(seen)) or (still_of and read):
            self.image, self._found = opaque_image(picture.pixels), None  # what was found was finer than others of it
        if self.still:
            self._drawn = (seen, picture.pixels)
        self.linear = picture.linear
        self.figures = [f"{picture.seconds * 1000:.0f} ms at {width} × {height}", *figures]
        self.frames_drawn += 1
        self.arrived.emit(picture)
