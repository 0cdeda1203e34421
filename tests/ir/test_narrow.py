"""What nobody reads is not computed, and what is left is the same to the bit."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from soft_lantern.ir import functions as f
from soft_lantern.ir.cost import cost
from soft_lantern.ir.expr import Expr, Type, input_, join, swizzle
from soft_lantern.ir.narrow import narrowed
from soft_lantern.ir.numpy_reader import as_rows, evaluate

A, B, T = input_("a", Type.VEC4), input_("b", Type.VEC4), input_("t", Type.FLOAT)


def test_a_mix_of_which_no_alpha_is_read_is_one_of_three() -> None:
    shown = swizzle(f.mix(A, B, T), "xyz")
    (left,) = (narrowed([shown])[shown],)
    assert left is f.mix(A.xyz, B.xyz, T) and cost([left]).operations == 9 < cost([shown]).operations
    alpha = f.mix(A, B, T).w
    assert narrowed([shown, alpha])[shown] is shown  # all four are read


@st.composite
def expressions(draw: st.DrawFn) -> Expr:
    made = [A, B, T, f.mix(A, B, T)]
    for _ in range(draw(st.integers(2, 9))):
        one, other = draw(st.sampled_from(made)), draw(st.sampled_from(made))
        kind = draw(st.sampled_from(["join", "swizzle", "add", "select", "dot", "clamp", "length"]))
        width = one.type.width
        if kind == "join" and width < 4:
            made.append(join(one, *[T] * draw(st.integers(1, 4 - width))))
        elif kind == "swizzle":
            letters = "".join(draw(st.sampled_from("xyzw"[:width])) for _ in range(draw(st.integers(1, 4))))
            made.append(swizzle(one, letters))
        elif kind == "add" and (other.type is one.type or 1 in (width, other.type.width)):
            made.append(one + other)
        elif kind == "select" and other.type is one.type:
            made.append(f.select(T < 0.5, one, other))
        elif kind == "dot" and other.type is one.type and width > 1:
            made.append(f.dot(one, other))
        elif kind == "clamp":
            made.append(f.clamp(one, 0.1, 0.8))
        elif kind == "length":
            made.append(f.length(one))
    return made[-1]


@given(st.lists(expressions(), min_size=1, max_size=3))
@settings(max_examples=120, deadline=None)
def test_what_is_left_is_the_same_to_the_bit(roots: list[Expr]) -> None:
    random = np.random.default_rng(2)
    leaves = {"a": random.normal(size=(4, 9)), "b": random.normal(size=(4, 9)), "t": random.uniform(size=9)}
    leaves = {name: np.float32(rows) for name, rows in leaves.items()}
    left = narrowed(roots)
    before, after = evaluate(roots, leaves), evaluate([left[root] for root in roots], leaves)
    for root in roots:
        assert left[root].type is root.type
        assert (as_rows(after[left[root]], 9) == as_rows(before[root], 9)).all()
    assert cost([left[root] for root in roots]).operations <= cost(roots).operations


def test_nothing_is_lost_where_a_function_reads_all_of_it() -> None:
    whole = f.length(f.mix(A, B, T))
    assert narrowed([whole])[whole] is whole
    assert narrowed([A])[A] is A
    with pytest.raises(KeyError):
        narrowed([whole])[f.mix(B, A, T)]
