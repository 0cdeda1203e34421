"""Pictures of records of every kind, made as a picker asks for them."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QImage

from soft_lantern.app.pictures.miniatures import Miniatures, pictured_by
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.ramp_icon import ramp_picture
from soft_lantern.app.widgets.row_pictures import RowPictures
from soft_lantern.app.widgets.texels import picture_of
from soft_lantern.graph.document import Project, StageObject
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.images import Image

SIDE = 64
"""Pixels of a picture."""


class RecordPictures(QObject):
    """Draws records by their ids: looks on what wears them, assets plain, scenes as they are seen, and texels."""

    arrived = pyqtSignal(str, QImage)

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QObject) -> None:
        """`place`: a name for the worker that no other queue has."""
        super().__init__(parent)
        self.session = session
        self._drawn = Miniatures(session, worker, place, self)
        self._drawn.arrived.connect(lambda key, image: self.arrived.emit(str(key), image))
        self._asked: set[str] = set()

    def want(self, ids: list[str]) -> None:
        """Ask for pictures of records; each comes once."""
        for record_id in ids:
            if record_id and record_id not in self._asked:
                self._asked.add(record_id)
                self._make(self.session.project, record_id)

    def _make(self, project: Project, record_id: str) -> None:
        session = self.session
        ramp = project.gradients.get(record_id) or project.palettes.get(record_id)
        if ramp:
            self.arrived.emit(record_id, ramp_picture(ramp).toImage())
        elif record_id in project.textures:
            if image := session.images.get(record_id):
                self.arrived.emit(record_id, _small(image))
        elif record_id in project.assets:
            if record_id in session.models:
                self._drawn.want_object(record_id, project, StageObject(id="shown", name="", asset=record_id), SIDE)
        elif record_id in project.scenes:
            self._drawn.want_scene(record_id, project, project.scenes[record_id], SIDE)
        elif shown := pictured_by(project, record_id):
            self._drawn.want(record_id, project, shown, SIDE)


def draw_for(session: Session, worker: RenderWorker, rows: RowPictures) -> None:
    """Let rows have the pictures they ask for, for as long as they are there."""
    pictures = RecordPictures(session, worker, "choosing", rows)
    rows.wanting.connect(pictures.want)
    pictures.arrived.connect(rows.show_picture)


def _small(image: Image) -> QImage:
    every = max(image.width, image.height) // (4 * SIDE) or 1
    shown = picture_of(replace(image, texels=image.texels[::every, ::every]))
    keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return shown.scaled(SIDE, SIDE, keep, smooth) if max(shown.width(), shown.height()) > SIDE else shown
