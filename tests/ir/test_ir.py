"""Expressions and their readers: what is built, and that every reader means the same by it."""

from __future__ import annotations

import math
import sys
import threading
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from soft_lantern.ir import functions as f
from soft_lantern.ir import glsl, interval
from soft_lantern.ir.cost import cost
from soft_lantern.ir.derivative import rates
from soft_lantern.ir.expr import (
    BITS,
    CHANGES,
    COMPARISONS,
    ELEMENTWISE,
    LEAVES,
    LOGIC,
    Expr,
    Op,
    Type,
    const,
    input_,
    join,
    make,
    swizzle,
    topological,
    uniform,
)
from soft_lantern.ir.glsl_words import RESERVED, as_identifier, trouble_with_identifier
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.printer import Body
from soft_lantern.ir.rewrite import replace
from soft_lantern.ir.simplify import simplified
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu
from soft_lantern.values.images import Image

A, B, C = (uniform(name, Type.FLOAT) for name in "abc")
P, Q = (uniform(name, Type.VEC3) for name in "pq")


def test_building_the_same_expression_twice_gives_the_same_object() -> None:
    assert f.clamp((A - 1) / B, 0, 1) is f.clamp((A - 1) / B, 0, 1)
    assert A - B is not B - A
    assert swizzle(P, "zyx").y is P.y


def test_wrong_types_are_refused_when_built() -> None:
    with pytest.raises(TypeError):
        P + uniform("two", Type.VEC2)
    with pytest.raises(TypeError):
        make(Op.CROSS, A, B)
    with pytest.raises(TypeError):
        swizzle(A, "y")


def _arity(op: Op) -> int:
    if op in (Op.CLAMP, Op.MIX, Op.SMOOTHSTEP):
        return 3
    two = (Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MOD, Op.MIN, Op.MAX, Op.STEP, Op.POW, Op.DOT, Op.CROSS)
    return 2 if op in two else 1


BIT, YES, MAP = uniform("bit", Type.UINT), uniform("yes", Type.BOOL), uniform("map", Type.SAMPLER)
ONE_OF_EACH = {
    e.op: e
    for e in (
        const(2.0),
        input_("time", Type.FLOAT),
        A,
        P.x,
        join(A, B),
        f.select(YES, A, B),
        f.atan2(A, B),
        make(Op.TEXTURE, MAP, join(A, B)),
        make(Op.TEXTURE_LEVEL, MAP, join(A, B), C),
        make(Op.TEXEL, MAP),
        make(Op.WHOLE, A),
        make(Op.TO_FLOAT, BIT),
        make(Op.DOT, P, Q),
        make(Op.CROSS, P, Q),
        make(Op.NOT, YES),
        *(make(op, P) for op in (Op.LENGTH, Op.NORMALIZE, Op.FINITE, *CHANGES)),
        *(make(op, A, B) for op in COMPARISONS),
        *(make(op, YES, YES) for op in LOGIC - {Op.NOT}),
        *(make(op, BIT, BIT) for op in BITS),
        *(make(op, *(A, B, C)[: _arity(op)]) for op in ELEMENTWISE),
    )
}


def test_every_reader_reads_every_operator() -> None:
    """An operator added to `Op` wants an example here, and then a rule in each reader."""
    assert set(ONE_OF_EACH) == set(Op)
    image = Image(np.full((1, 1, 4), 0.5, np.float32))
    leaves = {name: np.full(1, 0.5, np.float32) for name in ("a", "b", "c", "time")}
    leaves |= {name: np.full((3, 1), 0.5, np.float32) for name in "pq"}
    leaves |= {"bit": np.ones(1, np.uint32), "yes": np.ones(1, bool), "map": image}  # type: ignore[dict-item]
    limits = {
        str(leaf.data): interval.Interval((0.0,) * leaf.type.width, (1.0,) * leaf.type.width)
        for leaf in (A, B, C, P, Q, BIT, YES, MAP)
    }
    for op, expr in ONE_OF_EACH.items():
        if op not in CHANGES:  # what only pixels have is worked out before NumPy reads it
            assert evaluate([expr], leaves)[expr].shape[-1] == 1
        assert interval.bounds([expr], limits)[expr].width == (4 if expr.type is Type.SAMPLER else expr.type.width)
        assert glsl.write(Body([expr], {}, {})).results[0]
        assert cost([expr]).operations + cost([expr]).texture_reads > 0 or op in LEAVES | {Op.SWIZZLE, Op.JOIN}
        moving = rates([expr], {A: const(1.0), P: const(1.0, 0.0, 0.0)})[expr]
        assert moving is None or moving.type is expr.type


