"""The canvas: shows a material's graph and turns hands and keys into edits of it.

It never changes the document itself: `edited` tells the name of the edit and the material wanted.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.app.canvas.finder import Finder, Offer, offers
from soft_lantern.app.canvas.hands import BoxHand, MoveHand, NoteHand, PanHand, WireHand
from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.canvas.typing_in import TypeIn
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.widgets.colour_button import ColourPicker
from soft_lantern.app.widgets.shelf import PARAMETER_DRAG
from soft_lantern.errors import LanternError
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, Note, changed, new_id, node_and_port, port_ref
from soft_lantern.graph.layout import ELBOW, NOTE_TITLE, around, nodes_in, tidy
from soft_lantern.graph.unfold import unfold
from soft_lantern.values.kinds import Kind, Value, components

CLIPBOARD = "application/x-soft-lantern-nodes+json"


class Canvas(CanvasView):
    """Where a graph is built."""

    edited = pyqtSignal(str, object, str)
    told = pyqtSignal(str)
    exposed_below = pyqtSignal(str, str, QPoint)
    """A port was dragged off the canvas: node id, port, and where on the screen it was let go."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.finder = Finder(self)
        self.finder.chosen.connect(self._place)
        self.finder.closed.connect(self._drop_loose_wire)
        self.type_in = TypeIn(self)
        self._waiting: tuple[QPointF, str] | None = None
        self.setAcceptDrops(True)

    def show_material(self, material: Material | None) -> None:
        """Show a material's graph; what was being typed into another one is dropped."""
        if material is None or material.id != self.material.id:
            self.finder.dismiss()
            self.type_in.close_quietly()
        super().show_material(material)

    # Edits

    def _attempt(self, name: str, edit: Callable[[], Material]) -> None:
        try:
            self.edit(name, edit())
        except LanternError as error:
            self.told.emit(str(error))

    def edit(self, name: str, material: Material, merge: str = "") -> None:
        """Ask for an edit."""
        if material is not self.material:
            self.edited.emit(name, material, merge)

    def delete_selected(self) -> None:
        """Take away the selected slips, or the selected wire."""
        if self.selected:
            self.edit("Delete", edits.remove_nodes(self.material, self.selected))
        elif self.selected_wire:
            self.edit("Take off wire", edits.disconnect(self.material, self.selected_wire))

    def copy_selected(self) -> None:
        """Put the selected slips on the clipboard."""
        if self.selected:
            piece = edits.fragment(self.material, self.selected)
            data = QMimeData()
            data.setData(CLIPBOARD, msgspec.json.encode(piece))
            data.setText(msgspec.json.encode(piece).decode())
            clipboard = QGuiApplication.clipboard()
            if clipboard:
                clipboard.setMimeData(data)

    def cut_selected(self) -> None:
        """Copy, then delete."""
        if self.selected:
            self.copy_selected()
            self.delete_selected()

    def paste(self) -> None:
        """Put what is on the clipboard beside where it came from, or under the pointer."""
        clipboard = QGuiApplication.clipboard()
        data = clipboard.mimeData() if clipboard else None
        if data is None or not data.hasFormat(CLIPBOARD):
            self.told.emit("There are no nodes on the clipboard")
            return
        try:
            piece = msgspec.json.decode(bytes(data.data(CLIPBOARD).data()), type=Material)
        except msgspec.MsgspecError:
            self.told.emit("What is on the clipboard is not a piece of a graph")
            return
        left, top = min(n.x for n in piece.nodes.values()), min(n.y for n in piece.nodes.values())
        at = self.to_canvas(self._pointer if self.rect().contains(self._pointer.toPoint()) else QPointF(60, 60))
        self._paste("Paste", piece, at.x() - left, at.y() - top)

    def duplicate_selected(self) -> None:
        """Copy the selected slips in place, a little aside, with the wires that feed them."""
        if not self.selected:
            return
        piece = edits.fragment(self.material, self.selected)
        self._paste("Duplicate", piece, 28, 28)

    def select_all(self) -> None:
        """Select every slip."""
        self._select(set(self.material.nodes))

    def tidy(self) -> None:
        """Lay the graph out in columns."""
        self.edit("Tidy", tidy(self.material))
        self._select(set())
        self.frame_all()

    def expose_selected(self) -> None:
        """Expose the value of each selected constant."""
        material = self.material
        try:
            for node_id in self.selected:
                if material.nodes[node_id].type in ("number", "colour"):
                    material, _ = edits.expose(material, node_id, "value")
        except LanternError as error:
            self.told.emit(str(error))
            return
        if material is self.material:
            self.told.emit("Select a number or colour to expose, or drag a port down to the shelf")
        self.edit("Expose", material)

    def add_next(self) -> None:
        """Open the finder for what could follow the selected slip, wired to it."""
        if len(self.selected) == 1:
            slip = self.spread.slips[_only(self.selected)]
            out = next((r for r in slip.rows if r.is_output), None)
            if out and out.port:
                ref = port_ref(slip.node_id, out.port.name)
                place = slip.rect.topRight() + QPointF(60, 0)
                self._open_finder(self.to_widget(place), "", ref, from_output=True)

    def open_finder(self, text: str = "") -> None:
        """Open the finder at the pointer, or in the middle."""
        inside = self.rect().contains(self._pointer.toPoint()) and self.underMouse()
        self._open_finder(self._pointer if inside else QPointF(self.rect().center()), text)

    def add_elbow(self, into: str, at: QPointF) -> None:
        """Put a bend into a wire."""
        half = ELBOW / 2
        elbow = Node(type="elbow", x=float(round(at.x() - half)), y=float(round(at.y() - half)))
        out, node_id = self.material.wires[into], new_id("elbow")

        def bent() -> Material:
            joined = edits.connect(edits.add_node(self.material, node_id, elbow), out, port_ref(node_id, "value"))
            return edits.connect(joined, port_ref(node_id, "out"), into)

        self._attempt("Add elbow", bent)

    def add_note(self) -> None:
        """Draw a note area round the selected slips and type its title."""
        if self.selected:
            note = around(
                self.material, self.selected, Note(id=new_id("note"), title="Note", x=0, y=0, width=0, height=0)
            )
            self.edit("Add note", edits.add_note(self.material, note))
            self.rename_note(note)
        else:
            self.told.emit("Select the slips that the note is to go round")

    def rename_note(self, note: Note) -> None:
        """Type another title for a note area."""

        def titled(text: str) -> None:
            self.edit("Rename note", edits.add_note(self.material, changed(note, title=text.strip())))

        self.type_in.open(self._widget_rect(QRectF(note.x + 8, note.y + 2, 200, 22)), note.title, titled)

    def unfold_selected(self) -> None:
        """Turn the selected formulas into plain nodes."""
        formulas = [i for i in self.selected if self.material.nodes[i].type == "formula"]
        if not formulas:
            self.told.emit("Select a formula to unfold")
            return

        def unfolded() -> Material:
            material = self.material
            for node_id in formulas:
                material = unfold(material, node_id)
            return material

        self._attempt("Unfold formula", unfolded)

    def _note_title_at(self, at: QPointF) -> Note | None:
        for note in reversed(self.material.notes):
            if QRectF(note.x, note.y, note.width, NOTE_TITLE + 4).contains(at):
                return note
        return None

    def find_node(self) -> None:
        """Type part of a node's name to go to it."""

        def named(text: str) -> None:
            words = text.strip().lower()
            found = [s.node_id for s in self.spread.slips.values() if words and words in s.title.lower()]
            if found:
                self.go_to(found[0])
            else:
                self.told.emit(f"No node here is called “{text}”")

        self.type_in.open(QRectF(12, 12, 240, 26), "", named)

    def rename(self, slip: Slip) -> None:
        """Type another name for a slip."""
        area = QRectF(slip.rect.left() + 6, slip.rect.top() + 3, slip.rect.width() - 26, 24)

        def renamed(text: str) -> None:
            self.edit("Rename", edits.change_node(self.material, slip.node_id, name=text.strip()))

        self.type_in.open(self._widget_rect(area), slip.title, renamed)

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self.finder.dismiss()
        self._pointer = event.position()
        at = self.to_canvas(event.position())
        if event.button() == Qt.MouseButton.MiddleButton:
            self._hand = PanHand(event.position(), QPointF(self.origin))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            port = self.spread.port_at(at)
            slip = self.spread.slip_at(at)
            if port:
                self._take_wire(*port)
            elif slip:
                self._take_slip(slip, at, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            else:
                wire = self.spread.wire_at(at)
                note = self._note_title_at(at)
                self.selected_wire = wire.into if wire else ""
                if wire:
                    self.selection_changed.emit()
                if not wire and note:
                    self._hand = NoteHand(at, self.material, note.id, nodes_in(self.material, note))
                elif not wire:
                    keep = self.selected if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else set()
                    self._select(set(keep))
                    self._hand = BoxHand(at, QRectF(at, at), set(keep))
                else:
                    self._select(set())
                    self.selected_wire = wire.into
                    self.selection_changed.emit()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pointer = event.position()
        at = self.to_canvas(event.position())
        hand = self._hand
        if isinstance(hand, PanHand):
            self.origin = hand.origin + event.position() - hand.start
        elif isinstance(hand, BoxHand):
            hand.box = QRectF(hand.start, at).normalized()
            inside = {i for i, s in self.spread.slips.items() if hand.box.intersects(s.rect)}
            self._select(hand.kept | inside)
        elif isinstance(hand, MoveHand):
            self._move(hand, at)
        elif isinstance(hand, NoteHand):
            away = at - hand.start
            moved = edits.move_note(hand.material, hand.note_id, hand.node_ids, round(away.x()), round(away.y()))
            self.edit("Move note", moved, "note")
        elif isinstance(hand, WireHand):
            hand.reason = self._why_not(hand, at)
        else:
            self._hover(at)
            return
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        hand, self._hand = self._hand, None
        self.unsetCursor()
        at = self.to_canvas(event.position())
        drop_wire, self._drop_wire = self._drop_wire, ""
        if isinstance(hand, MoveHand) and not hand.moved:
            self._select({hand.slip.node_id} if not hand.adding else self.selected)
            self._press_row(hand.slip, at)
        elif isinstance(hand, MoveHand) and drop_wire:
            self._attempt("Insert", lambda: edits.insert(self.material, hand.slip.node_id, drop_wire))
        elif isinstance(hand, WireHand):
            self._let_go(hand, event)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = self.to_canvas(event.position())
        slip = self.spread.slip_at(at)
        if slip and at.y() < slip.rect.top() + 28:
            self._hand = None
            if slip.node.type == "formula":
                self.edit_formula(slip)
            else:
                self.rename(slip)
        elif not slip and (wire := self.spread.wire_at(at)):
            self.add_elbow(wire.into, at)
        elif not slip and (note := self._note_title_at(at)):
            self._hand = None
            self.rename_note(note)
        elif not slip:
            self._hand = None
            self._open_finder(event.position(), "")

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        self.type_in.close_quietly()
        super().wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        plain = not event.modifiers() & ~(
            Qt.KeyboardModifier.ShiftModifier
            | Qt.KeyboardModifier.KeypadModifier
            | Qt.KeyboardModifier.GroupSwitchModifier
        )
        nudge = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.delete_selected()
        elif event.key() == Qt.Key.Key_Escape:
            self._hand = None
            self._select(set())
            self.selected_wire = ""
            self.update()
        elif nudge and self.selected:
            step = 20 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 4
            places = {
                i: (self.material.nodes[i].x + nudge[0] * step, self.material.nodes[i].y + nudge[1] * step)
                for i in self.selected
            }
            self.edit("Move", edits.move_nodes(self.material, places), "nudge")
        elif plain and event.text().strip() and event.text().isprintable():
            self.open_finder(event.text())
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes from slip to slip, and on to the next widget after the last."""
        if not self.hasFocus():
            return super().focusNextPrevChild(next)
        order = sorted(self.spread.slips.values(), key=lambda s: (s.rect.left(), s.rect.top()))
        ids = [s.node_id for s in order]
        current = -1 if next else len(ids)
        if len(self.selected) == 1:
            current = ids.index(_only(self.selected))
        following = current + (1 if next else -1)
        if 0 <= following < len(ids):
            self._select({ids[following]})
            self.update()
            return True
        return super().focusNextPrevChild(next)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        at = self.to_canvas(QPointF(event.pos()))
        slip = self.spread.slip_at(at)
        port = self.spread.port_at(at)
        menu = QMenu(self)
        if slip and slip.node_id not in self.selected:
            self._select({slip.node_id})
        row = port[1] if port else self._row_at(slip, at) if slip else None
        owner = port[0] if port else slip
        if owner and row and row.port and not row.is_output:
            self._offer_row(menu, owner, row)
        if slip:
            menu.addAction("Rename…", lambda: self.rename(slip))
            menu.addAction("Dissolve", self.dissolve_selected)
            menu.addAction("Hide or show thumbnail", self.hide_thumbnails)
            if slip.node.type == "formula":
                menu.addAction("Edit formula…", lambda: self.edit_formula(slip))
                menu.addAction("Unfold into nodes", self.unfold_selected)
            menu.addAction("Duplicate", self.duplicate_selected)
            menu.addAction("Copy", self.copy_selected)
            menu.addAction("Delete", self.delete_selected)
        else:
            wire = self.spread.wire_at(at)
            if wire:
                menu.addAction("Take off wire", lambda: self._disconnect(wire.into))
            note = self._note_title_at(at)
            if note:
                menu.addAction("Rename note…", lambda: self.rename_note(note))
                menu.addAction(
                    "Remove note", lambda: self.edit("Remove note", edits.remove_note(self.material, note.id))
                )
            menu.addAction("Add a node…", lambda: self._open_finder(QPointF(event.pos()), ""))
            menu.addAction("Paste", self.paste)
            menu.addAction("Tidy", self.tidy)
            menu.addAction("Frame", self.frame_all)
        menu.exec(event.globalPos())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self._framed_for != self.material.id or self._hand is None:
            self.frame_all()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(PARAMETER_DRAG):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(PARAMETER_DRAG):
            self.place_parameter(bytes(data.data(PARAMETER_DRAG).data()).decode(), event.position())
            event.acceptProposedAction()

    def place_parameter(self, parameter_id: str, place: QPointF) -> None:
        """Put a node that shows a parameter at a place of the widget."""
        if self.material.parameter(parameter_id):
            self._waiting = None
            node = Node(type="parameter", settings={"parameter": parameter_id})
            self._place_node(node, self.to_canvas(place), "", "Place parameter")

    # Within

    def _take_slip(self, slip: Slip, at: QPointF, adding: bool) -> None:
        if adding:
            self._select(self.selected ^ {slip.node_id})
        elif slip.node_id not in self.selected:
            self._select({slip.node_id})
        self.selected_wire = ""
        self._hand = MoveHand(
            slip, at, {i: (self.material.nodes[i].x, self.material.nodes[i].y) for i in self.selected}, adding
        )

    def _move(self, hand: MoveHand, at: QPointF) -> None:
        away = (at - hand.start) * self.scale
        if hand.moved or away.manhattanLength() > 4:
            hand.moved = True
            self.edit("Move", edits.move_nodes(self.material, hand.moved_places(at)), "move")
            self._drop_wire = self._wire_under(hand)

    def _wire_under(self, hand: MoveHand) -> str:
        """The wire that a lone, unwired slip would be inserted into if it were let go here."""
        if len(hand.places) != 1:
            return ""
        slip = self.spread.slips[hand.slip.node_id]
        wired = {node_and_port(ref)[0] for pair in self.material.wires.items() for ref in pair}
        if slip.node_id in wired:
            return ""
        wire = next((w for w in self.spread.wires if w.strands[0].intersects(slip.rect)), None)
        return wire.into if wire and edits.insertable(self.material, slip.node_id, wire.into) else ""

    def dissolve_selected(self) -> None:
        """Take the selected slips out and heal the wires through them."""
        if self.selected:
            self.edit("Dissolve", edits.dissolve(self.material, self.selected))

    def align_selected(self) -> None:
        """Put the selected slips' left edges in line."""
        if len(self.selected) > 1:
            left = min(self.material.nodes[i].x for i in self.selected)
            places = {i: (left, self.material.nodes[i].y) for i in self.selected}
            self.edit("Align", edits.move_nodes(self.material, places))

    def hide_thumbnails(self) -> None:
        """Hide or show the thumbnails of the selected slips, or of all."""
        ids = self.selected or set(self.material.nodes)
        wanted = not any(self.material.nodes[i].thumbnail for i in ids)
        material = self.material
        for node_id in ids:
            material = edits.change_node(material, node_id, thumbnail=wanted)
        self.edit("Show thumbnails" if wanted else "Hide thumbnails", material)

    def _take_wire(self, slip: Slip, row: Row) -> None:
        assert row.port
        ref = port_ref(slip.node_id, row.port.name)
        if not row.is_output and ref in self.material.wires:
            out = self.material.wires[ref]
            wire = self._wire_into(ref)
            if wire:
                starts = [s.pointAtPercent(0) for s in wire.strands]
                self._hand = WireHand(out, True, starts, slip.port_point(row), picked_up=ref)
                return
        self._hand = WireHand(ref, row.is_output, slip.teeth(row), slip.port_point(row))

    def _why_not(self, hand: WireHand, at: QPointF) -> str:
        target = self.spread.port_at(at)
        if target is None:
            return ""
        slip, row = target
        assert row.port
        ref = port_ref(slip.node_id, row.port.name)
        if ref == hand.ref and row.is_output == hand.from_output:
            return ""
        if row.is_output == hand.from_output:
            return "an output goes to an input" if row.is_output else "an input takes its value from an output"
        out, into = (hand.ref, ref) if hand.from_output else (ref, hand.ref)
        try:
            edits.connect(self._without_picked_up(hand), out, into)
        except LanternError as error:
            return str(error)
        return ""

    def _without_picked_up(self, hand: WireHand) -> Material:
        return edits.disconnect(self.material, hand.picked_up) if hand.picked_up else self.material

    def _let_go(self, hand: WireHand, event: QMouseEvent) -> None:
        at = self.to_canvas(event.position())
        target = self.spread.port_at(at)
        if (at - hand.start).manhattanLength() < 5 and not hand.picked_up:
            return
        if target:
            slip, row = target
            assert row.port
            ref = port_ref(slip.node_id, row.port.name)
            if ref == hand.picked_up or (ref == hand.ref and row.is_output == hand.from_output):
                return
            reason = self._why_not(hand, at)
            if reason:
                self.told.emit(reason)
                return
            out, into = (hand.ref, ref) if hand.from_output else (ref, hand.ref)
            self.edit("Wire", edits.connect(self._without_picked_up(hand), out, into))
        elif hand.picked_up:
            self._disconnect(hand.picked_up)
        elif not self.rect().contains(event.position().toPoint()):
            if not hand.from_output:
                node_id, _, port = hand.ref.rpartition(".")
                self.exposed_below.emit(node_id, port, event.globalPosition().toPoint())
        else:
            self._open_finder(event.position(), "", hand.ref, from_output=hand.from_output)

    def _disconnect(self, into: str) -> None:
        self.edit("Take off wire", edits.disconnect(self.material, into))

    def _open_finder(self, place: QPointF, text: str, ref: str = "", *, from_output: bool = True) -> None:
        material = self.material
        fitting = None
        if ref:
            fitting = edits.fitting_inputs(material, ref) if from_output else edits.fitting_outputs(material, ref)
        self._waiting = (self.to_canvas(place), ref)
        self._waiting_from_output = from_output
        self.finder.open_at(place.toPoint(), text, lambda typed: offers(typed, material, fitting))

    def _drop_loose_wire(self) -> None:
        self._waiting = None
        self.setFocus()

    def _place(self, offer: Offer) -> None:
        if self._waiting is None:
            return
        place, ref = self._waiting
        self._place_node(offer.node, place, ref, f"Add {offer.title}", offer.port)

    def _place_node(self, node: Node, place: QPointF, ref: str, name: str, port: str = "") -> None:
        node_id = new_id(node.type)
        back = 0.0 if not ref or self._waiting_from_output else 150.0
        node = changed(node, x=float(round(place.x() - back)), y=float(round(place.y() - 20)))
        try:
            material = edits.add_node(self.material, node_id, node)
            if ref and self._waiting_from_output:
                material = edits.connect(material, ref, port_ref(node_id, port))
            elif ref:
                material = edits.connect(material, port_ref(node_id, port), ref)
        except LanternError as error:
            self.told.emit(str(error))
            return
        self._waiting = None
        self.edit(name, material)
        self._select({node_id})
        self.setFocus()

    def _paste(self, name: str, piece: Material, dx: float, dy: float) -> None:
        material, ids = edits.paste(self.material, piece, dx, dy)
        self.edit(name, material)
        self._select(set(ids))

    def _row_at(self, slip: Slip, at: QPointF) -> Row | None:
        return next((r for r in slip.rows if slip.row_rect(r).contains(at)), None)

    def _press_row(self, slip: Slip, at: QPointF) -> None:
        """A press on a row edits what it holds."""
        row = self._row_at(slip, at)
        if row is None:
            return
        if row.setting:
            self._choose_setting(slip, row)
        elif row.value is not None and not slip.parameter and at.x() > slip.rect.center().x() - 20:
            self.type_into(slip, row)

    def type_into(self, slip: Slip, row: Row) -> None:
        """Edit the value typed at an unwired input: a field for numbers, a picker for colours."""
        assert row.port and row.value is not None
        name = row.port.name
        if row.kind is Kind.COLOUR:
            picker = ColourPicker(_as_colour(row.value), self)
            picker.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            picker.changed.connect(lambda value: self._type_value(slip.node_id, name, value))
            picker.open_at(self.mapToGlobal(self.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))
            return
        rect = slip.row_rect(row)
        area = QRectF(rect.center().x() - 8, rect.top() + 1, rect.width() / 2 + 4, rect.height() - 3)
        parts = components(row.value)
        text = ", ".join(f"{part:.9g}" for part in parts)

        def typed(text: str) -> None:
            try:
                numbers = tuple(float(part) for part in text.replace("−", "-").replace(";", ",").split(","))
                if any(abs(n) > 1e30 or n != n for n in numbers):
                    raise ValueError
                self._type_value(slip.node_id, name, numbers if len(numbers) > 1 else numbers[0])
            except ValueError:
                self.told.emit(f"“{text}” is not a number")

        self.type_in.open(self._widget_rect(area), text, typed)

    def _type_value(self, node_id: str, port: str, value: Value) -> None:
        try:
            self.edit("Type value", edits.type_value(self.material, node_id, port, value), f"type {node_id}.{port}")
        except LanternError as error:
            self.told.emit(str(error))

    def edit_formula(self, slip: Slip) -> None:
        """Type another expression for a formula; ports that keep their names keep their wires."""
        area = QRectF(slip.rect.left() + 6, slip.rect.top() + 3, 260, 24)

        def typed(text: str) -> None:
            self._attempt("Edit formula", lambda: edits.change_formula(self.material, slip.node_id, text))

        self.type_in.open(self._widget_rect(area), slip.node.settings.get("expression", ""), typed)

    def _choose_setting(self, slip: Slip, row: Row) -> None:
        assert row.setting
        menu = QMenu(self)
        for choice in row.setting.choices:
            action = menu.addAction(choice)
            if action:
                action.setCheckable(True)
                action.setChecked(choice == row.choice)
                action.triggered.connect(
                    lambda _, choice=choice: self.edit(
                        f"Choose {choice}",
                        edits.choose_setting(self.material, slip.node_id, row.name, choice),
                    )
                )
        menu.popup(self.mapToGlobal(self.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))

    def _offer_row(self, menu: QMenu, slip: Slip, row: Row) -> None:
        assert row.port
        ref = port_ref(slip.node_id, row.port.name)
        if row.wired:
            menu.addAction(f"Take wire off {row.port.label}", lambda: self._disconnect(ref))
        elif row.value is not None and not slip.parameter:
            menu.addAction(f"Expose {row.port.label} as a parameter", lambda: self._expose(slip.node_id, row.name))
            menu.addAction(f"Type {row.port.label}…", lambda: self.type_into(slip, row))
        menu.addSeparator()

    def _expose(self, node_id: str, port: str) -> None:
        self._attempt("Expose", lambda: edits.expose(self.material, node_id, port)[0])

    def _hover(self, at: QPointF) -> None:
        slip = self.spread.slip_at(at)
        texts = [n.text for n in self.notices if slip and n.node == slip.node_id]
        self.setToolTip("\n".join(texts))
        self.setCursor(Qt.CursorShape.CrossCursor if self.spread.port_at(at) else Qt.CursorShape.ArrowCursor)

    def _widget_rect(self, area: QRectF) -> QRectF:
        return QRectF(self.to_widget(area.topLeft()), self.to_widget(area.bottomRight()))


def _only(ids: set[str]) -> str:
    return next(iter(ids))


def _as_colour(value: Value) -> tuple[float, ...]:
    parts = components(value)
    return parts if len(parts) >= 3 else (*parts[:1] * 3, 1.0)
