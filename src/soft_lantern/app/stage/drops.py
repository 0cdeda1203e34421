"""What is taken from a stage and let go over it: a pixel's colour, and a look for the part under the pointer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from soft_lantern.app.stage.under_pointer import ObjectHit

if TYPE_CHECKING:
    from soft_lantern.app.stage.stage_view import StageView

LOOK_DRAG = "application/x-soft-lantern-look"
"""Ids of looks that are dragged, with spaces between."""

Linear = tuple[float, ...]


class Drops:
    """The drops of one stage view."""

    def __init__(self, stage: StageView) -> None:
        self.stage = stage
        self._then: Callable[[Linear], None] = lambda _: None

    def take_colour(self, then: Callable[[Linear], None]) -> None:
        """Let the next click hand on the linear colour of the picture there; Escape gives up."""
        self._then = then
        if self.stage.clicks != "drop":
            self.stage.let_clicks("drop")
        self.stage.session.told.emit("Click the stage where the colour is; Escape gives up")

    def colour_at(self, at: QPointF) -> Linear | None:
        """The linear RGBA colour of the picture at a point of the widget, before display."""
        stage = self.stage
        if stage.linear is None:
            return None
        height, width = stage.linear.shape[:2]
        x, y = int(at.x() / stage.width() * width), int(at.y() / stage.height() * height)
        if not (0 <= x < width and 0 <= y < height):
            return None
        red, green, blue = (max(float(part), 0.0) for part in stage.linear[y, x, :3])
        return (red, green, blue, 1.0)

    def click(self, at: QPointF) -> None:
        """Hand the colour under a click on."""
        found = self.colour_at(at)
        self.stage.let_clicks("pick")
        if found:
            self._then(found)
            self.stage.session.told.emit(f"Took {', '.join(f'{part:.4f}' for part in found[:3])}, linear")

    def enter(self, event: QDragEnterEvent) -> None:
        """Something is dragged over the stage: looks are welcome, the rest is the window's."""
        data = event.mimeData()
        if data and data.hasFormat(LOOK_DRAG):
            event.acceptProposedAction()
        else:
            event.ignore()

    def let_go(self, event: QDropEvent) -> None:
        """A look is let go: the part under the pointer wears it, or with Shift the whole object."""
        data, stage = event.mimeData(), self.stage
        if data is None or not data.hasFormat(LOOK_DRAG):
            return
        event.acceptProposedAction()
        look_id = data.data(LOOK_DRAG).data().decode().split()[0]
        whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)

        def dress(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
            if hit is None:
                stage.session.told.emit("Let it go over a part of an object, which then wears it")
                return
            object_id, part = hit.key
            stage.session.dress_part(object_id, "" if whole else part, look_id)
            stage.picked.emit(object_id, part)

        stage.under_pointer.find(event.position(), dress, behind=False)
