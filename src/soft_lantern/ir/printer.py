"""Prints expressions as readable statements of a shading language, by a dialect's table of rules.

What is named or used more than once becomes a local variable; the rest is written in place. Only what the results
need is reached, so there is no dead code.
"""

from __future__ import annotations

import functools
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from msgspec import Struct, field

from soft_lantern.errors import BadValue
from soft_lantern.ir.expr import (
    BITS,
    CHANGES,
    COMPARISONS,
    LEAVES,
    Expr,
    Function,
    Op,
    Type,
    constant_parts,
    functions_among,
    in_reading_order,
    topological,
)
from soft_lantern.ir.glsl_words import Identifiers

PREPARED = "// By the parameters alone, so the same at every point: can be worked out once."
AT_A_POINT = "// At the point."
_NO_WORK = frozenset({Op.UNIFORM, Op.SWIZZLE, Op.JOIN, Op.NEG})
LONGEST_IN_PLACE = 90
"""Characters above which a nameless expression gets a variable of its own."""

# Binding strength, strongest first, as in the GLSL 3.30 specification, section 5.1; C's and HLSL's are alike.
PRIMARY, UNARY, PRODUCT, SUM, SHIFT, RELATION, EQUALITY = range(20, 13, -1)
BITS_AND, BITS_XOR, BITS_OR, AND, OR, CHOICE = range(13, 7, -1)

INFIX = {
    Op.ADD: ("+", SUM),
    Op.SUB: ("-", SUM),
    Op.MUL: ("*", PRODUCT),
    Op.DIV: ("/", PRODUCT),
    Op.LESS: ("<", RELATION),
    Op.LESS_EQUAL: ("<=", RELATION),
    Op.EQUAL: ("==", EQUALITY),
    Op.AND: ("&&", AND),
    Op.OR: ("||", OR),
    Op.BITS_AND: ("&", BITS_AND),
    Op.BITS_XOR: ("^", BITS_XOR),
    Op.BITS_OR: ("|", BITS_OR),
    Op.SHIFT_LEFT: ("<<", SHIFT),
    Op.SHIFT_RIGHT: (">>", SHIFT),
}
PREFIX = {Op.NEG: "-", Op.NOT: "!"}
_ASSOCIATIVE = {Op.AND, Op.OR, Op.BITS_AND, Op.BITS_XOR, Op.BITS_OR}
_LOCAL_NAMES = {
    Op.ADD: "sum",
    Op.SUB: "difference",
    Op.MUL: "product",
    Op.DIV: "quotient",
    Op.NORMALIZE: "direction",
    Op.DOT: "cosine",
    Op.SELECT: "chosen",
    Op.JOIN: "joined",
    Op.TEXTURE: "texel",
    Op.TEXTURE_LEVEL: "texel",
    Op.TEXEL: "texel_size",
    Op.WHOLE: "place",
    **dict.fromkeys(BITS, "bits"),
}


class Written(Struct, frozen=True):
    """Statements in order, the text that stands for each result after them, and what each local variable holds."""

    statements: list[str]
    results: list[str]
    locals: Mapping[str, Expr]


class Text(Struct, frozen=True, gc=False):
    """A piece of text, and how strongly it binds."""

    text: str
    strength: int

    def within(self, strength: int) -> str:
        """The text where something that binds so strongly stands around it."""
        return self.text if self.strength >= strength else f"({self.text})"


class Scope(Struct, frozen=True):
    """What leaves and functions are called where a text stands, and the helpers its rules have asked for, in lines."""

    dialect: Dialect
    leaves: Mapping[str, str]
    calls: Mapping[Function, str]
    helpers: dict[str, list[str]]

    def named(self, type_: Type) -> str:
        """What the dialect calls a type."""
        return self.dialect.types[type_]


Rule = Callable[[Expr, list[Text], Scope], Text]


class Dialect(Struct, frozen=True, eq=False):
    """A shading language: what it calls types, how it writes each operator, a local, and a function.

    `local` gets a type, a name and a text; `function` the type of its result, its name, its parameters' types and
    names, and the lines of its body. `words`: identifiers it keeps for itself. `splat` gives a vector of a type with
    one number in every component.
    """

    types: Mapping[Type, str]
    rules: Mapping[Op, Rule]
    local: Callable[[str, str, str], str]
    function: Callable[[str, str, Sequence[tuple[str, str]], Sequence[str]], list[str]]
    words: frozenset[str] = frozenset()
    splat: Callable[[str, str], str] = lambda type_, text: f"{type_}({text})"


