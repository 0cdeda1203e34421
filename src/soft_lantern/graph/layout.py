"""Lays a graph out in columns: what feeds a node stands to its left, wires cross as little as is cheap to arrange."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from math import inf

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.document import Material, Node, Note, changed, node_and_port, node_of
from soft_lantern.graph.edits import COLUMN, move_nodes
from soft_lantern.graph.kinds import evaluation_order, type_of
from soft_lantern.nodes import Role

ROW_GAP, SQUEEZED_GAP = 26.0, 12.0
NOTE_MARGIN, NOTE_TITLE = 14.0, 24.0
ELBOW = 24.0
"""The side of an elbow, which is all port."""
SLIP_WIDTH = 150.0


def thumbnail_height(material: Material, node: Node) -> float:
    """The height of a node's thumbnail: none for outputs, and where it was hidden."""
    node_type = type_of(material, node)
    shown = node_type is not None and node_type.outputs and node.thumbnail and node.role is not Role.ELBOW
    return material.thumbnail_size if shown else 0.0


def slip_height(material: Material, node: Node) -> float:
    """The height of a node's slip on the canvas, in canvas units: a title, a thumbnail, then a row for every port."""
    if node.role is Role.ELBOW:
        return ELBOW
    node_type = type_of(material, node)
    rows = max(len(node_type.inputs) + len(node_type.outputs), 1) if node_type else 1
    settings = sum(1 for s in node_type.settings if s.shown) if node_type else 0
    return 34.0 + 24.0 * (rows + settings) + thumbnail_height(material, node)


def pushed_down(before: Material, after: Material, node_id: str) -> Material:
    """`after` an edit that made a slip taller: what it would now cover moves down, and what that would cover."""
    node, was = after.nodes[node_id], before.nodes[node_id]
    bottom, old_bottom = node.y + slip_height(after, node), node.y + slip_height(before, was)
    below = sorted((n.y, i) for i, n in after.nodes.items() if abs(n.x - node.x) < SLIP_WIDTH and n.y >= old_bottom)
    places = {}
    for y, other in below:
        if y >= bottom:
            break
        places[other] = (after.nodes[other].x, bottom + SQUEEZED_GAP)
        bottom += SQUEEZED_GAP + slip_height(after, after.nodes[other])
    return move_nodes(after, places) if places else after


def tidy(material: Material) -> Material:
    """The material with its nodes in columns by how far they are from the output; the order within is kept stable.

    Note areas are drawn anew round the slips that lay in them.
    """
    if not material.nodes:
        return material
    inside = {note.id: nodes_in(material, note) for note in material.notes}
    placed = _in_columns(material)
    notes = tuple(around(placed, inside[n.id], n) if inside[n.id] else n for n in placed.notes)
    return changed(placed, notes=notes) if notes != placed.notes else placed


def nodes_in(material: Material, note: Note) -> list[str]:
    """The nodes whose slips lie in a note area by their upper left corner."""
    return [
        node_id
        for node_id, node in material.nodes.items()
        if note.x <= node.x <= note.x + note.width and note.y <= node.y <= note.y + note.height
    ]


def around(material: Material, node_ids: Iterable[str], note: Note) -> Note:
    """The note area, drawn round some nodes."""
    boxes = [material.nodes[i] for i in node_ids]
    left, top = min(n.x for n in boxes) - NOTE_MARGIN, min(n.y for n in boxes) - NOTE_MARGIN - NOTE_TITLE
    right = max(n.x for n in boxes) + SLIP_WIDTH + NOTE_MARGIN
    bottom = max(n.y + slip_height(material, n) for n in boxes) + NOTE_MARGIN
    return changed(note, x=left, y=top, width=right - left, height=bottom - top)


def _in_columns(material: Material) -> Material:
    order, looped = evaluation_order(material)
    readers: dict[str, list[tuple[str, str]]] = {node_id: [] for node_id in material.nodes}
    for into, out in material.wires.items():
        source = node_of(out)
        if source in readers and node_of(into) in readers:
            readers[source].append(node_and_port(into))
    depth: dict[str, int] = {}
    for node_id in [*looped, *reversed(order)]:
        depth[node_id] = max((depth.get(reader, -1) + 1 for reader, _ in readers[node_id]), default=0)
    columns: dict[int, list[str]] = {}
    for node_id in material.nodes:
        columns.setdefault(depth[node_id], []).append(node_id)
    places: dict[str, tuple[float, float]] = {}
    for column in sorted(columns):
        wanted = {n: _wanted_row(material, readers[n], places) for n in columns[column]}
        ranked = sorted(columns[column], key=lambda n: wanted[n])
        y = -inf
        for node_id in ranked:
            y = max(y, wanted[node_id])
            places[node_id] = (-column * COLUMN, y)
            y += slip_height(material, material.node(node_id)) + ROW_GAP
        middle = sum(places[n][1] - wanted[n] for n in ranked) / len(ranked)
        for node_id in ranked:
            places[node_id] = (places[node_id][0], places[node_id][1] - middle)
    left, top = min(x for x, _ in places.values()), min(y for _, y in places.values())
    return move_nodes(material, {n: (float(round(x - left)), float(round(y - top))) for n, (x, y) in places.items()})


def _wanted_row(material: Material, readers: list[tuple[str, str]], places: dict[str, tuple[float, float]]) -> float:
    """Level with the ports that read the node."""
    rows = []
    for target, port in readers:
        node_type = type_of(material, material.nodes[target])
        names = [p.name for p in node_type.inputs] if node_type else []
        rows.append(places[target][1] + 24.0 * (names.index(port) if port in names else 0) if target in places else 0.0)
    return sum(rows) / len(rows) if rows else 0.0


def free_place(material: Material, at: tuple[float, float], size: tuple[float, float]) -> tuple[float, float]:
    """The place near `at` where something of a size covers no slip, nor stands right of the surface.

    Below everything, where nothing near is free.
    """
    nodes = material.nodes.values()
    boxes = np.array([(n.x, n.y, _width(n), slip_height(material, n)) for n in nodes]).reshape(-1, 4)
    ends = [n.x for n in nodes if n.role is Role.SURFACE]
    furthest = min(ends) - size[0] - SQUEEZED_GAP if ends else inf
    wanted = np.array([min(at[0], furthest), at[1]])
    left_top, right_bottom = boxes[:, :2] - SQUEEZED_GAP, boxes[:, :2] + boxes[:, 2:] + SQUEEZED_GAP
    for tried in np.array_split(wanted + _steps_away(), 40):
        covers = (tried[:, None] < right_bottom).all(axis=2) & (tried[:, None] + size > left_top).all(axis=2)
        free = np.flatnonzero(~covers.any(axis=1) & (tried[:, 0] <= furthest))
        if len(free):
            x, y = tried[free[0]]
            return float(round(x)), float(round(y))
    return float(round(wanted[0])), float(round(right_bottom[:, 1].max()))


def _width(node: Node) -> float:
    return ELBOW if node.role is Role.ELBOW else SLIP_WIDTH


@functools.cache
def _steps_away() -> npt.NDArray[np.float64]:
    """Places round about, in steps of 20, the nearest first."""
    steps = np.arange(-40, 41) * 20.0
    places = np.stack(np.meshgrid(steps, steps), axis=2).reshape(-1, 2)
    return np.asarray(places[np.argsort((places**2).sum(axis=1), kind="stable")])
