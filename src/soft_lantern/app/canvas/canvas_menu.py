"""What the right button offers on the canvas: for a port, a slip, a wire, a note, or the empty place."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QMenu

from soft_lantern.app.canvas.graph_actions import GraphActions
from soft_lantern.app.canvas.placing import Placing
from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.canvas.value_typing import ValueTyping
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import port_ref
from soft_lantern.graph.unfold import can_unfold
from soft_lantern.nodes import Role


def canvas_menu(
    view: CanvasView, actions: GraphActions, typing: ValueTyping, placing: Placing, place: QPointF
) -> QMenu:
    """The menu for a place of the widget."""
    at = view.to_canvas(place)
    slip, port = view.spread.slip_at(at), view.port_at(at)
    menu = passing(QMenu(view))
    if slip and slip.node_id not in view.selected:
        view.select({slip.node_id})
    row = port[1] if port else view.row_at(slip, at) if slip else None
    owner = port[0] if port else slip
    if owner and row and row.port and not row.is_output:
        _offer_row(menu, actions, typing, owner, row)
    if slip:
        _offer_slip(menu, view, actions, typing, slip)
        return menu
    wire, note = view.spread.wire_at(at), view.note_title_at(at)
    if wire:
        menu.addAction("Take off wire", lambda: actions.disconnect_wire(wire.into))
    if note:
        menu.addAction("Rename note…", lambda: typing.rename_note(note))
        menu.addAction("Remove note", lambda: actions.remove_note(note))
    menu.addAction("Add a node…", lambda: placing.open(place))
    menu.addAction("Paste", actions.paste)
    menu.addAction("Tidy", actions.tidy)
    menu.addAction("Fit the graph", view.frame_all)
    return menu


def _offer_slip(menu: QMenu, view: CanvasView, actions: GraphActions, typing: ValueTyping, slip: Slip) -> None:
    menu.addAction("Rename…", lambda: typing.rename(slip))
    menu.addAction("Dissolve", actions.dissolve_selected)
    menu.addAction("Hide or show thumbnail", actions.hide_thumbnails)
    if slip.node.role is Role.FORMULA:
        menu.addAction("Edit formula…", lambda: typing.edit_formula(slip))
    if slip.node.role is Role.SNIPPET or can_unfold(view.material, slip.node_id):
        menu.addAction("Unfold into nodes", actions.unfold_selected)
    if slip.node.role is Role.SNIPPET:
        menu.addAction("Open the snippet", actions.open_snippet)
    menu.addAction("Make a snippet of the selected", actions.make_snippet)
    menu.addAction("Duplicate", actions.duplicate_selected)
    menu.addAction("Copy", actions.copy_selected)
    menu.addAction("Delete", actions.delete_selected)


def _offer_row(menu: QMenu, actions: GraphActions, typing: ValueTyping, slip: Slip, row: Row) -> None:
    assert row.port
    ref = port_ref(slip.node_id, row.port.name)
    if row.wired:
        menu.addAction(f"Take wire off {row.port.label}", lambda: actions.disconnect_wire(ref))
    elif row.value is not None and not slip.parameter:
        menu.addAction(f"Expose {row.port.label} as a parameter", lambda: actions.expose(slip.node_id, row.name))
        menu.addAction(f"Type {row.port.label}…", lambda: typing.type_into(slip, row))
    menu.addSeparator()
