"""What clicks on a stage, and a pointer that rests on it, come to: a part, a probed pixel, the tape, a colour."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from soft_lantern.app.pictures.scene_pictures import ScenePictures
from soft_lantern.app.stage import overlay
from soft_lantern.app.stage.drops import Linear, colour_at
from soft_lantern.app.stage.modes import StageModes
from soft_lantern.app.stage.under_pointer import ObjectHit, Shown, UnderPointer
from soft_lantern.app.work.timers import single_shot

REST = 60
"""Milliseconds between two looks at what lies under a moving pointer."""


class Picking(QObject):
    """Picks on one stage. `shown` gives what there is to meet at the moment."""

    picked = pyqtSignal(str, str)
    """Object id and part name; both empty beside everything."""
    added = pyqtSignal(str)
    """An object that joins or leaves what is selected; "" beside everything."""
    probed = pyqtSignal(object, object)
    """The hit, and the point as a buffer of one."""
    hovered = pyqtSignal(object)
    """The point under the resting pointer as a buffer of one, or None."""
    dress_wanted = pyqtSignal(str, str, str)
    """Object id, part name or "" for the whole, and the look it is to wear."""
    painted = pyqtSignal(object, bool)
    """What the brush met there, or None, and whether it is the last of a stroke."""
    told = pyqtSignal(str)

    def __init__(self, modes: StageModes, pictures: ScenePictures, shown: Callable[[], Shown], parent: QObject) -> None:
        super().__init__(parent)
        self.modes, self.pictures, self.shown = modes, pictures, shown
        self.under_pointer = UnderPointer(self)
        self.under_pointer.failed.connect(self.told)
        self._take_colour: Callable[[Linear], object] = lambda _: None
        self._pointer: QPointF | None = None
        self._resting = single_shot(self, REST, self._look_under)

    def take_colour(self, then: Callable[[Linear], object]) -> None:
        """Let the next click hand on the linear colour of the picture there; Escape gives up."""
        self._take_colour = then
        if self.modes.clicks != "drop":
            self.modes.let_clicks("drop")
        self.told.emit("Click the stage where the colour is; Escape gives up")

    def click(self, at: QPointF, more: bool = False) -> None:
        """Select, probe or measure what lies under a point of the widget, or take its colour.

        `more`: select it beside what is selected.
        """
        modes, shown = self.modes, self.shown()
        if shown.scene is None or modes.sight.card:
            return
        if modes.clicks == "drop":
            self._drop_colour(QPointF(at.x() / shown.lens.size[0], at.y() / shown.lens.size[1]))
            return

        def met(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
            if modes.clicks == "tape":
                self._set_tape(hit)
            elif not modes.probing and more:
                self.added.emit(hit.key[0] if hit else "")
            elif not modes.probing:
                self.picked.emit(*(hit.key if hit else ("", "")))
            elif hit:
                self.probed.emit(hit, shown.point(hit, behind, at))

        self.under_pointer.find(shown, at, met, behind=modes.probing)

    def paint(self, at: QPointF, *, last: bool) -> None:
        """Tell what the brush meets at a point of the widget."""
        self.under_pointer.find(self.shown(), at, lambda hit, _: self.painted.emit(hit, last), behind=False)

    def dress(self, at: QPointF, look_id: str, *, whole: bool) -> None:
        """Let the part under a point wear a look, or the whole object."""

        def met(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
            if hit is None:
                self.told.emit("Let it go over a part of an object, which then wears it")
                return
            object_id, part = hit.key
            self.dress_wanted.emit(object_id, "" if whole else part, look_id)
            self.picked.emit(object_id, part)

        self.under_pointer.find(self.shown(), at, met, behind=False)

    def rest(self, at: QPointF | None) -> None:
        """The pointer is there, or nowhere on the widget."""
        self._pointer = at
        if self.modes.probing and at is None:
            self.hovered.emit(None)
        elif self.modes.probing and not self._resting.isActive():
            self._resting.start()

    def stop(self) -> None:
        """End what runs beside the window."""
        self.under_pointer.stop()

    def _look_under(self) -> None:
        at, shown = self._pointer, self.shown()
        if not self.modes.probing or at is None:
            return

        def met(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
            self.hovered.emit(shown.point(hit, behind, at) if hit else None)

        self.under_pointer.find(shown, at, met, behind=True)

    def _drop_colour(self, share: QPointF) -> None:
        found = colour_at(self.pictures.linear, share)
        self.modes.let_clicks("pick")
        if found:
            self._take_colour(found)
            self.told.emit(f"Took {', '.join(f'{part:.4f}' for part in found[:3])}, linear")

    def _set_tape(self, hit: ObjectHit | None) -> None:
        if hit is None:
            self.told.emit("The tape wants a point on an object")
            return
        tape = self.modes.tape
        self.modes.set_tape([*tape, hit.point] if len(tape) == 1 else [hit.point])
        if len(self.modes.tape) == 2:
            self.told.emit(f"Tape: {overlay.tape_words(self.modes.tape)}")
