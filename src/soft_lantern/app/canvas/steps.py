"""Going from slip to slip along the wires, and up and down a column."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPointF, QRectF

from soft_lantern.app.canvas.shapes import Slip
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.graph.document import node_of, port_ref


class Steps:
    """Moves the selection on a canvas, and the view with it."""

    def __init__(self, view: CanvasView) -> None:
        self.view = view

    def upstream(self) -> None:
        """Select the first slip that feeds the selected one."""
        slip = self._lone()
        wired = [row for row in slip.rows if row.wired] if slip else []
        if slip and wired:
            self._step_to(node_of(self.view.material.wires[port_ref(slip.node_id, wired[0].name)]))

    def downstream(self) -> None:
        """Select the first slip that the selected one feeds."""
        slip = self._lone()
        fed = [node_of(into) for into, out in self.view.material.wires.items() if slip and node_of(out) == slip.node_id]
        there = [self.view.spread.slips[i] for i in fed if i in self.view.spread.slips]
        if there:
            self._step_to(min(there, key=lambda other: other.rect.top()).node_id)

    def beside(self, step: int) -> None:
        """Select the next slip below the selected one in its column, or above it for −1."""
        slip = self._lone()
        if slip:
            column = [
                s for s in self.view.spread.slips.values() if abs(s.rect.left() - slip.rect.left()) < s.rect.width()
            ]
            column.sort(key=lambda s: (s.rect.top(), s.rect.left()))
            at = column.index(slip) + step
            if 0 <= at < len(column):
                self._step_to(column[at].node_id)

    def _lone(self) -> Slip | None:
        return self.view.spread.slips[next(iter(self.view.selected))] if len(self.view.selected) == 1 else None

    def _step_to(self, node_id: str) -> None:
        self.view.select({node_id})
        self.bring_in([node_id])

    def bring_in(self, node_ids: Iterable[str]) -> None:
        """Move the view as little as shows some slips whole, if they fit."""
        box = QRectF()
        for node_id in node_ids:
            if node_id in self.view.spread.slips:
                box = box.united(self.view.spread.slips[node_id].rect)
        if box.isEmpty():
            return
        seen = QRectF(self.view.to_widget(box.topLeft()), self.view.to_widget(box.bottomRight())).adjusted(
            -16, -16, 16, 16
        )
        right, down = min(self.view.width() - seen.right(), 0.0), min(self.view.height() - seen.bottom(), 0.0)
        self.view.origin += QPointF(right or max(-seen.left(), 0.0), down or max(-seen.top(), 0.0))
        self.view.update()
