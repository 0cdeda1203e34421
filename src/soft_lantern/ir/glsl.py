"""Prints expressions as readable GLSL statements, for 3.30 core and ES 3.00 alike.

What is named or used more than once becomes a local variable; the rest is written in place. Only what the results
need is reached, so there is no dead code.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from soft_lantern.errors import BadValue
from soft_lantern.ir.expr import (
    BITS,
    COMPARISONS,
    LEAVES,
    Expr,
    Function,
    Op,
    Type,
    constant_parts,
    functions_called,
    topological,
)
from soft_lantern.ir.glsl_words import Identifiers

LONGEST_IN_PLACE = 90
"""Characters above which a nameless expression gets a variable of its own."""

# Binding strength, strongest first, as in the GLSL 3.30 specification, section 5.1.
_PRIMARY, _UNARY, _PRODUCT, _SUM, _SHIFT, _RELATION, _EQUALITY = range(20, 13, -1)
_BITS_AND, _BITS_XOR, _BITS_OR, _AND, _OR, _CHOICE = range(13, 7, -1)

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
    Op.BITS_AND: ("&", _BITS_AND),
    Op.BITS_XOR: ("^", _BITS_XOR),
    Op.BITS_OR: ("|", _BITS_OR),
    Op.SHIFT_LEFT: ("<<", _SHIFT),
    Op.SHIFT_RIGHT: (">>", _SHIFT),
}
_ASSOCIATIVE = {Op.AND, Op.OR, Op.BITS_AND, Op.BITS_XOR, Op.BITS_OR}
_WRITTEN_AS = {
    Op.WHOLE: "uint(int(floor({})))",
    Op.TO_FLOAT: "float({})",
    Op.TEXTURE: "texture({}, {})",
    Op.TEXTURE_LEVEL: "textureLod({}, {}, {})",
    Op.CHANGE_RIGHT: "dFdx({})",
    Op.CHANGE_UP: "dFdy({})",
    Op.TEXEL: "(1.0 / vec2(textureSize({}, 0)))",
}
_PREFIX = {Op.NEG: "-", Op.NOT: "!"}

# Which arguments GLSL lets stay a lone float beside vectors, by position; all others are spread out by hand. So are
# those of min, max and clamp: where some stand inside others, a lone float crashes the optimiser of a common driver.
_MAY_STAY_SCALAR: dict[Op, tuple[tuple[int, ...], ...]] = {
    Op.MOD: ((1,),),
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
    Op.TEXTURE: "texel",
    Op.TEXTURE_LEVEL: "texel",
    Op.TEXEL: "texel_size",
    Op.WHOLE: "place",
    **dict.fromkeys(BITS, "bits"),
}


@dataclass(frozen=True, slots=True)
class Written:
    """Statements in order, and the text that stands for each result after them.

    `functions` are the definitions they call, in lines, each before those that call it.
    """

    statements: list[str]
    results: list[str]
    functions: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Text:
    text: str
    strength: int

    def within(self, strength: int) -> str:
        return self.text if self.strength >= strength else f"({self.text})"


@dataclass(frozen=True, slots=True)
class _Scope:
    """What leaves and functions are called where a text stands."""

    leaves: Mapping[str, str]
    calls: Mapping[Function, str]


def write(
    results: Sequence[Expr], names: Mapping[Expr, str], leaves: Mapping[str, str], taken: Iterable[str] = ()
) -> Written:
    """GLSL for `results`.

    `names` gives the variable names people chose, `leaves` the identifier of each uniform and of inputs that are to
    be called otherwise, `taken` the identifiers already in scope.
    """
    taken = {*taken, *leaves.values()}
    called = functions_called(results)
    free = Identifiers(taken)
    calls = {function: free.take(function.name) for function in called}
    taken |= set(calls.values())
    definitions = [line for function in called for line in _definition(function, calls, taken)]
    statements, texts = _body(results, names, leaves, taken, calls)
    return Written(statements, texts, definitions)


def _definition(function: Function, calls: Mapping[Function, str], taken: set[str]) -> list[str]:
    free = Identifiers(taken)
    leaves = {str(p.data): free.take(str(p.data)) for p in function.parameters}
    statements, (result,) = _body([function.body], {}, leaves, taken, calls)
    heads = ", ".join(f"{p.type.value} {leaves[str(p.data)]}" for p in function.parameters)
    lines = [*statements, f"return {result};"]
    return [
        f"{function.body.type.value} {calls[function]}({heads}) {{",
        *(f"    {line}" for line in lines),
        "}",
    ]


def _body(
    results: Sequence[Expr],
    names: Mapping[Expr, str],
    leaves: Mapping[str, str],
    taken: Iterable[str],
    calls: Mapping[Function, str],
) -> tuple[list[str], list[str]]:
    """Statements, and the text of each result."""
    order = topological(results)
    uses = Counter(arg for expr in order for arg in expr.args)
    uses.update(results)
    names_left = Identifiers({*taken, *leaves.values(), *(str(e.data) for e in order if e.op is Op.INPUT)})
    texts: dict[Expr, _Text] = {}
    statements: list[str] = []
    scope = _Scope(leaves, calls)
    for expr in order:
        text = _text(expr, texts, scope)
        wanted = names.get(expr)
        if expr.op not in LEAVES and (wanted or _deserves_a_name(expr, uses[expr], text.text)):
            name = names_left.take(wanted or _local_name(expr))
            statements.append(f"{expr.type.value} {name} = {text.text};")
            text = _Text(name, _PRIMARY)
        texts[expr] = text
    return statements, [texts[e].text for e in results]


def literal(value: float) -> str:
    """A float literal that reads back as the same single-precision number.

    Raises BadValue for infinity, NaN and what a 32-bit float does not hold, which GLSL has no literal for.
    """
    if not abs(value) <= float(np.finfo(np.float32).max):
        raise BadValue(f"the constant {value:g} has no place in a shader, whose numbers end at 3.4e38")
    single = np.float32(value)
    if single == 0 or 1e-4 <= abs(single) < 1e7:
        return np.format_float_positional(single, unique=True, trim="0")
    return np.format_float_scientific(single, unique=True, trim="0")


def _deserves_a_name(expr: Expr, uses: int, text: str) -> bool:
    if expr.op is Op.SWIZZLE:
        return False
    if expr.type is Type.BOOL:
        return uses > 1 and len(text) > LONGEST_IN_PLACE // 2
    return uses > 1 or len(text) > LONGEST_IN_PLACE


def _local_name(expr: Expr) -> str:
    if isinstance(expr.data, Function):
        return expr.data.name
    return "flag" if expr.type is Type.BOOL else _LOCAL_NAMES.get(expr.op, expr.op.name.lower())


def _text(expr: Expr, texts: Mapping[Expr, _Text], scope: _Scope) -> _Text:
    return RULES[expr.op](expr, [texts[a] for a in expr.args], scope)


def _constant(expr: Expr, _args: list[_Text], _scope: _Scope) -> _Text:
    if expr.type is Type.UINT:
        return _Text(f"{int(constant_parts(expr)[0])}u", _PRIMARY)
    parts = [literal(p) for p in constant_parts(expr)]
    if len(parts) == 1:
        return _Text(parts[0], _UNARY if parts[0].startswith("-") else _PRIMARY)
    same = parts[:1] if len(set(parts)) == 1 else parts
    return _Text(f"{expr.type.value}({', '.join(same)})", _PRIMARY)


def _leaf(expr: Expr, _args: list[_Text], scope: _Scope) -> _Text:
    return _Text(scope.leaves.get(str(expr.data), str(expr.data)), _PRIMARY)


def _swizzled(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    return _Text(f"{args[0].within(_PRIMARY)}.{expr.data}", _PRIMARY)


def _joined(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    same = len(set(expr.args)) == 1 and expr.args[0].type is Type.FLOAT
    return _Text(f"{expr.type.value}({', '.join(a.text for a in (args[:1] if same else args))})", _PRIMARY)


def _called(expr: Expr, args: list[_Text], scope: _Scope) -> _Text:
    assert isinstance(expr.data, Function)
    return _Text(f"{scope.calls[expr.data]}({', '.join(a.text for a in args)})", _PRIMARY)


def _chosen(_expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    condition, yes, no = (a.within(_OR) for a in args)
    return _Text(f"{condition} ? {yes} : {no}", _CHOICE)


def _finite(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    nan, infinite = f"isnan({args[0].text})", f"isinf({args[0].text})"
    if expr.args[0].type is not Type.FLOAT:
        nan, infinite = f"any({nan})", f"any({infinite})"
    return _Text(f"!({nan} || {infinite})", _UNARY)


def _prefixed(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    return _Text(_PREFIX[expr.op] + args[0].within(_PRIMARY), _UNARY)


def _between(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    symbol, strength = _INFIX[expr.op]
    # The right side of a − b or a / b binds tighter; so do sums, whose rounding depends on their grouping.
    right = strength if expr.op in _ASSOCIATIVE else strength + 1
    left = strength + 1 if expr.op in COMPARISONS else strength
    return _Text(f"{args[0].within(left)} {symbol} {args[1].within(right)}", strength)


def _written_as(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    return _Text(_WRITTEN_AS[expr.op].format(*(a.text for a in args)), _PRIMARY)


def _by_name(expr: Expr, args: list[_Text], _scope: _Scope) -> _Text:
    return _Text(f"{expr.op.value}({', '.join(_call_arguments(expr, args))})", _PRIMARY)


RULES: dict[Op, Callable[[Expr, list[_Text], _Scope], _Text]] = {
    **dict.fromkeys(Op, _by_name),
    **dict.fromkeys(_INFIX, _between),
    **dict.fromkeys(_PREFIX, _prefixed),
    **dict.fromkeys(_WRITTEN_AS, _written_as),
    Op.CONST: _constant,
    Op.INPUT: _leaf,
    Op.UNIFORM: _leaf,
    Op.SWIZZLE: _swizzled,
    Op.JOIN: _joined,
    Op.CALL: _called,
    Op.SELECT: _chosen,
    Op.FINITE: _finite,
}
"""How each operator is written; by its name, where nothing else is said."""


def _call_arguments(expr: Expr, args: Sequence[_Text]) -> list[str]:
    scalars = tuple(i for i, a in enumerate(expr.args) if a.type is Type.FLOAT)
    vectors = [a.type for a in expr.args if a.type is not Type.FLOAT]
    if not vectors or not scalars or scalars in _MAY_STAY_SCALAR.get(expr.op, ()):
        return [a.text for a in args]
    wide = vectors[0].value
    return [f"{wide}({a.text})" if i in scalars else a.text for i, a in enumerate(args)]
