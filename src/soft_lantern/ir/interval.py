"""Bounds expressions: for every component, a lowest and highest value it can take.

Sound for single precision: rounding to the nearest float is monotone, so the rounded ends of the exact range of an
operation bound every rounded result. An end at infinity may only mean that nothing is known: `may_be_infinite` says
where infinity can really come about (a division by zero, an overflow), `may_be_nan` where NaN can.
"""

from __future__ import annotations

import ctypes
import functools
import itertools
import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from math import inf

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.ir.expr import Expr, Function, Op, Type, constant_parts, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import SMALLEST
from soft_lantern.turns import give_way


class Interval(Struct, frozen=True):
    """Lowest and highest value of each component; (−inf, inf) where nothing is known."""

    low: tuple[float, ...]
    high: tuple[float, ...]
    may_be_nan: bool = False
    may_be_infinite: bool = False

    @property
    def width(self) -> int:
        return len(self.low)

    def contains(self, value: float) -> bool:
        """Whether any component can be `value`."""
        return any(low <= value <= high for low, high in zip(self.low, self.high, strict=True))

    def component(self, index: int) -> Interval:
        return replace(self, low=(self.low[index],), high=(self.high[index],))


@functools.lru_cache(maxsize=4096)
def exactly(*parts: float) -> Interval:
    """The interval that holds one value only."""
    return within(parts, parts)


def within(low: Sequence[float], high: Sequence[float]) -> Interval:
    """The interval between two ends as single precision has them; ends so small that they count as 0 include it."""
    ends = [(single(a), single(b)) for a, b in zip(low, high, strict=True)]
    tiny = [(0.0 < abs(a) < SMALLEST, 0.0 < abs(b) < SMALLEST) for a, b in ends]
    lows = tuple(min(a, 0.0) if small else a for (a, _), (small, _) in zip(ends, tiny, strict=True))
    return Interval(lows, tuple(max(b, 0.0) if small else b for (_, b), (_, small) in zip(ends, tiny, strict=True)))


def bounds(roots: Iterable[Expr], uniforms: Mapping[str, Interval]) -> dict[Expr, Interval]:
    """The bound of every expression that `roots` need, from the limits of uniforms and of surface inputs."""
    found: dict[Expr, Interval] = {}
    for expr in topological(roots):
        give_way()
        found[expr] = OF_EXPRESSION.get(expr.op, _operation)(expr, found, uniforms)
    return found


def _operation(expr: Expr, known: Mapping[Expr, Interval], _uniforms: Mapping[str, Interval]) -> Interval:
    return _applied(expr, [known[a] for a in expr.args])


def _input(expr: Expr, _known: Mapping[Expr, Interval], _uniforms: Mapping[str, Interval]) -> Interval:
    known = INPUTS.get(str(expr.data))
    low, high = known.limits if known else (-inf, inf)
    return Interval((low,) * expr.type.width, (high,) * expr.type.width)


def _swizzled(expr: Expr, known: Mapping[Expr, Interval], _uniforms: Mapping[str, Interval]) -> Interval:
    whole, picked = known[expr.args[0]], ["xyzw".index(letter) for letter in str(expr.data)]
    low, high = tuple(whole.low[i] for i in picked), tuple(whole.high[i] for i in picked)
    return Interval(low, high, whole.may_be_nan, whole.may_be_infinite and (-inf in low or inf in high))


def _call(expr: Expr, known: Mapping[Expr, Interval], _uniforms: Mapping[str, Interval]) -> Interval:
    assert isinstance(expr.data, Function)
    return _called(expr.data, tuple(known[a] for a in expr.args))


def _division(expr: Expr, known: Mapping[Expr, Interval], uniforms: Mapping[str, Interval]) -> Interval:
    if _by_own_length(expr):
        plain = _operation(expr, known, uniforms)
        return Interval((-_ONE,) * plain.width, (_ONE,) * plain.width, plain.may_be_nan)
    if expr.args[1].op is Op.SELECT:
        return _divided_by_choice(expr, known)
    return _operation(expr, known, uniforms)


