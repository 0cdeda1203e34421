"""The canvas: shows a material's graph and turns hands and keys into wishes for edits of it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.canvas_menu import canvas_menu
from soft_lantern.app.canvas.gesture import Gesture
from soft_lantern.app.canvas.gestures import MoveNote, MoveSlips, Pan, PullWire, SelectBox
from soft_lantern.app.canvas.graph_actions import GraphActions
from soft_lantern.app.canvas.placing import Placing
from soft_lantern.app.canvas.port_keys import PortKeys
from soft_lantern.app.canvas.shapes import Slip
from soft_lantern.app.canvas.steps import Steps
from soft_lantern.app.canvas.value_typing import ValueTyping
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.shelf import PARAMETER_DRAG
from soft_lantern.graph.document import Material
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Kind

_NUDGES = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Canvas(CanvasView):
    """Where a graph is built. What it asks for is told by `wishes`."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.wishes = Wishes(lambda: self.material, self)
        self.acts = GraphActions(self, self.wishes)
        self.typing = ValueTyping(self, self.wishes)
        self.placing = Placing(self, self.wishes)
        self.steps = Steps(self)
        self.ports = PortKeys(self, self.wishes, self.acts, self.typing, self.placing)
        self.acts.note_added.connect(self.typing.rename_note)
        self.setAcceptDrops(True)

    def show_material(self, material: Material | None) -> None:
        """Show a material's graph; what was being typed into another one is dropped."""
        if material is None or material.id != self.material.id:
            self.placing.finder.dismiss()
            self.typing.type_in.close_quietly()
        super().show_material(material)

    def open_finder(self, text: str = "") -> None:
        """Open the finder at the pointer, or in the middle."""
        inside = self.rect().contains(self.pointer.toPoint()) and self.underMouse()
        self.placing.open(self.pointer if inside else QPointF(self.rect().center()), text)

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self.placing.finder.dismiss()
        self.pointer = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self.gesture = Pan(self, event.position())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            adding = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.gesture = self._begun(self.to_canvas(event.position()), adding) or self.gesture
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.pointer = event.position()
        at = self.to_canvas(event.position())
        if self.gesture is None:
            self._hover(at)
            return
        self.gesture.move(at, event)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        ended, self.gesture = self.gesture, None
        self.unsetCursor()
        if ended:
            ended.release(self.to_canvas(event.position()), event)
        self.update()

    def _begun(self, at: QPointF, adding: bool) -> Gesture | None:
        """The gesture that a press begins at a place."""
        port, slip = self.port_at(at), self.spread.slip_at(at)
        if port:
            return PullWire(self, self.wishes, *port, self._find_for, self.ports.offer_fitting)
        if slip:
            self.selected_wire = ""
            if adding:
                self.select(self.selected ^ {slip.node_id})
            elif slip.node_id not in self.selected:
                self.select({slip.node_id})
            return MoveSlips(self, self.wishes, slip, at, adding, self._press_row)
        wire, note = self.spread.wire_at(at), self.note_title_at(at)
        if wire:
            self.select(set())
            self.selected_wire = wire.into
            self.selection_changed.emit()
            return None
        self.selected_wire = ""
        if note:
            return MoveNote(self, self.wishes, at, note)
        kept = set(self.selected) if adding else set()
        self.select(kept)
        return SelectBox(self, at, kept)

    def _find_for(self, place: QPointF, ref: str, from_output: bool) -> None:
        self.placing.open(place, "", ref, from_output=from_output)

    def _press_row(self, slip: Slip, at: QPointF) -> None:
        """A press on a row edits what it holds."""
        row = self.row_at(slip, at)
        if row and row.setting:
            self.typing.choose_setting(slip, row)
        elif row and row.value is not None and at.x() > slip.rect.center().x() - 20:
            self.typing.type_into(slip, row)

    def _type_over(self, text: str) -> bool:
        """A number begun while the pointer is over a value changes that value."""
        at = self.to_canvas(self.pointer)
        slip = self.spread.slip_at(at) if self.underMouse() else None
        row = self.row_at(slip, at) if slip else None
        if slip is None or row is None or row.value is None or (row.kind and row.kind.is_read):
            return False
        if text not in "0123456789.-−#" or (text == "#") is not (row.kind is Kind.COLOUR):
            return False
        self.select({slip.node_id})
        self.typing.type_into(slip, row, text)
        return True

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = self.to_canvas(event.position())
        slip, wire, note = self.spread.slip_at(at), self.spread.wire_at(at), self.note_title_at(at)
        if slip and at.y() >= slip.rect.top() + 28:
            return
        if slip is None and wire:
            self.acts.add_elbow(wire.into, at)
            return
        self.gesture = None
        if slip and slip.node.role is Role.FORMULA:
            self.typing.edit_formula(slip)
        elif slip and slip.node.role is Role.SNIPPET:
            self.select({slip.node_id})
            self.acts.open_snippet()
        elif slip:
            self.typing.rename(slip)
        elif note:
            self.typing.rename_note(note)
        else:
            self.placing.open(event.position())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        self.typing.type_in.close_quietly()
        super().wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        plain = not event.modifiers() & ~(
            Qt.KeyboardModifier.ShiftModifier
            | Qt.KeyboardModifier.KeypadModifier
            | Qt.KeyboardModifier.GroupSwitchModifier
        )
        nudge = _NUDGES.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.acts.delete_selected()
        elif event.key() == Qt.Key.Key_Escape:
            self.gesture = None
            self.select(set())
            self.selected_wire = ""
            self.update()
        elif nudge and self.selected:
            step = 20 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 4
            self.acts.nudge(nudge[0] * step, nudge[1] * step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
            self.ports.open()
        elif plain and event.text().strip() and event.text().isprintable():
            if not self._type_over(event.text()):
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
            (chosen,) = self.selected
            current = ids.index(chosen)
        following = current + (1 if next else -1)
        if 0 <= following < len(ids):
            self.select({ids[following]})
            self.update()
            return True
        return super().focusNextPrevChild(next)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        menu = canvas_menu(self, self.acts, self.typing, self.placing, QPointF(event.pos()))
        menu.exec(event.globalPos())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self.gesture is not None or event is None:
            return
        if self.framed == (self.scale, self.origin) or not self.spread.slips:
            self.frame_all(whole=True)  # nobody has looked closer yet
        else:  # what is in the middle stays there
            grown = event.size() - event.oldSize()
            self.origin += QPointF(grown.width(), grown.height()) / 2

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(PARAMETER_DRAG):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(PARAMETER_DRAG):
            parameter_id = bytes(data.data(PARAMETER_DRAG).data()).decode()
            self.placing.place_parameter(parameter_id, event.position())
            event.acceptProposedAction()

    def _hover(self, at: QPointF) -> None:
        slip = self.spread.slip_at(at)
        texts = [n.text for n in self.notices if slip and n.node == slip.node_id]
        self.setToolTip(tip("\n".join(texts)))
        self.setCursor(self._pointer_at(at, slip))

    def _pointer_at(self, at: QPointF, slip: Slip | None) -> Qt.CursorShape:
        """Wires are pulled from ports, values are typed over, settings and wires are clicked."""
        row = self.row_at(slip, at) if slip else None
        if self.port_at(at):
            return Qt.CursorShape.CrossCursor
        if (row and row.setting) or (slip is None and self.spread.wire_at(at)):
            return Qt.CursorShape.PointingHandCursor
        typed = slip and row and row.value is not None and at.x() > slip.rect.center().x() - 20
        return Qt.CursorShape.IBeamCursor if typed else Qt.CursorShape.ArrowCursor
