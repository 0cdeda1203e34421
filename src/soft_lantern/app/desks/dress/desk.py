"""The Dress desk: the scene's objects, what their parts wear and cut out, and the light on them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import reduce
from typing import Any

import numpy as np
from PyQt6.QtGui import QHideEvent, QPainter, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QSpinBox,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.command import Command, through
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.dress.baking import LIGHT, Baking
from soft_lantern.app.desks.dress.choosing import CHOOSING
from soft_lantern.app.desks.dress.light_panel import LightPanel
from soft_lantern.app.desks.dress.paint_page import PaintPage
from soft_lantern.app.desks.dress.painting import PAINTING
from soft_lantern.app.desks.dress.scene_panel import ScenePanel
from soft_lantern.app.desks.places import Places
from soft_lantern.app.panels.environment_panel import EnvironmentPanel
from soft_lantern.app.panels.object_commands import OBJECTS
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.app.panels.parts_table import PartsTable
from soft_lantern.app.pictures.look_choice import choose_worn
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.overlay import paint_pin
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.focus import enter
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import heading_label, plain_label, tip
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.app.work.mishaps import each_by_itself
from soft_lantern.graph.document import Asset, StageObject, changed, with_records
from soft_lantern.graph.instances.picks import all_wear
from soft_lantern.graph.scenes import changed_object
from soft_lantern.render.worker import RenderWorker
from soft_lantern.scene.primitives import FINEST

TASKS = ("Place", "Paint", "Light", "Bake")
"""What the right column may be for; nothing else is in the way."""
MOST_REFINED = 5
PRIMITIVE_DETAIL = "How finely the primitive is divided"
TEXELS = "Texels of its light map a metre, where it takes baked light; 0: as many as the scene says"
FILE_DETAIL = "How often each triangle is cut in four, for the stage alone; the file stays as it is"


class DressDesk(Desk):
    """Where the scene is put together and lit."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.stage = StageView(session, worker, "dress")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.things = ScenePanel(session, worker)
        self.panel = ObjectPanel(session, with_parts=False)
        self.parts = PartsTable(session)
        self.light = EnvironmentPanel(session)
        self.paint = PaintPage(session, self.stage, self._painted)
        self.emitted = LightPanel()
        self.baking = Baking(session, self.emitted, self._painted)
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("tasks")
        self.casts, self.receives = QCheckBox("casts a shadow"), QCheckBox("receives shadows")
        self.detail = QSpinBox()
        self.detail.setAccessibleName("detail")
        self.detail_label = heading_label("Detail")
        self.texels = NumberField(0.0, 0.0, 512.0, 1.0, "/m")
        self.texels.setAccessibleName("texels of the light map")
        self.texels.setToolTip(TEXELS)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        stage = with_bar(self.stage, self.stage_bar)
        layout.addWidget(halves((self.things, 210), (stage, 690), (self._right(), 400), stretch={1: 1}))
        self._filling, self._scene = False, ""
        self.things.selected.connect(lambda object_id, ids: self.select(object_id, also=ids))
        self.things.menu_wanted.connect(lambda at: self.panel.arranging.menu(self).popup(at))
        self.things.wear_wanted.connect(self._wear)
        self.things.objects.tree.delete_wanted.connect(self.panel.arranging.delete)
        self.panel.arranging.chosen.connect(lambda ids: self.select(ids[0], also=ids))
        self.stage.picking.picked.connect(self.select)
        self.stage.picking.added.connect(self._add)
        self.stage.modes.over.append(self._paint_also)
        self.panel.selected.connect(self.select)
        self.parts.part_chosen.connect(lambda part: self._mark(self.stage.modes.sight.selected, part))
        self.parts.look_wanted.connect(lambda part, at: choose_worn(session, self.parts.object_id, part, self, at))
        self.tabs.currentChanged.connect(self._went_to)
        self.emitted.chosen.connect(self.select)
        self.emitted.shown_wanted.connect(self._show_light)
        self.casts.clicked.connect(lambda on: self._set("Set shadow", casts_shadow=on))
        self.receives.clicked.connect(lambda on: self._set("Set shadow", receives_shadow=on))
        self.detail.valueChanged.connect(self._set_detail)
        self.texels.changed.connect(lambda value: self._set("Set texels", texels=value))
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        each_by_itself(self.refresh)

    def select(self, object_id: str, part: str = "", also: Sequence[str] = ()) -> None:
        """Select an object of the scene, one of its parts, and others with it."""
        others = tuple(each for each in also if each != object_id)
        self._mark(object_id, part, others)
        self.panel.show_object(object_id, part, others)
        self.parts.show_object(object_id, part)
        self.refresh()

    @property
    def in_hand(self) -> str:
        thing = self.session.scene.object(self.panel.object_id) if self.session.scene else None
        return thing.asset if thing else self.session.scene_id

    def show_record(self, record_id: str, part: str = "") -> None:
        self.session.open_scene(record_id)
        if part:
            self.select(part)

    def show_object(self, object_id: str) -> bool:
        self.panel.selected.emit(object_id)
        return True

    def where(self) -> dict[str, object]:
        return {"thing": self.panel.object_id}

    def come_back(self, was: Places) -> None:
        if self.session.scene and self.session.scene.object(was.thing):
            self.select(was.thing)

    def _add(self, object_id: str) -> None:
        """An object joins what is selected, as the one in hand, or leaves it."""
        held = self.panel.held()
        if object_id in held:
            rest = [each for each in held if each != object_id]
            self.select(rest[0] if rest else "", also=rest)
        elif object_id:
            self.select(object_id, also=held)

    def _mark(self, object_id: str, part: str, also: tuple[str, ...] = ()) -> None:
        self.stage.modes.select(object_id, part, also)
        self._show_task()
        self.stage.update()

    def _paint_also(self, painter: QPainter) -> None:
        for object_id in self.stage.modes.also:
            thing = self.session.scene.object(object_id) if self.session.scene else None
            if thing and self.stage.lens.in_front(np.array(thing.position)):
                paint_pin(painter, self.stage.lens.place(np.array(thing.position)))

    def _wear(self, look_id: str) -> None:
        """Let what is selected wear a look: one part, or objects as a whole."""
        held, part = self.panel.held(), self.stage.modes.sight.part
        if len(held) == 1 and part:
            self.session.dress_part(held[0], part, look_id)
        elif held:
            self.session.edit_scene("Dress", lambda scene: all_wear(scene, held, look_id))

    def refresh(self) -> None:
        """Show how things are."""
        self._filling = True
        scene, sight = self.session.scene, self.stage.modes.sight
        if scene and self._scene != scene.id and self.isVisible():  # it opens on something, never on an empty form
            self._scene = scene.id
            if scene.objects and not scene.object(sight.selected):
                self.select(scene.objects[0].id)
                return
        there = {each.id for each in (scene.objects if scene else ())}
        self.things.show_scene(sight.selected, [each for each in self.stage.modes.also if each in there])
        chosen, asset = self._thing(), self._asset()
        self.texels.show_value(chosen.texels if chosen else 0.0)
        for box in (self.casts, self.receives, self.detail, self.texels):
            box.setEnabled(chosen is not None)
        self.casts.setChecked(bool(chosen and chosen.casts_shadow))
        self.receives.setChecked(bool(chosen and chosen.receives_shadow))
        primitive = bool(asset and asset.primitive)
        low, high = (1, FINEST) if primitive else (0, MOST_REFINED)
        value = (asset.subdivision if primitive else asset.refine) if asset else 0
        if (self.detail.minimum(), self.detail.maximum(), self.detail.value()) != (low, high, value):
            self.detail.setRange(low, high)
            self.detail.setValue(value)
            self.detail.setToolTip(tip(PRIMITIVE_DETAIL if primitive else FILE_DETAIL))
        self._show_task()
        self._filling = False

    def _show_task(self) -> None:
        """Show what the task that is seen is about."""
        task = TASKS[self.tabs.currentIndex()]
        if task == "Bake":
            self.baking.refresh()
        elif task == "Paint":
            self.paint.show_part()

    def _went_to(self, tab: int) -> None:
        sight, thing = self.stage.modes.sight, self._thing()
        model = self.session.models.get(thing.asset) if thing else None
        if TASKS[tab] == "Paint" and thing and model and not sight.part:  # the largest part, rather than none
            largest = max(model.parts, key=lambda part: len(part.mesh.triangles))
            self.select(thing.id, largest.name, self.stage.modes.also)
        self.paint.be_seen(TASKS[tab] == "Paint")
        self.baking.warm_up(self.isVisible() and TASKS[tab] == "Bake")
        self._show_task()

    def showEvent(self, event: QShowEvent | None) -> None:
        self._scene = ""
        self.baking.warm_up(TASKS[self.tabs.currentIndex()] == "Bake")
        super().showEvent(event)
        self.refresh()

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.baking.warm_up(False)
        super().hideEvent(event)

    def stop(self) -> None:
        """End what runs beside the window."""
        self.baking.end()
        self.paint.stop()
        super().stop()

    def _painted(self) -> tuple[str, str]:
        sight = self.stage.modes.sight
        return sight.selected, sight.part

    def _set(self, name: str, **fields: Any) -> None:
        ids = self.panel.held()
        if ids:
            self.session.edit_scene(name, lambda scene: reduce(lambda s, i: changed_object(s, i, fields), ids, scene))

    def _set_detail(self, value: int) -> None:
        asset = self._asset()
        if not self._filling and asset:
            finer = changed(asset, subdivision=value) if asset.primitive else changed(asset, refine=value)
            self.session.apply(
                f"Divide {asset.name}", lambda project: with_records(project, finer), f"detail {asset.id}"
            )

    def _thing(self) -> StageObject | None:
        scene = self.session.scene
        return scene.object(self.stage.modes.sight.selected) if scene else None

    def _asset(self) -> Asset | None:
        thing = self._thing()
        return self.session.project.assets.get(thing.asset) if thing else None

    def _right(self) -> QWidget:
        switches, fine = QHBoxLayout(), QHBoxLayout()
        for row, widgets in (
            (switches, (self.casts, self.receives)),
            (fine, (self.detail_label, self.detail, plain_label("light map texels"), self.texels)),
        ):
            for widget in widgets:
                row.addWidget(widget)
            row.addStretch(1)
        place, light, baked = (QWidget() for _ in range(3))
        for page, held in (
            (place, (self.panel, switches, fine, heading_label("Parts"), self.parts)),
            (light, (self.light,)),
            (baked, (self.emitted,)),
        ):
            column = QVBoxLayout(page)
            column.setContentsMargins(0, 8, 0, 0)
            for each in held:
                column.addLayout(each) if isinstance(each, QHBoxLayout) else column.addWidget(each)
            if page is light:
                column.addStretch(1)
        for task, shown in zip(TASKS, (place, self.paint, light, baked), strict=True):
            self.tabs.addTab(shown, task)
        panel = QWidget()
        outside = QVBoxLayout(panel)
        outside.setContentsMargins(4, 10, 10, 10)
        outside.addWidget(self.tabs)
        return panel

    def _show_light(self, key: str) -> None:
        self.stage.modes.set_options(light=key)
        light = self.session.files.light_of(self.session.scene_id)
        if key == "texels" and not (light and light.baked.maps):
            self.session.told.emit("There are no light maps yet: bake once, with few samples, to see their texels")

    def switch_light(self) -> None:
        """Show the stage without its baked light, or with it again."""
        key = "with" if self.stage.modes.sight.options.light == "without" else "without"
        self.stage.modes.set_options(light=key)
        self.emitted.show_shown(key)

    def go_to(self, task: str) -> None:
        """Show what one task needs: one of TASKS."""
        self.tabs.setCurrentIndex(TASKS.index(task))
        enter(self.tabs.currentWidget() or self.tabs)


