"""Leaving work out changes no number: each rule by an example, and any expression to the bit."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from soft_lantern.ir import functions as f
from soft_lantern.ir.cost import cost
from soft_lantern.ir.expr import Expr, Op, Type, const, input_, join, make, swizzle, uniform
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.ir.simplify import RULES, simplified

x, y = input_("x", Type.FLOAT), uniform("y", Type.FLOAT)
v, w = input_("v", Type.VEC3), input_("w", Type.VEC3)
ZERO, ONE = const(0.0, 0.0, 0.0), const(1.0, 1.0, 1.0)
EXAMPLES: list[tuple[Op, Expr, Expr]] = [
    (Op.ADD, x + 0.0, x),
    (Op.ADD, 0.0 + v, v),
    (Op.ADD, x + -y, x - y),
    (Op.ADD, -x + y, y - x),
    (Op.ADD, join(0.0, x, 0.0) + v, join(v.x, v.y + x, v.z)),
    (Op.SUB, v - join(0.0, x, y), join(v.x, v.y - x, v.z - y)),
    (Op.SUB, v - 0.0, v),
    (Op.SUB, x - x, const(0.0)),
    (Op.SUB, 0.0 - x, -x),
    (Op.SUB, x - -y, x + y),
    (Op.SUB, x - -2.5, x + 2.5),
    (Op.MUL, x * 0.0, const(0.0)),
    (Op.MUL, v * 0.0, ZERO),
    (Op.MUL, 1.0 * v, v),
    (Op.MUL, v * ONE, v),
    (Op.MUL, x * -1.0, -x),
    (Op.MUL, -x * -y, x * y),
    (Op.MUL, 0.5 * (2.0 * x), x),
    (Op.MUL, 0.5 * (x * 8.0), x * 4.0),
    (Op.DIV, x / 1.0, x),
    (Op.DIV, x / -1.0, -x),
    (Op.DIV, v / 4.0, v * 0.25),
    (Op.NEG, make(Op.NEG, -x), x),
    (Op.NEG, -(x - y), y - x),
    (Op.NEG, -(x * 3.0), x * -3.0),
    (Op.MUL, -x * y + 1.0, 1.0 - x * y),
    (Op.MUL, swizzle(x, "xxx") * v, x * v),
    (Op.DIV, v / const(3.0, 3.0, 3.0), v / 3.0),
    (Op.ADD, v + swizzle(w, "yyy"), v + w.y),
    (Op.SUB, swizzle(x, "xxx") - swizzle(y, "xxx"), swizzle(x - y, "xxx")),
    (Op.LENGTH, f.length(join(x, 0.0, y)), f.length(join(x, y))),
    (Op.LENGTH, f.length(join(0.0, y)), f.abs_(y)),
    (Op.DOT, f.dot(join(x, 0.0, y), v), f.dot(join(x, y), swizzle(v, "xz"))),
    (Op.ABS, f.abs_(-x), f.abs_(x)),
    (Op.ABS, f.abs_(f.sqrt(x)), f.sqrt(x)),
    (Op.FLOOR, f.floor(f.ceil(x)), f.ceil(x)),
    (Op.CEIL, f.ceil(f.floor(x)), f.floor(x)),
    (Op.MIN, f.min_(x, x), x),
    (Op.MIN, f.min_(f.min_(x, y), x), f.min_(x, y)),
    (Op.MAX, f.max_(y, f.max_(x, y)), f.max_(x, y)),
    (Op.MAX, f.max_(f.length(v), 0.0), f.length(v)),
    (Op.CLAMP, f.saturate(f.saturate(x)), f.saturate(x)),
    (Op.CLAMP, f.saturate(f.smoothstep(0.2, 0.7, x)), f.smoothstep(0.2, 0.7, x)),
    (Op.CLAMP, f.clamp(f.sin(x), -2.0, 1.0), f.sin(x)),
    (Op.MIX, f.mix(v, w, 0.0), v),
    (Op.MIX, f.mix(v, w, 1.0), w),
    (Op.POW, f.power(x, 1.0), x),
    (Op.POW, f.power(f.abs_(x), 2.0), f.abs_(x) * f.abs_(x)),
    (Op.NORMALIZE, f.normalize(f.normalize(v)), f.normalize(v)),
    (Op.DOT, f.dot(v, const(0.0, 1.0, 0.0)), v.y),
    (Op.DOT, f.dot(const(0.0, 0.0, -1.0), v), -v.z),
    (Op.SELECT, f.select(x < y, v, v), v),
    (Op.SELECT, f.select(f.not_(x < y), v, w), f.select(x < y, w, v)),
    (Op.NOT, f.select(f.not_(f.not_(x < y)), v, w), f.select(x < y, v, w)),
    (Op.JOIN, join(v.x, v.y, v.z), v),
    (Op.JOIN, join(v.z, v.y), swizzle(v, "zy")),
    (Op.SWIZZLE, swizzle(join(x, y, v.x), "zx"), join(v.x, x)),
    (Op.ADD, const(2.0) + 3.0 * const(0.5), const(3.5)),
]


@pytest.mark.parametrize(("before", "after"), [(b, a) for _, b, a in EXAMPLES])
def test_each_rule_comes_to_what_it_says(before: Expr, after: Expr) -> None:
    assert simplified([before])[before] is after
    assert before is after or cost([after]).operations <= cost([before]).operations


def test_every_rule_has_an_example() -> None:
    assert {op for op, _, _ in EXAMPLES} == set(RULES)


FINITE = st.floats(-8, 8, width=32).filter(lambda n: abs(n) > 1e-3 or n == 0)
NUMBERS = st.sampled_from([0.0, 1.0, -1.0, 0.5, 2.0, -2.5, 0.3])


def combined(inner: st.SearchStrategy[Expr]) -> st.SearchStrategy[Expr]:
    pairs = st.tuples(inner, inner)
    number = st.builds(const, NUMBERS)
    return st.one_of(
        st.builds(lambda op, ab: make(op, *ab), st.sampled_from([Op.ADD, Op.SUB, Op.MUL, Op.MIN, Op.MAX]), pairs),
        st.builds(lambda op, a: make(op, a), st.sampled_from([Op.NEG, Op.ABS, Op.FLOOR, Op.CEIL, Op.SIN]), inner),
        st.builds(lambda ab, t: f.mix(*ab, t), pairs, st.one_of(number, inner)),
        st.builds(f.clamp, inner, st.just(-1.0), st.sampled_from([0.5, 1.0, 2.0])),
        st.builds(lambda a, b: a / b, inner, st.sampled_from([1.0, -1.0, 2.0, 4.0, 0.3])),
        st.builds(lambda ab: f.dot(join(ab[0], ab[1]), const(0.0, 1.0)), pairs),
        st.builds(lambda ab, c: f.select(c[0] < c[1], *ab), pairs, pairs),
        st.builds(lambda ab, letter: swizzle(join(*ab), letter), pairs, st.sampled_from("xy")),
        st.builds(lambda a: f.power(f.abs_(a), 1.0), inner),
    )


EXPRESSIONS = st.recursive(st.one_of(st.just(x), st.just(y), st.builds(const, NUMBERS)), combined, max_leaves=24)


@settings(max_examples=400, deadline=None)
@given(EXPRESSIONS, st.lists(st.tuples(FINITE, FINITE), min_size=1, max_size=6))
def test_any_expression_gives_the_same_numbers_to_the_bit(expr: Expr, at: list[tuple[float, float]]) -> None:
    leaves = {"x": np.array([p for p, _ in at], np.float32), "y": np.array([p for _, p in at], np.float32)}
    found = simplified([expr])[expr]
    with np.errstate(all="ignore"):
        before, after = (np.broadcast_to(evaluate([e], leaves)[e], len(at)) for e in (expr, found))
    sound = np.isfinite(before)
    assert found.type is expr.type and (before[sound] == after[sound]).all()
    assert cost([found]).operations <= cost([expr]).operations
    assert simplified([found])[found] is found  # nothing is left to do


def test_what_is_simple_stays_the_same_object() -> None:
    whole = f.mix(v, w, f.saturate((x - y) / f.max_(y, 0.1)))
    assert simplified([whole])[whole] is whole
