"""Asking which look something is to wear, among all there are, by pictures."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PicturePicker, give_pictures
from soft_lantern.graph.instances.picks import AS_WHOLE, LIKE_THE_OBJECT, NOTHING, wearables


def choose_worn(session: Session, object_id: str, part: str, over: QWidget, corner: QPoint) -> PicturePicker | None:
    """Ask what a part of an object, "" for the whole, is to wear, and dress it. None where there is no such object."""
    thing = session.scene.object(object_id) if session.scene else None
    if thing is None:
        return None
    bare: list[tuple[str, str]] = [(LIKE_THE_OBJECT, AS_WHOLE)] if part else []
    worn = thing.wears.get(part, LIKE_THE_OBJECT if part else "")
    entries = [*bare, ("", NOTHING), *wearables(session.project)]
    picker = passing(PicturePicker("Which look? Part of its name", entries, worn, over, now="worn now"))
    give_pictures(picker, over)
    picker.chosen.connect(lambda look_id: session.dress_part(object_id, part, look_id))
    picker.open_at(corner)
    return picker
