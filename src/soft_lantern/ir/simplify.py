"""Work that does nothing is left out: algebra over expressions, exact wherever every number is finite.

Each rule looks at one operation on arguments that are simple already, and gives what it comes to, or None. A rule holds
to the bit, apart from the sign of a zero; a unit vector made unit once more, and the power of two as a product, to the
last place. What divides by zero, overflows or is no number may come out otherwise: there GLSL promises nothing either.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Callable, Container, Sequence

import numpy as np
from msgspec.structs import replace

from soft_lantern.ir.expr import Expr, Function, Op, Type, bits, const, constant_parts, join, make, swizzle, topological
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.ir.rewrite import rebuilt

Rule = Callable[[Expr], Expr | None]


def simplified(roots: Sequence[Expr], simple: Container[Expr] = ()) -> dict[Expr, Expr]:
    """Every expression the roots need, and what it comes to with no work that does nothing. `simple`: what has none."""
    done: dict[Expr, Expr] = {}
    for expr in topological(roots):
        if expr in simple:
            done[expr] = expr
            continue
        args = [done[arg] for arg in expr.args]
        if isinstance(expr.data, Function):
            done[expr] = _simple_function(expr.data)(*args)
        else:
            done[expr] = _settled(rebuilt(args, expr))
    return done


@functools.lru_cache(maxsize=1024)
def _simple_function(function: Function) -> Function:
    """A function with a simple body; the same one each time, and where there is nothing to do the function itself."""
    body = simplified([function.body])[function.body]
    return function if body is function.body else replace(function, body=body)


def _settled(expr: Expr) -> Expr:
    """What no rule changes any more."""
    while True:
        for rule in _rules_for(expr):
            found = rule(expr)
            if found is not None:
                break
        else:
            return expr
        if found is expr or found.type is not expr.type:
            return expr
        expr = found


def _new(op: Op, *args: Expr) -> Expr:
    return _settled(make(op, *args))


def _rules_for(expr: Expr) -> Sequence[Rule]:
    return (_worked_out,) if expr.type is Type.UINT else _FOR_OP[expr.op]


def _worked_out(expr: Expr) -> Expr | None:
    """An operation on constants is its result."""
    for arg in expr.args:
        if arg.op is not Op.CONST:
            return None
    if not expr.args or expr.type is Type.BOOL:
        return None
    with np.errstate(all="ignore"):
        value = evaluate([expr], {}, np.float32)[expr].ravel()
    if expr.type is Type.UINT:
        return bits(int(value[0]))
    return const(*(float(x) for x in value)) if np.isfinite(value).all() else None


def _sum(expr: Expr) -> Expr | None:
    a, b = expr.args
    if is_all(b, 0.0):
        return _wide(a, expr)
    if is_all(a, 0.0):
        return _wide(b, expr)
    if b.op is Op.NEG:
        return _new(Op.SUB, a, b.args[0])
    return _new(Op.SUB, b, a.args[0]) if a.op is Op.NEG else None


def _beside_zeros(expr: Expr) -> Expr | None:
    """A vector some of whose components are 0 changes the others alone."""
    a, b = expr.args
    sides = ((a, b),) if expr.op is Op.SUB else ((a, b), (b, a))
    for kept, added in sides:
        if added.op is not Op.JOIN or kept.type is not added.type:
            continue
        parts = list(zip(_components(kept), _components(added), strict=True))
        if any(is_all(part, 0.0) for _, part in parts):
            return _settled(join(*(_new(expr.op, one, other) for one, other in parts)))
    return None


def _difference(expr: Expr) -> Expr | None:
    a, b = expr.args
    if is_all(b, 0.0):
        return _wide(a, expr)
    if a is b:
        return const(*(0.0,) * expr.type.width)
    if is_all(a, 0.0):
        return _wide(_new(Op.NEG, b), expr)
    if b.op is Op.NEG:
        return _new(Op.ADD, a, b.args[0])
    if b.op is Op.CONST and all(part < 0 for part in constant_parts(b)):
        return _new(Op.ADD, a, _minus(b))
    return None


def _product(expr: Expr) -> Expr | None:
    a, b = expr.args
    for one, other in ((a, b), (b, a)):
        if one.op is not Op.CONST:
            continue
        if is_all(one, 0.0):
            return const(*(0.0,) * expr.type.width)
        if is_all(one, 1.0):
            return _wide(other, expr)
        if is_all(one, -1.0):
            return _wide(_new(Op.NEG, other), expr)
    if a.op is Op.NEG or b.op is Op.NEG:
        left, right = (each.args[0] if each.op is Op.NEG else each for each in (a, b))
        product = _new(Op.MUL, left, right)
        return product if a.op is b.op else _new(Op.NEG, product)
    found = _scaled_twice(a, b)
    return _scaled_twice(b, a) if found is None else found


def _scaled_twice(by: Expr, value: Expr) -> Expr | None:
    """Two powers of two after one another are one: scaling by them rounds nothing."""
    if not _is_power_of_two(by) or value.op is not Op.MUL:
        return None
    one, other = value.args
    if _is_power_of_two(one):
        return _new(Op.MUL, _new(Op.MUL, by, one), other)
    return _new(Op.MUL, one, _new(Op.MUL, by, other)) if _is_power_of_two(other) else None


def _quotient(expr: Expr) -> Expr | None:
    a, b = expr.args
    if is_all(b, 1.0):
        return _wide(a, expr)
    if is_all(b, -1.0):
        return _wide(_new(Op.NEG, a), expr)
    if _is_power_of_two(b):
        return _new(Op.MUL, a, const(*(1.0 / part for part in constant_parts(b))))
    return None


def _negation(expr: Expr) -> Expr | None:
    (a,) = expr.args
    if a.op is Op.NEG:
        return a.args[0]
    if a.op is Op.MUL and a.args[0].op is Op.CONST:
        return _new(Op.MUL, _minus(a.args[0]), a.args[1])
    if a.op is Op.MUL and a.args[1].op is Op.CONST:
        return _new(Op.MUL, a.args[0], _minus(a.args[1]))
    return _new(Op.SUB, a.args[1], a.args[0]) if a.op is Op.SUB else None


def _beside_vector(expr: Expr) -> Expr | None:
    """A number in every component of a vector is as good as the number, beside another vector; two of them are one."""
    if expr.type is Type.FLOAT:
        return None
    a, b = (_number(arg) for arg in expr.args)
    if a is not None and b is not None:
        return swizzle(_new(expr.op, a, b), "x" * expr.type.width)
    if a is not None and expr.args[0] is not a:
        return _new(expr.op, a, expr.args[1])
    return _new(expr.op, expr.args[0], b) if b is not None and expr.args[1] is not b else None


def _number(value: Expr) -> Expr | None:
    """The number that a value is, or has in every component; None where components may differ."""
    if value.type is Type.FLOAT:
        return value
    if value.op is Op.CONST and len(set(constant_parts(value))) == 1:
        return const(constant_parts(value)[0])
    if value.op is Op.SWIZZLE and len(set(str(value.data))) == 1:
        return swizzle(value.args[0], str(value.data)[0])
    return value.args[0] if value.op is Op.JOIN and len(set(value.args)) == 1 else None


def _without_zeros(expr: Expr) -> Expr | None:
    """The dot product, and the length, of vectors some of whose components are 0 is that of the others."""
    parts = [_components(arg) for arg in expr.args]
    if any(arg.type is Type.FLOAT for arg in expr.args) or not any(arg.op is Op.JOIN for arg in expr.args):
        return None
    kept = [row for row in zip(*parts, strict=True) if not any(is_all(part, 0.0) for part in row)]
    if len(kept) == len(parts[0]):
        return None
    if not kept:
        return const(0.0)
    if len(kept) == 1:
        return _new(Op.MUL, *kept[0]) if expr.op is Op.DOT else _new(Op.ABS, kept[0][0])
    return _new(expr.op, *(_settled(join(*column)) for column in zip(*kept, strict=True)))


def _components(value: Expr) -> list[Expr]:
    return [_settled(swizzle(value, letter)) for letter in "xyzw"[: value.type.width]]


def _magnitude(expr: Expr) -> Expr | None:
    (a,) = expr.args
    if a.op is Op.NEG:
        return _new(Op.ABS, a.args[0])
    return a if a.op in NEVER_NEGATIVE else None


def _whole(expr: Expr) -> Expr | None:
    """The floor and ceiling of a whole number are itself."""
    return expr.args[0] if expr.args[0].op in (Op.FLOOR, Op.CEIL) else None


def _same_twice(expr: Expr) -> Expr | None:
    """The smaller and the larger of a number and itself, and it beside a bound it has already."""
    a, b = expr.args
    if a is b:
        return a
    for one, other in ((a, b), (b, a)):
        if one.op is expr.op and other in one.args:
            return one
    if expr.op is Op.MAX and is_all(b, 0.0) and a.op in NEVER_NEGATIVE:
        return _wide(a, expr)
    return None


def _held(expr: Expr) -> Expr | None:
    """What is held between bounds that it keeps already."""
    value, low, high = expr.args
    kept = _kept_within(value)
    if kept is None or low.op is not Op.CONST or high.op is not Op.CONST:
        return None
    return value if max(constant_parts(low)) <= kept[0] and min(constant_parts(high)) >= kept[1] else None


def _kept_within(value: Expr) -> tuple[float, float] | None:
    """The bounds that an operation keeps its own result in, whatever it is given."""
    if value.op is Op.CLAMP and value.args[1].op is Op.CONST and value.args[2].op is Op.CONST:
        low, high = constant_parts(value.args[1]), constant_parts(value.args[2])
        return (min(low), max(high)) if all(a <= b for a, b in zip(low, high, strict=True)) else None
    if value.op is Op.SMOOTHSTEP or value.op is Op.STEP:
        return 0.0, 1.0
    return (-1.0, 1.0) if value.op in (Op.SIN, Op.COS) else None


def _mixed(expr: Expr) -> Expr | None:
    a, b, t = expr.args
    if is_all(t, 0.0):
        return _wide(a, expr)
    return _wide(b, expr) if is_all(t, 1.0) else None


def _power(expr: Expr) -> Expr | None:
    base, exponent = expr.args
    if is_all(exponent, 1.0):
        return _wide(base, expr)
    return _new(Op.MUL, base, base) if is_all(exponent, 2.0) and base.op in NEVER_NEGATIVE else None


def _unit(expr: Expr) -> Expr | None:
    (v,) = expr.args
    return v if v.op is Op.NORMALIZE else None


def _along_an_axis(expr: Expr) -> Expr | None:
    """The dot product with an axis is a component."""
    for one, other in (expr.args, expr.args[::-1]):
        if one.op is Op.CONST and one.type is other.type and one.type.width > 1:
            parts = constant_parts(one)
            if sorted(map(abs, parts)) == [0.0] * (len(parts) - 1) + [1.0]:
                at = next(i for i, part in enumerate(parts) if part)
                component = swizzle(other, "xyzw"[at])
                return component if parts[at] > 0 else _new(Op.NEG, component)
    return None


def _choice(expr: Expr) -> Expr | None:
    condition, yes, no = expr.args
    if yes is no:
        return yes
    return _new(Op.SELECT, condition.args[0], no, yes) if condition.op is Op.NOT else None


def _opposite(expr: Expr) -> Expr | None:
    return expr.args[0].args[0] if expr.args[0].op is Op.NOT else None


def _gathered(expr: Expr) -> Expr | None:
    """A vector whose components all come from one vector is a swizzle of it."""
    letters, source = "", None
    for part in expr.args:
        if part.op is Op.SWIZZLE:
            own, found = str(part.data), part.args[0]
        elif part.type is not Type.FLOAT:
            own, found = "xyzw"[: part.type.width], part
        else:
            return None
        if source is not None and found is not source:
            return None
        letters, source = letters + own, found
    return swizzle(source, letters) if source is not None else None


def _picked(expr: Expr) -> Expr | None:
    """A component of a joined vector, or of one made component by component, is made alone."""
    (v,), letters = expr.args, str(expr.data)
    if v.op is Op.CONST:
        return const(*(constant_parts(v)["xyzw".index(letter)] for letter in letters))
    if v.op is Op.JOIN:
        places = [(part, letter) for part in v.args for letter in "xyzw"[: part.type.width]]
        parts = [swizzle(*places["xyzw".index(letter)]) for letter in letters]
        return parts[0] if len(parts) == 1 else join(*parts)
    return None


RULES: dict[Op, tuple[Rule, ...]] = {
    Op.ADD: (_sum, _beside_vector, _beside_zeros),
    Op.SUB: (_difference, _beside_vector, _beside_zeros),
    Op.MUL: (_product, _beside_vector),
    Op.DIV: (_quotient, _beside_vector),
    Op.NEG: (_negation,),
    Op.ABS: (_magnitude,),
    Op.FLOOR: (_whole,),
    Op.CEIL: (_whole,),
    Op.MIN: (_same_twice,),
    Op.MAX: (_same_twice,),
    Op.CLAMP: (_held,),
    Op.MIX: (_mixed,),
    Op.POW: (_power,),
    Op.NORMALIZE: (_unit,),
    Op.DOT: (_along_an_axis, _without_zeros),
    Op.LENGTH: (_without_zeros,),
    Op.SELECT: (_choice,),
    Op.NOT: (_opposite,),
    Op.JOIN: (_gathered,),
    Op.SWIZZLE: (_picked,),
}
_FOR_OP = {op: (_worked_out, *RULES.get(op, ())) for op in Op}
NEVER_NEGATIVE = frozenset({Op.ABS, Op.SQRT, Op.LENGTH, Op.SMOOTHSTEP, Op.STEP, Op.FRACT, Op.EXP, Op.EXP2})
"""Operations whose results are 0 or more."""


def is_all(expr: Expr, value: float) -> bool:
    """Whether an expression is a constant with this value in every component."""
    return expr.op is Op.CONST and expr.type is not Type.UINT and set(constant_parts(expr)) == {value}


def _is_power_of_two(expr: Expr) -> bool:
    if expr.op is not Op.CONST or expr.type is Type.UINT:
        return False
    return all(part and abs(math.frexp(part)[0]) == 0.5 and 2**-60 < abs(part) < 2**60 for part in constant_parts(expr))


def _minus(value: Expr) -> Expr:
    return const(*(-part for part in constant_parts(value)))


def _wide(value: Expr, like: Expr) -> Expr:
    """A value as wide as the expression it takes the place of."""
    if value.type is like.type:
        return value
    return swizzle(value, "x" * like.type.width) if value.type is Type.FLOAT else value
