"""Rebuilds expressions: with other leaves, or with everything that is known already worked out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from soft_lantern.ir.expr import (
    LEAVES,
    Expr,
    Function,
    Op,
    Type,
    bits,
    const,
    constant_parts,
    join,
    make,
    swizzle,
    topological,
)
from soft_lantern.ir.numpy_reader import evaluate


def replace(roots: Sequence[Expr], leaves: Mapping[Expr, Expr], *, fold: bool = True) -> dict[Expr, Expr]:
    """Every expression the roots need, rebuilt with `leaves` in place of the leaves they map.

    Without `fold`, nothing is worked out: what no leaf touches stays the same object.
    """
    done: dict[Expr, Expr] = {}
    for expr in topological(roots):
        if expr in leaves:
            done[expr] = leaves[expr]
        elif expr.op in LEAVES:
            done[expr] = expr
        else:
            args = [done[a] for a in expr.args]
            done[expr] = _folded(args, expr) if fold else rebuilt(args, expr)
    return done


def rebuilt(args: list[Expr], old: Expr) -> Expr:
    """The same operation on other arguments."""
    if args == list(old.args):
        return old
    if old.op is Op.SWIZZLE:
        return swizzle(args[0], str(old.data))
    if old.op is Op.JOIN:
        return join(*args)
    return old.data(*args) if isinstance(old.data, Function) else make(old.op, *args)


def _folded(args: list[Expr], old: Expr) -> Expr:
    built = rebuilt(args, old)
    if built.op is not Op.CONST and all(a.op is Op.CONST for a in args) and built.type is not Type.BOOL:
        value = evaluate([built], {}, np.float64)[built].ravel()
        if built.type is Type.UINT:
            return bits(int(value[0]))
        return const(*value) if np.isfinite(value).all() else built
    return _without_needless_work(built)


def _without_needless_work(expr: Expr) -> Expr:
    """x + 0, x − 0, x · 1 and x / 1 are x; the mix at 0 or 1 is one of its ends."""
    if expr.op not in (Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MIX):
        return expr
    neutral = 1.0 if expr.op in (Op.MUL, Op.DIV) else 0.0
    first, second = expr.args[0], expr.args[-1]
    if expr.op is Op.MIX:
        at = {constant_parts(second)[0]} if second.op is Op.CONST and second.type is Type.FLOAT else set()
        end = expr.args[0] if at == {0.0} else expr.args[1] if at == {1.0} else expr
        return end if end.type is expr.type else expr
    if _is_all(second, neutral) and first.type is expr.type:
        return first
    if expr.op in (Op.ADD, Op.MUL) and _is_all(first, neutral) and second.type is expr.type:
        return second
    return expr


def _is_all(expr: Expr, value: float) -> bool:
    return expr.op is Op.CONST and set(constant_parts(expr)) == {value}