OF_EXPRESSION: dict[Op, Callable[[Expr, Mapping[Expr, Interval], Mapping[str, Interval]], Interval]] = {
    Op.CONST: lambda expr, _known, _uniforms: exactly(*constant_parts(expr)),
    Op.INPUT: _input,
    Op.UNIFORM: lambda expr, _known, uniforms: uniforms[str(expr.data)],
    Op.SWIZZLE: _swizzled,
    Op.CALL: _call,
    Op.DIV: _division,
}
"""Rules that look at the expression itself, not only at its arguments' bounds."""


@functools.lru_cache(maxsize=4096)
def _called(function: Function, args: tuple[Interval, ...]) -> Interval:
    width = function.body.type.width
    if function.body.type is Type.UINT:
        return Interval((0.0,), (_LARGEST_UINT,))
    kept = function.keeps
    if kept and all(min(a.low) >= kept[0] and max(a.high) <= kept[1] and not a.may_be_nan for a in args):
        slack = 2.0**-18 * max(abs(kept[0]), abs(kept[1]))
        return Interval((kept[0] - slack,) * width, (kept[1] + slack,) * width)
    if function.bound is None:
        names = [str(p.data) for p in function.parameters]
        return bounds([function.body], dict(zip(names, args, strict=True)))[function.body]
    nan = any(a.may_be_nan or a.may_be_infinite for a in args)
    return Interval((function.bound[0],) * width, (function.bound[1],) * width, nan)


def may_be_zero(expr: Expr, known: Mapping[Expr, Interval]) -> bool:
    """Whether a value can be 0: of a choice, whether one of its two sides can, though their hull may hold 0."""
    if expr.op is Op.SELECT:
        return any(may_be_zero(side, known) for side in expr.args[1:])
    return known[expr].contains(0.0)


def _by_own_length(expr: Expr) -> bool:
    """Whether a vector is divided by its own length, perhaps kept from 0: then no component leaves −1 to 1."""
    vector, divisor = expr.args
    lengths = divisor.args if divisor.op is Op.MAX else (divisor,)
    return any(e.op is Op.LENGTH and e.args[0] is vector for e in lengths)


def _divided_by_choice(expr: Expr, known: Mapping[Expr, Interval]) -> Interval:
    """By each side of the choice apart: a divisor kept from 0 on both sides gives a bounded quotient."""
    divisor = expr.args[1]
    quotients = [_applied(expr, [known[expr.args[0]], known[side]]) for side in divisor.args[1:]]
    whole = _choice([known[divisor.args[0]], *quotients], known[divisor].may_be_nan)
    lost = any(q.may_be_nan for q in quotients) or whole.may_be_nan
    return Interval(whole.low, whole.high, lost, any(q.may_be_infinite for q in quotients))


_ONE = 1.0 + 2.0**-21
"""The most a component of a unit vector can come to by rounding."""


def single(x: float) -> float:
    """The nearest single-precision number, infinite where there is none."""
    return ctypes.c_float(x).value


def _applied(expr: Expr, args: list[Interval]) -> Interval:
    """The bound of an operator's result, and whether NaN or infinity can come of it."""
    result = _bounded(expr, args)
    arriving = any(a.may_be_infinite for a in args)
    is_open = -inf in result.low or inf in result.high
    infinite = is_open and (arriving or _gives_infinity(expr.op, args))
    nan = result.may_be_nan or (arriving and expr.op in _NAN_FROM_INFINITY)
    return Interval(result.low, result.high, nan, infinite)


_NAN_FROM_INFINITY = frozenset(
    {Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MOD, Op.FRACT, Op.MIX, Op.SMOOTHSTEP, Op.POW, Op.SIN, Op.COS}
    | {Op.DOT, Op.CROSS, Op.NORMALIZE, Op.LENGTH}
)


def _gives_infinity(op: Op, args: list[Interval]) -> bool:
    """Whether an operator can make infinity of finite values: by overflow, or where it has a pole."""
    if op in (Op.DIV, Op.MOD):
        return args[1].contains(0.0) or _all_bounded(args)
    if op in (Op.LOG, Op.LOG2):
        return min(args[0].low) <= 0
    if op is Op.POW:
        return min(args[1].low) < 0 or _all_bounded(args)
    return _all_bounded(args)


def _all_bounded(args: list[Interval]) -> bool:
    return all(-inf not in a.low and inf not in a.high for a in args)


