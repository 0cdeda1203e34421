"""What hands do to the selection of vertices: outlines and ranges on the stage, steps over the mesh, nodes, names.

Selections are worked out beside the window, one after another with the edits of layers, so that a fill asked for after
a selection has it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF

from soft_lantern.app.command import Command
from soft_lantern.app.desks.dress.painting import Painting
from soft_lantern.app.desks.dress.vertex_panel import STEPS, VertexPanel
from soft_lantern.app.desks.dress.ways_to_choose import (
    Place,
    Way,
    above,
    by_step,
    in_outline,
    in_range,
    joined,
    nearest_to,
)
from soft_lantern.app.stage.gestures import DragGrip, DrawOutline, Gesture
from soft_lantern.app.stage.range_grips import RangeGrips
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.stage.under_pointer import ObjectHit
from soft_lantern.app.stage.vertex_marks import Marked, Sighted, VertexMarks
from soft_lantern.app.theme.colours import theme
from soft_lantern.errors import BadEdit
from soft_lantern.formats.assets import Layers
from soft_lantern.graph.instances.values import look
from soft_lantern.render.staging import object_inputs
from soft_lantern.render.vertex_fill import wire_at_vertices
from soft_lantern.scene.colour_layers import kept_selection
from soft_lantern.scene.mesh import Floats, Matrix, Mesh, corners_bounds
from soft_lantern.scene.transforms import camera_for, placement
from soft_lantern.scene.vertex_ranges import VertexRange

HAND = "choose"


class Choosing(QObject):
    """Selects vertices of the part that is painted. `changed` tells that others are selected."""

    changed = pyqtSignal()

    def __init__(self, painting: Painting, stage: StageView, panel: VertexPanel) -> None:
        super().__init__(stage)
        self.session, self.on, self.painting = painting.session, painting.on, painting
        self.selected, self.stage, self.panel = painting.selected, stage, panel
        self.range: VertexRange | None = None
        self._outline: list[QPointF] = []
        self._sighted = Sighted()
        self._marks = VertexMarks(self, stage.update)
        self._ranging = self._again = False
        stage.modes.hands[HAND] = self.begin
        stage.modes.over.append(self.paint)
        panel.step_wanted.connect(self.step)
        panel.range_wanted.connect(self.choose_range)
        panel.node_wanted.connect(self.choose_by_node)
        panel.wires_wanted.connect(lambda _: self.show())
        panel.keep_wanted.connect(self.keep)
        panel.take_wanted.connect(self.take)
        panel.forget_wanted.connect(self.forget)

    # What is seen

    @property
    def choosing(self) -> bool:
        """Whether the hand on the stage selects."""
        return self.stage.modes.clicks == HAND

    def show(self) -> None:
        """Let the panel show how things are."""
        place, part, panel = self._place(), self.on.part(), self.panel
        panel.setVisible(bool(self.on.layers()))
        if place is None or part is None:
            return
        chosen = self.selected.of(place.key, place.mesh)
        panel.show_selected(0 if chosen is None else int(chosen.sum()), len(place.mesh.positions))
        panel.show_kept([layer.name for layer in self.on.kept()])
        project = self.session.project
        materials = sorted((each.name, each.id) for each in project.materials.values())
        at = str(panel.material.currentData() or self.session.material_id)
        found = look(project, at)
        panel.show_materials(materials, self.on.wires_of(found.material) if found else [], at)
        low, high = corners_bounds([(place.mesh, place.matrix)])
        panel.show_bounds([round(float(x), 3) for x in low], [round(float(x), 3) for x in high])

    def paint(self, painter: QPainter) -> None:
        """Paint what is selected over the stage, the outline in hand, and the grips of a range."""
        place = self._place() if self.stage.isVisible() and self.painting.seen else None
        if place is None:
            return
        chosen = self.selected.of(place.key, place.mesh)
        if self.choosing or chosen is not None:
            marked = self.selected.all_of(place.key, place.mesh) if chosen is None else chosen
            self._marks.paint(painter, Marked(place.mesh, place.matrix, marked, self.stage.shown()))
        grips = self.grips()
        if grips:
            grips.paint(painter, "")
        if self._outline:
            self._paint_outline(painter)

    def grips(self) -> RangeGrips | None:
        """The handles of the range, while the hand selects."""
        place = self._place()
        if self.range is None or place is None or not self.choosing:
            return None
        low, high = place.mesh.bounds
        middle = place.matrix @ np.append((low + high) / 2, 1.0)
        return RangeGrips(self.range, middle[:3], self.stage.lens)

    def begin(self, event: QMouseEvent) -> Gesture:
        """What a press on the stage begins."""
        at, grips = event.position(), self.grips()
        grip = grips.at(at) if grips else ""
        if grips and grip:
            return DragGrip(at, grip, grips, self.put_range)
        return DrawOutline(at, self.panel.how.currentText() != "box", self._show_outline, self.outline, self._click)

    def stop(self) -> None:
        """End what runs beside the window."""
        self._marks.stop()

    # By hand

    def outline(self, outline: list[QPointF], keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Select what lies in an outline on the stage, or along it within the brush's radius."""
        radius = self.panel.reach.value if self.panel.how.currentText() == "brush" else 0.0
        sighted = None if self.panel.seen.currentText() == "through" else self._sighted
        self.choose(in_outline([(at.x(), at.y()) for at in outline], radius, self.stage.shown(), sighted, joined(keys)))

    def _click(self, at: QPointF, keys: Qt.KeyboardModifier) -> None:
        picking = self.stage.picking

        def met(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
            thing, part = self.on.thing(), self.on.part()
            if hit is None:
                self.choose(lambda place, before: joined(keys)(before, np.zeros_like(before)))
            elif thing is None or part is None or hit.key != (thing.id, part.name):
                picking.picked.emit(*hit.key)
            else:
                self.nearest(hit.point, keys)

        picking.under_pointer.find(self.stage.shown(), at, met, behind=False)

    def nearest(self, point: Matrix, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Select the vertex nearest to a point of the world."""

        self.choose(nearest_to(point, joined(keys)))

    # By steps, ranges and nodes

    def step(self, name: str) -> None:
        """Make another selection of the one there is: one of STEPS."""
        self.choose(by_step(name, self.panel.angle.value))

    def choose_range(self, wanted: VertexRange | None) -> None:
        """Select what a range in the world holds; None puts its handles away."""
        self.range = wanted
        if wanted is not None:
            self._follow_range()
        self.stage.update()

    def put_range(self, wanted: VertexRange) -> None:
        """A range as its handles put it."""
        self.panel.show_range(wanted)
        self.choose_range(wanted)

    def _follow_range(self) -> None:
        """Select by the range as it is now; while one is worked out, the newest waits."""
        wanted = self.range
        if self._ranging or wanted is None:
            self._again = True
            return
        self._ranging, self._again = True, False

        self.choose(in_range(wanted), self._range_over)

    def _range_over(self) -> None:
        self._ranging = False
        if self._again:
            self._follow_range()

    def choose_by_node(self, material_id: str, wire: str, threshold: float) -> None:
        """Select where a wire of a material is above a threshold: its first number, at the vertices."""
        project, thing = self.session.project, self.on.thing()
        model = self.session.models.get(thing.asset) if thing else None
        part, found = self.on.part(), look(project, material_id)
        if thing is None or model is None or part is None or found is None:
            return
        images, camera, transform = dict(self.session.images), camera_for(self.session.view, (1, 1)), part.transform

        def values(mesh: Mesh) -> Floats:
            placed = mesh.moved(transform)
            return wire_at_vertices(found, wire, placed, object_inputs(thing, model, placed), camera, images)

        self.choose(above(values, threshold))

    # By name

    def keep(self, name: str) -> None:
        """Keep the selection by a name, in place of one that has it."""
        place = self._place()
        if not name or place is None:
            return
        selected, key = self.selected, place.key

        def edit(mesh: Mesh, kept: Layers) -> Layers:
            chosen = selected.of(key, mesh)
            if chosen is None:
                raise BadEdit("select some vertices first")
            return (*(layer for layer in kept if layer.name != name), kept_selection(name, chosen))

        self.painting.edit_kept("Keep a selection", edit)

    def take(self, name: str) -> None:
        """Select what was kept by a name."""
        layer = next((each for each in self.on.kept() if each.name == name), None)
        if layer is not None:
            held = layer.values[:, 0] > 0.5
            self.choose(lambda place, before: held if len(held) == len(before) else before)

    def forget(self, name: str) -> None:
        """Keep a selection no longer."""
        self.painting.edit_kept(
            "Forget a selection", lambda mesh, kept: tuple(layer for layer in kept if layer.name != name)
        )

    # How

    def choose(self, of: Way, over: Callable[[], object] = lambda: None) -> None:
        """Let what is worked out of a part and its selection be selected."""
        place, selected = self._place(), self.selected
        if place is None:
            self.session.complain(BadEdit("select a part first"))
            over()
            return

        def work() -> None:
            selected.put(place.key, of(place, selected.all_of(place.key, place.mesh)))

        def done(_: object = None) -> None:
            over()
            self.show()
            self.changed.emit()
            self.stage.update()

        def failed(words: str) -> None:
            over()
            self.session.complain(words)

        self.session.background.work_out(work, done, failed)

    def _place(self) -> Place | None:
        thing, part = self.on.thing(), self.on.part()
        if thing is None or part is None:
            return None
        return Place((thing.asset, part.name), part.bare, placement(thing) @ part.transform)

    def _show_outline(self, outline: list[QPointF]) -> None:
        self._outline = outline
        self.stage.update()

    def _paint_outline(self, painter: QPainter) -> None:
        line, wide = QPolygonF(self._outline), self.panel.how.currentText() == "brush"
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if wide:
            cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
            width = self.panel.reach.value * 2
            painter.setPen(QPen(theme().colour("text", 0.35), width, Qt.PenStyle.SolidLine, cap, join))
            painter.drawPolyline(line)
            return
        for colour, width in (("ground", 3.5), ("text", 1.4)):
            painter.setPen(QPen(theme().colour(colour), width))
            painter.drawPolygon(line)


def _step(name: str) -> Command[Choosing]:
    words = {"None": "Select no vertices", "Whole part": "Select every vertex of the part"}
    return Command(
        words.get(name, f"{name}: the selected vertices"),
        lambda choosing: choosing.step(name),
        hindered=lambda choosing: choosing.on.missing(),
    )


CHOOSING = tuple(_step(name) for name in STEPS)
