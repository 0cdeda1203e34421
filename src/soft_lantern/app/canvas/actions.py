"""What can be done to the graph on the canvas, apart from how the hand asks for it.

Nothing here changes the document itself: `edited` tells the name of an edit and what it does to the graph, which may
have become another since it was shown.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QMimeData, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.canvas.texture_menu import texture_menu
from soft_lantern.app.canvas.typing_in import TypeIn
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, Note, changed, new_id, port_ref
from soft_lantern.graph.layout import ELBOW, NOTE_TITLE, around, pushed_down, tidy
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.graph.snippets import expand
from soft_lantern.graph.unfold import unfold
from soft_lantern.values.kinds import Kind, Value, components

Edit = Callable[[Material], Material]
CLIPBOARD = "application/x-soft-lantern-nodes+json"


class CanvasActions(CanvasView):
    """The canvas with its actions, each an ordinary edit."""

    edited = pyqtSignal(str, str, object, str)
    """A graph's id, the name of an edit, the edit as a function of the material, and what it merges with."""
    told = pyqtSignal(str)
    image_wanted = pyqtSignal(str, str)
    """An image is to be loaded for a texture port: node id and port."""
    ramps_wanted = pyqtSignal(str)
    """Gradients and palettes are to be edited, this one first."""
    texture_changed = pyqtSignal(object)
    """A texture is to be read in another way."""
    snippet_wanted = pyqtSignal(str, object)
    """Nodes of a graph are to become a snippet: the graph's id and theirs."""
    open_wanted = pyqtSignal(str)
    """A snippet is to be opened."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.type_in = TypeIn(self)

    def edit(self, name: str, edit: Edit, merge: str = "") -> None:
        """Ask for an edit of the graph as it is by then."""
        self.edited.emit(self.material.id, name, edit, merge)

    def _reshape(self, name: str, node_id: str, edit: Edit) -> None:
        """An edit that may make a slip taller; what is under it makes room."""
        self.edit(name, lambda material: pushed_down(material, edit(material), node_id))

    def delete_selected(self) -> None:
        """Take away the selected slips, or the selected wire."""
        selected = set(self.selected)
        if selected:
            self.edit("Delete", lambda material: edits.remove_nodes(material, selected))
        elif self.selected_wire:
            self._disconnect(self.selected_wire)

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
            piece = Material(id="", name="")
        if not piece.nodes:
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
        self.edit("Tidy", tidy)
        self._select(set())
        self.frame_all()

    def expose_selected(self) -> None:
        """Expose the value of each selected constant."""
        chosen = [i for i in self.selected if self.material.nodes[i].type in ("number", "colour")]
        if not chosen:
            self.told.emit("Select a number or colour to expose, or drag a port down to the shelf")
            return

        def exposed(material: Material) -> Material:
            for node_id in chosen:
                material, _ = parameters.expose(material, node_id, "value")
            return material

        self.edit("Expose", exposed)

    def dissolve_selected(self) -> None:
        """Take the selected slips out and heal the wires through them."""
        selected = set(self.selected)
        if selected:
            self.edit("Dissolve", lambda material: edits.dissolve(material, selected))

    def align_selected(self) -> None:
        """Put the selected slips' left edges in line."""
        if len(self.selected) > 1:
            left = min(self.material.nodes[i].x for i in self.selected)
            places = {i: (left, self.material.nodes[i].y) for i in self.selected}
            self.edit("Align", lambda material: edits.move_nodes(material, places))

    def resize_thumbnails(self, factor: float) -> None:
        """Make the thumbnails of the material larger or smaller."""
        size = round(min(max(self.material.thumbnail_size * factor, 24.0), 126.0), 1)
        self.edit("Resize thumbnails", lambda material: changed(material, thumbnail_size=size))

    def hide_thumbnails(self) -> None:
        """Hide or show the thumbnails of the selected slips, or of all."""
        ids = set(self.selected or self.material.nodes)
        wanted = not any(self.material.nodes[i].thumbnail for i in ids)

        def switched(material: Material) -> Material:
            for node_id in ids:
                material = edits.change_node(material, node_id, thumbnail=wanted)
            return material

        self.edit("Show thumbnails" if wanted else "Hide thumbnails", switched)

    def add_elbow(self, into: str, at: QPointF) -> None:
        """Put a bend into a wire."""
        half = ELBOW / 2
        elbow = Node(type="elbow", x=float(round(at.x() - half)), y=float(round(at.y() - half)))
        node_id = new_id("elbow")

        def bent(material: Material) -> Material:
            out = material.wires.get(into, "")
            joined = edits.connect(edits.add_node(material, node_id, elbow), out, port_ref(node_id, "value"))
            return edits.connect(joined, port_ref(node_id, "out"), into)

        self.edit("Add elbow", bent)

    def add_note(self) -> None:
        """Draw a note area round the selected slips and type its title."""
        if self.selected:
            note = around(
                self.material, self.selected, Note(id=new_id("note"), title="Note", x=0, y=0, width=0, height=0)
            )
            self.edit("Add note", lambda material: edits.add_note(material, note))
            self.rename_note(note)
        else:
            self.told.emit("Select the slips that the note is to go round")

    def rename_note(self, note: Note) -> None:
        """Type another title for a note area."""

        def titled(text: str) -> None:
            self.edit("Rename note", lambda material: edits.rename_note(material, note.id, text.strip()))

        self.type_in.open(self._widget_rect(QRectF(note.x + 8, note.y + 2, 200, 22)), note.title, titled)

    def unfold_selected(self) -> None:
        """Turn the selected nodes into plain nodes that compute the same; snippets into what they hold."""
        if not self.selected:
            self.told.emit("Select a formula, a mask or a snippet to unfold")
            return

        selected = set(self.selected)

        def unfolded(material: Material) -> Material:
            for node_id in selected:
                is_snippet = material.node(node_id).type == "snippet"
                material = expand(material, node_id) if is_snippet else unfold(material, node_id)
            return material

        self.edit("Unfold", unfolded)

    def make_snippet(self) -> None:
        """Put the selected nodes into a snippet."""
        if not self.selected:
            self.told.emit("Select the slips that are to become a snippet")
            return
        self.snippet_wanted.emit(self.material.id, set(self.selected))

    def open_snippet(self) -> None:
        """Open the selected snippet's own graph."""
        chosen = [self.material.nodes[i] for i in self.selected if self.material.nodes[i].type == "snippet"]
        if chosen:
            self.open_wanted.emit(chosen[0].settings.get("snippet", ""))
        else:
            self.told.emit("Select a snippet to open")

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
            self.edit("Rename", lambda material: edits.change_node(material, slip.node_id, name=text.strip()))

        self.type_in.open(self._widget_rect(area), slip.title, renamed)

    def edit_formula(self, slip: Slip) -> None:
        """Type another expression for a formula; ports that keep their names keep their wires."""
        area = QRectF(slip.rect.left() + 6, slip.rect.top() + 3, 260, 24)

        def typed(text: str) -> None:
            self._reshape("Edit formula", slip.node_id, lambda m: edits.change_formula(m, slip.node_id, text))

        self.type_in.open(self._widget_rect(area), slip.node.settings.get("expression", ""), typed)

    def type_setting(self, slip: Slip, row: Row) -> None:
        """Type the text of a setting."""
        rect = slip.row_rect(row)
        area = QRectF(rect.center().x() - 20, rect.top() + 1, rect.width() / 2 + 16, rect.height() - 3)

        def typed(text: str) -> None:
            words = row.name.replace("_", " ")
            self._reshape(
                f"Set {words}",
                slip.node_id,
                lambda material: edits.choose_setting(material, slip.node_id, row.name, text.strip()),
            )

        self.type_in.open(self._widget_rect(area), row.choice, typed)

    def _more(self, kind: Kind, node_id: str, port: str) -> dict[str, Callable[[], None]]:
        """How more of what a port reads is come by."""
        if kind is Kind.TEXTURE:
            return {"Load an image…": lambda: self.image_wanted.emit(node_id, port)}
        words = "Make and edit gradients…" if kind is Kind.GRADIENT else "Make and edit palettes…"
        return {words: lambda: self.ramps_wanted.emit(str(self.material.nodes[node_id].values.get(port, "")))}

    def type_into(self, slip: Slip, row: Row) -> None:
        """Edit the value typed at an unwired input: a field for numbers, a picker for colours."""
        assert row.port and row.value is not None
        name = row.port.name
        if row.kind and row.kind.is_read:
            menu = texture_menu(
                self,
                self.readable[row.kind],
                str(row.value),
                lambda texture_id: self._type_value(slip.node_id, name, texture_id),
                self._more(row.kind, slip.node_id, name),
                self.texture_changed.emit,
            )
            menu.popup(self.mapToGlobal(self.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))
            return
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
        self.edit("Type value", lambda m: edits.type_value(m, node_id, port, value), f"type {node_id}.{port}")

    def _paste(self, name: str, piece: Material, dx: float, dy: float) -> None:
        ids: list[str] = []

        def pasted(material: Material) -> Material:
            material, ids[:] = edits.paste(material, piece, dx, dy)
            return material

        self.edit(name, pasted)
        self._select(set(ids))

    def _expose(self, node_id: str, port: str) -> None:
        self.edit("Expose", lambda material: parameters.expose(material, node_id, port)[0])

    def _disconnect(self, into: str) -> None:
        self.edit("Take off wire", lambda material: edits.disconnect(material, into))

    def _widget_rect(self, area: QRectF) -> QRectF:
        return QRectF(self.to_widget(area.topLeft()), self.to_widget(area.bottomRight()))

    def _note_title_at(self, at: QPointF) -> Note | None:
        for note in reversed(self.material.notes):
            if QRectF(note.x, note.y, note.width, NOTE_TITLE + 4).contains(at):
                return note
        return None


def _as_colour(value: Value) -> tuple[float, ...]:
    parts = components(value)
    return parts if len(parts) >= 3 else (*parts[:1] * 3, 1.0)
