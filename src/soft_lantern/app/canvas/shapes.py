"""Where everything on the canvas lies, in canvas units: slips, their rows and teeth, and wires between them."""

from __future__ import annotations

import functools
from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QPainterPath

from soft_lantern.graph.document import Material, Node, Parameter, node_and_port, node_of, port_ref
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.kinds import (
    counting,
    input_kind,
    known_type,
    output_kinds,
    parameter_of,
    shown_name,
    type_of,
    wire_conversion,
)
from soft_lantern.graph.layout import ELBOW, SLIP_WIDTH, slip_height, thumbnail_height
from soft_lantern.graph.lowering import typed_value
from soft_lantern.nodes import Port, Role, Setting
from soft_lantern.values.kinds import Conversion, Kind, Value

TITLE = 30.0
ROW = 24.0
TOOTH = 4.0
"""Height a tooth takes with the gap to the next; strands of a wire lie as far apart."""
REACH = 12.0
"""How near to its teeth a port can be caught."""


class Row(Struct, frozen=True):
    """One line of a slip: an input, an output or a setting. `value` is what is typed into an unwired input, `words` how
    it is said where it is no number: a texture's name, or that the input reads the surface itself."""

    top: float
    port: Port | None
    setting: Setting | None = None
    is_output: bool = False
    teeth: int = 0
    kind: Kind | None = None
    value: Value | None = None
    wired: bool = False
    choice: str = ""
    words: str = ""

    @property
    def name(self) -> str:
        found = self.port or self.setting
        return found.name if found else ""


class Slip(Struct, frozen=True):
    """A node as it lies on the canvas."""

    node_id: str
    node: Node
    title: str
    rect: QRectF
    rows: tuple[Row, ...]
    parameter: Parameter | None = None
    known: bool = True
    picture: float = 0.0

    @property
    def picture_rect(self) -> QRectF:
        """Where the thumbnail lies on the canvas; empty where there is none."""
        return QRectF(self.rect.left() + 1, self.rect.top() + TITLE - 1, self.rect.width() - 2, self.picture)

    def row_rect(self, row: Row) -> QRectF:
        """Where a row lies on the canvas."""
        return QRectF(self.rect.left(), self.rect.top() + row.top, self.rect.width(), ROW)

    def port_point(self, row: Row) -> QPointF:
        """The middle of a port's teeth."""
        x = self.rect.right() if row.is_output else self.rect.left()
        return QPointF(x, self.rect.top() + row.top + ROW / 2 - (2 if row.is_output else 0))

    def teeth(self, row: Row) -> list[QPointF]:
        """The tip of each tooth of a port, from the top."""
        middle, out = self.port_point(row), (5.0 if row.is_output else -5.0)
        first = middle.y() - (row.teeth - 1) * TOOTH / 2
        return [QPointF(middle.x() + out, first + i * TOOTH) for i in range(row.teeth)]

    def row(self, port: str, *, is_output: bool) -> Row | None:
        """The row of a port."""
        return next((r for r in self.rows if r.port and r.port.name == port and r.is_output == is_output), None)


class WireShape(Struct, frozen=True):
    """A wire on the canvas: a path for every strand, and what it does to its value."""

    out: str
    into: str
    strands: tuple[QPainterPath, ...]
    conversion: Conversion | None
    middle: QPointF
    line: QLineF
    box: QRectF


class Spread(Struct, frozen=True, dict=True):
    """A whole graph laid out."""

    material: Material
    slips: dict[str, Slip]
    wires: tuple[WireShape, ...]
    kinds: dict[str, Kind]

    @property
    def bounds(self) -> QRectF:
        """The box round all slips."""
        box = QRectF()
        for slip in self.slips.values():
            box = box.united(slip.rect)
        return box

    def seen_in(self, part: QRectF) -> tuple[list[Slip], list[WireShape]]:
        """The slips and wires that touch a part of the canvas, in the order they are painted in."""
        left, top, right, bottom = part.getCoords()
        slips, wires = (
            np.flatnonzero((b[:, 0] <= right) & (b[:, 2] >= left) & (b[:, 1] <= bottom) & (b[:, 3] >= top)).tolist()
            for b in self._boxes
        )
        all_slips = list(self.slips.values())
        return [all_slips[n] for n in slips], [self.wires[n] for n in wires]

    @functools.cached_property
    def _boxes(self) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
        """Left, top, right and bottom of each slip and of each wire, (n, 4)."""
        rects = ([slip.rect for slip in self.slips.values()], [wire.box for wire in self.wires])
        slips, wires = (np.array([rect.getCoords() for rect in each], float).reshape(-1, 4) for each in rects)
        return slips, wires

    def slip_at(self, point: QPointF) -> Slip | None:
        """The topmost slip under a point."""
        for slip in reversed(self.slips.values()):
            if slip.rect.contains(point):
                return slip
        return None

    def port_at(self, point: QPointF, reach: float = REACH) -> tuple[Slip, Row] | None:
        """The port whose teeth are nearest to a point, within reach."""
        best: tuple[float, Slip, Row] | None = None
        for slip in self.slips.values():
            if not slip.rect.adjusted(-reach, -reach, reach, reach).contains(point):
                continue
            for row in slip.rows:
                if row.teeth:
                    away = point - slip.port_point(row)
                    distance = (away.x() ** 2 + away.y() ** 2) ** 0.5
                    if distance <= reach and (best is None or distance < best[0]):
                        best = (distance, slip, row)
        return (best[1], best[2]) if best else None

    def wire_at(self, point: QPointF, reach: float = 6.0) -> WireShape | None:
        """A wire that passes a point."""
        box = QRectF(point.x() - reach, point.y() - reach, 2 * reach, 2 * reach)
        for wire in self.wires:
            if any(path.intersects(box) and _passes(path, point, reach) for path in wire.strands):
                return wire
        return None


