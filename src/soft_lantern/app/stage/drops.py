"""Looks that are dragged over a stage and let go on a part."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QDropEvent

from soft_lantern.render.frame import LinearPixels

LOOK_DRAG = "application/x-soft-lantern-look"
"""Ids of looks that are dragged, with spaces between."""
Linear = tuple[float, ...]


def is_look(event: QDropEvent) -> bool:
    """Whether looks are dragged."""
    data = event.mimeData()
    return bool(data and data.hasFormat(LOOK_DRAG))


def look_dragged(event: QDropEvent) -> str:
    """The id of the look that is dragged, the first of several."""
    data = event.mimeData()
    assert data
    return data.data(LOOK_DRAG).data().decode().split()[0]


def colour_at(linear: LinearPixels | None, share: QPointF) -> Linear | None:
    """The linear RGBA colour of a picture, before display, at a share of its width and height."""
    if linear is None:
        return None
    height, width = linear.shape[:2]
    x, y = int(share.x() * width), int(share.y() * height)
    if not (0 <= x < width and 0 <= y < height):
        return None
    red, green, blue = (max(float(part), 0.0) for part in linear[y, x, :3])
    return (red, green, blue, 1.0)