# Where GLSL leaves results undefined (GLSL 3.30, sections 8.1 and 8.2), operands keep to the defined part.
_POSITIVE = {Op.LOG, Op.LOG2, Op.SQRT, Op.POW}
_SMALL = {Op.EXP, Op.EXP2, Op.SIN, Op.COS, Op.POW}


@pytest.mark.parametrize("op", sorted(ELEMENTWISE | {Op.DOT, Op.LENGTH, Op.NORMALIZE, Op.CROSS, Op.SELECT}))
def test_numpy_and_glsl_compute_the_same(op: Op, gl: GlRenderer) -> None:
    random = np.random.default_rng(7)
    count, width = 400, 3
    scale = 3.0 if op in _SMALL else 50.0
    leaves: dict[str, Any] = {n: random.normal(0, scale, (width, count)).astype(np.float32) for n in ("x", "y", "z")}
    leaves |= {"s": random.uniform(0.05, 2, count).astype(np.float32)}
    if op in _POSITIVE:
        leaves = {n: np.abs(v) + np.float32(0.01) for n, v in leaves.items()}
    if op is Op.SMOOTHSTEP:
        leaves["y"] = leaves["x"] + np.abs(leaves["y"]) + 1
    x, y, z = (uniform(n, Type.VEC3) for n in "xyz")
    s = uniform("s", Type.FLOAT)
    if op is Op.SELECT:
        results = {"choice": f.select(s < 1.0, x, y)}
    else:
        arity = _arity(op)
        results = {"vector": make(op, *(x, y, z)[:arity])}
        if op in ELEMENTWISE and arity > 1:
            results["scalar last"] = make(op, *(x, y)[: arity - 1], s)
    by_numpy = evaluate(results.values(), leaves)
    by_glsl = evaluate_on_gpu(gl, results, leaves, count)
    for name, expr in results.items():
        expected = as_rows(by_numpy[expr], count)
        size = np.maximum(np.abs(expected), np.abs(by_glsl[name]))
        # Differences cancel digits, so the operands' size counts, not the result's.
        if op in (Op.SUB, Op.ADD, Op.MOD, Op.FRACT, Op.CROSS, Op.DOT, Op.MIX, Op.SIN, Op.COS, Op.SMOOTHSTEP):
            size = np.maximum(size, 1.0 if op in (Op.SIN, Op.COS, Op.SMOOTHSTEP) else scale**2)
        assert (np.abs(expected - by_glsl[name]) <= 1e-5 * size + 1e-6).all(), name


_BINARY = [Op.ADD, Op.SUB, Op.MUL, Op.DIV, Op.MIN, Op.MAX, Op.STEP, Op.MOD, Op.POW]
_UNARY = sorted(op for op in ELEMENTWISE if _arity(op) == 1)
_LIMITED = {"a": (-2.0, 3.0), "b": (0.5, 4.0), "c": (-1.0, 1.0)}


@st.composite
def scalar_expressions(draw: st.DrawFn) -> Expr:
    """A random graph of up to 12 operators over three limited uniforms; parts are shared as in real graphs."""
    made = [A, B, C, const(0.5), const(-1.25)]
    for _ in range(draw(st.integers(1, 12))):
        kind = draw(st.integers(0, 2))
        pick = st.sampled_from(made)
        if kind == 0:
            made.append(make(draw(st.sampled_from(_BINARY)), draw(pick), draw(pick)))
        elif kind == 1:
            made.append(make(draw(st.sampled_from(_UNARY)), draw(pick)))
        else:
            made.append(make(draw(st.sampled_from([Op.CLAMP, Op.MIX])), draw(pick), draw(pick), draw(pick)))
    return made[-1]


@settings(max_examples=600, deadline=None)
@given(scalar_expressions(), st.lists(st.floats(0, 1), min_size=3, max_size=3))
def test_bounds_hold_every_value_inside_the_limits(expr: Expr, shares: list[float]) -> None:
    limits = {n: interval.Interval((low,), (high,)) for n, (low, high) in _LIMITED.items()}
    bound = interval.bounds([expr], limits)
    leaves = {
        n: np.array([np.float32(low + share * (high - low))])
        for share, (n, (low, high)) in zip(shares, _LIMITED.items(), strict=True)
    }
    values = evaluate([expr], leaves)
    for part in topological([expr]):
        value, known = float(values[part].ravel()[0]), bound[part]
        if math.isnan(value):
            assert known.may_be_nan, part
        else:
            assert known.low[0] <= value <= known.high[0], (part, value, known)


