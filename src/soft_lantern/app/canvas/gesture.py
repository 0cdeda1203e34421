"""What the pointer is doing on the canvas while a button is down, as the view knows it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QMouseEvent, QPainter


class Gesture:
    """From a press to its release. Places are in canvas units."""

    picked_up = ""
    """The input whose wire is in the hand, and not drawn where it was."""
    drop_wire = ""
    """The input whose wire takes a slip in when it is let go."""
    reason = ""
    """Why what is held cannot be let go here."""

    def move(self, at: QPointF, event: QMouseEvent) -> None:
        """The pointer moves."""

    def release(self, at: QPointF, event: QMouseEvent) -> None:
        """The button comes up."""

    def paint(self, painter: QPainter, at: QPointF, scale: float) -> None:
        """Draw what is held, with the pointer there, where a pixel is 1 / `scale` units."""
