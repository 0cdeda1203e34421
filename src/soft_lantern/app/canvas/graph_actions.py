"""What can be done to the graph on the canvas, apart from how the hand asks for it: each an ordinary edit."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QMimeData, QObject, QPointF, pyqtSignal
from PyQt6.QtGui import QGuiApplication

from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, Note, changed, new_id, port_ref
from soft_lantern.graph.layout import ELBOW, around, tidy
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.graph.snippets import expand
from soft_lantern.graph.unfold import unfold
from soft_lantern.graph.wiring import chained
from soft_lantern.nodes import Role

CLIPBOARD = "application/x-soft-lantern-nodes+json"


class GraphActions(QObject):
    """Acts on what is selected on a canvas."""

    note_added = pyqtSignal(object)
    """A note area was drawn, and wants a title."""

    def __init__(self, view: CanvasView, wishes: Wishes) -> None:
        super().__init__(view)
        self.view, self.wishes = view, wishes

    def delete_selected(self) -> None:
        """Take away the selected slips, or the selected wire."""
        selected = set(self.view.selected)
        if selected:
            self.wishes.edit("Delete", lambda material: edits.remove_nodes(material, selected))
        elif self.view.selected_wire:
            self.disconnect_wire(self.view.selected_wire)

    def copy_selected(self) -> None:
        """Put the selected slips on the clipboard."""
        if self.view.selected:
            piece = edits.fragment(self.view.material, self.view.selected)
            data = QMimeData()
            data.setData(CLIPBOARD, msgspec.json.encode(piece))
            data.setText(msgspec.json.encode(piece).decode())
            clipboard = QGuiApplication.clipboard()
            if clipboard:
                clipboard.setMimeData(data)

    def cut_selected(self) -> None:
        """Copy, then delete."""
        if self.view.selected:
            self.copy_selected()
            self.delete_selected()

    def paste(self) -> None:
        """Put what is on the clipboard beside where it came from, or under the pointer."""
        clipboard = QGuiApplication.clipboard()
        data = clipboard.mimeData() if clipboard else None
        if data is None or not data.hasFormat(CLIPBOARD):
            self.wishes.told.emit("There are no nodes on the clipboard")
            return
        try:
            piece = msgspec.json.decode(bytes(data.data(CLIPBOARD).data()), type=Material)
        except msgspec.MsgspecError:
            piece = Material(id="", name="")
        if not piece.nodes:
            self.wishes.told.emit("What is on the clipboard is not a piece of a graph")
            return
        left, top = min(n.x for n in piece.nodes.values()), min(n.y for n in piece.nodes.values())
        at = self.view.to_canvas(
            self.view.pointer if self.view.rect().contains(self.view.pointer.toPoint()) else QPointF(60, 60)
        )
        self._paste("Paste", piece, at.x() - left, at.y() - top)

    def duplicate_selected(self) -> None:
        """Copy the selected slips in place, a little aside, with the wires that feed them."""
        if not self.view.selected:
            return
        piece = edits.fragment(self.view.material, self.view.selected)
        self._paste("Duplicate", piece, 28, 28)

    def select_all(self) -> None:
        """Select every slip."""
        self.view.select(set(self.view.material.nodes))

    def tidy(self) -> None:
        """Lay the graph out in columns."""
        self.wishes.edit("Tidy", tidy)
        self.view.select(set())
        self.view.frame_all()

    def expose_selected(self) -> None:
        """Expose the value of each selected constant."""
        chosen = [i for i in self.view.selected if self.view.material.nodes[i].role is Role.CONSTANT]
        if not chosen:
            self.wishes.told.emit("Select a constant to expose, or drag a port down to the shelf")
            return

        def exposed(material: Material) -> Material:
            for node_id in chosen:
                material, _ = parameters.expose(material, node_id, "value")
            return material

        self.wishes.edit("Expose", exposed)

    def dissolve_selected(self) -> None:
        """Take the selected slips out and heal the wires through them."""
        selected = set(self.view.selected)
        if selected:
            self.wishes.edit("Dissolve", lambda material: edits.dissolve(material, selected))

    def chain_selected(self) -> None:
        """Wire the selected slips one after the other, from the left."""
        nodes = self.view.material.nodes
        order = sorted(self.view.selected, key=lambda i: (nodes[i].x, nodes[i].y))
        self.wishes.edit("Wire", lambda material: chained(material, order))

    def align_selected(self) -> None:
        """Put the selected slips' left edges in line."""
        if len(self.view.selected) > 1:
            left = min(self.view.material.nodes[i].x for i in self.view.selected)
            places = {i: (left, self.view.material.nodes[i].y) for i in self.view.selected}
            self.wishes.edit("Align", lambda material: edits.move_nodes(material, places))

    def resize_thumbnails(self, factor: float) -> None:
        """Make the thumbnails of the material larger or smaller."""
        size = round(min(max(self.view.material.thumbnail_size * factor, 24.0), 126.0), 1)
        self.wishes.edit("Resize thumbnails", lambda material: changed(material, thumbnail_size=size))

    def hide_thumbnails(self) -> None:
        """Hide or show the thumbnails of the selected slips, or of all."""
        ids = set(self.view.selected or self.view.material.nodes)
        wanted = not any(self.view.material.nodes[i].thumbnail for i in ids)

        def switched(material: Material) -> Material:
            for node_id in ids:
                material = edits.change_node(material, node_id, thumbnail=wanted)
            return material

        self.wishes.edit("Show thumbnails" if wanted else "Hide thumbnails", switched)

    def nudge(self, dx: float, dy: float) -> None:
        """Move the selected slips a little."""
        nodes = self.view.material.nodes
        places = {i: (nodes[i].x + dx, nodes[i].y + dy) for i in self.view.selected}
        self.wishes.edit("Move", lambda material: edits.move_nodes(material, places), "nudge")

    def remove_note(self, note: Note) -> None:
        """Take a note area away; what is in it stays."""
        self.wishes.edit("Remove note", lambda material: edits.remove_note(material, note.id))

    def add_elbow(self, into: str, at: QPointF) -> None:
        """Put a bend into a wire."""
        half = ELBOW / 2
        elbow = Node(type="elbow", x=float(round(at.x() - half)), y=float(round(at.y() - half)))
        node_id = new_id("elbow")

        def bent(material: Material) -> Material:
            out = material.wires.get(into, "")
            joined = edits.connect(edits.add_node(material, node_id, elbow), out, port_ref(node_id, "value"))
            return edits.connect(joined, port_ref(node_id, "out"), into)

        self.wishes.edit("Add elbow", bent)

    def add_note(self) -> None:
        """Draw a note area round the selected slips and type its title."""
        if self.view.selected:
            note = around(
                self.view.material,
                self.view.selected,
                Note(id=new_id("note"), title="Note", x=0, y=0, width=0, height=0),
            )
            self.wishes.edit("Add note", lambda material: edits.add_note(material, note))
            self.note_added.emit(note)
        else:
            self.wishes.told.emit("Select the slips that the note is to go round")

    def unfold_selected(self) -> None:
        """Turn the selected nodes into plain nodes that compute the same; snippets into what they hold."""
        if not self.view.selected:
            self.wishes.told.emit("Select a formula, a mask or a snippet to unfold")
            return

        selected = set(self.view.selected)

        def unfolded(material: Material) -> Material:
            for node_id in selected:
                is_snippet = material.node(node_id).role is Role.SNIPPET
                material = expand(material, node_id) if is_snippet else unfold(material, node_id)
            return material

        self.wishes.edit("Unfold", unfolded)

    def make_snippet(self) -> None:
        """Put the selected nodes into a snippet."""
        if not self.view.selected:
            self.wishes.told.emit("Select the slips that are to become a snippet")
            return
        self.wishes.snippet_wanted.emit(self.view.material.id, set(self.view.selected))

    def open_snippet(self) -> None:
        """Open the selected snippet's own graph."""
        chosen = [
            self.view.material.nodes[i] for i in self.view.selected if self.view.material.nodes[i].role is Role.SNIPPET
        ]
        if chosen:
            self.wishes.open_wanted.emit(chosen[0].settings.get("snippet", ""))
        else:
            self.wishes.told.emit("Select a snippet to open")

    def _paste(self, name: str, piece: Material, dx: float, dy: float) -> None:
        ids: list[str] = []

        def pasted(material: Material) -> Material:
            material, ids[:] = edits.paste(material, piece, dx, dy)
            return material

        self.wishes.edit(name, pasted)
        self.view.select(set(ids))

    def expose(self, node_id: str, port: str) -> None:
        """Make a parameter of what is typed at a port."""
        self.wishes.edit("Expose", lambda material: parameters.expose(material, node_id, port)[0])

    def disconnect_wire(self, into: str) -> None:
        """Take a wire off the input it feeds."""
        self.wishes.edit("Take off wire", lambda material: edits.disconnect(material, into))
