"""The derivative of every operator against central differences (a handbook formula: (f(x + h) − f(x − h)) / 2h)."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.ir import functions as f
from soft_lantern.ir.derivative import RULES, rate
from soft_lantern.ir.expr import ELEMENTWISE, Expr, Op, Type, const, join, make, swizzle, uniform
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.ir.slopes import OF_EXPRESSION as BACK
from soft_lantern.ir.slopes import slopes

T = uniform("t", Type.FLOAT)
STEP = 1e-6
SMOOTH = sorted({op for op, rule in RULES.items() if rule} - {Op.TEXEL})


def _along(expr: Expr, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The rate of an expression of `t` by its derivative, and by central differences, (components, points)."""
    slope = rate(expr, {T: const(1.0)})
    with np.errstate(all="ignore"):
        found = evaluate([slope], {"t": at}, np.float64)[slope]
        above, below = (evaluate([expr], {"t": at + step}, np.float64)[expr] for step in (STEP, -STEP))
    shape = (expr.type.width, len(at))
    return np.broadcast_to(np.atleast_2d(found), shape), np.broadcast_to((above - below) / (2 * STEP), shape)


def _arguments(op: Op, *, wide: bool) -> list[Expr]:
    """Values that move with `t`, inside what the operator is defined for."""
    count = {Op.CLAMP: 3, Op.MIX: 3, Op.SMOOTHSTEP: 3}.get(op, 1)
    if op in (Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MOD, Op.MIN, Op.MAX, Op.POW, Op.DOT, Op.CROSS):
        count = 2
    lines = [1.7 * T + 0.31, 0.6 * T * T + 0.9, 2.0 - 0.4 * T]
    if op is Op.SMOOTHSTEP:
        lines = [0.2 * T - 1.0, 3.0 + 0.1 * T, 1.7 * T + 0.31]
    if op is Op.CLAMP:
        lines = [2.0 * T, -0.5 + 0.1 * T, 0.8 + 0.2 * T]
    if op in (Op.LOG, Op.LOG2, Op.SQRT, Op.POW):
        lines = [f.abs_(line) + 0.05 for line in lines]
    if not wide:
        return lines[:count]
    return [join(line, line * 0.7 + 0.11, line * line + 0.2) for line in lines[:count]]


@pytest.mark.parametrize("wide", [False, True], ids=["scalar", "vector"])
@pytest.mark.parametrize("op", SMOOTH)
def test_every_operator_against_central_differences(op: Op, wide: bool) -> None:
    if not wide and op not in ELEMENTWISE:
        wide = True
    at = np.linspace(-1.9, 1.9, 41) + 0.0137  # off the corners of pieces
    expr = make(op, *_arguments(op, wide=wide))
    found, expected = _along(expr, at)
    good = np.isfinite(expected)
    assert good.mean() > 0.9
    near = np.abs(found - expected) <= 1e-4 * np.maximum(np.abs(expected), 1.0)
    assert (near | ~good).mean() > 0.97, op  # a point that straddles a corner of two pieces may differ


@pytest.mark.parametrize("wide", [False, True], ids=["scalar", "vector"])
@pytest.mark.parametrize("op", sorted({op for op, rule in RULES.items() if rule and op in ELEMENTWISE} | set(BACK)))
def test_from_the_result_back_comes_to_the_same(op: Op, wide: bool) -> None:
    """Reverse mode against the rules of forward mode, which central differences hold."""
    args = _arguments(op, wide=wide or op not in ELEMENTWISE)
    inner = {
        Op.SWIZZLE: lambda: swizzle(args[0], "zxz"),
        Op.JOIN: lambda: join(args[0].x, args[0].y * T),
        Op.SELECT: lambda: f.select(T > 0.4, args[0], args[0] * T),
    }
    expr = inner[op]() if op in inner else make(op, *args)
    number = f.sum_of([part * weight for part, weight in zip(f.components(expr), (1.0, -0.6, 2.0, 1.0), strict=False)])
    found, forward = slopes(number, {T}), rate(number, {T: const(1.0)})
    assert found is not None
    at = np.linspace(-1.9, 1.9, 41) + 0.0137
    with np.errstate(all="ignore"):
        one, other = (evaluate([each], {"t": at}, np.float64)[each] for each in (found.get(T, const(0.0)), forward))
    assert np.allclose(one, other, rtol=1e-9, atol=1e-9, equal_nan=True)
    assert slopes(f.normalize(join(T, 1.0)).x, {T}) is None  # it says where it does not know


@pytest.mark.parametrize(
    ("expr", "expected"),
    [
        (f.power(T, const(1.0)), 1.0),
        (f.power(T, const(2.0)), 0.0),
        (f.power(T * 3.0, const(3.0)), 0.0),
        (f.power(const(0.0), T + 2.0), 0.0),
        (f.length(join(T, 0.0 * T, 0.0 * T)), 0.0),
        (f.sqrt(T * T), 0.0),
        (f.abs_(T), 0.0),
        (f.power(f.max_(T, 0.0), const(1.5)), 0.0),
    ],
)
def test_the_rate_is_finite_at_zero(expr: Expr, expected: float) -> None:
    slope = rate(expr, {T: const(1.0)})
    with np.errstate(all="ignore"):
        found = np.ravel(evaluate([slope], {"t": np.zeros(1)}, np.float32)[slope])[0]
    assert np.isfinite(found) and abs(found - expected) < 1e-6


def test_a_vector_that_vanishes_does_not_turn() -> None:
    slope = rate(f.normalize(join(T, T, 0.0 * T)), {T: const(1.0)})
    with np.errstate(all="ignore"):
        found = evaluate([slope], {"t": np.zeros(1)}, np.float32)[slope]
    assert np.array_equal(np.ravel(found), np.zeros(3))
