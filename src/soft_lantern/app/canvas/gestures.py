"""What the pointer is doing on the canvas while a button is down."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainterPath

from soft_lantern.app.canvas.shapes import TOOTH, Slip, strand_path
from soft_lantern.graph.document import Note


class Hand:
    """Something under way."""


class PanHand(Hand):
    """Moves the view."""

    def __init__(self, start: QPointF, origin: QPointF) -> None:
        self.start, self.origin = start, origin


class BoxHand(Hand):
    """Draws a box that selects what it touches, on top of what was selected."""

    def __init__(self, start: QPointF, box: QRectF, kept: set[str]) -> None:
        self.start, self.box, self.kept = start, box, kept


class MoveHand(Hand):
    """Moves slips from the places they had; a press without a move selects or edits instead."""

    def __init__(self, slip: Slip, start: QPointF, places: dict[str, tuple[float, float]], adding: bool) -> None:
        self.slip, self.start, self.places, self.adding = slip, start, places, adding
        self.moved = False

    def moved_places(self, at: QPointF) -> dict[str, tuple[float, float]]:
        """Where the slips go with the pointer there."""
        away = at - self.start
        return {i: (float(round(x + away.x())), float(round(y + away.y()))) for i, (x, y) in self.places.items()}


class NoteHand(Hand):
    """Moves a note area and the slips in it."""

    def __init__(self, start: QPointF, note: Note, places: dict[str, tuple[float, float]]) -> None:
        """`note` and the `places` of the slips as they were when the hand took hold."""
        self.start, self.note, self.places = start, note, places


class WireHand(Hand):
    """Pulls a wire from a port; `picked_up` is the input it was taken off."""

    def __init__(self, ref: str, from_output: bool, tips: list[QPointF], start: QPointF, picked_up: str = "") -> None:
        self.ref, self.from_output, self.tips, self.start, self.picked_up = ref, from_output, tips, start, picked_up
        self.reason = ""

    def strands(self, at: QPointF) -> list[QPainterPath]:
        """The strands from the port to the pointer."""
        middle = (len(self.tips) - 1) / 2
        loose = [at + QPointF(0, (i - middle) * TOOTH) for i in range(len(self.tips))]
        pairs = zip(self.tips, loose, strict=True)
        return [strand_path(tip, end) if self.from_output else strand_path(end, tip) for tip, end in pairs]
