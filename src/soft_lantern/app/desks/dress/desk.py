"""The Dress desk: the scene's objects, what their parts wear and cut out, and the light on them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSpinBox,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.command import Command, through
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.dress.baking import LIGHT, Baking
from soft_lantern.app.desks.dress.choosing import CHOOSING, HAND, Choosing
from soft_lantern.app.desks.dress.coarse import Coarse
from soft_lantern.app.desks.dress.coarse_bar import CoarseBar
from soft_lantern.app.desks.dress.filling import Filling
from soft_lantern.app.desks.dress.layer_panel import LayerPanel
from soft_lantern.app.desks.dress.light_panel import LightPanel
from soft_lantern.app.desks.dress.paint_target import PaintTarget
from soft_lantern.app.desks.dress.painting import PAINTING, Painting
from soft_lantern.app.desks.dress.vertex_panel import VertexPanel
from soft_lantern.app.panels.environment_panel import EnvironmentPanel
from soft_lantern.app.panels.object_commands import OBJECTS
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.app.panels.parts_table import PartsTable
from soft_lantern.app.pictures.look_choice import choose_worn
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.gestures import PaintStroke
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.stage.under_pointer import ObjectHit
from soft_lantern.app.widgets.focus import enter
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import heading_label, tip
from soft_lantern.app.work.mishaps import each_by_itself
from soft_lantern.app.work.when_seen import WhenSeen
from soft_lantern.graph.document import Asset, StageObject, changed, with_records
from soft_lantern.render.worker import RenderWorker
from soft_lantern.scene.primitives import FINEST

TASKS = ("Place", "Paint", "Light", "Bake")
"""What the right column may be for; nothing else is in the way."""
MOST_REFINED = 5
PRIMITIVE_DETAIL = "How finely the primitive is divided"
FILE_DETAIL = "How often each triangle is cut in four, for the stage alone; the file stays as it is"


class DressDesk(Desk):
    """Where the scene is put together and lit."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.stage = StageView(session, worker, "dress")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.objects = QListWidget()
        self.objects.setAccessibleName("objects")
        self.panel = ObjectPanel(session, with_parts=False)
        self.parts = PartsTable(session)
        self.light = EnvironmentPanel(session)
        self.layers = LayerPanel()
        self.painting = Painting(PaintTarget(session, self._painted), self)
        self.filling = Filling(self.painting)
        self.vertices = VertexPanel()
        self.choosing = Choosing(self.painting, self.stage, self.vertices)
        self.coarse_bar = CoarseBar()
        self.coarse = Coarse(self.filling, self.choosing, self.coarse_bar)
        self.emitted = LightPanel()
        self.baking = Baking(session, self.emitted, self._painted)
        self.tabs = QTabWidget()
        self.casts, self.receives = QCheckBox("casts a shadow"), QCheckBox("receives shadows")
        self.detail = QSpinBox()
        self.detail.setAccessibleName("detail")
        self.detail_label = heading_label("Detail")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        stage = with_bar(self.stage, self.stage_bar)
        layout.addWidget(halves((self._left(), 190), (stage, 690), (self._right(), 400), stretch={1: 1}))
        self._filling = False
        self.objects.currentItemChanged.connect(self._chosen)
        self.stage.picking.picked.connect(self.select)
        self.panel.selected.connect(self.select)
        self.parts.part_chosen.connect(lambda part: self._mark(self.stage.modes.sight.selected, part))
        self.parts.look_wanted.connect(
            lambda part, at: choose_worn(session, worker, self.parts.object_id, part, self, at)
        )
        self.tabs.currentChanged.connect(self._went_to)
        layers, painting, filling = self.layers, self.painting, self.filling
        layers.add_wanted.connect(painting.add)
        layers.duplicate_wanted.connect(painting.duplicate)
        layers.remove_wanted.connect(painting.remove)
        layers.move_wanted.connect(painting.move)
        layers.rename_wanted.connect(painting.rename)
        layers.convert_wanted.connect(painting.convert)
        layers.brush_wanted.connect(lambda on: self._hold("paint", on))
        self.vertices.hand_wanted.connect(lambda on: self._hold(HAND, on))
        self.stage.modes.hands["paint"] = lambda event: PaintStroke(event.position(), self._stroke)
        painting.shown.connect(self.stage.request)
        self.stage.picking.painted.connect(self._paint)
        self.stage.modes.changed.connect(self._show_hands)
        layers.use_wanted.connect(painting.set_use)
        self.emitted.chosen.connect(self.select)
        self.emitted.shown_wanted.connect(lambda key: self.stage.modes.set_options(light=key))
        layers.export_wanted.connect(painting.export)
        layers.copy_wanted.connect(painting.copy_to_others)
        layers.flat_wanted.connect(filling.flat)
        layers.height_wanted.connect(filling.by_height)
        layers.wire_wanted.connect(filling.by_wire)
        layers.shape_wanted.connect(filling.by_shape)
        layers.texture_wanted.connect(filling.by_texture)
        layers.tape_wanted.connect(self._fill_by_tape)
        self.casts.clicked.connect(lambda on: self._set("Set shadow", casts_shadow=on))
        self.receives.clicked.connect(lambda on: self._set("Set shadow", receives_shadow=on))
        self.detail.valueChanged.connect(self._set_detail)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        each_by_itself(self.refresh)

    def select(self, object_id: str, part: str = "") -> None:
        """Select an object of the scene, and one of its parts."""
        self._mark(object_id, part)
        self.panel.show_object(object_id)
        self.parts.show_object(object_id, part)
        self.refresh()

    def _mark(self, object_id: str, part: str) -> None:
        self.stage.modes.select(object_id, part)
        self._show_task()
        self.stage.update()

    def refresh(self) -> None:
        """Show how things are."""
        self._filling = True
        scene = self.session.scene
        there = [(thing.name, thing.id) for thing in (scene.objects if scene else ())]
        rows = [self.objects.item(row) for row in range(self.objects.count())]
        if there != [(item.text(), item.data(Qt.ItemDataRole.UserRole)) for item in rows if item]:
            self.objects.clear()
            for name, object_id in there:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, object_id)
                self.objects.addItem(item)
        self.objects.setCurrentRow(
            next((n for n, (_, i) in enumerate(there) if i == self.stage.modes.sight.selected), -1)
        )
        chosen, asset = self._thing(), self._asset()
        for box in (self.casts, self.receives, self.detail):
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
        if task != "Paint":
            return
        on = self.painting.on
        part = on.part()
        project = self.session.project
        tables = (project.textures, project.gradients)
        textures, gradients = (sorted((each.name, each.id) for each in table.values()) for table in tables)
        name = part.name if part else ""
        self.layers.show_layers(on.layers(), on.heights(), on.wires(), name, textures, gradients)
        self.choosing.show()
        self.coarse.forget()

    def _went_to(self, tab: int) -> None:
        self.painting.seen = TASKS[tab] == "Paint"
        if not self.painting.seen and self.stage.modes.clicks in self.stage.modes.hands:
            self.stage.modes.let_clicks("pick")
        self.baking.warm_up(self.isVisible() and TASKS[tab] == "Bake")
        self._show_task()

    def showEvent(self, event: QShowEvent | None) -> None:
        self.baking.warm_up(TASKS[self.tabs.currentIndex()] == "Bake")
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.baking.warm_up(False)
        super().hideEvent(event)

    def stop(self) -> None:
        """End what runs beside the window."""
        self.baking.end()
        self.choosing.stop()
        super().stop()

    def _hold(self, hand: str, on: bool) -> None:
        """Let the hand on the stage do something, or pick again."""
        if (self.stage.modes.clicks == hand) is not on:
            self.stage.modes.let_clicks(hand)

    def _show_hands(self) -> None:
        self.layers.brush.setChecked(self.stage.modes.clicks == "paint")
        self.vertices.hand.setChecked(self.choosing.choosing)

    def _stroke(self, at: QPointF, last: bool) -> None:
        self.stage.picking.paint(at, last=last)

    def _paint(self, hit: ObjectHit | None, last: bool) -> None:
        self.painting.stroke_to(hit, self.layers.at, self.layers.held_brush(), last=last)

    def _fill_by_tape(
        self, at: int, channels: str, radial: bool, first: tuple[float, ...], last: tuple[float, ...], gradient: str
    ) -> None:
        tape = self.stage.modes.tape
        self.filling.by_tape(at, channels, tape, first, last, gradient, radial=radial)

    def _painted(self) -> tuple[str, str]:
        sight = self.stage.modes.sight
        return sight.selected, sight.part

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if not self._filling and item:
            self.select(item.data(Qt.ItemDataRole.UserRole))

    def _set(self, name: str, **fields: Any) -> None:
        selected = self.stage.modes.sight.selected
        if selected:
            self.session.change_object(name, selected, **fields)

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

    def _left(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(10, 10, 4, 10)
        column.addWidget(heading_label("Objects"))
        column.addWidget(self.objects, 1)
        return panel

    def _right(self) -> QWidget:
        switches, fine = QHBoxLayout(), QHBoxLayout()
        for row, widgets in ((switches, (self.casts, self.receives)), (fine, (self.detail_label, self.detail))):
            for widget in widgets:
                row.addWidget(widget)
            row.addStretch(1)
        place, paint, light, baked = (QWidget() for _ in range(4))
        for page, held in (
            (place, (self.panel, switches, fine, heading_label("Parts"), self.parts)),
            (paint, (self.layers, self.coarse_bar, self.vertices)),
            (light, (self.light,)),
            (baked, (self.emitted,)),
        ):
            column = QVBoxLayout(page)
            column.setContentsMargins(0, 8, 0, 0)
            for each in held:
                column.addLayout(each) if isinstance(each, QHBoxLayout) else column.addWidget(each)
            if page in (paint, light):
                column.addStretch(1)
            self.tabs.addTab(page, TASKS[self.tabs.count()])
        panel = QWidget()
        outside = QVBoxLayout(panel)
        outside.setContentsMargins(4, 10, 10, 10)
        outside.addWidget(self.tabs)
        return panel

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


DRESS_COMMANDS: dict[str, tuple[Command[DressDesk], ...]] = {
    "Objects": (
        *through(OBJECTS, lambda desk: desk.panel),
        _task("Place", "Place objects and dress their parts"),
        _task("Paint", "Paint colours into the mesh"),
        _task("Light", "Light the scene"),
        _task("Bake", "Bake the light that surfaces give"),
        *through(PAINTING, lambda desk: desk.painting),
        *through(CHOOSING, lambda desk: desk.choosing),
        *through(LIGHT, lambda desk: desk.baking),
        Command("Baked light off or on", DressDesk.switch_light, "Ctrl+Alt+B"),
    ),
    "Project": (Command("Load a panorama for the light", lambda desk: desk.light.choose_file(), anywhere=True),),
}
