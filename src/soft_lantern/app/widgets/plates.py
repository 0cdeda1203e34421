"""Words on plates over a picture."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, QSizeF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font


def say(painter: QPainter, area: QRect, text: str, *, top: bool = False) -> None:
    """A sentence at the lower or upper edge."""
    painter.setFont(app_font(10))
    inner = area.adjusted(10, 10, -10, -8)
    edge = Qt.AlignmentFlag.AlignTop if top else Qt.AlignmentFlag.AlignBottom
    flags = int(edge | Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap)
    box = painter.fontMetrics().boundingRect(inner, flags, text).adjusted(-8, -4, 8, 4)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("ground", 0.85))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(theme().colour("text"))
    painter.drawText(inner, flags, text)


def tag_size(text: str) -> QSizeF:
    """The room that a tag takes with its words, which grow with the size of text."""
    metrics = QFontMetricsF(app_font(_TAG))
    return QSizeF(metrics.horizontalAdvance(text) + 20, metrics.height() + 5)


def tag(painter: QPainter, box: QRectF, text: str, *, edge: str = "") -> None:
    """A few words in a box of `tag_size` or more; `edge`: the colour of the line round it, if it has one."""
    painter.setPen(QPen(theme().colour(edge), 1.2) if edge else QPen(Qt.PenStyle.NoPen))
    painter.setBrush(theme().colour("ground", 0.85))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(theme().colour("text"))
    painter.setFont(app_font(_TAG))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


_TAG = 9.5


def caption(painter: QPainter, box: QRectF, text: str, side: Qt.AlignmentFlag) -> None:
    """A caption on a plate of its own width, at the left or right of a box."""
    metrics = painter.fontMetrics()
    shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()) - 12)
    width = metrics.horizontalAdvance(shown) + 12
    left = box.left() if side == Qt.AlignmentFlag.AlignLeft else box.right() - width
    plate = QRectF(left, box.top(), width, 22)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("ground", 0.85))
    painter.drawRoundedRect(plate, 4, 4)
    painter.setPen(theme().colour("text"))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, shown)


def paint_refusal(painter: QPainter, reason: str, pointer: QPointF, room: QSize) -> None:
    """Why what is held cannot be let go here, beside the pointer."""
    painter.setFont(app_font(10))
    box = painter.fontMetrics().boundingRect(QRect(0, 0, 260, 200), int(Qt.TextFlag.TextWordWrap), reason)
    box.moveTo((pointer + QPointF(16, 14)).toPoint())
    box.translate(min(0, room.width() - box.right() - 16), min(0, room.height() - box.bottom() - 12))
    painter.setPen(QPen(theme().colour("trouble"), 1))
    painter.setBrush(theme().colour("panel"))
    painter.drawRoundedRect(box.adjusted(-8, -5, 8, 5), 4, 4)
    painter.setPen(theme().colour("text"))
    painter.drawText(box, int(Qt.TextFlag.TextWordWrap), reason)
