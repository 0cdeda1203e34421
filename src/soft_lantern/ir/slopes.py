"""Differentiates from the result back: how one number changes with each of what it reads, at once (reverse mode).

The rules of single operations are those of `derivative`: each is linear in the rates of its arguments.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

from soft_lantern.ir import functions as f
from soft_lantern.ir.derivative import JUST_ABOVE, RULES
from soft_lantern.ir.expr import ELEMENTWISE, Expr, Op, Type, const, join, swizzle, topological

Slopes = list[Expr | None]
"""For each argument of an operation how the number changes with it, as wide as it; None where it does not."""


def slopes(number: Expr, leaves: Collection[Expr]) -> dict[Expr, Expr] | None:
    """How a number changes with each component of those leaves that it reads, each as wide as the leaf.

    None where some operation on the way has no rule.
    """
    told: dict[Expr, list[Expr]] = {number: [const(1.0)]}
    order = topological([number])
    moving: set[Expr] = set()
    for expr in order:
        if expr in leaves or not moving.isdisjoint(expr.args):
            moving.add(expr)
    for expr in reversed(order):
        if expr not in told or expr not in moving or expr in leaves:
            continue
        back = _handed_back(expr, f.sum_of(told[expr]))
        if back is None:
            return None
        for arg, slope in zip(expr.args, back, strict=True):
            if slope is not None and arg in moving:
                told.setdefault(arg, []).append(slope)
    return {leaf: f.sum_of(told[leaf]) for leaf in leaves if leaf in told}


def _handed_back(expr: Expr, by: Expr) -> Slopes | None:
    """For each argument, by what the number changes with it, where it changes by that with the result."""
    if expr.op in OF_EXPRESSION:
        return OF_EXPRESSION[expr.op](expr, by)
    if expr.op not in ELEMENTWISE or expr.op not in RULES:
        return None
    rule = RULES[expr.op]
    if rule is None:
        return [None] * len(expr.args)
    still, full = (const(*(share,) * expr.type.width) for share in (0.0, 1.0))
    found: Slopes = []
    for place, arg in enumerate(expr.args):
        alone = rule(expr, *(full if each == place else still for each in range(len(expr.args))))
        slope = by * alone
        found.append(f.sum_of(f.components(slope)) if arg.type is Type.FLOAT and slope.type.width > 1 else slope)
    return found


def _swizzled(expr: Expr, by: Expr) -> Slopes:
    parts: dict[str, list[Expr]] = {}
    for letter, part in zip(str(expr.data), f.components(by), strict=True):
        parts.setdefault(letter, []).append(part)
    letters = "xyzw"[: expr.args[0].type.width]
    return [join(*(f.sum_of(parts[letter]) if letter in parts else 0.0 for letter in letters))]


def _joined(expr: Expr, by: Expr) -> Slopes:
    found: Slopes = []
    place = 0
    for arg in expr.args:
        found.append(swizzle(by, "xyzw"[place : place + arg.type.width]))
        place += arg.type.width
    return found


def _chosen(expr: Expr, by: Expr) -> Slopes:
    nothing = const(*(0.0,) * expr.type.width)
    return [None, f.select(expr.args[0], by, nothing), f.select(expr.args[0], nothing, by)]


OF_EXPRESSION: dict[Op, Callable[[Expr, Expr], Slopes]] = {
    Op.SWIZZLE: _swizzled,
    Op.JOIN: _joined,
    Op.SELECT: _chosen,
    Op.LENGTH: lambda expr, by: [expr.args[0] * (by / f.max_(expr, JUST_ABOVE))],
    Op.DOT: lambda expr, by: [expr.args[1] * by, expr.args[0] * by],
}
"""Rules of what is not done component by component."""
