"""Random expressions of scalars and vectors, edge values among their leaves, through every reader.

The NumPy reader is held against OpenGL, against the bound, against folding, and its derivative against central
differences. Where single precision itself gives no digits (two nearly equal numbers subtracted, the corner of a step),
which double precision shows, nothing is asked.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

import numpy as np

from soft_lantern.ir import functions as f
from soft_lantern.ir import interval
from soft_lantern.ir.derivative import rates
from soft_lantern.ir.expr import ELEMENTWISE, Expr, Op, Type, const, join, make, swizzle, topological, uniform
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.rewrite import replace
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu

CASES = 100_000
POINTS = 48
AT_ONCE = 16
"""Expressions in one program of OpenGL."""

SCALARS = [uniform(name, Type.FLOAT) for name in "abc"]
VECTORS = [uniform(name, Type.VEC3) for name in "pq"]
LIMITS = {"a": (-2.0, 3.0), "b": (0.0, 4.0), "c": (-1.0, 1.0), "p": (-2.0, 2.0), "q": (0.0, 3.0)}
EDGES = {"a": [0.0, -0.0, 1.0, -2.0, 3.0], "b": [0.0, 1.0, 4.0], "c": [-1.0, 0.0, 1.0, 1e-30], "p": [0.0], "q": [0.0]}
_ARITY = {Op.CLAMP: 3, Op.MIX: 3, Op.SMOOTHSTEP: 3}
_TWO = (Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MOD, Op.MIN, Op.MAX, Op.STEP, Op.POW)
_JUMPS = {Op.STEP, Op.FLOOR, Op.CEIL, Op.FRACT, Op.MOD, Op.SIGN, Op.SELECT, Op.MIN, Op.MAX, Op.CLAMP, Op.ABS}
_ENDS = {Op.SQRT, Op.POW, Op.LOG, Op.LOG2, Op.DIV, Op.NORMALIZE}
"""Not defined at 0 or on one side of it, where what comes to nearly 0 may fall."""


def run(cases: int, seed: int) -> str:
    """Try so many expressions."""
    chance = random.Random(seed)
    gl = GlRenderer()
    done = compared = asked = slopes = 0
    try:
        while done < cases:
            exprs = [_expression(chance) for _ in range(min(AT_ONCE, cases - done))]
            leaves = _leaves(chance)
            with np.errstate(all="ignore"):
                values = evaluate(exprs, leaves)
                for expr in exprs:
                    _hold_bounds(expr, values)
                    _hold_folding(expr, leaves, chance)
                    slopes += _hold_derivative(expr, chance)
                near, all_points = _hold_glsl(gl, exprs, leaves, values)
            compared, asked = compared + near, asked + all_points
            done += len(exprs)
    finally:
        gl.release()
    assert compared > 0.4 * asked, f"OpenGL was compared at {compared} of {asked} values alone"
    return f"{done:,} expressions, {compared:,} values by OpenGL, {slopes:,} slopes, all alike"


def _expression(chance: random.Random) -> Expr:
    """A graph of up to eight operators whose parts are shared as in real graphs."""
    made: list[Expr] = [*SCALARS, *VECTORS, const(0.5), const(-1.25), const(0.0), const(1.0)]
    for _ in range(chance.randint(1, 8)):
        made.append(_operation(chance, made))
    return made[-1]


def _operation(chance: random.Random, made: list[Expr]) -> Expr:
    numbers = [e for e in made if e.type is not Type.BOOL]
    vectors = [e for e in numbers if e.type is Type.VEC3]
    scalars = [e for e in numbers if e.type is Type.FLOAT]
    kind = chance.random()
    if kind < 0.12:
        return chance.choice(
            [
                lambda: f.dot(chance.choice(vectors), chance.choice(vectors)),
                lambda: f.length(chance.choice(vectors)),
                lambda: f.normalize(chance.choice(vectors)),
                lambda: f.cross(chance.choice(vectors), chance.choice(vectors)),
                lambda: swizzle(chance.choice(vectors), chance.choice(["x", "zyx", "y", "zzx"])),
                lambda: join(*(chance.choice(scalars) for _ in range(3))),
                lambda: f.select(chance.choice(scalars) < chance.choice(scalars), *_alike(chance, numbers)),
            ]
        )()
    op = chance.choice(sorted(ELEMENTWISE))
    count = _ARITY.get(op, 2 if op in _TWO else 1)
    first = chance.choice(numbers)
    fitting = (
        [e for e in numbers if e.type in (first.type, Type.FLOAT)]
        if op not in (Op.STEP, Op.SMOOTHSTEP)
        else [e for e in numbers if e.type is first.type]
    )
    return make(op, first, *(chance.choice(fitting) for _ in range(count - 1)))


def _alike(chance: random.Random, numbers: list[Expr]) -> tuple[Expr, Expr]:
    one = chance.choice(numbers)
    return one, chance.choice([e for e in numbers if e.type is one.type])


def _leaves(chance: random.Random) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, (low, high) in LIMITS.items():
        width = 3 if name in "pq" else 1
        rows = [
            [chance.choice(EDGES[name]) if chance.random() < 0.3 else chance.uniform(low, high) for _ in range(POINTS)]
            for _ in range(width)
        ]
        found[name] = np.array(rows if width > 1 else rows[0], np.float32)
    return found


def _hold_bounds(expr: Expr, values: dict[Expr, Any]) -> None:
    limits = {
        n: interval.within((low,) * (3 if n in "pq" else 1), (high,) * (3 if n in "pq" else 1))
        for n, (low, high) in LIMITS.items()
    }
    known = interval.bounds([expr], limits)
    for part in topological([expr]):
        rows = np.asarray(values[part], np.float64)
        rows = np.atleast_2d(rows) if rows.ndim < 2 else rows
        bound = known[part]
        for row, low, high in zip(rows, bound.low, bound.high, strict=True):
            nan = np.isnan(row)
            assert bound.may_be_nan or not nan.any(), f"{part} came to NaN, which its bound rules out"
            inside = row[~nan]
            good = (inside >= low) & (inside <= high)
            assert good.all(), f"{part} came to {inside[~good][0]!r}, outside {low!r} to {high!r}"


def _hold_folding(expr: Expr, leaves: dict[str, Any], chance: random.Random) -> None:
    """With constants for its leaves, in double precision, an expression folds to what it evaluates to."""
    at = chance.randrange(POINTS)
    # A constant holds no minus zero, which a division would show.
    here = {n: np.asarray(v[..., at : at + 1], np.float64) + 0.0 for n, v in leaves.items()}
    known = {
        leaf: const(*(float(part) for part in here[str(leaf.data)].ravel()))
        for leaf in topological([expr])
        if leaf.op is Op.UNIFORM
    }
    folded = replace([expr], known)[expr]
    values = evaluate([expr], here, np.float64)
    if not _all_finite(values) or _has_edges_alike(values):
        return  # a division by a zero, whose sign a constant does not hold
    plain = as_rows(values[expr], 1)
    again = as_rows(evaluate([folded], {}, np.float64)[folded], 1)
    both = np.isfinite(plain) & np.isfinite(again)
    same = np.isclose(plain, again, rtol=1e-9, atol=1e-12) | ~both
    assert same.all(), f"{expr} folds to {again}, and is {plain}"


def _has_edges_alike(values: Mapping[Expr, Any]) -> bool:
    """Whether a smoothstep has no room between its edges, which GLSL leaves open (3.30, section 8.3)."""
    steps = [part for part in values if part.op is Op.SMOOTHSTEP]
    return any(bool(np.any(np.asarray(values[s.args[0]]) == np.asarray(values[s.args[1]]))) for s in steps)


def _all_finite(values: Mapping[Expr, Any]) -> bool:
    return all(np.isfinite(np.asarray(value, np.float64)).all() for value in values.values())


def _hold_derivative(expr: Expr, chance: random.Random) -> int:
    """Along a straight line through the leaves, where the expression runs smoothly."""
    parts = topological([expr])
    if expr.type is Type.BOOL or any(part.op in _JUMPS for part in parts):
        return 0
    way = {name: [chance.uniform(-1, 1) for _ in range(3 if name in "pq" else 1)] for name in LIMITS}
    start = {name: [chance.uniform(low, high) for _ in way[name]] for name, (low, high) in LIMITS.items()}
    moved = {leaf: const(*way[str(leaf.data)]) for leaf in parts if leaf.op is Op.UNIFORM}
    slope = rates([expr], moved)[expr]

    def at(t: float) -> np.ndarray:
        here = {n: np.array([[s + t * w] for s, w in zip(start[n], way[n], strict=True)]) for n in LIMITS}
        here = {n: v if len(v) > 1 else v[0] for n, v in here.items()}
        return np.asarray(as_rows(evaluate([expr], here, np.float64)[expr], 1))

    h = 1e-5
    middle = (at(h) - at(-h)) / (2 * h)
    finer = (at(h / 4) - at(-h / 4)) / (h / 2)
    here = {n: np.array([[s] for s in start[n]]) for n in LIMITS}
    here = {n: v if len(v) > 1 else v[0] for n, v in here.items()}
    if not _all_finite(evaluate([expr], here, np.float64)):
        return 0  # such as a power of infinity
    found = np.zeros((1, expr.type.width)) if slope is None else as_rows(evaluate([slope], here, np.float64)[slope], 1)
    scale = np.maximum(np.abs(middle), 1.0)
    steady = np.isfinite(middle) & np.isfinite(finer) & (np.abs(middle - finer) < 1e-5 * scale) & (scale < 1e6)
    good = np.abs(found - middle) <= 1e-3 * scale
    assert (good | ~steady).all(), f"the rate of {expr} is {found}, and by differences {middle}"
    return int(steady.sum())


def _hold_glsl(gl: GlRenderer, exprs: list[Expr], leaves: dict[str, Any], values: dict[Expr, Any]) -> tuple[int, int]:
    results = {f"r{number}": expr for number, expr in enumerate(exprs)}
    by_glsl = evaluate_on_gpu(gl, results, leaves, POINTS)
    double = evaluate(exprs, {n: np.asarray(v, np.float64) for n, v in leaves.items()}, np.float64)
    compared = asked = 0
    for name, expr in results.items():
        parts = topological([expr])
        size = np.zeros(POINTS)
        steady = np.ones(POINTS, bool)
        for part in parts:
            single, exact = (np.abs(as_rows(np.asarray(v[part], np.float64), POINTS)) for v in (values, double))
            size = np.maximum(size, np.nan_to_num(single, nan=0, posinf=0).max(axis=1))
            steady &= np.isfinite(single).all(axis=1) & np.isfinite(exact).all(axis=1)
            apart = np.abs(
                np.asarray(as_rows(np.asarray(values[part], np.float64), POINTS))
                - as_rows(np.asarray(double[part], np.float64), POINTS)
            ).max(axis=1)
            steady &= apart <= 1e-5 * np.maximum(size, 1e-3)
            if part.op in (_JUMPS | _ENDS) or part.op is Op.SMOOTHSTEP:  # a rounding may fall to the other side
                steady &= _away_from_corner(part, double)
        mine = as_rows(np.asarray(values[expr], np.float64), POINTS)
        theirs = np.asarray(by_glsl[name], np.float64)
        apart = np.abs(mine - theirs).max(axis=1)
        near = apart <= 2e-4 * np.maximum(size, 1e-3)
        bad = steady & ~near & (size < 1e6)
        assert not bad.any(), f"{expr}: NumPy {mine[bad][0]}, OpenGL {theirs[bad][0]}"
        compared += int((steady & (size < 1e6)).sum())
        asked += POINTS
    return compared, asked


def _away_from_corner(part: Expr, values: dict[Expr, Any]) -> np.ndarray:
    rows = [as_rows(np.asarray(values[a], np.float64), POINTS) for a in part.args if a.type is not Type.BOOL]
    if part.op is Op.SELECT:
        rows = [as_rows(np.asarray(values[a], np.float64), POINTS) for a in part.args[0].args]
    if part.op in (Op.SMOOTHSTEP, Op.CLAMP):  # GLSL 3.30, section 8.3, leaves edges the wrong way round open
        low, high = rows[:2] if part.op is Op.SMOOTHSTEP else rows[1:]
        return np.asarray((high - low > 1e-2).all(axis=1))
    if part.op in (Op.FLOOR, Op.CEIL, Op.FRACT):
        whole = np.abs(rows[0] - np.round(rows[0]))
        return np.asarray((whole > 1e-3).all(axis=1))
    if part.op is Op.MOD:
        quotient = rows[0] / np.where(rows[1] == 0, 1, rows[1])
        return np.asarray((np.abs(quotient - np.round(quotient)) > 1e-3).all(axis=1))
    if part.op in (Op.STEP, Op.SELECT) and len(rows) > 1:
        return np.asarray((np.abs(rows[0] - rows[1]) > 1e-3).all(axis=1))
    if part.op is Op.NORMALIZE:
        return np.asarray(np.linalg.norm(rows[0], axis=1) > 1e-3)
    if part.op is Op.DIV:
        return np.asarray((np.abs(rows[1]) > 1e-3).all(axis=1)) if part.args[1].args else np.ones(POINTS, bool)
    if part.op is Op.SIGN or (part.op in _ENDS and part.args[0].args):
        return np.asarray((np.abs(rows[0]) > 1e-3).all(axis=1))
    return np.ones(POINTS, bool)
