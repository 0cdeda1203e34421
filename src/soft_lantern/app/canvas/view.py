"""What the canvas shows: the graph, what was measured of it, and where the eye is."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.gesture import Gesture
from soft_lantern.app.canvas.kept_picture import KeptPicture
from soft_lantern.app.canvas.painting import (
    Health,
    Measures,
    Thumbnail,
    paint_note,
    paint_slip,
    paint_wire,
    thumbnail_of,
)
from soft_lantern.app.canvas.shapes import REACH, Row, Slip, Spread, WireShape, spread
from soft_lantern.app.canvas.spoken import SpokenCanvas
from soft_lantern.app.session.measurer import Answer
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.widgets.focus import paint_focus
from soft_lantern.app.widgets.plates import paint_refusal
from soft_lantern.graph.document import Material, Note, Project, port_ref
from soft_lantern.graph.layout import NOTE_TITLE
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.ramps.images import Readable, readable

SMALLEST, LARGEST = 0.12, 2.5
NEAR = 9.0
"""Units about slips and wires that what belongs to them may take, such as shadows and strands."""
HIT = 8.0
"""Pixels about a port's teeth that a hand may miss them by, at any scale."""
DETAIL = 0.45
"""The scale under which slips show their title only."""


class CanvasView(QWidget):
    """Shows a graph; knows nothing of edits."""

    selection_changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.spread = Spread(Material(id="", name=""), {}, (), {})
        self.selected: set[str] = set()
        self.selected_wire = ""
        self.notices: list[Notice] = []
        self.answer: Answer | None = None
        self._health: dict[str, Health] = {}
        self.scale = 1.0
        self.origin = QPointF(40, 40)
        self.framed = (0.0, QPointF())
        """The scale and origin at which the graph was last fitted in whole."""
        self._thumbnails: dict[str, tuple[int, Thumbnail]] = {}
        self._kept = KeptPicture()
        self.gesture: Gesture | None = None
        self.pointer = QPointF()
        """The place of the widget where the pointer was last."""
        self.readable: Readable = {}
        self.snippets: dict[str, Material] = {}
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("canvas")
        self.spoken = SpokenCanvas(self, self.measures)

    @property
    def material(self) -> Material:
        """The material whose graph is shown."""
        return self.spread.material

    def show_material(self, material: Material | None) -> None:
        """Show a material's graph; the selection keeps what is still there."""
        material = material or Material(id="", name="")
        other = material.id != self.material.id
        self.spread = spread(material, None if other else self.spread, self._names())
        self.select(self.selected & set(material.nodes))
        if self.selected_wire not in material.wires:
            self.selected_wire = ""
        if other:
            self.answer = None
            self._health.clear()
            self._thumbnails = {}
            if material.nodes:
                self.frame_all()
        self.update()

    def show_library(self, project: Project) -> None:
        """Let the canvas know what textures, gradients, palettes and snippets the project has."""
        before = self.readable
        self.readable, self.snippets = readable(project), project.snippets
        if self.readable != before:
            self.spread = spread(self.material, None, self._names())

    def _names(self) -> dict[str, str]:
        """What that which ports read is called, by id."""
        return {key: each.name for held in self.readable.values() for key, each in held.items()}

    def show_notices(self, notices: Iterable[Notice]) -> None:
        """Mark the slips where these notices start."""
        self.notices = [n for n in notices if n.place == self.material.id and n.node]
        self.update()

    def show_answer(self, answer: Answer) -> None:
        """Show thumbnails, range strips, wire health and the trace of a measuring pass."""
        if answer.material.id != self.material.id:
            return
        self.answer = answer
        self._health.clear()
        kept = {}
        for node_id, image in answer.thumbnails.items():
            old = self._thumbnails.get(node_id)
            key = image.cacheKey()
            kept[node_id] = old if old and old[0] == key else (key, thumbnail_of(image))
        self._thumbnails = kept
        self._say()

    def _say(self) -> None:
        self.spoken.show_slips(self.spread, self.selected)
        self.update()

    def frame_all(self, *, whole: bool = False) -> None:
        """Fit the selected slips into the canvas, or all where none is selected or `whole` asks for it."""
        box = QRectF()
        for slip in self.spread.slips.values():
            if whole or not self.selected or slip.node_id in self.selected:
                box = box.united(slip.rect)
        if box.isEmpty() or self.width() < 10:
            return
        room = min((self.width() - 60) / box.width(), (self.height() - 60) / box.height())
        self.look_at(min(room, 1.15), box.center())
        if whole or not self.selected:
            self.framed = self.scale, self.origin

    def look_at(self, scale: float, point: QPointF) -> None:
        """Bring a point of the canvas to the middle at a scale."""
        self.scale = min(max(scale, SMALLEST), LARGEST)
        self.origin = QPointF(self.width() / 2, self.height() / 2) - point * self.scale
        self.update()

    def go_to(self, node_id: str) -> None:
        """Select a slip and bring it to the middle at a scale at which it can be read."""
        slip = self.spread.slips.get(node_id)
        if slip:
            self.select({node_id})
            self.look_at(max(self.scale, 0.85), slip.rect.center())

    def to_canvas(self, point: QPointF) -> QPointF:
        """Canvas units of a point of the widget."""
        return (point - self.origin) / self.scale

    def to_widget(self, point: QPointF) -> QPointF:
        """Widget pixels of a point on the canvas."""
        return point * self.scale + self.origin

    def measures(self, wire: str) -> Measures | None:
        """What is known of an output, as its strip shows it."""
        answer = self.answer
        if answer is None or wire not in answer.measured.statistics:
            return None
        return Measures(answer.measured.statistics[wire], answer.expected.get(wire), answer.trace.get(wire))

    def health(self, wire: str) -> Health:
        """Whether what leaves an output is as it should be."""
        found = self._health.get(wire)
        if found is None:
            found = self._health[wire] = _health_of(self.measures(wire))
        return found

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        turn = event.angleDelta().y() or event.pixelDelta().y() * 4
        at = self.to_canvas(event.position())
        self.scale = min(max(self.scale * 1.0015**turn, SMALLEST), LARGEST)
        self.origin = event.position() - at * self.scale
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self.gesture:
            self._kept.paint(
                painter,
                self,
                self.origin,
                (self.spread, self.answer, self._thumbnails, self.notices, theme()),
                (self.scale, self.selected, self.selected_wire, self.gesture.picked_up, self.gesture.drop_wire),
                self._paint_part,
            )
            self._look_from(painter)
            self.gesture.paint(painter, self.to_canvas(self.pointer), self.scale)
        else:
            self._kept.forget()
            self._paint_part(painter, QRectF(self.rect()))
        painter.resetTransform()
        if self.gesture and self.gesture.reason:
            paint_refusal(painter, self.gesture.reason, self.pointer, self.size())
        if not self.spread.slips:
            painter.setPen(theme().colour("quiet"))
            painter.setFont(app_font(12))
            words = "Type anywhere: a number, a #colour, the name of a node, or a formula"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
        paint_focus(painter, self)

    def _look_from(self, painter: QPainter) -> None:
        """Let a painter paint in canvas units."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, self.scale > 0.25)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.scale > 0.25)
        painter.translate(self.origin)
        painter.scale(self.scale, self.scale)

    def _paint_part(self, painter: QPainter, part: QRectF) -> None:
        painter.fillRect(part, theme().colour("ground"))
        painter.save()
        self._look_from(painter)
        self._paint_graph(painter, QRectF(self.to_canvas(part.topLeft()), self.to_canvas(part.bottomRight())))
        painter.restore()

    def _paint_graph(self, painter: QPainter, seen: QRectF) -> None:
        detailed = self.scale >= DETAIL
        slips, wires = self.spread.seen_in(seen.adjusted(-NEAR, -NEAR, NEAR, NEAR))
        held, drop_wire = (self.gesture.picked_up, self.gesture.drop_wire) if self.gesture else ("", "")
        for note in self.material.notes:
            paint_note(painter, note)
        calm = []
        for wire in wires:
            if wire.into != held:
                live, health = wire.into in (self.selected_wire, drop_wire), self.health(wire.out)
                if not detailed and not live and health is Health.CALM and wire.conversion is not None:
                    calm.append(wire.line)
                else:
                    paint_wire(painter, wire, health, selected=live, detailed=detailed)
        if calm:
            painter.setPen(QPen(theme().colour("wire"), 2))
            painter.drawLines(*calm)
        troubled = {n.node for n in self.notices if n.severity is not Severity.INFO}
        for slip in slips:
            picture = self._thumbnails.get(slip.node_id)
            paint_slip(
                painter,
                slip,
                picture[1] if picture else None,
                self.measures,
                selected=slip.node_id in self.selected,
                troubled=slip.node_id in troubled,
                detailed=detailed,
            )

    def selected_output(self) -> str:
        """The output whose values are read: of the selected wire or slip; "" where there is none."""
        if self.selected_wire:
            return self.material.wires.get(self.selected_wire, "")
        if len(self.selected) == 1:
            slip = self.spread.slips[next(iter(self.selected))]
            first = next((row for row in slip.rows if row.is_output), None)
            if first:
                return port_ref(slip.node_id, first.name)
            entry = next((row for row in slip.rows if row.wired), None)
            return self.material.wires[port_ref(slip.node_id, entry.name)] if entry else ""
        return ""

    def port_at(self, at: QPointF) -> tuple[Slip, Row] | None:
        """The port that a hand at a place of the canvas takes: its teeth are wide enough to hit at every scale."""
        return self.spread.port_at(at, max(REACH, HIT / self.scale))

    def row_at(self, slip: Slip, at: QPointF) -> Row | None:
        """The row of a slip at a place of the canvas."""
        return next((r for r in slip.rows if slip.row_rect(r).contains(at)), None)

    def note_title_at(self, at: QPointF) -> Note | None:
        """The note area whose title is at a place of the canvas."""
        titles = ((note, QRectF(note.x, note.y, note.width, NOTE_TITLE + 4)) for note in reversed(self.material.notes))
        return next((note for note, title in titles if title.contains(at)), None)

    def wire_into(self, into: str) -> WireShape | None:
        """The wire that feeds an input."""
        return next((wire for wire in self.spread.wires if wire.into == into), None)

    def select(self, ids: set[str]) -> None:
        """Select slips; those that are not shown, since the canvas is hidden or they are gone, are not selected."""
        ids = ids & self.spread.slips.keys()
        if ids != self.selected:
            self.selected = ids
            if ids:
                self.selected_wire = ""
            self.selection_changed.emit()
            self._say()


def _health_of(measures: Measures | None) -> Health:
    if measures is None:
        return Health.CALM
    if measures.reach.not_finite:
        return Health.NOT_FINITE
    return Health.OUT_OF_RANGE if measures.expected and measures.reach.leaves(measures.expected) else Health.CALM
