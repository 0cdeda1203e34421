"""Asking which look something is to wear, among all there are, by pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.pictures.record_pictures import give_pictures
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.graph.instances.picks import AS_WHOLE, LIKE_THE_OBJECT, NOTHING, wearables
from soft_lantern.render.worker import RenderWorker


def choose_worn(
    session: Session, worker: RenderWorker, object_id: str, part: str, over: QWidget, corner: QPoint
) -> PicturePicker | None:
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
) -> PicturePicker:
    """Ask for one of some looks, which are drawn as they are seen."""
    picker = passing(PicturePicker("Which look? Part of its name", entries, current, over, now="worn now"))
    give_pictures(session, worker, picker)
    picker.chosen.connect(then)
    picker.open_at(corner)
    return picker
