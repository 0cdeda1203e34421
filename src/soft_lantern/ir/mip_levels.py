"""Smaller copies of textures, read where a texture is seen from afar, so that it neither glitters nor crawls.

Which copy follows from how much the coordinates change to the next pixels (OpenGL 3.3, section 3.8.11). GLSL knows
such changes; the NumPy reader works them out from what its pixels carry and how that changes.
"""

from __future__ import annotations

from collections.abc import Sequence

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import LEAVES, Expr, Op, input_, make, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.rewrite import rebuilt, replace
from soft_lantern.ir.surface_inputs import CARRIED

_CHANGES = {Op.CHANGE_RIGHT: "dx", Op.CHANGE_UP: "dy"}


def with_levels(root: Expr) -> Expr:
    """A value at a pixel whose textures are read at the level their coordinates ask for.

    The renderer's own textures, whose names begin with "stage:", are read as they are.
    """
    done: dict[Expr, Expr] = {}
    for expr in topological([root]):
        args = [done[a] for a in expr.args]
        if expr.op is Op.TEXTURE and not str(args[0].data).startswith("stage:"):
            done[expr] = make(Op.TEXTURE_LEVEL, args[0], args[1], _level(args[0], args[1]))
        else:
            done[expr] = expr if expr.op in LEAVES else rebuilt(args, expr)
    return done[root]


def _level(sampler: Expr, uv: Expr) -> Expr:
    """The base-2 logarithm of how many texels lie between neighbouring pixels, 0 where they are closer."""
    size = make(Op.TEXEL, sampler)
    steps = [make(op, uv) / size for op in (Op.CHANGE_RIGHT, Op.CHANGE_UP)]
    longest = f.max_(f.dot(steps[0], steps[0]), f.dot(steps[1], steps[1]))
    return f.log2(f.max_(longest, 1.0)) * 0.5


def changes_worked_out(roots: Sequence[Expr]) -> list[Expr]:
    """The same values without operators for changes: what a value is at the next pixel, less what it is here.

    Inputs change by what "NAME_dx" and "NAME_dy" say; those without stay the same.
    """
    order = topological(roots)
    if not any(expr.op in _CHANGES for expr in order):
        return list(roots)
    done: dict[Expr, Expr] = {}
    for expr in order:
        args = [done[a] for a in expr.args]
        if expr.op in _CHANGES:
            done[expr] = _at_next(args[0], _CHANGES[expr.op]) - args[0]
        else:
            done[expr] = expr if expr.op in LEAVES else rebuilt(args, expr)
    return [done[root] for root in roots]


def _at_next(value: Expr, axis: str) -> Expr:
    moved = {}
    for leaf in topological([value]):
        name = str(leaf.data)
        if leaf.op is Op.INPUT and (name in CARRIED or f"{name}_{axis}" in INPUTS):
            moved[leaf] = leaf + input_(f"{name}_{axis}", leaf.type)
    return replace([value], moved)[value]
