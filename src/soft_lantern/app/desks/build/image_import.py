"""Images that come onto the canvas: from a file to a texture port, or to an image node of their own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QFileDialog

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.session.imports import import_image
from soft_lantern.app.session.session import Session
from soft_lantern.formats.images import READABLE_IMAGES
from soft_lantern.graph.document import Material, Node, Texture, changed, new_id
from soft_lantern.graph.edits import add_node, type_value
from soft_lantern.graph.layout import SLIP_WIDTH, free_place, slip_height


class ImageImport:
    """Brings images into the project and onto a canvas."""

    def __init__(self, session: Session, canvas: Canvas) -> None:
        self.session, self.canvas = session, canvas

    def choose(self, node_id: str = "", port: str = "") -> None:
        """Ask for an image, and read it at a texture port; without one, put an image node on the canvas."""
        endings = " ".join(f"*{suffix}" for suffix in READABLE_IMAGES)
        name, _ = QFileDialog.getOpenFileName(self.canvas, "Load an image", "", f"Images ({endings})")
        if name:
            self.bring_in(Path(name), node_id, port)

    def drop(self, path: Path, place: QPointF) -> None:
        """Bring an image in that is let go at a place of the screen, which may be one of the canvas."""
        at = self.canvas.mapFromGlobal(place)
        self.bring_in(path, place=at if self.canvas.rect().contains(at.toPoint()) else None)

    def bring_in(self, path: Path, node_id: str = "", port: str = "", place: QPointF | None = None) -> None:
        """Bring an image into the project, and read it at a texture port or by a new image node at a place."""

        def then(texture: Texture) -> None:
            edit, graph_id = self.session.edit_material, self.session.material_id
            if node_id:
                edit("Choose texture", graph_id, lambda m: type_value(m, node_id, port, texture.id))
                return
            at = self.canvas.to_canvas(place or QPointF(self.canvas.rect().center()))
            made, made_id = Node(type="image", name=texture.name, values={"texture": texture.id}), new_id("image")

            def added(material: Material) -> Material:
                x, y = free_place(material, (at.x(), at.y()), (SLIP_WIDTH, slip_height(material, made)))
                return add_node(material, made_id, changed(made, x=x, y=y))

            edit(f"Add {texture.name}", graph_id, added)

        import_image(self.session, path, then)
