"""Formulas: GLSL expressions as nodes. Free names become input ports; the mathematics goes into the same expressions.

Syntax and precedence: the GLSL 3.30 specification, sections 5.1 and 5.9, for floats, vectors and conditions. Whole
numbers count as floats.
"""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Callable, Mapping

import numpy as np

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Op, Type, const, join, make, swizzle, uniform, vector_type
from soft_lantern.ir.glsl_words import trouble_with_identifier
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.nodes.definition import FORMULA, Carries, NodeType, Port, Role, Setting
from soft_lantern.nodes.formula_text import FormulaError, Term, parse
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import counted

_BINARY = {"add": Op.ADD, "subtract": Op.SUB, "multiply": Op.MUL, "divide": Op.DIV, "and_": Op.AND, "or_": Op.OR}
_COMPARED: dict[str, Callable[[Expr, Expr], Expr]] = {
    "less": lambda a, b: a < b,
    "greater": lambda a, b: a > b,
    "at_most": lambda a, b: a <= b,
    "at_least": lambda a, b: a >= b,
    "equal": lambda a, b: make(Op.EQUAL, a, b),
    "unequal": lambda a, b: make(Op.NOT, make(Op.EQUAL, a, b)),
}
_ONE_ARGUMENT = ("abs", "sign", "floor", "ceil", "fract", "sqrt", "exp", "log", "exp2", "log2", "sin", "cos")
_ARITY: dict[str, int] = {
    **dict.fromkeys((*_ONE_ARGUMENT, "length", "normalize"), 1),
    **dict.fromkeys(("min", "max", "mod", "step", "pow", "dot", "cross", "distance", "reflect"), 2),
    **dict.fromkeys(("clamp", "mix", "smoothstep"), 3),
}


def free_names(text: str) -> list[str]:
    """The names that become ports, in the order they first stand. Raises FormulaError."""
    found: dict[str, None] = {}
    for term in parse(text).names():
        if trouble := trouble_with_identifier(term.word):
            raise FormulaError(f"“{term.word}” {trouble}", term.column)
        found[term.word] = None
    return list(found)


def build(text: str, values: Mapping[str, Expr]) -> Expr:
    """The formula over the values of its names. Raises FormulaError where types do not go together."""
    try:
        return _build(parse(text), values)
    except RecursionError:
        raise FormulaError("nested too deeply", 1) from None


def number_of(text: str, present: float = 0.0) -> float:
    """The number a formula comes to. `x` stands for the present one, and `pi` for itself; `* 2` means `x * 2`.

    Raises FormulaError where it comes to no finite number.
    """
    text = text.replace("−", "-").replace("×", "*").strip()
    if text[:1] in ("*", "/", "+"):
        text = f"x {text}"
    if re.fullmatch(r"[-+]?\d*,\d+", text):
        text = text.replace(",", ".")
    names = {"x": present, "pi": math.pi}
    for name in free_names(text):
        if name not in names:
            raise FormulaError(f"“{name}” is not known here", 1)
    built = build(text, {name: const(value) for name, value in names.items()})
    if built.type is not Type.FLOAT:
        raise FormulaError("this gives no single number", 1)
    found = float(np.ravel(evaluate([built], {}, np.float64)[built])[0])
    if not math.isfinite(found):
        raise FormulaError("this gives no finite number", 1)
    return found


@functools.lru_cache(maxsize=2048)
def formula_type(text: str) -> NodeType:
    """The node type of a formula: a port for each free name. Raises FormulaError."""
    names = free_names(text)

    def function(*inputs: Expr, expression: str) -> Expr:
        return build(text, dict(zip(names, inputs, strict=True)))

    ports = tuple(Port(name, Carries(None), 0.0) for name in names)
    setting = Setting("expression", (), text)
    shape = (ports, (Port("out", Carries(None)),), (setting,))
    return NodeType(FORMULA, text, "formula", ("expression",), *shape, function, own_kinds=True, role=Role.FORMULA)


def result_kind(node_type: NodeType, inputs: Mapping[str, Kind]) -> Kind | None:
    """The kind a formula gives for inputs of those kinds; None where they do not go together."""
    placeholders = {name: uniform(f"formula:{name}", vector_type(kind.width)) for name, kind in inputs.items()}
    try:
        built = build(node_type.title, placeholders)
    except FormulaError:
        return None
    if built.type is Type.BOOL:
        return None
    if built.type is Type.VEC4:
        return Kind.COLOUR if Kind.COLOUR in inputs.values() else Kind.VECTOR4
    return {Type.FLOAT: Kind.NUMBER, Type.VEC2: Kind.VECTOR2, Type.VEC3: Kind.VECTOR3}[built.type]


def _build(term: Term, values: Mapping[str, Expr]) -> Expr:
    if term.does == "number":
        return const(float(term.word.rstrip("fF")))
    if term.does == "name":
        return values[term.word]
    parts = [_build(each, values) for each in term.parts]
    try:
        if term.does == "part":
            return _part(parts[0], term)
        if term.does == "call":
            return _call(term, parts)
        if term.does == "negate":
            return -parts[0]
        if term.does == "not_":
            return make(Op.NOT, parts[0])
        if term.does == "choose":
            return _choice(*parts)
        if term.does in _COMPARED:
            return _COMPARED[term.does](*parts)
        return make(_BINARY[term.does], *parts)
    except TypeError as error:
        raise FormulaError(str(error), term.column) from None


def _choice(condition: Expr, yes: Expr, no: Expr) -> Expr:
    width = max(yes.type.width, no.type.width)
    return f.select(condition, *(f.splat(e, width) if e.type is Type.FLOAT else e for e in (yes, no)))


def _part(value: Expr, term: Term) -> Expr:
    letters = term.word
    for names in ("xyzw", "rgba", "stpq"):
        if set(letters) <= set(names) and len(letters) <= 4:
            return swizzle(value, "".join("xyzw"[names.index(letter)] for letter in letters))
    raise FormulaError(f"“.{term.word}” names no components", term.column)


def _call(term: Term, arguments: list[Expr]) -> Expr:
    name = term.word
    if name in ("vec2", "vec3", "vec4"):
        return _constructed(int(name[3]), arguments)
    if name not in _ARITY:
        raise FormulaError(f"there is no function “{name}”", term.column)
    if len(arguments) != _ARITY[name]:
        raise FormulaError(f"{name} takes {counted(_ARITY[name], 'argument')}, not {len(arguments)}", term.column)
    if name == "distance":
        return f.length(arguments[0] - arguments[1])
    if name == "reflect":
        return f.reflect(*arguments)
    return make(Op(name), *arguments)


def _constructed(width: int, arguments: list[Expr]) -> Expr:
    if len(arguments) == 1 and arguments[0].type is Type.FLOAT:
        return f.splat(arguments[0], width)
    joined = arguments[0] if len(arguments) == 1 else join(*arguments)
    if joined.type.width < width or (joined.type.width > width and len(arguments) > 1):
        raise TypeError(f"vec{width} needs {width} components, not {joined.type.width}")
    return swizzle(joined, "xyzw"[:width])
