"""Differentiates expressions: how a value changes when its leaves change at given rates (forward mode).

A reader like the others: a table from operator to rule. Where an operator jumps (step, floor, choices) its derivative
is taken as that of the piece it is on. Where a value is finite its rate is: the rate of a length, a direction and a
root is 0 where they vanish, and that of a power is taken just above 0.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from math import log

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import (
    FLOAT_TYPES,
    READS,
    Expr,
    Function,
    Op,
    Type,
    const,
    constant_parts,
    input_,
    join,
    make,
    swizzle,
    topological,
)
from soft_lantern.ir.inputs import MOVING, VARYING, surface_input

JUST_ABOVE = 1e-30
"""Where the rate of a power of 0 is taken, and of its logarithm."""

Rate = Expr | None
"""How fast a value changes; None where it does not."""


def rates(roots: Iterable[Expr], leaves: Mapping[Expr, Expr]) -> dict[Expr, Rate]:
    """The rate of every expression the roots need, where each of `leaves` changes at the rate it maps to."""
    found: dict[Expr, Rate] = {}
    for expr in topological(roots):
        if expr in leaves:
            found[expr] = leaves[expr]
        elif expr.type not in FLOAT_TYPES or all(found[a] is None for a in expr.args):
            found[expr] = None
        else:
            found[expr] = _rate(expr, [found[a] for a in expr.args])
    return found


def rate(value: Expr, leaves: Mapping[Expr, Expr]) -> Expr:
    """The rate of one value; zero where it does not change."""
    return _known(rates([value], leaves)[value], value)


def _rate(expr: Expr, given: list[Rate]) -> Rate:
    if expr.op in OF_EXPRESSION:
        return OF_EXPRESSION[expr.op](expr, given)
    rule = RULES[expr.op]
    if rule is None:
        return None
    rated = [_wide(_known(each, arg), expr) for each, arg in zip(given, expr.args, strict=True)]
    return rule(expr, *rated)


def _known(given: Rate, value: Expr) -> Expr:
    return given if given is not None else const(*(0.0,) * value.type.width)


def _wide(given: Expr, expr: Expr) -> Expr:
    """A rate as wide as the result, where a lone number acts on every component of a vector."""
    lone = given.type is Type.FLOAT and expr.type is not Type.FLOAT
    return f.splat(given, expr.type.width) if lone and expr.op is not Op.NORMALIZE else given


def _swizzled(expr: Expr, given: list[Rate]) -> Rate:
    return swizzle(_known(given[0], expr.args[0]), str(expr.data))


def _joined(expr: Expr, given: list[Rate]) -> Rate:
    return join(*(_known(each, arg) for each, arg in zip(given, expr.args, strict=True)))


def _choice(expr: Expr, given: list[Rate]) -> Rate:
    yes, no = (_known(each, arg) for each, arg in zip(given[1:], expr.args[1:], strict=True))
    return f.select(expr.args[0], yes, no)


def _called(expr: Expr, given: list[Rate]) -> Rate:
    """The chain rule over the arguments' components, each partial derivative a function of its own."""
    function = expr.data
    assert isinstance(function, Function)
    total: Rate = None
    for index, (each, parameter) in enumerate(zip(given, function.parameters, strict=True)):
        if each is None or parameter.type not in FLOAT_TYPES:
            continue
        for place in range(parameter.type.width):
            partial = _partial(function, index, place)
            if partial is None:
                continue
            step = partial(*expr.args) * (swizzle(each, "xyzw"[place]) if each.type.width > 1 else each)
            total = step if total is None else total + step
    return total


@functools.lru_cache(maxsize=1024)
def _partial(function: Function, index: int, place: int) -> Function | None:
    parameter = function.parameters[index]
    unit = const(*(1.0 if i == place else 0.0 for i in range(parameter.type.width)))
    body = rates([function.body], {parameter: unit})[function.body]
    letter = "xyzw"[place] if parameter.type.width > 1 else str(parameter.data)
    return None if body is None else Function(f"{function.name}_by_{letter}", function.parameters, body)


def _read_rate(expr: Expr, given: list[Rate]) -> Rate:
    """A texture's slope by central differences, a texel to either side: what bilinear filtering resolves."""
    sampler, uv, *level = expr.args
    moved = _known(given[1], uv)
    texel = make(Op.TEXEL, sampler)
    slopes = []
    for letter, step in (("x", join(texel.x, 0.0)), ("y", join(0.0, texel.y))):
        rise = make(expr.op, sampler, uv + step, *level) - make(expr.op, sampler, uv - step, *level)
        slopes.append(rise * (swizzle(moved, letter) / (2.0 * swizzle(texel, letter))))
    return slopes[0] + slopes[1]


def _is_zero(value: Expr) -> bool:
    return value.op is Op.CONST and set(constant_parts(value)) == {0.0}


def _plus(a: Expr, b: Expr) -> Expr:
    return b if _is_zero(a) else a if _is_zero(b) else a + b


def _times(rate_: Expr, by: Expr) -> Expr:
    """A rate as wide as the result times a value: no work for a rate of zero."""
    return rate_ if _is_zero(rate_) else rate_ * by


def _quotient(e: Expr, a: Expr, b: Expr) -> Expr:
    return (a if _is_zero(b) else a - e * b) / e.args[1]


