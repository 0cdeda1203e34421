"""Comparing, and choosing by what comes of it. A condition is a mask: 1 where it holds, 0 where not."""

from __future__ import annotations

from typing import Literal

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr
from soft_lantern.nodes.definition import AnyKind, Choice, Mask, Number, Repeat, node

Relation = Literal["less", "at most", "equal", "not equal", "at least", "greater"]


@node("Compare", family="logic", also=("if", "greater", "less", "equal", "condition"), source="GLSL 3.30, section 5.9")
def compare(a: Number = 0.0, b: Number = 0.0, *, relation: Relation = "greater") -> Mask:
    """1 where the first number stands in the chosen relation to the second, else 0.

    out = a > b ? 1 : 0
    """
    return f.as_number(
        {
            "less": a < b,
            "at most": a <= b,
            "equal": f.equal(a, b),
            "not equal": f.not_(f.equal(a, b)),
            "at least": a >= b,
            "greater": a > b,
        }[relation]
    )


@node("Choose", family="logic", also=("if", "select", "branch", "ternary"), source="MaterialX 1.39 ifgreater")
def choose(a: Number = 0.0, b: Number = 0.5, when_greater: AnyKind = 1.0, otherwise: AnyKind = 0.0) -> AnyKind:
    """One value where a is greater than b, another elsewhere.

    out = a > b ? when_greater : otherwise
    """
    width = max(when_greater.type.width, otherwise.type.width)
    sides = (f.splat(side, width) if side.type.width == 1 else side for side in (when_greater, otherwise))
    return f.select(a > b, *sides)


Joining = Literal["and", "or", "exclusive or", "not both", "neither"]


@node("Logic", family="logic", also=("and", "or", "xor", "not", "boolean"))
def logic(a: Mask = 0.0, b: Mask = 0.0, *, joining: Joining = "and") -> Mask:
    """1 where two conditions hold together as chosen, else 0. A condition holds above ½.

    out = a > 0.5 && b > 0.5 ? 1 : 0
    """
    one, other = a > 0.5, b > 0.5
    either = f.either(one, other)
    return f.as_number(
        {
            "and": f.both(one, other),
            "or": either,
            "exclusive or": f.both(either, f.not_(f.both(one, other))),
            "not both": f.not_(f.both(one, other)),
            "neither": f.not_(either),
        }[joining]
    )


Count = Literal["2", "3", "4", "5", "6", "7", "8"]


@node(
    "Switch",
    family="flow",
    also=("case", "choice", "drop-down", "options", "variant"),
    source="MaterialX 1.39 switch",
    repeat=Repeat("count", lambda index, count: float(index)),
)
def switch(which: Choice = 0.0, *option: AnyKind, count: Count = "2") -> AnyKind:
    """One of several values by number, counted from 0; what lies beyond the last gives 0.

    out = option[floor(which)]
    """
    width = max(each.type.width for each in option)
    wide = [f.splat(each, width) if each.type.width == 1 else each for each in option]
    result: Expr = wide[0] * 0.0
    for index, each in reversed(list(enumerate(wide))):
        result = f.select(which < float(index + 1), each, result)
    return f.select(which < 0.0, wide[0], result)
