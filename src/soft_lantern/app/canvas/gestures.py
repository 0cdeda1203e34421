"""What the pointer does on the canvas: moves the view, draws a box, moves slips and notes, pulls a wire."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPen

from soft_lantern.app.canvas.gesture import Gesture
from soft_lantern.app.canvas.painting import paint_loose_wire
from soft_lantern.app.canvas.shapes import TOOTH, Row, Slip, strand_path
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.app.theme.colours import theme
from soft_lantern.errors import LanternError
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Note, node_and_port, node_of, port_ref
from soft_lantern.graph.layout import nodes_in
from soft_lantern.graph.wiring import wired

Places = dict[str, tuple[float, float]]
STILL = 4
"""Pixels a press may move and still be none."""


class Pan(Gesture):
    """Moves the view."""

    def __init__(self, view: CanvasView, start: QPointF) -> None:
        """`start` is a place of the widget."""
        self.view, self.start, self.origin = view, start, QPointF(view.origin)

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        self.view.origin = self.origin + event.position() - self.start


class SelectBox(Gesture):
    """Draws a box that selects what it touches, on top of what was selected."""

    def __init__(self, view: CanvasView, start: QPointF, kept: set[str]) -> None:
        self.view, self.start, self.kept = view, start, kept
        self.box = QRectF(start, start)

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        self.box = QRectF(self.start, at).normalized()
        inside = {i for i, s in self.view.spread.slips.items() if self.box.intersects(s.rect)}
        self.view.select(self.kept | inside)

    def paint(self, painter: QPainter, at: QPointF, scale: float) -> None:
        painter.setPen(QPen(theme().colour("amber"), 1 / scale, Qt.PenStyle.DashLine))
        painter.setBrush(theme().colour("amber", 0.08))
        painter.drawRect(self.box)


class MoveSlips(Gesture):
    """Moves slips from the places they had, one alone into a wire; a press without a move selects or edits instead."""

    def __init__(
        self,
        view: CanvasView,
        wishes: Wishes,
        slip: Slip,
        start: QPointF,
        adding: bool,
        press: Callable[[Slip, QPointF], object],
    ) -> None:
        self.view, self.wishes, self.slip, self.start = view, wishes, slip, start
        self.adding, self.press = adding, press
        self.places = _places(view.material, view.selected)
        self._moved = False

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        away = at - self.start
        if not self._moved and (away * self.view.scale).manhattanLength() <= STILL:
            return
        self._moved = True
        places = {i: (float(round(x + away.x())), float(round(y + away.y()))) for i, (x, y) in self.places.items()}
        self.wishes.edit("Move", lambda material: edits.move_nodes(material, places), "move")
        self.drop_wire = self._wire_under()

    def release(self, at: QPointF, event: QMouseEvent) -> None:
        node_id, into = self.slip.node_id, self.drop_wire
        if not self._moved:
            self.view.select(self.view.selected if self.adding else {node_id})
            self.press(self.slip, at)
        elif into:
            self.wishes.edit("Insert", lambda material: edits.insert(material, node_id, into))

    def _wire_under(self) -> str:
        """The wire that a lone, unwired slip would be inserted into if it were let go here."""
        view = self.view
        if len(self.places) != 1:
            return ""
        slip = view.spread.slips[self.slip.node_id]
        wired = {node_of(ref) for pair in view.material.wires.items() for ref in pair}
        if slip.node_id in wired:
            return ""
        wire = next((w for w in view.spread.wires if w.strands[0].intersects(slip.rect)), None)
        return wire.into if wire and edits.insertable(view.material, slip.node_id, wire.into) else ""


class MoveNote(Gesture):
    """Moves a note area and the slips in it, from where they were when it was taken hold of."""

    def __init__(self, view: CanvasView, wishes: Wishes, start: QPointF, note: Note) -> None:
        self.wishes, self.start, self.note = wishes, start, note
        self.places = _places(view.material, nodes_in(view.material, note))

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        away = at - self.start
        dx, dy = round(away.x()), round(away.y())
        self.wishes.edit("Move note", lambda m: edits.put_note_at(m, self.note, self.places, dx, dy), "note")


class PullWire(Gesture):
    """Pulls a wire from a port, or off the input it feeds; let go over nothing, the finder offers what fits."""

    def __init__(
        self,
        view: CanvasView,
        wishes: Wishes,
        slip: Slip,
        row: Row,
        open_finder: Callable[[QPointF, str, bool], object],
        offer: Callable[..., bool],
    ) -> None:
        """`open_finder` is told the place of the widget, the port, and whether that is an output.

        `offer` lists what of a slip fits, and tells whether anything does.
        """
        assert row.port
        self.view, self.wishes, self.open_finder, self.offer = view, wishes, open_finder, offer
        self.ref, self.from_output = port_ref(slip.node_id, row.port.name), row.is_output
        self.start, self.tips = slip.port_point(row), slip.teeth(row)
        wire = None if row.is_output else view.wire_into(self.ref)
        if wire:
            self.picked_up, self.ref, self.from_output = self.ref, view.material.wires[self.ref], True
            self.tips = [strand.pointAtPercent(0) for strand in wire.strands]

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        self.reason = self._why_not(at)

    def release(self, at: QPointF, event: QMouseEvent) -> None:
        if (at - self.start).manhattanLength() < 5 and not self.picked_up:
            return
        target, onto = self.view.port_at(at), self.view.spread.slip_at(at)
        if onto and onto.node_id == node_of(self.ref):
            onto = None
        if target:
            self._wire_to(*target, at)
        elif onto and not self.picked_up:
            if not self.offer(onto, self.ref, from_output=self.from_output, at=event.position()):
                self.wishes.told.emit(f"Nothing of {onto.title} takes this wire")
        elif self.picked_up:
            into = self.picked_up
            self.wishes.edit("Take off wire", lambda material: edits.disconnect(material, into))
        elif self.view.rect().contains(event.position().toPoint()):
            self.open_finder(event.position(), self.ref, self.from_output)
        elif not self.from_output:
            node_id, port = node_and_port(self.ref)
            self.wishes.exposed_below.emit(node_id, port, event.globalPosition().toPoint())

    def paint(self, painter: QPainter, at: QPointF, scale: float) -> None:
        """The strands from the port to the pointer."""
        middle = (len(self.tips) - 1) / 2
        loose = [at + QPointF(0, (i - middle) * TOOTH) for i in range(len(self.tips))]
        pairs = zip(self.tips, loose, strict=True)
        strands = [strand_path(tip, end) if self.from_output else strand_path(end, tip) for tip, end in pairs]
        paint_loose_wire(painter, strands, fits=not self.reason)

    def _wire_to(self, slip: Slip, row: Row, at: QPointF) -> None:
        assert row.port
        ref = port_ref(slip.node_id, row.port.name)
        if ref == self.picked_up or (ref == self.ref and row.is_output == self.from_output):
            return
        reason = self._why_not(at)
        if reason:
            self.wishes.told.emit(reason)
            return
        out, into = (self.ref, ref) if self.from_output else (ref, self.ref)
        self.wishes.edit("Wire", lambda material: self._wired(material, out, into))

    def _why_not(self, at: QPointF) -> str:
        target = self.view.port_at(at)
        if target is None:
            return ""
        slip, row = target
        assert row.port
        ref = port_ref(slip.node_id, row.port.name)
        if ref == self.ref and row.is_output == self.from_output:
            return ""
        if row.is_output == self.from_output:
            return "an output goes to an input" if row.is_output else "an input takes its value from an output"
        out, into = (self.ref, ref) if self.from_output else (ref, self.ref)
        try:
            self._wired(self.view.material, out, into)
        except LanternError as error:
            return str(error)
        return ""

    def _wired(self, material: Material, out: str, into: str) -> Material:
        """The material with the wire to a port, and no longer where it was taken off."""
        return wired(edits.disconnect(material, self.picked_up) if self.picked_up else material, out, into)


def _places(material: Material, node_ids: Iterable[str]) -> Places:
    return {i: (material.nodes[i].x, material.nodes[i].y) for i in node_ids}
