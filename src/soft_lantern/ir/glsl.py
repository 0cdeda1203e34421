"""Prints expressions as readable GLSL statements, for 3.30 core and ES 3.00 alike.

What is named or used more than once becomes a local variable; the rest is written in place. Only what the results
need is reached, so there is no dead code.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from soft_lantern.ir.expr import COMPARISONS, LEAVES, Expr, Op, Type, constant_parts, topological
from soft_lantern.ir.glsl_words import Identifiers

LONGEST_IN_PLACE = 90
"""Characters above which a nameless expression gets a variable of its own."""

# Binding strength, strongest first, as in the GLSL 3.30 specification, section 5.1.
_PRIMARY, _UNARY, _PRODUCT, _SUM, _RELATION, _EQUALITY, _AND, _OR, _CHOICE = range(10, 1, -1)

_INFIX = {
    Op.ADD: ("+", _SUM),
    Op.SUB: ("-", _SUM),
    Op.MUL: ("*", _PRODUCT),
    Op.DIV: ("/", _PRODUCT),
    Op.LESS: ("<", _RELATION),
    Op.LESS_EQUAL: ("<=", _RELATION),
    Op.EQUAL: ("==", _EQUALITY),
    Op.AND: ("&&", _AND),
    Op.OR: ("||", _OR),
}
_ASSOCIATIVE = {Op.AND, Op.OR}
_PREFIX = {Op.NEG: "-", Op.NOT: "!"}

# Which arguments GLSL lets stay a lone float beside vectors, by position; all others are spread out by hand.
_MAY_STAY_SCALAR: dict[Op, tuple[tuple[int, ...], ...]] = {
    Op.MIN: ((1,),),
    Op.MAX: ((1,),),
    Op.MOD: ((1,),),
    Op.CLAMP: ((1, 2),),
    Op.MIX: ((2,),),
    Op.STEP: ((0,),),
    Op.SMOOTHSTEP: ((0, 1),),
}

_LOCAL_NAMES = {
    Op.ADD: "sum",
    Op.SUB: "difference",
    Op.MUL: "product",
    Op.DIV: "quotient",
    Op.NORMALIZE: "direction",
    Op.DOT: "cosine",
}


@dataclass(frozen=True, slots=True)
class Written:
    """Statements in order, and the text that stands for each result after them."""

    statements: list[str]
    results: list[str]


@dataclass(frozen=True, slots=True)
class _Text:
    text: str
    strength: int

    def within(self, strength: int) -> str:
        return self.text if self.strength >= strength else f"({self.text})"


def write(
    results: Sequence[Expr], names: Mapping[Expr, str], leaves: Mapping[str, str], taken: Iterable[str] = ()
) -> Written:
    """GLSL for `results`.

    `names` gives the variable names people chose, `leaves` the identifier of each uniform and of inputs that are to
    be called otherwise, `taken` the identifiers already in scope.
    """
    order = topological(results)
    uses = Counter(arg for expr in order for arg in expr.args)
    uses.update(results)
    names_left = Identifiers({*taken, *leaves.values(), *(str(e.data) for e in order if e.op is Op.INPUT)})
    texts: dict[Expr, _Text] = {}
    statements: list[str] = []
    for expr in order:
        text = _text(expr, texts, leaves)
        wanted = names.get(expr)
        if expr.op not in LEAVES and (wanted or _deserves_a_name(expr, uses[expr], text.text)):
            name = names_left.take(wanted or _LOCAL_NAMES.get(expr.op, expr.op.name.lower()))
            statements.append(f"{expr.type.value} {name} = {text.text};")
            text = _Text(name, _PRIMARY)
        texts[expr] = text
    return Written(statements, [texts[e].text for e in results])


def literal(value: float) -> str:
    """A float literal that reads back as the same single-precision number.

    Raises ValueError for infinity and NaN, which GLSL has no literal for.
    """
    if not math.isfinite(value):
        raise ValueError(f"GLSL has no literal for {value}")
    single = np.float32(value)
    if single == 0 or 1e-4 <= abs(single) < 1e7:
        return np.format_float_positional(single, unique=True, trim="0")
    return np.format_float_scientific(single, unique=True, trim="0")


def _deserves_a_name(expr: Expr, uses: int, text: str) -> bool:
    if expr.op is Op.SWIZZLE or expr.type is Type.BOOL:
        return False
    return uses > 1 or len(text) > LONGEST_IN_PLACE


def _text(expr: Expr, texts: Mapping[Expr, _Text], leaves: Mapping[str, str]) -> _Text:
    op = expr.op
    if op is Op.CONST:
        return _constant(expr)
    if op in (Op.INPUT, Op.UNIFORM):
        return _Text(leaves.get(str(expr.data), str(expr.data)), _PRIMARY)
    args = [texts[a] for a in expr.args]
    if op is Op.SWIZZLE:
        return _Text(f"{args[0].within(_PRIMARY)}.{expr.data}", _PRIMARY)
    if op is Op.JOIN:
        return _Text(f"{expr.type.value}({', '.join(a.text for a in args)})", _PRIMARY)
    if op is Op.SELECT:
        inside = " ".join((args[0].within(_OR), "?", args[1].within(_OR), ":", args[2].within(_OR)))
        return _Text(inside, _CHOICE)
    if op is Op.FINITE:
        inside = f"isnan({args[0].text}) || isinf({args[0].text})"
        if expr.args[0].type is not Type.FLOAT:
            inside = f"any(isnan({args[0].text})) || any(isinf({args[0].text}))"
        return _Text(f"!({inside})", _UNARY)
    if op in _PREFIX:
        return _Text(_PREFIX[op] + args[0].within(_PRIMARY), _UNARY)
    if op in _INFIX:
        symbol, strength = _INFIX[op]
        # The right side of a − b or a / b binds tighter; so do sums, whose rounding depends on their grouping.
        right = strength if op in _ASSOCIATIVE else strength + 1
        left = strength + 1 if op in COMPARISONS else strength
        return _Text(f"{args[0].within(left)} {symbol} {args[1].within(right)}", strength)
    return _Text(f"{op.value}({', '.join(_call_arguments(expr, args))})", _PRIMARY)


def _constant(expr: Expr) -> _Text:
    parts = [literal(p) for p in constant_parts(expr)]
    if len(parts) == 1:
        return _Text(parts[0], _UNARY if parts[0].startswith("-") else _PRIMARY)
    same = parts[:1] if len(set(parts)) == 1 else parts
    return _Text(f"{expr.type.value}({', '.join(same)})", _PRIMARY)


def _call_arguments(expr: Expr, args: Sequence[_Text]) -> list[str]:
    scalars = tuple(i for i, a in enumerate(expr.args) if a.type is Type.FLOAT)
    vectors = [a.type for a in expr.args if a.type is not Type.FLOAT]
    if not vectors or not scalars or scalars in _MAY_STAY_SCALAR.get(expr.op, ()):
        return [a.text for a in args]
    wide = vectors[0].value
    return [f"{wide}({a.text})" if i in scalars else a.text for i, a in enumerate(args)]
