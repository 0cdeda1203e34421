"""Meshes and images that come into the open project from files: read beside the window, then taken."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
from PyQt6.QtGui import QDropEvent

from soft_lantern.app.session.session import Session
from soft_lantern.formats.assets import READABLE, Imported, bring_in
from soft_lantern.formats.images import READABLE_IMAGES, bring_in_image, same_image
from soft_lantern.graph.document import Project, Texture, changed, with_records
from soft_lantern.progress import Progress
from soft_lantern.render.staging import scene_bounds
from soft_lantern.values.images import Image

NEAR, FAR = 3.0, 200.0
"""How many times as wide as the view's distance an object may be, and how many times narrower, to be seen as it is."""
DOCUMENTS = (".mtlx",)
"""Files of materials that can be taken in."""
T = TypeVar("T")
Then = Callable[[Texture], None]


def import_mesh(session: Session, path: Path) -> None:
    """Copy a mesh into the project and stand it on the stage."""
    folder = session.folder

    def take(found: Imported) -> None:
        session.files.hold_model(found.asset, found.model)
        object_id = session.add_object(found.asset, found)
        if found.surfaces.materials:
            session.open_material(found.surfaces.materials[0].id)
        session.models_changed.emit()
        session.object_imported.emit(object_id)
        if _out_of_proportion(session, object_id):
            session.frame_all(object_id)
        session.told.emit(f"{found.words}. Home shows everything")

    _read(session, path, lambda progress: bring_in(path, folder, progress), take)


def _out_of_proportion(session: Session, object_id: str) -> bool:
    """Whether an object is so large or small that hardly any of it, or nothing, could be seen from here."""
    thing = session.scene.object(object_id) if session.scene else None
    if session.scene is None or thing is None:
        return False
    low, high = scene_bounds(changed(session.scene, objects=(thing,)), session.models)
    across = float(np.linalg.norm(high - low))
    return not session.view.distance / FAR < across < NEAR * session.view.distance


def import_document(session: Session, path: Path) -> None:
    """Take the materials of a MaterialX document into the project, and open the first."""
    from soft_lantern.formats.materialx.taking import BroughtIn, bring_in_document  # few windows ever need it

    folder = session.folder

    def take(found: BroughtIn) -> None:
        ids: list[str] = []

        def taken(project: Project) -> Project:
            project, ids[:] = found.into(project)
            return project

        for texture_id, image in found.images.items():
            session.files.hold_image(found.found.textures[texture_id], image)
        if session.apply(f"Import {path.name}", taken) and ids:
            session.open_material(ids[0])
            session.told.emit(f"{path.name}: {found.words}")
            _tell_what_stayed(session, path.name, found.found.remarks)

    _read(session, path, lambda progress: bring_in_document(path, folder, progress), take)


def _tell_what_stayed(session: Session, name: str, remarks: list[str]) -> None:
    """Where more did not come over than one line says, offer to show all of it."""
    if len(remarks) < 2:
        return
    title = f"What did not come over from {name}"
    show = {"Show them…": lambda: session.listed.emit(title, list(remarks)), "Leave it": lambda: None}
    session.asked.emit(f"import {name}", f"{len(remarks)} things did not come over from {name}", show)


def can_be_taken_in(path: Path) -> bool:
    """Whether a file, by its ending, is one that a project takes in."""
    return path.suffix.lower() in (*READABLE, *READABLE_IMAGES, *DOCUMENTS)


def import_file(session: Session, path: Path) -> None:
    """Take in a mesh or a document of materials, by its ending."""
    (import_document if path.suffix.lower() in DOCUMENTS else import_mesh)(session, path)


def import_image(session: Session, path: Path, then: Then | None = None) -> None:
    """Copy an image into the project as a texture; where it is there already, ask first."""
    folder, textures = session.folder, tuple(session.project.textures.values())

    def decide(known: str) -> None:
        texture = session.project.textures.get(known)
        if texture is None:
            _import_anew(session, path, then)
            return
        answers = {
            "Use that one": lambda: then(texture) if then else None,
            "Bring it in once more": lambda: _import_anew(session, path, then),
        }
        session.asked.emit(f"image {path}", f"{path.name} is here already, as {texture.name}", answers)

    _read(session, path, lambda _: same_image(path, textures, folder), decide)


def _import_anew(session: Session, path: Path, then: Then | None) -> None:
    folder = session.folder

    def take(read: tuple[Texture, Image]) -> None:
        texture, image = read
        session.files.hold_image(texture, image)
        session.apply(f"Import {texture.name}", lambda project: with_records(project, texture))
        session.models_changed.emit()
        session.told.emit(f"{texture.name}: {image.width} × {image.height}, read as {texture.encoding}")
        if then:
            then(texture)

    _read(session, path, lambda _: bring_in_image(path, folder), take)


def _read(session: Session, path: Path, read: Callable[[Progress], T], take: Callable[[T], object]) -> None:
    """Read a file beside the window, then take what was read; where it cannot be read, say why."""
    session.told.emit(f"Reading {path.name}…")
    session.beside(f"Reading {path.name}", read, take, session.background.submit)


def dropped_files(event: QDropEvent) -> list[Path]:
    """The files that are dragged."""
    data = event.mimeData()
    return [Path(url.toLocalFile()) for url in (data.urls() if data else [])]
