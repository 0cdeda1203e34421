"""Baking the wire that is selected to a texture, beside the window."""

from __future__ import annotations

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.session.session import Session
from soft_lantern.bake.wire_maps import LIMIT, WireMap, least_map
from soft_lantern.errors import BadEdit
from soft_lantern.formats.images import new_texture
from soft_lantern.graph.baked_wires import with_image
from soft_lantern.graph.document import Project, Texture, changed, node_of, with_records
from soft_lantern.graph.kinds import label_of, output_kinds
from soft_lantern.progress import Progress
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import counted


class WireBaking:
    """Makes a texture of the wire that is selected on a canvas, and reads it in the wire's place."""

    def __init__(self, session: Session, canvas: Canvas) -> None:
        self.session, self.canvas = session, canvas

    def hindered(self) -> str:
        """Why nothing can be baked now, "" where something is selected."""
        return "" if self.canvas.selected_output() else "Select a wire or a node first"

    def bake(self) -> None:
        """Bake what is selected, at the least size that is off by no more than 1/255."""
        session, material, wire = self.session, self.canvas.material, self.canvas.selected_output()
        if not wire:
            session.complain(BadEdit(self.hindered()))
            return
        images, folder = dict(session.images), session.folder
        name = label_of(material, material.node(node_of(wire)))
        floats = output_kinds(material)[wire] is Kind.COLOUR

        def work(progress: Progress) -> tuple[WireMap, Texture, Image]:
            made = least_map(material, wire, images, progress=progress)
            return (made, *new_texture(made.pixels, f"{name} baked", folder, floats=floats))

        def take(found: tuple[WireMap, Texture, Image]) -> None:
            made, texture, image = found
            session.files.hold_image(texture, image)

            def edit(project: Project) -> Project:
                now = project.materials[material.id]
                baked = with_image(now, wire, texture.id, texture.name)
                project = changed(project, materials={**project.materials, now.id: baked})
                return with_records(project, texture)

            session.apply(f"Bake {name} to a texture", edit)
            session.models_changed.emit()
            session.told.emit(in_words(made, name))

        session.beside(f"Baking {name} to a texture", work, take, session.background.submit)


def in_words(made: WireMap, name: str) -> str:
    """What came of it: the size, how far it is off, and what a pixel no longer costs."""
    most, mean = made.off
    beyond = "" if most <= LIMIT else ", more than 1/255: its edges are harder than texels hold"
    reads = f" and {counted(made.reads, 'texture read')}" if made.reads else ""
    return (
        f"{name} is a texture of {made.side} × {made.side} now, off by {most:.2g} at most, {mean:.1g} on the mean"
        f"{beyond}; one texture read in place of {counted(made.saved, 'operation')}{reads}"
    )
