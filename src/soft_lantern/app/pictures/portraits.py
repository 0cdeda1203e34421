"""Small pictures of every look on an asset that wears it, drawn beside the window and kept while nothing differs."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from soft_lantern.app.pictures.miniatures import Miniatures, shown_on
from soft_lantern.app.session.session import Session
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import Project
from soft_lantern.graph.identity import differing
from soft_lantern.graph.instances.family import descendants
from soft_lantern.graph.instances.look_tree import look_choices, look_tree_of
from soft_lantern.graph.instances.values import look
from soft_lantern.render.worker import RenderWorker

SIDE = 128
"""Pixels across a picture."""
AT_ONCE, PAUSE = 60, 30
"""Looks checked in one go, and the milliseconds before the next."""

Key = tuple[object, ...]


class Portraits(QObject):
    """Pictures by the look's id. `arrived` tells whose is new."""

    arrived = pyqtSignal(str)

    def __init__(
        self,
        session: Session,
        worker: RenderWorker,
        in_sight: Callable[[], Sequence[str]],
        parent: QObject | None = None,
    ) -> None:
        """`in_sight`: the looks that are seen now, whose pictures come before all others."""
        super().__init__(parent)
        self.session = session
        self._in_sight = in_sight
        self.images: dict[str, QImage] = {}
        self._keys: dict[str, Key] = {}
        self._asked: dict[str, Key] = {}
        self._unchecked: dict[str, None] = {}
        self._seen: tuple[Project, tuple[object, ...]] | None = None
        self._shape: object = None
        self._miniatures = Miniatures(session, worker, "portraits", self)
        self._miniatures.arrived.connect(self._take)
        self._miniatures.failed.connect(self._give_up)
        self._sift = single_shot(self, PAUSE, self._check_some)

    def refresh(self) -> None:
        """Have drawn anew whatever looks different from its picture."""
        project, before = self.session.project, self._seen
        around = (project.materials, project.scenes, project.assets, self.session.scene_id, *self._loaded())
        if before is None or [id(each) for each in around] != [id(each) for each in before[1]]:
            self._unchecked = dict.fromkeys(look_id for look_id, _ in look_choices(project))
        elif project.instances is not before[0].instances:
            self._unchecked |= dict.fromkeys(self._touched(before[0], project))
        self._seen = (project, around)
        if look_tree_of(project) is not self._shape:
            self._shape = look_tree_of(project)
            self._drop_gone()
        self._sift.start()

    def _loaded(self) -> list[object]:
        """What has been read of meshes and images, as objects."""
        return [*self.session.models.values(), *self.session.images.values()]

    def _touched(self, before: Project, project: Project) -> list[str]:
        """The instances that are others than before, and all that inherit from them."""
        other = [key for key in differing(before.instances, project.instances) if key in project.instances]
        return [each for i in other for each in (i, *(below.id for below in descendants(project, i)))]

    def _drop_gone(self) -> None:
        gone = self.images.keys() - {look_id for look_id, _ in look_choices(self.session.project)}
        for look_id in gone:
            del self.images[look_id]
            self._keys.pop(look_id, None)
            self._asked.pop(look_id, None)
            self._miniatures.drop(look_id)

    def forget(self) -> None:
        """Give up what waits to be drawn, until the next refresh asks for it again."""
        self._unchecked = {}
        self._asked.clear()
        self._miniatures.forget()

    def hurry(self) -> None:
        """Have what is seen now drawn before all else."""
        self._miniatures.hurry(self._in_sight())

    @property
    def settled(self) -> bool:
        """Whether every picture shows how things are."""
        return self._miniatures.settled and not self._unchecked

    def _check_some(self) -> None:
        """See what differs, a few at a time, so that thousands of instances do not hold the window."""
        project, seen = self.session.project, self._in_sight()
        first = [look_id for look_id in seen if look_id in self._unchecked]
        for look_id in dict.fromkeys([*first, *itertools.islice(self._unchecked, AT_ONCE)]):
            del self._unchecked[look_id]
            if look_id not in project.instances and look_id not in project.materials:
                continue
            key = self._key(project, look_id)
            if self._keys.get(look_id) == key:
                self._miniatures.drop(look_id)
                self._asked.pop(look_id, None)
            elif self._asked.get(look_id) != key:
                self._asked[look_id] = key
                self._miniatures.want(look_id, project, look_id, SIDE)
        self._miniatures.hurry(seen)
        if self._unchecked:
            self._sift.start()

    def _key(self, project: Project, look_id: str) -> Key:
        """All that a picture rests on; equal keys mean equal pictures."""
        found = look(project, look_id)
        asset = shown_on(self.session, project, look_id)
        model = self.session.models.get(asset.id)
        values = tuple(sorted(found.values.items())) if found else ()
        graph = id(found.material) if found else 0
        textures = tuple((name, id(image)) for name, image in self.session.images.items())
        sky = self.session.scene.environment.sky if self.session.scene else ""
        return (graph, values, asset, id(model), sky, textures)

    def _take(self, look_id: str, image: QImage) -> None:
        self._give_up(look_id)
        self.images[look_id] = image
        self.arrived.emit(look_id)

    def _give_up(self, look_id: str) -> None:
        """What was asked for is settled, drawn or not; one that cannot be drawn is left as it is."""
        key = self._asked.pop(look_id, None)
        if key is not None:
            self._keys[look_id] = key
