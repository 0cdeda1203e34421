"""Small pictures of looks, drawn one after another beside the window."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.pixel_image import opaque_image
from soft_lantern.app.work.beside import reply_to
from soft_lantern.contact_sheet import sheet
from soft_lantern.graph.document import Asset, Project, Scene, StageObject, View, changed
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.render.frame import Frame, Pixels
from soft_lantern.render.staging import LoweredMaterials, frame_of
from soft_lantern.render.worker import Job, Keeping, RenderWorker
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import camera_for

EVEN = "studio soft"
"""The sky under which things are easily told apart, whatever the scene's own."""
BALL = Asset(id="portrait_ball", name="Ball", primitive="sphere", subdivision=48)
"""What a look is shown on that nothing wears."""
_BALL_MODEL = primitive("sphere", 48)


class Miniatures(QObject):
    """A queue of pictures by key; asking again for a key takes the place of what waits for it.

    `arrived` tells a key and its picture, `failed` a key whose picture could not be drawn.
    """

    arrived = pyqtSignal(object, object)
    failed = pyqtSignal(object)

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QObject | None = None) -> None:
        """`place`: a name for the worker that no other queue has."""
        super().__init__(parent)
        self.session, self.worker, self.place = session, worker, place
        self._lowered_materials = LoweredMaterials()
        self._waiting: dict[object, Callable[[], Frame]] = {}
        self._busy = False
        self._round = 0

    @property
    def settled(self) -> bool:
        """Whether nothing waits and nothing is being drawn."""
        return not self._busy and not self._waiting

    def forget(self) -> None:
        """Give up all that waits."""
        self._waiting.clear()
        self._round += 1

    def want(
        self, key: object, project: Project, look_id: str, side: int, view: View | None = None, sky: str = ""
    ) -> None:
        """Have a look drawn on the asset that wears it, under a sky by its name; "" is the stage's."""
        session = self.session
        asset = shown_on(session, project, look_id)
        models: dict[str, Model] = {**session.models, BALL.id: _BALL_MODEL}
        project = changed(project, assets={**project.assets, asset.id: asset})
        sky = sky or (session.scene.environment.sky if session.scene else EVEN)
        cell = sheet.Cell(look_id, asset.id, sky, ("", ""))
        make = sheet.frame_maker(
            project, cell, models, (side, side), self._lowered_materials, dict(session.images), view
        )
        self._waiting[key] = lambda: plain(make())
        self._next()

    def want_object(self, key: object, project: Project, thing: StageObject, side: int) -> None:
        """Have an object drawn alone in what it wears, under an even sky."""
        session = self.session
        models = {thing.asset: session.models[thing.asset]}
        make = sheet.alone(project, thing, EVEN, models, (side, side), self._lowered_materials, dict(session.images))
        self._waiting[key] = lambda: plain(make())
        self._next()

    def want_scene(self, key: object, project: Project, scene: Scene, side: int) -> None:
        """Have a scene drawn as its camera sees it; what has not been read yet is left out."""
        models, images = dict(self.session.models), dict(self.session.images)
        scene = changed(scene, objects=tuple(thing for thing in scene.objects if thing.asset in models))
        camera, lowered = camera_for(scene.view, (side, side)), self._lowered_materials
        self._waiting[key] = lambda: plain(
            frame_of(project, scene, models, camera, (side, side), sheet.OPTIONS, lowered, images=images)
        )
        self._next()

    def drop(self, key: object) -> None:
        """Give up one that waits."""
        self._waiting.pop(key, None)

    def hurry(self, keys: Iterable[object]) -> None:
        """Draw those that wait among some before all others."""
        ahead = {key: self._waiting[key] for key in keys if key in self._waiting}
        self._waiting = ahead | self._waiting

    def _next(self) -> None:
        if self._busy or not self._waiting:
            return
        key = next(iter(self._waiting))
        make, now = self._waiting.pop(key), self._round
        self._busy = True
        drawn = reply_to(self, lambda pixels: self._take(key, pixels, now))
        keeping = Keeping(f"{self.place} {key}", show=drawn)
        self.worker.submit(self.place, Job(make, lambda picture: drawn(picture.pixels), lambda _: drawn(None), keeping))

    def _take(self, key: object, pixels: Pixels | None, asked: int) -> None:
        self._busy = False
        if asked == self._round:
            if pixels is None:
                self.failed.emit(key)
            else:
                self.arrived.emit(key, opaque_image(pixels))
        self._next()


def pictured_by(project: Project, look_id: str) -> str:
    """The look whose picture stands for a look, or the first of a pick; "" where there is none."""
    held = project.picks[look_id].looks[:1] if look_id in project.picks else (look_id,)
    return held[0] if held and (held[0] in project.instances or held[0] in project.materials) else ""


def plain(frame: Frame) -> Frame:
    """Without shadows and glow, which hardly show on a small picture and take longest; the programs stay the same."""
    items = tuple(replace(item, receives_shadow=False) for item in frame.items)
    return replace(frame, items=items, shadow=None, glow=0.0)


def shown_on(session: Session, project: Project, look_id: str) -> Asset:
    """The asset of the first object on the stage that wears the look, or one of its family; else a ball.

    What wears it as a whole comes before what wears it in one part.
    """
    scene = project.scenes.get(session.scene_id)
    things = [t for t in (scene.objects if scene else ()) if t.asset in session.models]
    _, material = ancestry(project, look_id)

    def wears(thing: StageObject, part: str, *, exactly: bool) -> bool:
        has = worn(project, thing, part)
        return has == look_id if exactly else bool(has) and ancestry(project, has)[1] is material

    for whole in (True, False):
        for exactly in (True, False):
            for thing in things:
                if any(wears(thing, part, exactly=exactly) for part in ([""] if whole else thing.wears)):
                    return project.assets.get(thing.asset, BALL)
    return BALL