class Body(Struct, frozen=True, eq=False, dict=True):
    """What one function of a text computes.

    `names` gives the variable names people chose, `leaves` the text of each uniform and of inputs that are to be called
    otherwise. `parts`: what expressions without a name are part of, by which they are called if they need a variable.
    `apart`: whether what uniforms alone decide comes first, with names, so that it can be worked out once.
    `needed`: all that the results need, arguments before users, where that is known.
    """

    results: Sequence[Expr]
    names: Mapping[Expr, str]
    leaves: Mapping[str, str]
    parts: Mapping[Expr, str] = field(default_factory=dict)
    apart: bool = False
    needed: Sequence[Expr] = ()

    @functools.cached_property
    def order(self) -> Sequence[Expr]:
        """All that the results need, arguments before users."""
        return self.needed or in_reading_order(self.results)


def write(dialect: Dialect, bodies: Sequence[Body], taken: Iterable[str] = ()) -> tuple[list[str], list[Written]]:
    """The definitions that bodies call, in lines, each once and before what calls it; and the text of each body.

    `taken`: the identifiers already in scope.
    """
    known = {*taken, *dialect.words, *(name for body in bodies for name in body.leaves.values())}
    called = functions_among(expr for body in bodies for expr in body.order)
    free = Identifiers(known)
    calls = {function: free.take(function.name) for function in called}
    known |= set(calls.values())
    helpers: dict[str, list[str]] = {}
    definitions = [line for function in called for line in _definition(dialect, function, calls, known, helpers)]
    written = []
    for body in bodies:
        written.append(_body(body, Scope(dialect, body.leaves, calls, helpers), known))
    return [*(line for lines in helpers.values() for line in lines), *definitions], written


def _definition(
    dialect: Dialect,
    function: Function,
    calls: Mapping[Function, str],
    taken: set[str],
    helpers: dict[str, list[str]],
) -> list[str]:
    free = Identifiers(taken)
    leaves = {str(p.data): free.take(str(p.data)) for p in function.parameters}
    written = _body(Body([function.body], {}, leaves), Scope(dialect, leaves, calls, helpers), taken)
    parameters = [(dialect.types[p.type], leaves[str(p.data)]) for p in function.parameters]
    lines = [*written.statements, f"return {written.results[0]};"]
    return dialect.function(dialect.types[function.body.type], calls[function], parameters, lines)


def _body(body: Body, scope: Scope, taken: Iterable[str]) -> Written:
    """Statements, and the text of each result."""
    order = body.order
    uses = Counter(arg for expr in order for arg in expr.args)
    uses.update(body.results)
    inputs = (str(e.data) for e in order if e.op is Op.INPUT)
    names_left = Identifiers({*taken, *scope.leaves.values(), *inputs})
    texts: dict[Expr, Text] = {}
    statements: list[str] = []
    prepared: list[str] = []
    alone, worked = _alone(order, body.results) if body.apart else (set[Expr](), set[Expr]())
    held: dict[str, Expr] = {}
    sides = {side for expr in order if expr.op in _HAS_SIDES for side in expr.args[1:]}
    beside: set[Expr] = set()  # whose text asks the pixels beside it
    rules, types = scope.dialect.rules, scope.dialect.types
    for expr in order:
        text = rules[expr.op](expr, [texts[a] for a in expr.args], scope)
        if (expr.op in _MAY_ASK and _asks_beside(expr)) or not beside.isdisjoint(expr.args):
            beside.add(expr)
        wanted = body.names.get(expr)
        asked = expr in worked or (expr in beside and expr in sides)
        if expr.op not in LEAVES and (wanted or asked or _deserves_a_name(expr, uses[expr], text.text)):
            beside.discard(expr)
            name = names_left.take(wanted or f"{body.parts.get(expr, '')} {_local_name(expr)}")
            lines = prepared if expr in alone else statements
            lines.append(scope.dialect.local(types[expr.type], name, text.text))
            text, held[name] = Text(name, PRIMARY), expr
        texts[expr] = text
    if prepared:
        statements = [PREPARED, *prepared, *([AT_A_POINT] if statements else []), *statements]
    return Written(statements, [texts[e].text for e in body.results], held)


def _alone(order: Sequence[Expr], results: Sequence[Expr]) -> tuple[set[Expr], set[Expr]]:
    """What uniforms alone decide; and of that the work whose outcome goes into something that more decides."""
    alone: set[Expr] = set()
    work: set[Expr] = set()
    for expr in order:
        if expr.type is Type.SAMPLER or not all(arg in alone or arg.op is Op.CONST for arg in expr.args):
            continue
        known = [arg for arg in expr.args if arg.op is not Op.CONST]
        if known or expr.op is Op.UNIFORM:
            alone.add(expr)
            if expr.op not in _NO_WORK or not work.isdisjoint(known):
                work.add(expr)
    handed_on = {*results, *(arg for expr in order if expr not in alone for arg in expr.args)}
    return alone, work & handed_on


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


