"""What expressions cost to compute: arithmetic operations, texture reads, and values alive at once.

Counted as shaders count: an operation on a vector is one on each component; shared parts count once. What an operator
weighs is common practice: simple arithmetic 1, division and roots 4, transcendental functions 8.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable

from msgspec import Struct

from soft_lantern.ir.expr import LEAVES, READS, Expr, Function, Op, topological
from soft_lantern.values.words import counted

_FREE = LEAVES | {Op.SWIZZLE, Op.JOIN, Op.CALL}
_FOURS = {Op.DIV, Op.SQRT, Op.MOD, Op.NORMALIZE, Op.LENGTH, Op.SMOOTHSTEP}
_EIGHTS = {Op.POW, Op.EXP, Op.LOG, Op.EXP2, Op.LOG2, Op.SIN, Op.COS}
_WEIGHTS: dict[Op, int] = {
    **dict.fromkeys(Op, 1),
    **dict.fromkeys(_FREE, 0),
    **dict.fromkeys(_FOURS, 4),
    **dict.fromkeys(_EIGHTS, 8),
    Op.MIX: 3,
    Op.CLAMP: 2,
    Op.CROSS: 3,
    Op.TEXTURE: 0,
    Op.TEXTURE_LEVEL: 0,
    Op.CHANGE_RIGHT: 1,
    Op.CHANGE_UP: 1,
    Op.TEXEL: 1,
}


class Cost(Struct, frozen=True):
    """Operations on single numbers, texture reads, and the most numbers that must be kept at once."""

    operations: int
    texture_reads: int
    live: int

    def __str__(self) -> str:
        reads = f", {counted(self.texture_reads, 'texture read')}" if self.texture_reads else ""
        return f"{counted(self.operations, 'operation')}{reads}"


def cost(results: Iterable[Expr]) -> Cost:
    """The cost of computing results from leaves."""
    wanted = list(results)
    order = topological(wanted)
    operations = reads = 0
    for expr in order:
        more, read = COUNTED[expr.op](expr)
        operations, reads = operations + more, reads + read
    return Cost(operations, reads, _most_alive(order, wanted))


@functools.lru_cache(maxsize=1024)
def _of_function(function: Function) -> Cost:
    return cost([function.body])


def _arithmetic(expr: Expr) -> tuple[int, int]:
    width = max([expr.type.width, *(a.type.width for a in expr.args)]) if expr.args else 1
    return _WEIGHTS[expr.op] * width, 0


def _call(expr: Expr) -> tuple[int, int]:
    assert isinstance(expr.data, Function)
    whole = _of_function(expr.data)
    return whole.operations, whole.texture_reads


COUNTED: dict[Op, Callable[[Expr], tuple[int, int]]] = {
    **dict.fromkeys(Op, _arithmetic),
    **dict.fromkeys(READS, lambda expr: (_WEIGHTS[expr.op], 1)),
    Op.TEXEL: lambda expr: (_WEIGHTS[expr.op], 0),
    Op.CALL: _call,
}
"""The operations and texture reads of each operator; by its weight on every component, where nothing else is said."""


def _most_alive(order: list[Expr], results: list[Expr]) -> int:
    """The most components kept at once, computing in order and dropping each value after its last use."""
    last_use = {arg: expr for expr in order for arg in expr.args}
    kept = set(results)
    alive = most = 0
    for expr in order:
        alive += expr.type.width
        most = max(most, alive)
        for arg in set(expr.args):
            if last_use[arg] is expr and arg not in kept:
                alive -= arg.type.width
    return most