def _modulo(e: Expr, a: Expr, b: Expr) -> Expr:
    return a - f.floor(e.args[0] / e.args[1]) * b


def _chosen(op: Op) -> Callable[..., Expr]:
    """The rate of whichever argument is the smaller (MIN) or larger (MAX), component by component."""

    def rule(e: Expr, a: Expr, b: Expr) -> Expr:
        x, y = (_wide(arg, e) for arg in e.args)
        first = f.step(x, y) if op is Op.MIN else f.step(y, x)
        return b + (a - b) * first

    return rule


def _clamped(e: Expr, x: Expr, low: Expr, high: Expr) -> Expr:
    value, bottom, top = (_wide(arg, e) for arg in e.args)
    below, above = 1.0 - f.step(bottom, value), 1.0 - f.step(value, top)
    inside = _times(_times(x, 1.0 - below), 1.0 - above)
    return _plus(inside, _plus(_times(low, below), _times(high, above)))


def _mixed(e: Expr, a: Expr, b: Expr, t: Expr) -> Expr:
    first, second, factor = e.args
    ends = _plus(_times(a, 1.0 - factor), _times(b, factor))
    return _plus(ends, _times(t, second - first))


def _smooth(e: Expr, low: Expr, high: Expr, x: Expr) -> Expr:
    bottom, top, value = e.args
    span = top - bottom
    t = f.saturate((value - bottom) / span)
    some = span + (1.0 - f.abs_(f.sign(span)))  # between equal edges nothing moves
    raw = (x - low) - (value - bottom) * (high - low) / some
    return (6.0 / some) * (t * (1.0 - t)) * raw


def _power(e: Expr, base: Expr, exponent: Expr) -> Expr:
    x, y = f.max_(e.args[0], JUST_ABOVE), e.args[1]  # 0 to the power of 0, and its logarithm, are no numbers
    slope = _times(base, y * f.power(x, y - 1.0))
    return slope if _is_zero(exponent) else _plus(slope, e * f.log(x) * exponent)


def _unit(e: Expr, v: Expr) -> Expr:
    long = f.length(e.args[0])
    turned = (v - e * f.dot(e, v)) / long
    return f.select(long > 0.0, turned, const(*(0.0,) * e.type.width))


def _length(e: Expr, v: Expr) -> Expr:
    return f.dot(e.args[0], v) / f.max_(e, JUST_ABOVE)


def _root(e: Expr, x: Expr) -> Expr:
    return x / (2.0 * f.max_(e, 1e-12))


def _dot(e: Expr, a: Expr, b: Expr) -> Expr:
    return f.dot(a, e.args[1]) + f.dot(e.args[0], b)


OF_EXPRESSION: dict[Op, Callable[[Expr, list[Rate]], Rate]] = {
    Op.SWIZZLE: _swizzled,
    Op.JOIN: _joined,
    Op.SELECT: _choice,
    Op.CALL: _called,
    **dict.fromkeys(READS, _read_rate),
}
"""Rules that tell a rate of nothing from one of 0, or ask the expression itself."""
RULES: dict[Op, Callable[..., Expr] | None] = {
    Op.ADD: lambda e, a, b: _plus(a, b),
    Op.SUB: lambda e, a, b: a if _is_zero(b) else a - b,
    Op.MUL: lambda e, a, b: _plus(_times(a, e.args[1]), _times(b, e.args[0])),
    Op.DIV: _quotient,
    Op.NEG: lambda e, x: -x,
    Op.ABS: lambda e, x: f.sign(e.args[0]) * x,
    Op.FRACT: lambda e, x: x,
    Op.MOD: _modulo,
    Op.MIN: _chosen(Op.MIN),
    Op.MAX: _chosen(Op.MAX),
    Op.CLAMP: _clamped,
    Op.MIX: _mixed,
    Op.SMOOTHSTEP: _smooth,
    Op.SQRT: _root,
    Op.POW: _power,
    Op.EXP: lambda e, x: e * x,
    Op.LOG: lambda e, x: x / e.args[0],
    Op.EXP2: lambda e, x: e * x * log(2),
    Op.LOG2: lambda e, x: x / (e.args[0] * log(2)),
    Op.SIN: lambda e, x: f.cos(e.args[0]) * x,
    Op.COS: lambda e, x: -f.sin(e.args[0]) * x,
    Op.DOT: _dot,
    Op.LENGTH: _length,
    Op.NORMALIZE: _unit,
    Op.CROSS: lambda e, a, b: f.cross(a, e.args[1]) + f.cross(e.args[0], b),
    **dict.fromkeys((Op.SIGN, Op.FLOOR, Op.CEIL, Op.STEP, Op.TO_FLOAT, Op.TEXEL), None),
    **dict.fromkeys((Op.CHANGE_RIGHT, Op.CHANGE_UP), None),
}


def screen_rate(value: Expr, axis: str) -> Expr:
    """How much a value changes to the next pixel: axis "dx" to the right, "dy" upwards."""
    known = {surface_input(name): surface_input(f"{name}_{axis}") for name in VARYING}
    moving = (e for e in topological([value]) if e.op is Op.INPUT and str(e.data).startswith(MOVING))
    return rate(value, known | {each: input_(f"{each.data}_{axis}", each.type) for each in moving})
