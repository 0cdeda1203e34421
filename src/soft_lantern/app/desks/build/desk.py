"""The Build desk: canvas, stage and parameter shelf."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QTabWidget, QVBoxLayout, QWidget

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.canvas.canvas_commands import EDITING, GRAPH
from soft_lantern.app.command import Command, through
from soft_lantern.app.desks.build.canvas_wishes import grant
from soft_lantern.app.desks.build.image_import import ImageImport
from soft_lantern.app.desks.build.parameter_shelf import ParameterShelf
from soft_lantern.app.desks.build.shared_selection import SharedSelection
from soft_lantern.app.desks.build.type_anywhere import TypeAnywhere
from soft_lantern.app.desks.build.wire_baking import WireBaking
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.places import Places
from soft_lantern.app.panels.environment_panel import EnvironmentPanel
from soft_lantern.app.panels.notice_answers import take_answers
from soft_lantern.app.panels.object_commands import OBJECTS
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.app.session.measurer import Answer, Measurer, Question
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.clock_bar import ClockBar
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.node_help import NodeHelp
from soft_lantern.app.widgets.notice_list import NoticeList
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.reading import Reading
from soft_lantern.app.widgets.surround import surrounded
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.app.widgets.wire_bar import WireBar
from soft_lantern.app.work.mishaps import each_by_itself
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import node_and_port
from soft_lantern.graph.kinds import label_of, type_of
from soft_lantern.graph.nesting import snippet_in
from soft_lantern.graph.notice import Notice, notices_in_words
from soft_lantern.graph.notices.project import named_place
from soft_lantern.graph.snippets import cost_inside
from soft_lantern.ir.cost import cost
from soft_lantern.render.points import Points
from soft_lantern.render.staging import WireView
from soft_lantern.render.worker import RenderWorker
from soft_lantern.scene.picking import Hit


class BuildDesk(Desk):
    """Where a graph is built and its parameters are exposed."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.canvas = Canvas()
        self.stage = StageView(session, worker, "build")
        self.stage_bar = StageBar(session, self.stage)
        self.objects = ObjectPanel(session)
        self.light = EnvironmentPanel(session)
        self.clock = ClockBar()
        self.reading = Reading()
        self.wire_box = WireBar()
        self.notice_list = NoticeList()
        self.node_help = NodeHelp()
        self.image_import = ImageImport(session, self.canvas)
        self.wire_baking = WireBaking(session, self.canvas)
        SharedSelection(session, self.canvas)
        self.measurer = Measurer(self)
        self.answer: Answer | None = None
        self.probe: Points | None = None
        self.on_object = False
        self.bottom = ParameterShelf(session, worker, self.stage)
        self.shelf, self.values_of = self.bottom.shelf, self.bottom.values_of
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(10, 8, 10, 8)
        column.addWidget(surrounded(self.stage), 1)
        column.addWidget(self.stage_bar)
        column.addWidget(self.clock)
        column.addWidget(self._tabs())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.split = halves((self.canvas, 846), (side, 434), stretch={0: 3, 1: 2})
        layout.addWidget(self.split, 1)
        layout.addWidget(self.bottom)
        grant(session, self.canvas, self.bottom, self.image_import)
        self.canvas.wishes.ramps_wanted.connect(self.ramps_wanted)
        self.notice_list.jump_wanted.connect(self.notice_wanted)
        take_answers(session, self.notice_list)
        self.bottom.values_changed.connect(self.measure)
        self.shelf.place_wanted.connect(
            lambda parameter: self.canvas.placing.place_parameter(parameter, QPointF(self.canvas.rect().center()))
        )
        self.stage.picking.picked.connect(self.select_object)
        self.objects.selected.connect(self.select_object)
        session.changed.connect(WhenSeen(self, self.refresh))
        session.opened_material.connect(self.refresh)
        session.notices_changed.connect(self._show_notices)
        session.models_changed.connect(self.measure)
        self.measurer.answered.connect(self._take_answer)
        self.measurer.failed.connect(session.told)
        self.canvas.selection_changed.connect(self._read)
        self.canvas.selection_changed.connect(self._explain)
        self.tabs.currentChanged.connect(lambda _: self._explain())
        self.clock.ticked.connect(self._tick)
        self.clock.loop_changed.connect(lambda seconds: setattr(self.stage_bar, "loop", seconds))
        self.stage.picking.probed.connect(self._pin)
        self.stage_bar.clip.toggled.connect(lambda _: self.measure())
        self.wire_box.changed.connect(self._show_wire)
        self.wire_box.on_object.toggled.connect(self.measure_on_object)
        self.stage.picking.hovered.connect(self._hover)
        self._orbited = single_shot(self, 150, self.measure)
        session.view_changed.connect(lambda: self._orbited.start() if self.on_object else None)
        TypeAnywhere(self, self.canvas, (self.stage,))
        self.refresh()

    def show_record(self, record_id: str, part: str = "") -> None:
        self.session.open_material(record_id)
        if part:
            self.canvas.go_to(part)

    def show_object(self, object_id: str) -> bool:
        self.objects.selected.emit(object_id)
        return True

    def where(self) -> dict[str, object]:
        canvas = self.canvas
        middle = canvas.to_canvas(QPointF(canvas.width() / 2, canvas.height() / 2))
        return {"nodes": tuple(sorted(canvas.selected)), "canvas": (canvas.scale, middle.x(), middle.y())}

    def come_back(self, was: Places) -> None:
        if self.session.material_id == was.material:
            self.canvas.select(set(was.nodes) & self.canvas.material.nodes.keys())

    def look_again(self, was: Places) -> None:
        if was.canvas and self.session.material_id == was.material:
            scale, x, y = was.canvas
            self.canvas.look_at(scale, QPointF(x, y))

    def panes(self) -> list[QWidget]:
        return [self.canvas, self.stage, self.tabs, self.bottom]

    def swap_sizes(self) -> None:
        """Give the stage the room the canvas had, or take it back."""
        self.tabs.setVisible(not self.tabs.isVisible())
        self.split.setSizes(self.split.sizes()[::-1])

    def refresh(self) -> None:
        """Show how things are."""
        session = self.session
        each_by_itself(
            lambda: self.canvas.show_library(session.project),
            lambda: self.canvas.show_material(session.material),
            self.bottom.refresh,
        )

    def stop(self) -> None:
        """Stop what runs beside the window."""
        self.measurer.stop()
        super().stop()

    def select_object(self, object_id: str, part: str = "") -> None:
        """Select an object of the scene on the stage and in the panel."""
        self.stage.modes.select(object_id, part)
        thing = self.session.scene.object(object_id) if self.session.scene else None
        self.objects.show_object(object_id, part if thing and part in thing.wears else "")
        if object_id:
            self.tabs.setCurrentWidget(self.objects)
        if self.on_object:
            self.measure()

    def measure(self) -> None:
        """Measure the open graph again, beside the window."""
        material, session = self.session.material, self.session
        if material is None:
            return
        found = self.bottom.shown_look
        self.measurer.ask(
            Question(
                material,
                dict(found.shown) if found and found.material is material else {},
                self.clock.time,
                self.on_object,
                self.stage.modes.sight.selected,
                session.scene,
                dict(session.models),
                session.view,
                self.stage_bar.clip.isChecked(),
                self.probe,
                session.project,
                dict(session.images),
                frozenset(session.loading),
            )
        )

    def measure_on_object(self, on: bool) -> None:
        """Measure on the stage's object as it is seen, or on the flat card."""
        self.on_object = on
        self.measure()

    def clear_probe(self) -> None:
        """Take the pinned probe away."""
        self.probe = None
        self.stage.modes.pin_probe(None)
        self.measure()

    def explain_node(self) -> None:
        """Show what the selected node is."""
        self.tabs.setCurrentWidget(self.node_help)
        self._explain()

    def show_notices(self) -> None:
        """Show the list of notices."""
        self.tabs.setCurrentWidget(self.notice_list)

    def _explain(self) -> None:
        if self.tabs.currentWidget() is self.node_help:
            chosen = next(iter(self.canvas.selected)) if len(self.canvas.selected) == 1 else ""
            node = self.canvas.material.nodes.get(chosen)
            lowered = self.answer.lowered if self.answer else None
            whole = cost(lowered.surface.values()) if lowered else None
            snippet = snippet_in(self.canvas.material, node) if node else None
            inside = cost_inside(snippet) if snippet else None
            self.node_help.show_node(type_of(self.canvas.material, node) if node else None, whole, inside)

    def _tabs(self) -> QTabWidget:
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("about the graph and its scene")
        self.tabs.addTab(_over(self.reading, self.wire_box), "Reading")
        self.tabs.addTab(self.objects, "Object")
        self.tabs.addTab(self.light, "Light")
        self.tabs.addTab(self.notice_list, "Notices")
        self.tabs.addTab(self.node_help, "Node")
        self.tabs.setFixedHeight(244)
        return self.tabs

    def _take_answer(self, answer: Answer) -> None:
        if answer.material is not self.session.material:
            return  # an edit came in between; its own answer is on the way
        self.answer = answer
        self.canvas.show_answer(answer)
        self.session.found.take_measured(answer.material, answer.notices)
        self._read()

    def _read(self) -> None:
        wire, answer = self.canvas.selected_output(), self.answer
        if answer is None or wire not in answer.measured.statistics:
            self.reading.show_nothing()
            self._show_wire()
            return
        node_id, port = node_and_port(wire)
        material = answer.material
        name = label_of(material, material.nodes[node_id]) if node_id in material.nodes else node_id
        title = name if port == "out" else f"{name} {port}"
        self.reading.show_wire(
            title,
            wire,
            answer.measured,
            answer.bounds.get(wire),
            answer.expected.get(wire),
            answer.trace.get(wire),
        )
        self._show_wire()

    def _show_wire(self) -> None:
        """Let the stage show the selected wire, where that is asked for."""
        wire, answer = self.canvas.selected_output(), self.answer
        view = None
        if self.wire_box.shown and answer and wire in answer.measured.statistics:
            reach = answer.measured.statistics[wire]
            scale, channel = self.wire_box.scale, self.wire_box.channel
            view = WireView(answer.material.id, wire, scale, channel, reach.low, reach.high)
        if view != self.stage.modes.sight.options.wire:
            self.stage.modes.set_options(wire=view)

    def _show_notices(self) -> None:
        notices = self.session.notices
        self.canvas.show_notices(notices)
        self.notice_list.show_notices(notices, _places(self.session, notices))
        shown = f"Notices ({notices_in_words(notices, short=True)})" if notices else "Notices"
        self.tabs.setTabText(self.tabs.indexOf(self.notice_list), shown)

    def _tick(self, seconds: float) -> None:
        self.stage.modes.set_time(seconds)
        self.measure()

    def _hover(self, points: Points | None) -> None:
        """Trace the pixel under the pointer, as long as none is pinned."""
        if self.stage.modes.pin is None:
            self.probe = points
            self.measure()

    def _pin(self, hit: Hit[tuple[str, str]], points: Points) -> None:
        self.probe = points
        self.stage.modes.pin_probe(hit.point)
        self.session.told.emit(_probe_words(hit, points))
        self.measure()