def spread(material: Material, before: Spread | None = None, names: Mapping[str, str] | None = None) -> Spread:
    """The graph laid out; slips and wires that did not change are taken over from `before`.

    `names`: of the project's textures, by id.
    """
    names = names or {}
    if before is None or not _same_frame(material, before.material):
        kinds = output_kinds(material)
        slips = {node_id: _slip(material, node_id, kinds, names) for node_id in material.nodes}
        wires = [_wire(material, slips, kinds, out, into) for into, out in material.wires.items()]
        return Spread(material, slips, tuple(w for w in wires if w), kinds)
    if not _same_graph(material, before.material):
        return _rewired(material, before, names)
    old, kinds = before.material, before.kinds
    shown = frozenset() if material.parameters is old.parameters else _of_parameters(material.nodes)
    other = [i for i, node in material.nodes.items() if node is not old.nodes[i] or i in shown]
    slips = {node_id: before.slips[node_id] for node_id in material.nodes}
    slips |= {node_id: _slip(material, node_id, kinds, names) for node_id in other}
    moved = {node_id for node_id in other if slips[node_id].rect != before.slips[node_id].rect}
    if not moved:
        return Spread(material, slips, before.wires, kinds)
    kept = []
    for wire in before.wires:
        stays = node_of(wire.out) not in moved and node_of(wire.into) not in moved
        kept.append(wire if stays else _wire(material, slips, kinds, wire.out, wire.into))
    return Spread(material, slips, tuple(w for w in kept if w), kinds)


def _rewired(material: Material, before: Spread, names: Mapping[str, str]) -> Spread:
    """The graph laid out after wires, nodes or kinds changed: what they do not touch is taken over."""
    old, kinds = before.material, output_kinds(material)
    touched = {i for i, n in material.nodes.items() if n is not old.nodes.get(i)}
    if material.parameters is not old.parameters:
        touched |= _of_parameters(material.nodes)
    touched |= {node_of(into) for into, _ in material.wires.items() ^ old.wires.items()}
    if kinds is not before.kinds:
        both = kinds.keys() | before.kinds.keys()
        other_kinds = {ref for ref in both if kinds.get(ref) is not before.kinds.get(ref)}
        touched |= {node_of(ref) for ref in other_kinds}
        touched |= {node_of(into) for into, out in material.wires.items() if out in other_kinds}
    slips = {i: before.slips[i] for i in material.nodes if i not in touched}
    slips = {i: slips.get(i) or _slip(material, i, kinds, names) for i in material.nodes}
    ends = {
        port_ref(node_id, row.name)
        for node_id in touched
        for held in (slips, before.slips)
        for row in (held[node_id].rows if node_id in held else ())
    }
    kept = {wire.into: wire for wire in before.wires}
    wires = []
    for into, out in material.wires.items():
        known = kept.get(into)
        if known is None or known.out != out or into in ends or out in ends:
            known = _wire(material, slips, kinds, out, into)
        wires.append(known)
    return Spread(material, slips, tuple(w for w in wires if w), kinds)


@by_identity(4)
def _of_parameters(nodes: dict[str, Node]) -> frozenset[str]:
    """The nodes that show a parameter's value."""
    return frozenset(node_id for node_id, node in nodes.items() if node.role is Role.PARAMETER)


def _same_frame(new: Material, old: Material) -> bool:
    """Whether slips of nodes that did not change look the same."""
    return new.snippets is old.snippets and new.thumbnail_size == old.thumbnail_size


def _same_graph(new: Material, old: Material) -> bool:
    """Whether only places, names and values differ: wires, node types, settings and parameters' kinds are the same."""
    if new.wires is not old.wires or new.nodes.keys() != old.nodes.keys():
        return False
    if [(p.id, p.kind) for p in new.parameters] != [(p.id, p.kind) for p in old.parameters]:
        return False
    for node_id, node in new.nodes.items():
        was = old.nodes[node_id]
        if node is not was and (node.type, node.settings) != (was.type, was.settings):
            return False
    return True


