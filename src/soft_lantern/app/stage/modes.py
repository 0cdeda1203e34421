"""How one stage is used at the moment: what it draws, what its handle and clicks do, which picture is pinned."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter

from soft_lantern.app.pictures.sight import Sight
from soft_lantern.app.stage.gestures import Gesture
from soft_lantern.render.card import SCALES, Card
from soft_lantern.scene.mesh import Matrix

TURNTABLE = 12.0
"""Seconds for one turn of the turntable."""
BEAT = 33


class StageModes(QObject):
    """`seen` tells that the picture is another, `changed` that something is switched, `told` a sentence for people."""

    seen = pyqtSignal()
    changed = pyqtSignal()
    told = pyqtSignal(str)
    turned = pyqtSignal(float)
    """The turntable has gone round by so many degrees."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.sight = Sight()
        self.also: tuple[str, ...] = ()
        """Objects that are selected with the one in hand, and go where it goes."""
        self.handle_kind = "move"
        self.clicks = "pick"
        """What clicks do: pick, probe, set the ends of the tape, take a colour up ("drop"), or what a desk brought."""
        self.hands: dict[str, Callable[[QMouseEvent], Gesture]] = {}
        """What a press begins while clicks do what a desk brought, by its name."""
        self.over: list[Callable[[QPainter], object]] = []
        """What desks paint over the picture of a scene."""
        self.tape: list[Matrix] = []
        self.pin: Matrix | None = None
        """The probed point."""
        self.pinned_picture: QImage | None = None
        self.flipped = False
        self.figures_shown = False
        self._turning = QTimer(self)
        self._turning.setInterval(BEAT)
        self._turning.timeout.connect(lambda: self.turned.emit(360 * BEAT / 1000 / TURNTABLE))

    def look(self, **fields: Any) -> None:
        """Change what is seen, by the fields of `Sight`."""
        self.sight = replace(self.sight, **fields)
        self.changed.emit()
        self.seen.emit()

    def set_options(self, **fields: Any) -> None:
        """Change what is drawn beside the objects and what of the surface is shown."""
        self.look(options=replace(self.sight.options, **fields))

    def set_time(self, seconds: float) -> None:
        """Show another moment."""
        self.sight = replace(self.sight, time=seconds)
        self.seen.emit()

    def try_on(self, look_id: str) -> None:
        """Let every object that wears something of the same material wear this look instead; "" as they are dressed.

        Where no object does, all wear it, so that what is being built can be seen.
        """
        if look_id != self.sight.tried:
            self.sight = replace(self.sight, tried=look_id)
            self.seen.emit()

    def put_on_card(self, look_id: str) -> None:
        """What the flat card wears, where it is shown."""
        if look_id != self.sight.on_card:
            self.sight = replace(self.sight, on_card=look_id)
            if self.sight.card:
                self.seen.emit()

    def select(self, object_id: str, part: str = "", also: tuple[str, ...] = ()) -> None:
        """The object whose handle is shown, one of its parts, and what is selected with it."""
        self.also = also
        self.sight = replace(self.sight, selected=object_id, part=part)
        if self.sight.card:
            self.seen.emit()
        self.changed.emit()

    def let_clicks(self, do: str) -> None:
        """Let clicks "pick" objects, "probe" pixels or set the ends of the "tape"; the same again picks."""
        self.clicks = "pick" if do == self.clicks else do
        if self.clicks != "tape":
            self.tape = []
        self.changed.emit()

    @property
    def probing(self) -> bool:
        """Whether clicks probe."""
        return self.clicks == "probe"

    def pin_probe(self, point: Matrix | None) -> None:
        """Mark the probed point, or take the mark away."""
        self.pin = point
        self.changed.emit()

    def set_tape(self, ends: list[Matrix]) -> None:
        """Stretch the tape between two points, or set its one end."""
        self.tape = ends
        self.changed.emit()

    def show_handle(self, kind: str) -> None:
        """Let the selected object be moved, turned or scaled by its handle."""
        self.handle_kind = kind
        self.changed.emit()

    def show_card(self, card: Card | None) -> None:
        """Show the look on a flat card, pixel for pixel; None shows the scene again."""
        self.look(card=card)

    def zoom_card(self, steps: int) -> None:
        """Show the card so many sizes larger."""
        card = self.sight.card
        assert card
        at = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - card.scale))
        self.show_card(replace(card, scale=SCALES[min(max(at + steps, 0), len(SCALES) - 1)]))

    def solo(self, object_id: str, part: str = "") -> None:
        """Draw one object, or one part of it, alone; the same again draws all."""
        wanted = (object_id, part)
        self.set_options(solo=("", "") if wanted == self.sight.options.solo else wanted)

    def show_figures(self, on: bool) -> None:
        """Show what the picture costs."""
        self.figures_shown = on
        self.changed.emit()
        self.seen.emit()

    def turntable(self, on: bool) -> None:
        """Let the view go round what it looks at."""
        if on:
            self._turning.start()
        else:
            self._turning.stop()
        self.changed.emit()

    @property
    def is_turning(self) -> bool:
        """Whether the turntable runs."""
        return self._turning.isActive()

    def pin_picture(self, image: QImage) -> None:
        """Keep a picture as it is, to flip against."""
        self.pinned_picture = image.copy()
        self.flipped = False
        self.told.emit("Picture pinned; flip shows it in place of the live one")
        self.changed.emit()

    def flip(self) -> None:
        """Show the pinned picture instead of the live one, or the live one again."""
        if self.pinned_picture is None:
            self.told.emit("Pin a picture first, then flip against it")
            return
        self.flipped = not self.flipped
        self.changed.emit()