def _asks_beside(expr: Expr) -> bool:
    """Whether an operation asks the pixels beside its own: what that gives on one side of a choice is left open.

    So GLSL 4.60, section 8.9; and a choice works out one of its sides alone (section 5.9).
    """
    if expr.op in _ASKING:
        return True
    return isinstance(expr.data, Function) and _function_asks(expr.data)


_ASKING = frozenset({Op.TEXTURE, *CHANGES})
_MAY_ASK = _ASKING | {Op.CALL}
_HAS_SIDES = frozenset({Op.SELECT, Op.AND, Op.OR})
"""Of these only one side after the first is worked out."""


@functools.lru_cache(maxsize=1024)
def _function_asks(function: Function) -> bool:
    return any(_asks_beside(expr) for expr in topological([function.body]))


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


def constant(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """A constant as a literal, or a vector of literals."""
    if expr.type is Type.UINT:
        return Text(f"{int(constant_parts(expr)[0])}u", PRIMARY)
    parts = [literal(p) for p in constant_parts(expr)]
    if len(parts) == 1:
        return Text(parts[0], UNARY if parts[0].startswith("-") else PRIMARY)
    if len(set(parts)) == 1:
        return Text(scope.dialect.splat(scope.named(expr.type), parts[0]), PRIMARY)
    return Text(f"{scope.named(expr.type)}({', '.join(parts)})", PRIMARY)


def leaf(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """An input or a uniform by what the scope calls it."""
    return Text(scope.leaves.get(str(expr.data), str(expr.data)), PRIMARY)


def swizzled(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """Components of a vector by their letters."""
    return Text(f"{args[0].within(PRIMARY)}.{expr.data}", PRIMARY)


def joined(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """A vector of its parts; of one number alone, where all are the same."""
    if len(set(expr.args)) == 1 and expr.args[0].type is Type.FLOAT:
        return Text(scope.dialect.splat(scope.named(expr.type), args[0].text), PRIMARY)
    return Text(f"{scope.named(expr.type)}({', '.join(a.text for a in args)})", PRIMARY)


def called(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """A call of a function that was traced."""
    assert isinstance(expr.data, Function)
    return Text(f"{scope.calls[expr.data]}({', '.join(a.text for a in args)})", PRIMARY)


def called_with_samplers(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """A call of a traced function, where a texture is handed on with the sampler that belongs to it."""
    assert isinstance(expr.data, Function)
    pairs = zip(expr.args, args, strict=True)
    given = (f"{a.text}, {a.text}_sampler" if e.type is Type.SAMPLER else a.text for e, a in pairs)
    return Text(f"{scope.calls[expr.data]}({', '.join(given)})", PRIMARY)


def chosen(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """A choice by a condition."""
    condition, yes, no = (a.within(OR) for a in args)
    return Text(f"{condition} ? {yes} : {no}", CHOICE)


def prefixed(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """An operator before its argument."""
    return Text(PREFIX[expr.op] + args[0].within(PRIMARY), UNARY)


def between(expr: Expr, args: list[Text], scope: Scope) -> Text:
    """An operator between its arguments."""
    symbol, strength = INFIX[expr.op]
    # The right side of a − b or a / b binds tighter; so do sums, whose rounding depends on their grouping.
    right = strength if expr.op in _ASSOCIATIVE else strength + 1
    left = strength + 1 if expr.op in COMPARISONS else strength
    return Text(f"{args[0].within(left)} {symbol} {args[1].within(right)}", strength)


def pattern(text: str) -> Rule:
    """A rule that puts the arguments' texts into places of a text, {0}, {1}…"""
    return lambda _expr, args, _scope: Text(text.format(*(a.text for a in args)), PRIMARY)


def as_called(name: str) -> Rule:
    """A rule that calls a function of the language, every argument as wide as the result where some are wider."""
    return lambda expr, args, scope: Text(f"{name}({', '.join(spread(expr, args, scope))})", PRIMARY)


def spread(expr: Expr, args: Sequence[Text], scope: Scope) -> list[str]:
    """The arguments' texts, lone numbers beside vectors in every component of one."""
    vectors = [a.type for a in expr.args if a.type.width > 1]
    if not vectors:
        return [a.text for a in args]
    wide, splat = scope.named(vectors[0]), scope.dialect.splat
    return [splat(wide, a.text) if e.type is Type.FLOAT else a.text for e, a in zip(expr.args, args, strict=True)]


COMMON: dict[Op, Rule] = {
    **dict.fromkeys(INFIX, between),
    **dict.fromkeys(PREFIX, prefixed),
    Op.CONST: constant,
    Op.INPUT: leaf,
    Op.UNIFORM: leaf,
    Op.SWIZZLE: swizzled,
    Op.JOIN: joined,
    Op.CALL: called,
    Op.SELECT: chosen,
}
"""Rules that languages after C have in common."""
