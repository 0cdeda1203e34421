"""Nodes that ask how a value changes to the next pixel: standard nodes do not, so that they become functions."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from soft_lantern.ir.expr import Expr, Function, Op, input_, make, topological, uniform
from soft_lantern.ir.inputs import MOVING, surface_input
from soft_lantern.ir.rewrite import replace


def over_pixels(
    computed: Callable[[Mapping[str, Expr]], dict[str, Expr]], symbols: Mapping[str, Expr], name: str
) -> dict[str, Expr]:
    """What a node computes of symbols. Where it asks how they change to the next pixel, it is a function for itself."""
    plain = computed(symbols)
    if not any(_change_of(expr) for expr in topological(plain.values())):
        return plain
    moving = {key: input_(f"{MOVING}{key}", e.type) for key, e in symbols.items() if e.op is Op.UNIFORM}
    made = {}
    for key, expr in computed({**symbols, **moving}).items():
        parameters: dict[str, Expr] = {}
        inside = {}
        for leaf in topological([expr]):
            if leaf.op is Op.INPUT:
                bare = _change_of(leaf) or str(leaf.data)
                symbol = parameters.setdefault(bare, uniform(bare.removeprefix(MOVING), leaf.type))
                axis = Op.CHANGE_UP if str(leaf.data).endswith("_dy") else Op.CHANGE_RIGHT
                inside[leaf] = make(axis, symbol) if _change_of(leaf) else symbol
        function = Function(f"{name}_{key}", tuple(parameters.values()), replace([expr], inside)[expr])
        given = (
            symbols[each[len(MOVING) :]] if each.startswith(MOVING) else surface_input(each) for each in parameters
        )
        made[key] = function(*given)
    return made


def _change_of(expr: Expr) -> str:
    """The input whose change to the next pixel an expression is, "" where it is none."""
    name = str(expr.data) if expr.op is Op.INPUT else ""
    return name[:-3] if name.endswith(("_dx", "_dy")) else ""
