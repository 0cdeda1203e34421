"""The canvas: shows a material's graph and turns hands and keys into edits of it.

It never changes the document itself: `edited` tells the name of the edit and what it does to the graph.
"""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.app.canvas.actions import CanvasActions
from soft_lantern.app.canvas.finder import RECENT_MOST, Finder, Hand, Offer, offers
from soft_lantern.app.canvas.gestures import BoxHand, MoveHand, NoteHand, PanHand, WireHand
from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.shelf import PARAMETER_DRAG
from soft_lantern.errors import LanternError
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, changed, new_id, node_and_port, port_ref
from soft_lantern.graph.layout import nodes_in
from soft_lantern.graph.snippets import used_snippets
from soft_lantern.graph.unfold import can_unfold
from soft_lantern.values.kinds import Kind


class Canvas(CanvasActions):
    """Where a graph is built."""

    exposed_below = pyqtSignal(str, str, QPoint)
    """A port was dragged off the canvas: node id, port, and where on the screen it was let go."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.finder = Finder(self)
        self.finder.chosen.connect(self._place)
        self.finder.closed.connect(self._drop_loose_wire)
        self._waiting: tuple[QPointF, str] | None = None
        self._waiting_from_output = True
        self.recent: list[str] = []
        self.setAcceptDrops(True)

    def show_material(self, material: Material | None) -> None:
        """Show a material's graph; what was being typed into another one is dropped."""
        if material is None or material.id != self.material.id:
            self.finder.dismiss()
            self.type_in.close_quietly()
        super().show_material(material)

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
                    self._hand = NoteHand(at, note, self._places(nodes_in(self.material, note)))
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
            dx, dy = round(away.x()), round(away.y())
            self.edit("Move note", lambda m: edits.put_note_at(m, hand.note, hand.places, dx, dy), "note")
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
            self.edit("Insert", lambda material: edits.insert(material, hand.slip.node_id, drop_wire))
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
            elif slip.node.type == "snippet":
                self._select({slip.node_id})
                self.open_snippet()
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
            self.edit("Move", lambda material: edits.move_nodes(material, places), "nudge")
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
        menu = passing(QMenu(self))
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
            if slip.node.type == "snippet" or can_unfold(self.material, slip.node_id):
                menu.addAction("Unfold into nodes", self.unfold_selected)
            if slip.node.type == "snippet":
                menu.addAction("Open the snippet", self.open_snippet)
            menu.addAction("Make a snippet of the selected", self.make_snippet)
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
                menu.addAction("Remove note", lambda: self.edit("Remove note", lambda m: edits.remove_note(m, note.id)))
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
        self._hand = MoveHand(slip, at, self._places(self.selected), adding)

    def _places(self, node_ids: Iterable[str]) -> dict[str, tuple[float, float]]:
        return {i: (self.material.nodes[i].x, self.material.nodes[i].y) for i in node_ids}

    def _move(self, hand: MoveHand, at: QPointF) -> None:
        away = (at - hand.start) * self.scale
        if hand.moved or away.manhattanLength() > 4:
            hand.moved = True
            places = hand.moved_places(at)
            self.edit("Move", lambda material: edits.move_nodes(material, places), "move")
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
            _without_picked_up(self.material, hand, out, into)
        except LanternError as error:
            return str(error)
        return ""

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
            self.edit("Wire", lambda material: _without_picked_up(material, hand, out, into))
        elif hand.picked_up:
            self._disconnect(hand.picked_up)
        elif not self.rect().contains(event.position().toPoint()):
            if not hand.from_output:
                node_id, _, port = hand.ref.rpartition(".")
                self.exposed_below.emit(node_id, port, event.globalPosition().toPoint())
        else:
            self._open_finder(event.position(), "", hand.ref, from_output=hand.from_output)

    def _open_finder(self, place: QPointF, text: str, ref: str = "", *, from_output: bool = True) -> None:
        material = self.material
        fitting = None
        if ref:
            fitting = edits.fitting_inputs(material, ref) if from_output else edits.fitting_outputs(material, ref)
        kind = self._kind_of(ref, from_output) if ref else None
        self._waiting = (self.to_canvas(place), ref)
        self._waiting_from_output = from_output
        hand, snippets, recent = Hand(fitting, from_output, kind), self.snippets, tuple(self.recent)
        self.finder.open_at(place.toPoint(), text, lambda typed: offers(typed, material, hand, snippets, recent))

    def _kind_of(self, ref: str, from_output: bool) -> Kind:
        """What a port gives, or takes."""
        if from_output:
            return self.spread.kinds[ref]
        node_id, name = node_and_port(ref)
        row = self.spread.slips[node_id].row(name, is_output=False)
        return row.kind if row and row.kind else Kind.NUMBER

    def _drop_loose_wire(self) -> None:
        self._waiting = None
        self.setFocus()

    def _place(self, offer: Offer) -> None:
        if self._waiting is None:
            return
        place, ref = self._waiting
        self.recent = [offer.key, *(key for key in self.recent if key != offer.key)][:RECENT_MOST]
        if offer.piece:
            self._place_piece(offer, place, ref)
        else:
            self._place_node(offer.node, place, ref, f"Add {offer.title}", offer.port)

    def _free_input(self, port: str) -> str:
        """That input of the surface, where nothing feeds it yet."""
        surfaces = [i for i, n in self.material.nodes.items() if n.type == "surface"]
        ref = port_ref(surfaces[0], port) if surfaces and port else ""
        return "" if ref in self.material.wires else ref

    def _place_piece(self, offer: Offer, place: QPointF, ref: str) -> None:
        """Put a recipe on the canvas, its end into the input in the hand, or that of the surface it is meant for."""
        assert offer.piece
        piece, end = offer.piece()
        right = max(n.x for n in piece.nodes.values())
        back = right + 190.0 if ref and not self._waiting_from_output else 0.0
        node_id, port = node_and_port(end)
        into = ref or self._free_input(offer.into)
        ids: list[str] = []

        def placed(material: Material) -> Material:
            material, ids[:] = edits.paste(material, piece, place.x() - back, place.y() - 20)
            renamed = dict(zip(piece.nodes, ids, strict=True))
            if not into:
                return material
            try:
                material = edits.connect(material, port_ref(renamed[node_id], port), into)
            except LanternError as error:
                self.told.emit(str(error))  # it stands on the canvas, unwired
                return material
            surface = node_and_port(into)[0]
            if offer.blends and material.node(surface).type == "surface":
                material = edits.choose_setting(material, surface, "alpha_mode", "blend")
            return material

        self._waiting = None
        self.edit(f"Add {offer.title}", placed)
        self._select(set(ids))
        self.setFocus()

    def _place_node(self, node: Node, place: QPointF, ref: str, name: str, port: str = "") -> None:
        node_id = new_id(node.type)
        back = 0.0 if not ref or self._waiting_from_output else 150.0
        node = changed(node, x=float(round(place.x() - back)), y=float(round(place.y() - 20)))
        from_output, snippets = self._waiting_from_output, self.snippets

        def placed(base: Material) -> Material:
            if node.type == "snippet":
                used = used_snippets(changed(base, nodes={node_id: node}), snippets)
                base = changed(base, snippets=base.snippets | used)
            material = edits.add_node(base, node_id, node)
            if ref and from_output:
                return edits.connect(material, ref, port_ref(node_id, port))
            return edits.connect(material, port_ref(node_id, port), ref) if ref else material

        self.edit(name, placed)
        if node_id in self.material.nodes:
            self._waiting = None
            self._select({node_id})
        self.setFocus()

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

    def _choose_setting(self, slip: Slip, row: Row) -> None:
        assert row.setting
        if row.setting.typed:
            self.type_setting(slip, row)
            return
        menu = passing(QMenu(self))
        for choice in row.setting.choices:
            action = menu.addAction(choice)
            if action:
                action.setCheckable(True)
                action.setChecked(choice == row.choice)
                action.triggered.connect(
                    lambda _, choice=choice: self._reshape(
                        f"Choose {choice}",
                        slip.node_id,
                        lambda material: edits.choose_setting(material, slip.node_id, row.name, choice),
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

    def _hover(self, at: QPointF) -> None:
        slip = self.spread.slip_at(at)
        texts = [n.text for n in self.notices if slip and n.node == slip.node_id]
        self.setToolTip(tip("\n".join(texts)))
        self.setCursor(Qt.CursorShape.CrossCursor if self.spread.port_at(at) else Qt.CursorShape.ArrowCursor)


def _without_picked_up(material: Material, hand: WireHand, out: str, into: str) -> Material:
    """The material with a wire that was pulled to a port, and no longer where it was taken off."""
    return edits.connect(edits.disconnect(material, hand.picked_up) if hand.picked_up else material, out, into)


def _only(ids: set[str]) -> str:
    return next(iter(ids))