def _bounded(expr: Expr, args: list[Interval]) -> Interval:
    nan = any(a.may_be_nan for a in args)
    same = len(expr.args) == 2 and expr.args[0] is expr.args[1]
    if same and expr.op is Op.DOT:
        return _squared(args[0], nan)
    if expr.op in OF_VECTORS:
        return OF_VECTORS[expr.op](args, nan)
    if expr.type is Type.BOOL:
        return Interval((0.0,), (1.0,), nan)
    if expr.type is Type.UINT:
        return Interval((0.0,), (_LARGEST_UINT,))
    rule = _SAME_ARGUMENT[expr.op] if same and expr.op in _SAME_ARGUMENT else RULES[expr.op]
    lows, highs = [], []
    for index in range(expr.type.width):
        ends = [(a.low[index % a.width], a.high[index % a.width]) for a in args]
        low, high = (0.0, 1.0) if expr.op is Op.STEP and nan else rule(*ends)
        if math.isnan(low) or math.isnan(high):
            low, high, nan = -inf, inf, True
        lows.append(single(low))
        highs.append(single(high))
        nan = nan or _gives_nan(expr.op, ends)
    return Interval(tuple(lows), tuple(highs), nan)


Ends = tuple[float, float]


def _gives_nan(op: Op, ends: list[Ends]) -> bool:
    if op is Op.DIV:
        return ends[0][0] <= 0 <= ends[0][1] and ends[1][0] <= 0 <= ends[1][1]
    if op is Op.SMOOTHSTEP:
        return ends[0][1] >= ends[1][0] and ends[0][0] <= ends[1][1]
    if op is Op.POW and ends[0][0] <= 0 <= ends[0][1] and ends[1][0] <= 0 <= ends[1][1]:
        return True
    if op in (Op.SQRT, Op.LOG, Op.LOG2, Op.POW):
        return ends[0][0] < 0
    if op is Op.MOD:
        return ends[1][0] <= 0 <= ends[1][1]
    return False


def _corners(f: Callable[[float, float], float]) -> Callable[[Ends, Ends], Ends]:
    """The range of a function that is monotone in each argument: its extremes are at the corners."""

    def rule(a: Ends, b: Ends) -> Ends:
        values = [f(x, y) for x, y in itertools.product(a, b)]
        return min(values), max(values)

    return rule


def _times(x: float, y: float) -> float:
    return 0.0 if x == 0 or y == 0 else x * y  # an end at infinity is never reached, so 0·inf is 0 here


def _sum(a: Ends, b: Ends) -> Ends:
    return a[0] + b[0], a[1] + b[1]


def _difference(a: Ends, b: Ends) -> Ends:
    return a[0] - b[1], a[1] - b[0]


def _quotient(a: Ends, b: Ends) -> Ends:
    if b[0] <= 0 <= b[1]:
        return -inf, inf
    return _corners(lambda x, y: 0.0 if x == 0 or math.isinf(y) else x / y)(a, b)


def _monotone(f: Callable[[float], float]) -> Callable[[Ends], Ends]:
    return lambda a: (f(a[0]), f(a[1]))


def _slack(f: Callable[[float], float], ulps: float = 4) -> Callable[[Ends], Ends]:
    """A rising function that hardware may round by a few units in the last place."""
    grow = ulps * 2.0**-23

    def rule(a: Ends) -> Ends:
        low, high = f(a[0]), f(a[1])
        return low - abs(low) * grow if math.isfinite(low) else low, high + abs(high) * grow

    return rule


def _absolute(a: Ends) -> Ends:
    return (0.0 if a[0] <= 0 <= a[1] else min(abs(a[0]), abs(a[1]))), max(abs(a[0]), abs(a[1]))


def _square(a: Ends, _b: Ends) -> Ends:
    low, high = _absolute(a)
    return low * low, high * high


def _clamped(x: Ends, low: Ends, high: Ends) -> Ends:
    return min(max(x[0], low[0]), high[0]), min(max(x[1], low[1]), high[1])


