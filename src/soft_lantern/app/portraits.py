"""Small pictures of every look on an asset that wears it, drawn beside the window and kept while nothing differs."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from soft_lantern import sheet
from soft_lantern.app.session import Session, look_choices
from soft_lantern.app.timers import single_shot
from soft_lantern.graph.document import Asset, Project, StageObject, changed
from soft_lantern.graph.instances import ancestry, look
from soft_lantern.graph.picks import worn
from soft_lantern.render.frame import Frame, Picture
from soft_lantern.render.staging import Looks
from soft_lantern.render.worker import Job, RenderWorker
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.primitives import primitive

SIDE = 96
"""Pixels across a picture."""
BALL = Asset(id="portrait_ball", name="Ball", primitive="sphere", subdivision=48)
"""What a look is shown on that nothing wears."""
AT_ONCE, PAUSE = 60, 30
"""Looks checked in one go, and the milliseconds before the next."""
_BALL_MODEL = primitive("sphere", 48)

Key = tuple[object, ...]


class Portraits(QObject):
    """Pictures by the look's id. `arrived` tells whose is new."""

    arrived = pyqtSignal(str)
    _drawn = pyqtSignal(str, object, object)
    _failed = pyqtSignal(str, object)

    def __init__(self, session: Session, worker: RenderWorker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker = session, worker
        self.images: dict[str, QImage] = {}
        self._keys: dict[str, Key] = {}
        self._waiting: dict[str, Key] = {}
        self._looks = Looks()
        self._unchecked: list[str] = []
        self._busy = False
        self._sift = single_shot(self, PAUSE, self._check_some)
        self._drawn.connect(self._take)
        self._failed.connect(self._give_up)

    def refresh(self) -> None:
        """Have drawn anew whatever looks different from its picture."""
        project = self.session.project
        self._unchecked = [look_id for look_id, _ in look_choices(project)]
        gone = self.images.keys() - set(self._unchecked)
        for look_id in gone:
            del self.images[look_id]
            self._keys.pop(look_id, None)
        self._waiting = {i: key for i, key in self._waiting.items() if i not in gone}
        self._sift.start()

    @property
    def settled(self) -> bool:
        """Whether every picture shows how things are."""
        return not self._busy and not self._waiting and not self._unchecked

    def _check_some(self) -> None:
        """See what differs, a few at a time, so that thousands of instances do not hold the window."""
        project = self.session.project
        some, self._unchecked = self._unchecked[:AT_ONCE], self._unchecked[AT_ONCE:]
        for look_id in some:
            key = self._key(project, look_id)
            if self._keys.get(look_id) != key:
                self._waiting[look_id] = key
            else:
                self._waiting.pop(look_id, None)
        if self._unchecked:
            self._sift.start()
        self._next()

    def _key(self, project: Project, look_id: str) -> Key:
        """All that a picture rests on; equal keys mean equal pictures."""
        found = look(project, look_id)
        asset = self._worn_on(project, look_id)
        model = self.session.models.get(asset.id)
        values = tuple(sorted(found.values.items())) if found else ()
        graph = id(found.material) if found else 0
        textures = tuple((name, id(image)) for name, image in self.session.images.items())
        return (graph, values, asset, id(model), self._sky(), textures)

    def _sky(self) -> str:
        scene = self.session.scene
        return scene.environment.sky if scene else "studio soft"

    def _worn_on(self, project: Project, look_id: str) -> Asset:
        """The asset of the first object on the stage that wears the look, or one of its family, as a whole."""
        scene = self.session.scene
        things = [t for t in (scene.objects if scene else ()) if t.asset in self.session.models]
        _, material = ancestry(project, look_id)

        def wears(thing: StageObject, exactly: bool) -> bool:
            has = worn(project, thing)
            return has == look_id if exactly else bool(has) and ancestry(project, has)[1] is material

        for exactly in (True, False):
            for thing in things:
                if wears(thing, exactly):
                    return project.assets.get(thing.asset, BALL)
        return BALL

    def _next(self) -> None:
        if self._busy or not self._waiting:
            return
        look_id, key = next(iter(self._waiting.items()))
        project, session = self.session.project, self.session
        asset = self._worn_on(project, look_id)
        models: dict[str, Model] = {**session.models, BALL.id: _BALL_MODEL}
        project = changed(project, assets={**project.assets, asset.id: asset})
        cell = sheet.Cell(look_id, asset.id, self._sky(), ("", ""))
        make = sheet.frame_maker(project, cell, models, (SIDE, SIDE), self._looks, dict(session.images))
        self._busy = True

        def plain() -> Frame:
            """Without shadows and glow, which hardly show and take longest; its programs are the stage's own."""
            frame = make()
            items = tuple(replace(item, receives_shadow=False) for item in frame.items)
            return replace(frame, items=items, shadow=None, glow=0.0)

        def deliver(picture: Picture) -> None:
            self._drawn.emit(look_id, key, picture)

        self.worker.submit("portraits", Job(plain, deliver, lambda _: self._failed.emit(look_id, key)))

    def _take(self, look_id: str, key: Key, picture: Picture) -> None:
        self._done_with(look_id, key)
        pixels = picture.pixels.tobytes()
        image = QImage(pixels, SIDE, SIDE, SIDE * 4, QImage.Format.Format_RGBX8888).copy()
        self.images[look_id] = image
        self.arrived.emit(look_id)
        self._next()

    def _give_up(self, look_id: str, key: Key) -> None:
        """Leave the one that cannot be drawn as it is, and go on."""
        self._done_with(look_id, key)
        self._next()

    def _done_with(self, look_id: str, key: Key) -> None:
        self._busy = False
        self._keys[look_id] = key
        if self._waiting.get(look_id) == key:
            del self._waiting[look_id]
