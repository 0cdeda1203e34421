"""Words on plates over a picture."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QPainter

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