def _mixed(a: Ends, b: Ends, t: Ends) -> Ends:
    if t[0] >= 0 and t[1] <= 1:
        if t[0] == t[1] and t[0] in (0.0, 1.0):
            return (a, b)[int(t[0])]
        # Between a and b, but for the rounding of two products, a difference and a sum.
        low, high = min(a[0], b[0]), max(a[1], b[1])
        slack = max(abs(low), abs(high)) * 2.0**-22
        if math.isinf(slack):
            return low, high
        return (max(low - slack, 0.0) if low >= 0 else low - slack), (
            min(high + slack, 0.0) if high <= 0 else high + slack
        )
    one_less = _rounded(_difference((1.0, 1.0), t))
    return _sum(_rounded(_corners(_times)(a, one_less)), _rounded(_corners(_times)(b, t)))


def _rounded(a: Ends) -> Ends:
    """The ends after an operation of several has been rounded."""
    return single(a[0]), single(a[1])


def _wave(a: Ends) -> Ends:
    return -1.0, 1.0


def _power(base: Ends, exponent: Ends) -> Ends:
    low = max(base[0], 0.0)
    if base[0] < 0 or (low == 0 and exponent[0] < 0):
        return -inf, inf  # minus zero to a negative power may be minus infinity
    raised = _corners(_raise)((low, base[1]), exponent)
    return raised[0] * (1 - 2.0**-20), raised[1] * (1 + 2.0**-20)


def _raise(x: float, y: float) -> float:
    try:
        return float(x**y)
    except OverflowError:
        return inf


def _exponential(f: Callable[[float], float]) -> Callable[[Ends], Ends]:
    def guarded(x: float) -> float:
        try:
            return f(x)
        except OverflowError:
            return inf

    return _slack(guarded, 16)


def _root(x: float) -> float:
    return math.sqrt(max(x, 0.0))


def _logarithm(f: Callable[[float], float]) -> Callable[[Ends], Ends]:
    def guarded(x: float) -> float:
        return -inf if x <= 0 else (inf if x == inf else f(x))

    def rule(a: Ends) -> Ends:
        low, high = guarded(a[0]), guarded(a[1])
        return low - 1e-6 * (1 + abs(low)), high + 1e-6 * (1 + abs(high))

    return rule


def _fraction(a: Ends) -> Ends:
    if math.isfinite(a[0]) and math.isfinite(a[1]) and math.floor(a[0]) == math.floor(a[1]):
        return a[0] - math.floor(a[0]), a[1] - math.floor(a[1])
    return 0.0, 1.0


def _remainder(x: Ends, y: Ends) -> Ends:
    largest, least = max(abs(y[0]), abs(y[1])), min(abs(y[0]), abs(y[1]))
    if y[0] <= 0 <= y[1] or single(max(abs(x[0]), abs(x[1])) / least) == inf:
        return -inf, inf  # the quotient may be infinite, and the remainder with it
    slack = max(abs(x[0]), abs(x[1]), largest) * 2.0**-21  # the rounding of y·floor(x / y) is as large as x's own
    return (0.0 if y[0] > 0 else -largest) - slack, (0.0 if y[1] < 0 else largest) + slack


def _stepped(edge: Ends, x: Ends) -> Ends:
    return (1.0 if x[0] >= edge[1] else 0.0), (0.0 if x[1] < edge[0] else 1.0)


def _whole_floor(x: float) -> float:
    return x if math.isinf(x) else float(math.floor(x))


def _whole_ceil(x: float) -> float:
    return x if math.isinf(x) else float(math.ceil(x))


def _dot(args: list[Interval], nan: bool) -> Interval:
    total = (0.0, 0.0)
    for index in range(max(a.width for a in args)):
        ends = [(a.low[index % a.width], a.high[index % a.width]) for a in args]
        total = _rounded(_sum(total, _rounded(_corners(_times)(ends[0], ends[1]))))
    return Interval((single(total[0]),), (single(total[1]),), nan)


def _squared(v: Interval, nan: bool) -> Interval:
    """The dot product of a vector with itself."""
    low, high = 0.0, 0.0
    for ends in zip(v.low, v.high, strict=True):
        low, high = _rounded(_sum((low, high), _rounded(_square(ends, ends))))
    return Interval((low,), (high,), nan)