def _task(name: str, words: str) -> Command[DressDesk]:
    return Command(words, lambda desk: desk.go_to(name), anywhere=True)


def _lists(where: str, step: int, keys: str) -> Command[DressDesk]:
    words = f"List the object {where}"
    return Command(words, lambda desk: desk.things.objects.tree.move_selected(step), keys, _no_object)


def _no_object(desk: DressDesk) -> str:
    return "" if desk.panel.object_id else "Select an object first"


DRESS_COMMANDS: dict[str, tuple[Command[DressDesk], ...]] = {
    "Objects": (
        *through(OBJECTS, lambda desk: desk.panel),
        _lists("higher", -1, "Ctrl+Alt+Up"),
        _lists("lower", 1, "Ctrl+Alt+Down"),
        _task("Place", "Place objects and dress their parts"),
        _task("Paint", "Paint colours into the mesh"),
        _task("Light", "Light the scene"),
        _task("Bake", "Bake the light that surfaces give"),
        *through(PAINTING, lambda desk: desk.paint.painting),
        *through(CHOOSING, lambda desk: desk.paint.choosing),
        *through(LIGHT, lambda desk: desk.baking),
        Command("Baked light off or on", DressDesk.switch_light, "Ctrl+Alt+B"),
    ),
    "Project": (Command("Load a panorama for the light", lambda desk: desk.light.choose_file(), anywhere=True),),
}
