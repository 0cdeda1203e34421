"""What the canvas asks for, done to the document."""

from __future__ import annotations

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.desks.build.image_import import ImageImport
from soft_lantern.app.desks.build.parameter_shelf import ParameterShelf
from soft_lantern.app.session.session import Session, sentence
from soft_lantern.graph.document import with_records
from soft_lantern.graph.snippets import snippet_made


def grant(session: Session, canvas: Canvas, bottom: ParameterShelf, image_import: ImageImport) -> None:
    """Do from now on what a canvas wishes."""
    wishes = canvas.wishes
    wishes.edited.connect(lambda graph_id, name, edit, merge: session.edit_material(name, graph_id, edit, merge))
    wishes.told.connect(lambda text: session.told.emit(sentence(text)))
    wishes.exposed_below.connect(bottom.expose_below)
    wishes.image_wanted.connect(image_import.choose)
    wishes.texture_changed.connect(
        lambda texture: session.apply(f"Change {texture.name}", lambda project: with_records(project, texture))
    )
    wishes.snippet_wanted.connect(
        lambda graph_id, ids: session.apply("Make snippet", lambda project: snippet_made(project, graph_id, ids))
    )
    wishes.open_wanted.connect(session.open_material)