def _length(args: list[Interval], nan: bool) -> Interval:
    ends = [_absolute(e) for e in zip(args[0].low, args[0].high, strict=True)]
    # The squares and their sum may overflow or vanish where the length itself would not.
    low = math.sqrt(single(sum(single(e[0] ** 2) for e in ends))) * (1 - 2.0**-21)
    high = math.sqrt(single(sum(single(e[1] ** 2) for e in ends))) * (1 + 2.0**-21)
    return Interval((single(low),), (single(high),), nan)


def _unit(args: list[Interval], nan: bool) -> Interval:
    vanishes = _length(args, nan).low[0] == 0.0
    return Interval((-_ONE,) * args[0].width, (_ONE,) * args[0].width, nan or vanishes)


def _cross(args: list[Interval], nan: bool) -> Interval:
    a, b = ([*zip(v.low, v.high, strict=True)] for v in args)
    times = _corners(_times)
    ends = [_difference(_rounded(times(a[i], b[j])), _rounded(times(a[j], b[i]))) for i, j in ((1, 2), (2, 0), (0, 1))]
    return Interval(tuple(single(e[0]) for e in ends), tuple(single(e[1]) for e in ends), nan)


def _choice(args: list[Interval], nan: bool) -> Interval:
    yes, no = args[1], args[2]
    lows = tuple(min(a, b) for a, b in zip(yes.low, no.low, strict=True))
    return Interval(lows, tuple(max(a, b) for a, b in zip(yes.high, no.high, strict=True)), nan)


_LARGEST_UINT = 2.0**32
"""The largest 32-bit whole number, as single precision rounds it."""


def _unknown(like: Interval) -> Interval:
    return Interval((-inf,) * len(like.low), (inf,) * len(like.low), like.may_be_nan, like.may_be_infinite)


OF_VECTORS: dict[Op, Callable[[list[Interval], bool], Interval]] = {
    Op.JOIN: lambda args, nan: Interval(
        tuple(x for a in args for x in a.low), tuple(x for a in args for x in a.high), nan
    ),
    Op.DOT: _dot,
    Op.LENGTH: _length,
    Op.NORMALIZE: _unit,
    Op.CROSS: _cross,
    Op.SELECT: _choice,
    Op.TEXTURE: lambda args, nan: replace(args[0], may_be_nan=nan),
    Op.TEXTURE_LEVEL: lambda args, nan: replace(args[0], may_be_nan=nan),
    Op.CHANGE_RIGHT: lambda args, nan: _unknown(args[0]),
    Op.CHANGE_UP: lambda args, nan: _unknown(args[0]),
    Op.TEXEL: lambda args, nan: Interval((2.0**-20,) * 2, (1.0,) * 2),
    Op.TO_FLOAT: lambda args, nan: replace(args[0], may_be_nan=nan),
}
"""Rules over whole vectors."""
_SAME_ARGUMENT: dict[Op, Callable[[Ends, Ends], Ends]] = {
    Op.SUB: lambda a, b: (0.0, 0.0),
    Op.MUL: _square,
    Op.DIV: lambda a, b: (1.0, 1.0),
}
RULES: dict[Op, Callable[..., Ends]] = {
    Op.ADD: _sum,
    Op.SUB: _difference,
    Op.MUL: _corners(_times),
    Op.DIV: _quotient,
    Op.NEG: lambda a: (-a[1], -a[0]),
    Op.ABS: _absolute,
    Op.SIGN: _monotone(lambda x: float((x > 0) - (x < 0))),
    Op.FLOOR: _monotone(_whole_floor),
    Op.CEIL: _monotone(_whole_ceil),
    Op.FRACT: _fraction,
    Op.MOD: _remainder,
    Op.MIN: lambda a, b: (min(a[0], b[0]), min(a[1], b[1])),
    Op.MAX: lambda a, b: (max(a[0], b[0]), max(a[1], b[1])),
    Op.CLAMP: _clamped,
    Op.MIX: _mixed,
    Op.STEP: _stepped,
    Op.SMOOTHSTEP: lambda low, high, x: (0.0, 1.0 + 2.0**-22),
    Op.SQRT: _slack(_root, 1),
    Op.POW: _power,
    Op.EXP: _exponential(math.exp),
    Op.LOG: _logarithm(math.log),
    Op.EXP2: _exponential(lambda x: 2.0**x),
    Op.LOG2: _logarithm(math.log2),
    Op.SIN: _wave,
    Op.COS: _wave,
}
