"""Only operations whose result the shading languages define, in place of those that they leave open for some arguments.

`CASES` lists what is left open and by which document. An operation stays as it is where bounds say that it is never
asked such a thing; elsewhere what takes its place comes to what the NumPy reader says, and to some finite value where
that says "not a number". Dividing by zero, and the unit vector of zero, are left: notices tell them where they start.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping, Sequence
from math import inf

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Function, Op, constant_parts, make, topological
from soft_lantern.ir.interval import Interval, bounds, exactly
from soft_lantern.ir.numpy_reader import HIGHEST_WHOLE, LOWEST_WHOLE, SMALLEST
from soft_lantern.ir.rewrite import rebuilt


class Case(Struct, frozen=True):
    """An operation left open: when, by which documents; whether arguments within bounds are sound, and what to write.

    `instead` gets the arguments and their bounds.
    """

    when: str
    source: str
    is_sound: Callable[..., bool]
    instead: Callable[[Sequence[Expr], Sequence[Interval]], Expr]


def defined(roots: Sequence[Expr], known: Mapping[str, Interval] | None = None) -> dict[Expr, Expr]:
    """Every expression the roots need, by defined operations alone. `known`: bounds of uniforms, by name."""
    order = topological(roots)
    asked = [expr for expr in order if expr.op in CASES and not CASES[expr.op].is_sound(*map(_by_itself, expr.args))]
    if not asked and all(expr.op is not Op.CALL for expr in order):
        return dict(zip(order, order, strict=True))
    args_of = [arg for expr in asked for arg in expr.args]
    free = {str(expr.data): _by_itself(expr) for expr in topological(args_of) if expr.op is Op.UNIFORM}
    bound = bounds(args_of, free | dict(known or {}))
    open_ = {expr for expr in asked if not CASES[expr.op].is_sound(*(bound[arg] for arg in expr.args))}
    done: dict[Expr, Expr] = {}
    for expr in order:
        args = [done[arg] for arg in expr.args]
        if isinstance(expr.data, Function):
            done[expr] = _defined_function(expr.data)(*args)
        elif expr in open_:
            done[expr] = CASES[expr.op].instead(args, [bound[arg] for arg in expr.args])
        else:
            done[expr] = rebuilt(args, expr)
    return done


def _by_itself(expr: Expr) -> Interval:
    """What is known of a value without looking at what it is made of."""
    if expr.op is Op.CONST:
        return exactly(*constant_parts(expr))
    return Interval((-inf,) * expr.type.width, (inf,) * expr.type.width)


@functools.lru_cache(maxsize=1024)
def _defined_function(function: Function) -> Function:
    """A function by defined operations alone, whatever it is given; where it is that already, the function itself."""
    body = defined([function.body])[function.body]
    return function if body is function.body else replace(function, body=body)


def _below(one: Interval, other: Interval) -> bool:
    return max(one.high) < min(other.low)


def _eased(args: Sequence[Expr], given: Sequence[Interval]) -> Expr:
    """With edges that are equal, a step."""
    low, high, x = args
    span = high - low
    if not _below(given[1], given[0]):
        span = f.each(lambda part: f.select(f.equal(part, 0.0), _STEEP, part), span)
    t = f.clamp((x - low) / span, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


_STEEP = 2.0**-60
"""From one end of a span so short to the other there is no number that matters."""


def _held(args: Sequence[Expr], _given: Sequence[Interval]) -> Expr:
    x, low, high = args
    return f.min_(f.max_(x, low), high)


def _logarithm(of: Callable[[Expr], Expr]) -> Case:
    return Case(
        "the number is not above 0",
        "GLSL 4.60, 8.2; HLSL, Metal and WGSL, log and log2",
        lambda x: min(x.low) > 0,
        lambda args, _given: of(f.max_(args[0], SMALLEST)),
    )


def _raised(args: Sequence[Expr], given: Sequence[Interval]) -> Expr:
    """0 below 0; at 0 as well where the exponent may be 0 or less."""
    base, exponent = args
    if min(given[1].low) > 0:
        return f.power(f.max_(base, 0.0), exponent)
    return f.each(lambda b, e: f.select(b > 0.0, f.power(b, e), 0.0), base, exponent)


CASES: dict[Op, Case] = {
    Op.SMOOTHSTEP: Case(
        "the lower edge is not below the upper one",
        "GLSL 4.60, 8.3; HLSL, Metal and WGSL, smoothstep",
        lambda low, high, x: _below(low, high),
        _eased,
    ),
    Op.CLAMP: Case(
        "the lower bound is above the upper one",
        "GLSL 4.60, 8.3; HLSL, Metal and WGSL, clamp",
        lambda x, low, high: max(low.high) <= min(high.low),
        _held,
    ),
    Op.POW: Case(
        "the base is below 0, or is 0 with an exponent of 0 or less",
        "GLSL 4.60, 8.2; HLSL and WGSL, pow; Metal, powr",
        lambda base, exponent: min(base.low) > 0 or (min(base.low) >= 0 and min(exponent.low) > 0),
        _raised,
    ),
    Op.SQRT: Case(
        "the number is below 0",
        "GLSL 4.60, 8.2; HLSL, Metal and WGSL, sqrt",
        lambda x: min(x.low) >= 0,
        lambda args, _given: f.sqrt(f.max_(args[0], 0.0)),
    ),
    Op.LOG: _logarithm(f.log),
    Op.LOG2: _logarithm(f.log2),
    Op.WHOLE: Case(
        "no 32-bit whole number holds it",
        "GLSL 4.60, 5.4.1; SPIR-V, OpConvertFToS; HLSL and Metal, conversions",
        lambda x: min(x.low) >= LOWEST_WHOLE and max(x.high) <= HIGHEST_WHOLE,
        lambda args, _given: make(Op.WHOLE, f.clamp(args[0], LOWEST_WHOLE, HIGHEST_WHOLE)),
    ),
}
"""What the documents of the languages leave open. Remainders are written out, so that no sign is left to a language;
bits are shifted by constants below 32; and how values change from pixel to pixel is asked outside any choice."""
