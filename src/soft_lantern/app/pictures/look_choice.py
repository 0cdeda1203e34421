"""Asking which look something is to wear, among all there are, by pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.pictures.miniatures import Miniatures, pictured_by
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.look_picker import LookPicker
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.instances.picks import AS_WHOLE, LIKE_THE_OBJECT, NOTHING, wearables
from soft_lantern.render.worker import RenderWorker

SIDE = 64


def choose_worn(
    session: Session, worker: RenderWorker, object_id: str, part: str, over: QWidget, corner: QPoint
) -> LookPicker | None:
    """Ask what a part of an object, "" for the whole, is to wear, and dress it. None where there is no such object."""
    thing = session.scene.object(object_id) if session.scene else None
    if thing is None:
        return None
    bare: list[tuple[str, str]] = [(LIKE_THE_OBJECT, AS_WHOLE)] if part else []
    worn = thing.wears.get(part, LIKE_THE_OBJECT if part else "")
    entries = [*bare, ("", NOTHING), *wearables(session.project)]
    return choose_look(
        session, worker, entries, worn, over, corner, lambda look_id: session.dress_part(object_id, part, look_id)
    )


def choose_look(
    session: Session,
    worker: RenderWorker,
    entries: Sequence[tuple[str, str]],
    current: str,
    over: QWidget,
    corner: QPoint,
    then: Callable[[str], object],
) -> LookPicker:
    """Ask for one of some looks, which are drawn as they are seen."""
    picker = passing(LookPicker(entries, current, over))
    drawn = Miniatures(session, worker, "choosing", picker)
    asked: set[str] = set()

    def want(look_ids: list[str]) -> None:
        project = session.project
        for look_id in look_ids:
            shown = pictured_by(project, look_id)
            if shown and look_id not in asked:
                asked.add(look_id)
                drawn.want(look_id, project, shown, SIDE)

    def show(look_id: str, image: QImage) -> None:
        picker.show_picture(look_id, image)

    picker.wanting.connect(want)
    drawn.arrived.connect(show)
    picker.chosen.connect(then)
    picker.open_at(corner)
    return picker