def _places(session: Session, notices: list[Notice]) -> dict[str, str]:
    """What the places of notices are called, the open material first."""
    listed = dict.fromkeys([session.material_id, *(notice.place for notice in notices)])
    return {place: named_place(session.project, place) for place in listed if place}


def _over(upper: QWidget, lower: QWidget) -> QWidget:
    both = QWidget()
    column = QVBoxLayout(both)
    column.setContentsMargins(0, 0, 0, 0)
    column.addWidget(upper, 1)
    column.addWidget(lower)
    return both


def _probe_words(hit: Hit[tuple[str, str]], points: Points) -> str:
    """Where a probed point is, in numbers."""
    place = ", ".join(written(float(c)) for c in hit.point)
    normal = ", ".join(written(float(c)) for c in points.inputs["normal_world"].ravel())
    uv = ", ".join(written(float(c)) for c in points.inputs["uv"].ravel())
    away = written(float(points.inputs["view_distance"][0]))
    behind = written(float(points.inputs["depth_behind"][0]))
    return f"Probe: position {place}; normal {normal}; uv {uv}; distance {away} m; depth behind {behind} m"


BUILD_COMMANDS: dict[str, tuple[Command[BuildDesk], ...]] = {
    "Edit": through(EDITING, lambda desk: desk.canvas),
    "Graph": (
        *through(GRAPH, lambda desk: desk.canvas),
        Command("Explain the node", BuildDesk.explain_node, "Shift+F1"),
        Command("Large stage or large graph", BuildDesk.swap_sizes, "Ctrl+Shift+W"),
        Command("Show the wire on the stage", lambda desk: desk.wire_box.button.toggle(), "F11"),
        Command(
            "Bake the wire to a texture",
            lambda desk: desk.wire_baking.bake(),
            hindered=lambda desk: desk.wire_baking.hindered(),
        ),
        Command("Measure on the object or the flat card", lambda desk: desk.wire_box.on_object.toggle()),
        Command(
            "Take the probe away",
            BuildDesk.clear_probe,
            hindered=lambda desk: "" if desk.probe else "Probe a pixel first",
        ),
        Command("Show the notices", BuildDesk.show_notices, "Ctrl+N", anywhere=True),
    ),
    "Project": (
        Command("Load an image", lambda desk: desk.image_import.choose(), "Ctrl+Shift+I", anywhere=True),
        Command("Load a panorama for the light", lambda desk: desk.light.choose_file(), anywhere=True),
    ),
    "Objects": through(OBJECTS, lambda desk: desk.objects),
    "Stage": (
        Command("Play or freeze the clock", lambda desk: desk.clock.play.toggle(), "F2"),
        Command("Step the clock", lambda desk: desk.clock.step.click(), "F3"),
    ),
}
