"""GLSL, for 3.30 core, 4.50 and ES 3.00 alike, as a dialect of the printer."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct

from soft_lantern.ir import printer
from soft_lantern.ir.expr import Expr, Op, Type
from soft_lantern.ir.printer import COMMON, PRIMARY, UNARY, Body, Dialect, Rule, Scope, Text, literal, pattern

__all__ = ["DIALECT", "RULES", "Written", "literal", "write"]

_WRITTEN_AS = {
    Op.WHOLE: "uint(int(floor({})))",
    Op.TO_FLOAT: "float({})",
    Op.TEXTURE: "texture({}, {})",
    Op.TEXTURE_LEVEL: "textureLod({}, {}, {})",
    Op.CHANGE_RIGHT: "dFdx({})",
    Op.CHANGE_UP: "dFdy({})",
    Op.TEXEL: "(1.0 / vec2(textureSize({}, 0)))",
}

# Which arguments GLSL lets stay a lone float beside vectors, by position; all others are spread out by hand. So are
# those of min, max and clamp: where some stand inside others, a lone float crashes the optimiser of a common driver.
_MAY_STAY_SCALAR: dict[Op, tuple[tuple[int, ...], ...]] = {
    Op.MOD: ((1,),),
    Op.MIX: ((2,),),
    Op.STEP: ((0,),),
    Op.SMOOTHSTEP: ((0, 1),),
}


class Written(Struct, frozen=True):
    """Statements in order, the text that stands for each result after them, and the definitions they call, in lines."""

    statements: list[str]
    results: list[str]
    functions: list[str]


def write(body: Body, taken: Iterable[str] = ()) -> Written:
    """GLSL for what one function computes; `taken` as `printer.write` has it."""
    functions, (written,) = printer.write(DIALECT, [body], taken)
    return Written(written.statements, written.results, functions)


def _function(result: str, name: str, parameters: Sequence[tuple[str, str]], lines: Sequence[str]) -> list[str]:
    heads = ", ".join(f"{type_} {parameter}" for type_, parameter in parameters)
    return [f"{result} {name}({heads}) {{", *(f"    {line}" for line in lines), "}"]


def _finite(expr: Expr, args: list[Text], _scope: Scope) -> Text:
    nan, infinite = f"isnan({args[0].text})", f"isinf({args[0].text})"
    if expr.args[0].type is not Type.FLOAT:
        nan, infinite = f"any({nan})", f"any({infinite})"
    return Text(f"!({nan} || {infinite})", UNARY)


def _by_name(expr: Expr, args: list[Text], scope: Scope) -> Text:
    return Text(f"{expr.op}({', '.join(_call_arguments(expr, args, scope))})", PRIMARY)


def _call_arguments(expr: Expr, args: Sequence[Text], scope: Scope) -> list[str]:
    vectors = [a.type for a in expr.args if a.type is not Type.FLOAT]
    if not vectors:
        return [a.text for a in args]
    scalars = tuple(i for i, a in enumerate(expr.args) if a.type is Type.FLOAT)
    if not scalars or scalars in _MAY_STAY_SCALAR.get(expr.op, ()):
        return [a.text for a in args]
    wide = scope.named(vectors[0])
    return [f"{wide}({a.text})" if i in scalars else a.text for i, a in enumerate(args)]


RULES: dict[Op, Rule] = {
    **dict.fromkeys(Op, _by_name),
    **COMMON,
    **{op: pattern(text) for op, text in _WRITTEN_AS.items()},
    Op.FINITE: _finite,
}
"""How each operator is written; by its name, where nothing else is said."""

DIALECT = Dialect(
    {type_: type_.value for type_ in Type}, RULES, lambda type_, name, text: f"{type_} {name} = {text};", _function
)