def strand_path(start: QPointF, end: QPointF) -> QPainterPath:
    """A strand from an output's tooth to an input's: level at both ends."""
    path = QPainterPath(start)
    lean = max(28.0, min(abs(end.x() - start.x()) * 0.5, 120.0))
    path.cubicTo(QPointF(start.x() + lean, start.y()), QPointF(end.x() - lean, end.y()), end)
    return path


def _passes(path: QPainterPath, point: QPointF, reach: float) -> bool:
    for step in range(33):
        away = path.pointAtPercent(step / 32) - point
        if away.x() ** 2 + away.y() ** 2 <= (reach + 4) ** 2:
            return True
    return False


def _slip(material: Material, node_id: str, kinds: dict[str, Kind], names: Mapping[str, str]) -> Slip:
    node = material.nodes[node_id]
    node_type = type_of(material, node)
    parameter, title = parameter_of(material, node), shown_name(material, node)
    if node.role in (Role.SURFACE, Role.OFFSET) and node_id != counting(material, node.role):
        title = f"{title} (not used)"
    if node.role is Role.ELBOW:
        return _elbow(material, node_id, title, kinds)
    rect = QRectF(node.x, node.y, SLIP_WIDTH, slip_height(material, node))
    picture = thumbnail_height(material, node)
    rows: list[Row] = []
    if node_type:
        top = TITLE + picture
        for setting in node_type.settings:
            if setting.shown:
                rows.append(Row(top, None, setting, choice=node.settings.get(setting.name, setting.default)))
                top += ROW
        for port in node_type.inputs:
            rows.append(_input_row(material, node_id, port, kinds, top, parameter, names))
            top += ROW
        for port in node_type.outputs:
            kind = kinds[port_ref(node_id, port.name)]
            rows.append(Row(top, port, is_output=True, teeth=kind.width, kind=kind))
            top += ROW
    return Slip(node_id, node, title, rect, tuple(rows), parameter, node_type is not None, picture)


def _elbow(material: Material, node_id: str, title: str, kinds: dict[str, Kind]) -> Slip:
    """A small square with its one input and output side by side."""
    node, node_type = material.nodes[node_id], known_type(material, material.nodes[node_id])
    entry = _input_row(material, node_id, node_type.inputs[0], kinds, 0.0, None, {})
    kind = kinds[port_ref(node_id, "out")]
    leaving = Row(2.0, node_type.outputs[0], is_output=True, teeth=kind.width, kind=kind)
    return Slip(node_id, node, title, QRectF(node.x, node.y, ELBOW, ELBOW), (entry, leaving))


def _input_row(
    material: Material,
    node_id: str,
    port: Port,
    kinds: dict[str, Kind],
    top: float,
    parameter: Parameter | None,
    names: Mapping[str, str],
) -> Row:
    node = material.nodes[node_id]
    wired = port_ref(node_id, port.name) in material.wires
    kind = parameter.kind if parameter else input_kind(material, node_id, port, kinds)
    needs_wire = port.default is None and port.name not in node.values
    if parameter:
        value: Value | None = parameter.default
    else:
        value = None if wired or needs_wire else typed_value(node, known_type(material, node), port.name)
    teeth = kind.width if port.carries.takes_wire else 0
    words = ""
    if not wired and port.implied is not None:
        value, words = None, "its own"
    elif kind.is_read and value is not None:
        words = names.get(str(value), "gone" if value else "choose…")
    return Row(top, port, teeth=teeth, kind=kind, value=value, wired=wired, words=words)


def _wire(material: Material, slips: dict[str, Slip], kinds: dict[str, Kind], out: str, into: str) -> WireShape | None:
    (source, out_port), (target, in_port) = node_and_port(out), node_and_port(into)
    if source not in slips or target not in slips:
        return None
    start, end = slips[source].row(out_port, is_output=True), slips[target].row(in_port, is_output=False)
    if start is None or end is None:
        return None
    tips, ends = slips[source].teeth(start), slips[target].teeth(end)
    count = max(len(tips), len(ends), 1)
    conversion = wire_conversion(material, into, kinds)
    if conversion is Conversion.FIRST:
        tips, count = tips[:1], 1
    strands = tuple(strand_path(tips[min(i, len(tips) - 1)], ends[min(i, len(ends) - 1)]) for i in range(count))
    middle = strands[len(strands) // 2].pointAtPercent(0.5)
    box = strands[0].controlPointRect().united(strands[-1].controlPointRect()).adjusted(-9, -9, 9, 9)
    return WireShape(out, into, strands, conversion, middle, QLineF(tips[0], ends[0]), box)
