"""The left side of the Dress desk: what stands in the scene, and the looks it may wear, with pictures of both."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QShowEvent
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from soft_lantern.app.desks.dress.look_shelf import LookShelf
from soft_lantern.app.desks.dress.object_list import ObjectList, ObjectRow
from soft_lantern.app.pictures.miniatures import EVEN, Miniatures, pictured_by
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import heading_label
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import StageObject
from soft_lantern.graph.instances.picks import all_wear, wearables
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.scenes import changed_object
from soft_lantern.render.worker import RenderWorker
from soft_lantern.scene.placing import put_before

SIDE = 64
REST = 500
"""Milliseconds without an edit after which pictures are drawn anew."""


class ScenePanel(QWidget):
    """`selected` tells the object in hand and all that are selected; `menu_wanted` where a menu for them is to open."""

    selected = pyqtSignal(str, list)
    menu_wanted = pyqtSignal(object)
    wear_wanted = pyqtSignal(str)
    """What is selected is to wear a look."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.objects, self.looks = ObjectList(), LookShelf()
        self.current = ""
        self._keys: dict[str, object] = {}
        """What each object's picture, by its id, rests on."""
        self._drawn: dict[object, QImage] = {}
        self._about: tuple[object, ...] = ()
        self._objects = Miniatures(session, worker, "dress objects", self)
        self._objects.arrived.connect(self._take)
        self._looks = Miniatures(session, worker, "dress looks", self)
        self._looks.arrived.connect(self.looks.show_picture)
        self._rest = single_shot(self, REST, self._draw)
        upper, lower = QWidget(), QWidget()
        for half, words, held in ((upper, "Objects", self.objects), (lower, "Looks", self.looks)):
            column = QVBoxLayout(half)
            column.setContentsMargins(0, 0, 0, 0)
            column.addWidget(heading_label(words))
            column.addWidget(held, 1)
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.setChildrenCollapsible(False)
        halves.addWidget(upper)
        halves.addWidget(lower)
        halves.setSizes([400, 260])
        outside = QVBoxLayout(self)
        outside.setContentsMargins(10, 10, 4, 10)
        outside.addWidget(halves)
        self.objects.chosen.connect(self.selected)
        self.objects.rename_wanted.connect(self._rename)
        self.objects.menu_wanted.connect(self.menu_wanted)
        self.objects.tree.moved.connect(self._move)
        self.objects.tree.look_dropped.connect(self._drop_look)
        self.looks.wear_wanted.connect(self.wear_wanted)
        self.looks.wanting.connect(self._draw_looks)

    def show_scene(self, current: str, also: Sequence[str]) -> None:
        """Show the scene's objects, with one in hand and others selected with it, and the project's looks."""
        self.current, scene = current, self.session.scene
        things = scene.objects if scene else ()
        self.objects.show_objects([ObjectRow(each.id, each.name, each.group) for each in things], current, also)
        self.looks.show_looks(wearables(self.session.project))
        self._rest.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._rest.start()

    def _draw(self) -> None:
        """Have pictures drawn of what looks otherwise than they show."""
        if not self.isVisible():
            return
        session, project = self.session, self.session.project
        scene = session.scene
        for thing in scene.objects if scene else ():
            if thing.asset not in session.models:
                continue
            key = self._key(thing)
            if self._keys.get(thing.id) == key:
                continue
            self._keys[thing.id] = key
            if key in self._drawn:
                self.objects.show_picture(thing.id, self._drawn[key])
            else:
                self._objects.want_object(key, project, thing, SIDE)
        about = project.materials, project.instances, project.textures, session.scene_id
        if [id(each) for each in about] != [id(each) for each in self._about]:
            self._about = about
            self.looks.forget_pictures()

    def _key(self, thing: StageObject) -> object:
        """All that a picture of an object rests on: those of equal keys are one."""
        project = self.session.project
        worn = []
        for part, look_id in sorted(thing.wears.items()):
            found = look(project, look_id)
            worn.append((part, look_id, id(found.material), tuple(sorted(found.values.items()))) if found else (part,))
        return thing.asset, id(self.session.models[thing.asset]), tuple(worn), thing.hidden, thing.scale

    def _take(self, key: object, image: QImage) -> None:
        if len(self._drawn) > 500:
            self._drawn.clear()
        self._drawn[key] = image
        for object_id, wanted in self._keys.items():
            if wanted == key:
                self.objects.show_picture(object_id, image)

    def _draw_looks(self, look_ids: list[str]) -> None:
        project = self.session.project
        for look_id in look_ids:
            shown = pictured_by(project, look_id)
            if shown:
                self._looks.want(look_id, project, shown, SIDE, sky=EVEN)

    def _rename(self, object_id: str, name: str) -> None:
        self.session.edit_scene("Rename object", lambda scene: changed_object(scene, object_id, {"name": name}))

    def _move(self, ids: list[str], before: str, group: str) -> None:
        self.session.edit_scene("Order objects", lambda scene: put_before(scene, ids, before, group))

    def _drop_look(self, object_id: str, look_id: str) -> None:
        selected = self.objects.tree.selected
        ids = selected if object_id in selected else [object_id]
        self.session.edit_scene("Dress", lambda scene: all_wear(scene, ids, look_id))
