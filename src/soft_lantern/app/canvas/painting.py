"""Paints slips and wires. A wire has a strand for each component; a port a tooth for each."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from typing import NamedTuple

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from soft_lantern.app.canvas.shapes import ROW, TITLE, Row, Slip, WireShape
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import drawn_font
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.surround import paint_surround
from soft_lantern.graph.document import Note, port_ref
from soft_lantern.ir.statistics import Statistics
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Conversion, Kind, components

CORNER = 14.0
"""The folded corner at a slip's upper right."""
SPECK = 0.25
"""The scale under which a thumbnail is too small for more than its mean colour, and a title for words."""
LEGIBLE = 7.2
"""Points that a title has on the screen at least, as long as there is room."""
_SHADOW = QColor(0, 0, 0, 55)


class Health(Enum):
    """What a wire's colour and line tell: never its kind."""

    CALM = "wire"
    OUT_OF_RANGE = "out of range"
    NOT_FINITE = "not finite"


class Thumbnail(NamedTuple):
    """A node's picture, and one colour for it from afar."""

    pixmap: QPixmap
    speck: QColor


def thumbnail_of(image: QImage) -> Thumbnail:
    """The thumbnail of a picture; its speck is the mean of four places."""
    wide, high = image.width(), image.height()
    places = [image.pixelColor(wide * x // 4, high * y // 4) for x in (1, 3) for y in (1, 3)]
    mean = QColor(*(sum(parts) // 4 for parts in zip(*((c.red(), c.green(), c.blue()) for c in places), strict=True)))
    return Thumbnail(QPixmap.fromImage(image), mean)


class Measures(Struct, frozen=True):
    """What a range strip shows of an output: measured reach, expected range, the probed value."""

    reach: Statistics
    expected: tuple[float, float] | None
    traced: tuple[float, ...] | None


def paint_slip(
    painter: QPainter,
    slip: Slip,
    picture: Thumbnail | None,
    measures: Callable[[str], Measures | None],
    *,
    selected: bool,
    troubled: bool,
    detailed: bool,
) -> None:
    """A slip of paper with a folded corner. Without `detailed`, for small scales, only its shape, picture and title."""
    now = theme()
    rect = slip.rect
    if not detailed:
        _paint_from_afar(painter, slip, picture, selected=selected, troubled=troubled)
        return
    if slip.node.role is Role.ELBOW:
        _paint_elbow(painter, slip, selected=selected)
        return
    # What is seen of the shadow alone: to fill all of it takes a quarter of the time of a slip.
    painter.fillRect(QRectF(rect.right() - 3, rect.top() + CORNER + 3, 5, rect.height() - CORNER - 6), _SHADOW)
    painter.fillRect(QRectF(rect.left() + 2, rect.bottom() - 3, rect.width(), 6), _SHADOW)
    edge = "amber" if selected else "trouble" if troubled else "edge"
    painter.setPen(QPen(now.colour(edge), 2 if selected or troubled else 1))
    painter.setBrush(now.colour("raised"))
    painter.drawPath(_paper(rect))
    fold = QPolygonF(
        [
            QPointF(rect.right() - CORNER, rect.top()),
            QPointF(rect.right() - CORNER, rect.top() + CORNER),
            QPointF(rect.right(), rect.top() + CORNER),
        ]
    )
    painter.setBrush(now.colour("amber") if slip.parameter else now.colour("edge"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPolygon(fold)
    if picture and slip.picture:
        _paint_picture(painter, slip, picture.pixmap)
    painter.setFont(drawn_font(min(max(11, LEGIBLE / painter.transform().m11()), 15), bold=True))
    painter.setPen(now.colour("text"))
    title = painter.fontMetrics().elidedText(slip.title, Qt.TextElideMode.ElideRight, int(rect.width() - CORNER - 18))
    painter.drawText(QRectF(rect.left() + 10, rect.top() + 2, rect.width(), TITLE - 4), _MIDDLE_LEFT, title)
    painter.setPen(QPen(now.colour("edge"), 1))
    painter.drawLine(
        QPointF(rect.left() + 10, rect.top() + TITLE - 2), QPointF(rect.right() - 10, rect.top() + TITLE - 2)
    )
    painter.setFont(drawn_font(10))
    if not slip.known:
        painter.setPen(now.colour("trouble"))
        painter.drawText(
            QRectF(rect.left() + 10, rect.top() + TITLE, rect.width() - 20, ROW), _MIDDLE_LEFT, "not known here"
        )
    for row in slip.rows:
        known = measures(port_ref(slip.node_id, row.name)) if row.is_output else None
        # What the strip writes takes the label's place where both have no room.
        full = known is not None and (known.reach.not_finite > 0 or len(known.traced or ()) > 1)
        _paint_row(painter, slip, row, label=not full)
        if known:
            _paint_strip(painter, slip.row_rect(row), known)
    if troubled:
        _paint_mark(painter, rect)


def paint_wire(painter: QPainter, wire: WireShape, health: Health, *, selected: bool, detailed: bool) -> None:
    """A wire's strands, dashed where values leave their range and dotted where some are not finite; and on the way
    what it does to its value, if anything."""
    now = theme()
    ill = wire.conversion is None or health is not Health.CALM
    colour = now.colour("amber" if selected else "trouble" if ill else "wire")
    painter.setBrush(Qt.BrushStyle.NoBrush)
    pen = QPen(colour, 2.2 if len(wire.strands) == 1 else 1.5)
    if health is Health.OUT_OF_RANGE:
        pen.setDashPattern([6, 2])
    elif health is Health.NOT_FINITE:
        pen.setDashPattern([1.2, 2])
    painter.setPen(pen)
    if not detailed:
        painter.drawLine(wire.line)
        return
    for strand in wire.strands:
        painter.drawPath(strand)
    if wire.conversion is not Conversion.NONE:
        _paint_tag(painter, wire.middle, str(wire.conversion or "does not fit"), colour)


def paint_loose_wire(painter: QPainter, strands: list[QPainterPath], *, fits: bool) -> None:
    """A wire still in the hand."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    pen = QPen(theme().colour("amber" if fits else "trouble"), 2)
    if not fits:
        pen.setDashPattern([4, 3])
    painter.setPen(pen)
    for strand in strands:
        painter.drawPath(strand)


def paint_note(painter: QPainter, note: Note) -> None:
    """A note area: a titled rectangle behind everything."""
    now = theme()
    area = QRectF(note.x, note.y, note.width, note.height)
    painter.setPen(QPen(now.colour("edge"), 1.4))
    painter.setBrush(now.colour("panel"))
    painter.drawRoundedRect(area, 6, 6)
    painter.setPen(now.colour("quiet"))
    painter.setFont(drawn_font(12, bold=True))
    painter.drawText(
        area.adjusted(12, 2, -12, 0).intersected(QRectF(area.topLeft(), QSizeF(area.width(), 26))),
        _MIDDLE_LEFT,
        note.title,
    )


_TEXT_IN_SLIP = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
_MIDDLE_LEFT = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
_MIDDLE_RIGHT = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)


def _paint_elbow(painter: QPainter, slip: Slip, *, selected: bool) -> None:
    now = theme()
    painter.setPen(QPen(now.colour("amber" if selected else "edge"), 2 if selected else 1))
    painter.setBrush(now.colour("raised"))
    painter.drawRoundedRect(slip.rect.adjusted(4, 4, -4, -4), 4, 4)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(now.colour("text"))
    for row in slip.rows:
        for tip in slip.teeth(row):
            painter.drawRect(QRectF(tip.x() - (9 if row.is_output else 0), tip.y() - 1, 9, 2))


def _paint_from_afar(
    painter: QPainter, slip: Slip, picture: Thumbnail | None, *, selected: bool, troubled: bool
) -> None:
    """Only what can be seen at small scales: a plain rectangle, the thumbnail, a large title."""
    now, rect = theme(), slip.rect
    painter.fillRect(rect, now.colour("amber" if selected else "trouble" if troubled else "edge"))
    painter.fillRect(rect.adjusted(3, 3, -3, -3), now.colour("raised"))
    if picture and slip.picture and painter.transform().m11() <= SPECK:
        painter.fillRect(slip.picture_rect, picture.speck)
    elif picture and slip.picture:
        _paint_picture(painter, slip, picture.pixmap)
    if painter.transform().m11() > SPECK:
        painter.setPen(now.colour("text"))
        painter.setFont(drawn_font(max(14, LEGIBLE / painter.transform().m11()), bold=True))
        room = rect.adjusted(3, 2 + (slip.picture if slip.rect.height() > 3 * slip.picture else 0), -3, -2)
        if slip.picture:  # where there is no room beside the picture, the title lies on it
            painter.fillRect(painter.boundingRect(room, _TEXT_IN_SLIP, slip.title), now.colour("raised", 0.85))
        painter.drawText(room, _TEXT_IN_SLIP, slip.title)


def _paper(rect: QRectF) -> QPainterPath:
    path = QPainterPath(QPointF(rect.left() + 3, rect.top()))
    path.lineTo(rect.right() - CORNER, rect.top())
    path.lineTo(rect.right(), rect.top() + CORNER)
    path.lineTo(rect.right(), rect.bottom() - 3)
    path.quadTo(rect.bottomRight(), QPointF(rect.right() - 3, rect.bottom()))
    path.lineTo(rect.left() + 3, rect.bottom())
    path.quadTo(rect.bottomLeft(), QPointF(rect.left(), rect.bottom() - 3))
    path.lineTo(rect.left(), rect.top() + 3)
    path.quadTo(rect.topLeft(), QPointF(rect.left() + 3, rect.top()))
    return path


def _paint_row(painter: QPainter, slip: Slip, row: Row, *, label: bool = True) -> None:
    now = theme()
    area = _row_area(slip, row)
    painter.setPen(now.colour("quiet"))
    if row.setting:
        name = row.setting.name.replace("_", " ")
        painter.drawText(area, _MIDDLE_LEFT, name)
        painter.setPen(now.colour("text"))
        room = area.adjusted(painter.fontMetrics().horizontalAdvance(name) + 6, 0, -10, 0)
        choice = painter.fontMetrics().elidedText(row.choice or "none", Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, _MIDDLE_RIGHT, choice)
        if not row.setting.typed:
            _paint_down_mark(painter, area)
        return
    assert row.port
    if row.is_output:
        words = row.port.label if row.port.name != "out" else (row.kind.words if row.kind else "")
        painter.drawText(area.adjusted(0, 0, 0, -6), _MIDDLE_RIGHT, words if label else "")
    else:
        left = room_for_name(painter, slip, row)
        label_ = painter.fontMetrics().elidedText(row.port.label, Qt.TextElideMode.ElideRight, left)
        painter.drawText(area, _MIDDLE_LEFT, label_)
        if row.value is not None:
            _paint_value(painter, area, row)
        elif row.words:
            painter.setPen(now.colour("quiet"))
            painter.drawText(area, _MIDDLE_RIGHT, row.words)
        elif not row.wired and row.teeth:
            painter.setPen(now.colour("trouble"))
            painter.drawText(area, _MIDDLE_RIGHT, "needs a wire")
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(now.colour("text" if row.wired or row.is_output else "quiet"))
    for tip in slip.teeth(row):
        root = tip.x() - 5 if row.is_output else tip.x()
        painter.drawRoundedRect(QRectF(root, tip.y() - 1.5, 5, 3), 1, 1)


def _paint_picture(painter: QPainter, slip: Slip, picture: QPixmap) -> None:
    """The thumbnail, its middle part where the slip is wider than high."""
    area = paint_surround(painter, slip.picture_rect)
    height = picture.width() * area.height() / area.width()
    source = QRectF(0, (picture.height() - height) / 2, picture.width(), height)
    painter.drawPixmap(area, picture, source)


def _paint_strip(painter: QPainter, row: QRectF, known: Measures) -> None:
    """The range strip: 0 and 1 as ticks, the measured span as a bar, its mean, what lies outside hatched."""
    now, reach = theme(), known.reach
    low, high = min(reach.low, 0.0), max(reach.high, 1.0)
    left, width, y = row.left() + 10, row.width() - 22, row.bottom() - 5

    def x_of(value: float) -> float:
        return left + (value - low) / (high - low) * width

    painter.setPen(QPen(now.colour("edge"), 1))
    painter.drawLine(QPointF(left, y), QPointF(left + width, y))
    bar = QRectF(x_of(reach.low), y - 1.5, max(x_of(reach.high) - x_of(reach.low), 2.0), 3)
    painter.fillRect(bar, now.colour("wire"))
    for start, end in _outside(known):
        # A constant has no span, but must be seen all the same.
        outside = QRectF(x_of(start) - 3, y - 3.5, x_of(end) - x_of(start) + 6, 7)
        painter.fillRect(outside, now.colour("trouble", 0.35))
        painter.fillRect(outside, QBrush(now.colour("trouble"), Qt.BrushStyle.BDiagPattern))
    painter.setPen(QPen(now.colour("quiet"), 1))
    for tick in (0.0, 1.0):
        painter.drawLine(QPointF(x_of(tick), y - 3), QPointF(x_of(tick), y + 3))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(now.colour("text"))
    painter.drawEllipse(QPointF(x_of(min(max(reach.mean, low), high)), y), 2, 2)
    painter.setFont(drawn_font(8.5))
    if reach.not_finite:
        painter.setPen(now.colour("trouble"))
        painter.drawText(row.adjusted(10, 0, -10, -8), _MIDDLE_LEFT, f"{reach.not_finite} not finite")
    elif known.traced is not None:
        painter.setPen(now.colour("amber"))
        text = " ".join(_short(part) for part in known.traced)
        painter.drawText(row.adjusted(10, 0, -10, -8), _MIDDLE_LEFT, text)
    painter.setFont(drawn_font(10))


def _outside(known: Measures) -> list[tuple[float, float]]:
    """The parts of the measured span below and above the expected range."""
    if known.expected is None or not known.reach.leaves(known.expected):
        return []
    (low, high), reach = known.expected, known.reach
    parts = [(reach.low, min(low, reach.high))] if reach.low < low else []
    return parts + ([(max(high, reach.low), reach.high)] if reach.high > high else [])


def _short(value: float) -> str:
    """A number in five characters or so."""
    text = f"{value:.2f}" if 0.01 <= abs(value) < 1000 or value == 0 else f"{value:.1e}"
    return text.replace("-", "−")


def room_for_name(painter: QPainter, slip: Slip, row: Row) -> int:
    """The width that the name of an input has beside its value, with the painter's font."""
    return int(_row_area(slip, row).width()) - _value_width(painter, row)


def _row_area(slip: Slip, row: Row) -> QRectF:
    return slip.row_rect(row).adjusted(10, 0, -8, -2)


def _value_width(painter: QPainter, row: Row) -> int:
    """How much of a row its value takes."""
    if row.value is None and not row.words:
        return 0
    if row.kind is Kind.COLOUR and not row.words:
        return 40
    return painter.fontMetrics().horizontalAdvance(row.words or _value_text(row)) + 4


def _value_text(row: Row) -> str:
    assert row.value is not None
    unit = row.port.carries.unit if row.port else ""
    numbers = [written(part) for part in components(row.value)]
    if len(numbers) > 1 or len(numbers[0]) > 6:  # the name of the port has its place beside them
        numbers = [number.removesuffix(".00") for number in numbers]
    return f"{' '.join(numbers)} {unit}".strip()


def _paint_value(painter: QPainter, area: QRectF, row: Row) -> None:
    now = theme()
    assert row.value is not None
    if row.words:
        painter.setPen(now.colour("text"))
        room = int(area.width() * 0.62)
        painter.drawText(
            area, _MIDDLE_RIGHT, painter.fontMetrics().elidedText(row.words, Qt.TextElideMode.ElideRight, room)
        )
        return
    parts = components(row.value)
    if row.kind is Kind.COLOUR and len(parts) >= 3:
        swatch = QRectF(area.right() - 34, area.center().y() - 7, 34, 14)
        painter.setPen(QPen(now.colour("edge"), 1))
        painter.setBrush(QBrush(screen_colour(parts)))
        painter.drawRoundedRect(swatch, 3, 3)
        return
    painter.setPen(now.colour("text"))
    painter.drawText(area, _MIDDLE_RIGHT, _value_text(row))


def _paint_down_mark(painter: QPainter, area: QRectF) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("quiet"))
    x, y = area.right(), area.center().y()
    painter.drawPolygon(QPolygonF([QPointF(x - 7, y - 2), QPointF(x, y - 2), QPointF(x - 3.5, y + 2.5)]))


def _paint_mark(painter: QPainter, rect: QRectF) -> None:
    """An exclamation on a round seal at the upper left corner, so that colour is not the only signal."""
    now = theme()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(now.colour("trouble"))
    painter.drawEllipse(rect.topLeft(), 8, 8)
    painter.setPen(now.colour("ground"))
    painter.setFont(drawn_font(9, bold=True))
    painter.drawText(QRectF(rect.left() - 8, rect.top() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, "!")


def _paint_tag(painter: QPainter, at: QPointF, text: str, colour: QColor) -> None:
    painter.setFont(drawn_font(8))
    width = painter.fontMetrics().horizontalAdvance(text) + 10
    box = QRectF(at.x() - width / 2, at.y() - 8, width, 16)
    painter.setPen(QPen(colour, 1))
    painter.setBrush(theme().colour("ground"))
    painter.drawRoundedRect(box, 7, 7)
    painter.setPen(theme().colour("text"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
