"""Rebuilds expressions over other leaves, or with other arguments."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from soft_lantern.ir.expr import (
    Expr,
    Function,
    Op,
    join,
    make,
    swizzle,
    topological,
)


def replace(roots: Sequence[Expr], leaves: Mapping[Expr, Expr]) -> dict[Expr, Expr]:
    """Every expression the roots need, rebuilt with `leaves` in place of the leaves they map.

    What no leaf touches stays the same object.
    """
    done: dict[Expr, Expr] = {}
    for expr in topological(roots):
        instead = leaves.get(expr)
        done[expr] = rebuilt([done[arg] for arg in expr.args], expr) if instead is None else instead
    return done


def rebuilt(args: Sequence[Expr], old: Expr) -> Expr:
    """The same operation on other arguments."""
    if tuple(args) == old.args:
        return old
    if old.op is Op.SWIZZLE:
        return swizzle(args[0], str(old.data))
    if old.op is Op.JOIN:
        return join(*args)
    return old.data(*args) if isinstance(old.data, Function) else make(old.op, *args)
