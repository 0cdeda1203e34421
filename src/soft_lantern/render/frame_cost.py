"""What a frame costs, in figures that people read beside it."""

from __future__ import annotations

import functools

from soft_lantern.ir.cost import Cost, cost
from soft_lantern.ir.expr import Expr
from soft_lantern.render.frame import Frame
from soft_lantern.values.words import counted


def cost_in_words(frame: Frame) -> list[str]:
    """Triangles drawn; what the materials' pixels cost together and at most, light included, by the cost reader."""
    drawn = [item for item in frame.items if item.shown and not item.prop]
    triangles = sum(len(item.mesh.triangles) for item in drawn)
    costs = [_cost(item.paint.colour) for item in {id(i.paint): i for i in drawn}.values()]
    lines = [f"{counted(triangles, 'triangle')} in {counted(len(drawn), 'part')}"]
    if costs:
        dearest = max(costs, key=lambda each: each.operations)
        reads = sum(each.texture_reads for each in costs)
        lines.append(f"{counted(len(costs), 'look')}, {counted(reads, 'texture read')} in all")
        lines.append(f"dearest: {dearest} a pixel")
    return lines


@functools.lru_cache(maxsize=256)
def _cost(colour: Expr) -> Cost:
    return cost([colour])
