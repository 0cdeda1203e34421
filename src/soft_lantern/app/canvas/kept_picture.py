"""The picture of a graph, kept while a hand moves over it, so that only what comes into view is painted.

Painted in pieces, letters and lines thinner than a pixel may differ by a shade or a pixel from what is painted in
one: so it is there for what moves, and not for what stays.
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from math import ceil

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QWidget

Paint = Callable[[QPainter, QRectF], None]
"""Paints a part of the widget anew, ground and all."""
WHOLE = 1e-6
"""How far from whole pixels a move may be."""


class KeptPicture:
    """From the second time on that the same is painted, its picture is kept: what changes each time costs no more."""

    def __init__(self) -> None:
        self._objects: tuple[object, ...] = ()
        self._values: tuple[object, ...] = ()
        self._origin = QPointF()
        self._picture: QPixmap | None = None

    def forget(self) -> None:
        """Keep nothing any longer."""
        self._objects, self._values, self._picture = (), (), None

    def paint(
        self,
        painter: QPainter,
        widget: QWidget,
        origin: QPointF,
        objects: tuple[object, ...],
        values: tuple[object, ...],
        paint: Paint,
    ) -> None:
        """Paint all of a widget, with a place of it that moves along with what is shown.

        What is shown follows from `objects`, which are the same only if they are the same objects, and from `values`.
        """
        values = (*values, widget.size(), widget.devicePixelRatioF())
        same = values == self._values and all(map(operator.is_, objects, self._objects))
        if same:
            self._bring_up_to_date(widget, origin, paint)
        else:
            self._objects, self._values, self._picture = objects, values, None
        self._origin = QPointF(origin)
        if self._picture:
            painter.drawPixmap(0, 0, self._picture)
        else:
            paint(painter, QRectF(widget.rect()))

    def _bring_up_to_date(self, widget: QWidget, origin: QPointF, paint: Paint) -> None:
        """Move the picture and paint what it lacks; none is kept where it would not move by whole pixels."""
        picture, self._picture = self._picture, None
        ratio, away = widget.devicePixelRatioF(), origin - self._origin
        right, down = round(away.x() * ratio), round(away.y() * ratio)
        if (QPointF(right, down) / ratio - away).manhattanLength() > WHOLE:
            return
        if picture:
            picture.scroll(right, down, picture.rect())
            lacking = _uncovered(picture.rect(), right, down)
        else:
            picture = QPixmap(ceil(widget.width() * ratio), ceil(widget.height() * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.black)  # nowhere clear, so that letters look as they do on the widget
            lacking = [picture.rect()]
        for part in lacking:
            painter = QPainter(picture)
            where = QRectF(part.x() / ratio, part.y() / ratio, part.width() / ratio, part.height() / ratio)
            painter.setClipRect(where)
            paint(painter, where)
            painter.end()
        self._picture = picture


def _uncovered(whole: QRect, right: int, down: int) -> list[QRect]:
    """What a picture no longer covers when it moves by so many pixels."""
    beside = QRect(whole)
    below = QRect(whole)
    if right > 0:
        beside.setWidth(min(right, whole.width()))
    else:
        beside.setLeft(max(whole.right() + 1 + right, 0))
    if down > 0:
        below.setHeight(min(down, whole.height()))
    else:
        below.setTop(max(whole.bottom() + 1 + down, 0))
    return [part for part, by in ((beside, right), (below, down)) if by]