def test_correlated_bounds_are_tight() -> None:
    bound = interval.bounds([A * A, A - A], {"a": interval.Interval((-2.0,), (3.0,))})
    assert (bound[A * A].low, bound[A * A].high) == ((0.0,), (9.0,))
    assert (bound[A - A].low, bound[A - A].high) == ((0.0,), (0.0,))


def test_glsl_keeps_the_grouping_that_was_built(gl: GlRenderer) -> None:
    results = {
        "a-(b-c)": A - (B - C),
        "a/(b*c)": A / (B * C),
        "-(a+b)*c": -(A + B) * C,
        "choice of choice": f.select(A < B, f.select(B < C, A, B), C) * 2.0,
    }
    leaves = {"a": np.float32([7.0]), "b": np.float32([2.5]), "c": np.float32([-4.0])}
    by_glsl = evaluate_on_gpu(gl, results, leaves, 1)
    expected = {"a-(b-c)": 0.5, "a/(b*c)": -0.7, "-(a+b)*c": 38.0, "choice of choice": -8.0}
    assert {n: pytest.approx(float(v[0, 0])) for n, v in by_glsl.items()} == expected


def test_names_people_chose_become_variables_and_shared_parts_are_written_once() -> None:
    shared = A / B
    mask = f.clamp(shared, 0, 1)
    written = glsl.write(Body([mask, shared + 1.0], {mask: "Height mask!"}, {"a": "height", "b": "spread"}))
    assert written.statements == ["float quotient = height / spread;", "float height_mask = clamp(quotient, 0.0, 1.0);"]
    assert written.results == ["height_mask", "quotient + 1.0"]


@given(st.floats(width=32, allow_nan=False, allow_infinity=False))
def test_a_literal_reads_back_as_the_same_float(value: float) -> None:
    assert np.float32(glsl.literal(value)) == np.float32(value)


@pytest.mark.parametrize("word", ["uniform", "vec3", "mix", "gl_Position", "a__b", "2nd", "", "sampler2D", "a b"])
def test_words_of_glsl_are_no_identifiers(word: str) -> None:
    assert trouble_with_identifier(word)
    assert trouble_with_identifier(as_identifier(word or "x")) is None


def test_labels_become_identifiers_that_differ() -> None:
    assert as_identifier("Rim colour (night)") == "rim_colour_night"
    assert as_identifier("mix", ()) not in RESERVED
    assert as_identifier("Rim", {"rim", "rim_2"}) == "rim_3"


def test_folding_works_out_what_is_known_and_drops_needless_work() -> None:
    expr = f.mix(P * A, Q, B) + join(C, C, C) * 0.0
    known = {A: const(1.0), B: const(0.0), C: const(2.0)}
    given = replace([expr, P * A, C / 4.0 + 0.5], known)
    done = simplified(list(given.values()))
    assert given[P * A] is P * 1.0 and done[given[P * A]] is P
    assert done[given[f.mix(P * A, Q, B)]] is P and done[given[expr]] is P
    assert done[given[C / 4.0 + 0.5]] is const(1.0)


def test_what_is_not_finite_is_told_by_both_readers(gl: GlRenderer) -> None:
    values = np.float32([1.0, np.inf, -np.inf, np.nan, 3.4e38])
    results = {"float": f.finite(A), "vector": f.finite(join(1.0, A))}
    by_numpy = evaluate(results.values(), {"a": values})
    by_glsl = evaluate_on_gpu(gl, results, {"a": values}, 5)
    for name, expr in results.items():
        assert by_numpy[expr].tolist() == [True, False, False, False, True]
        assert by_glsl[name][:, 0].tolist() == [1, 0, 0, 0, 1]


def test_an_input_is_read_by_its_name() -> None:
    position = input_("position_world", Type.VEC3)
    assert glsl.write(Body([position.y], {}, {})).results == ["position_world.y"]


def test_threads_that_build_the_same_share_it() -> None:
    between, rounds, threads = sys.getswitchinterval(), 400, 4
    together = threading.Barrier(threads)
    built: list[list[Expr]] = [[] for _ in range(rounds)]

    def build() -> None:
        for round_ in range(rounds):
            together.wait()
            for _ in range(5):  # and let go of again
                uniform("shared", Type.FLOAT) * 2.0
            built[round_].append(uniform("shared", Type.FLOAT) + float(round_))

    sys.setswitchinterval(1e-6)
    try:
        workers = [threading.Thread(target=build) for _ in range(threads)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join()
    finally:
        sys.setswitchinterval(between)
    assert all(len(set(map(id, same))) == 1 for same in built)
