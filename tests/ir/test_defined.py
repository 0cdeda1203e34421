"""What shading languages leave open is written by operations that they define."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from node_cases import cases
from soft_lantern.ir import functions as f
from soft_lantern.ir import glsl
from soft_lantern.ir.defined import CASES, defined
from soft_lantern.ir.expr import (
    Function,
    Op,
    Type,
    constant_parts,
    functions_called,
    input_,
    join,
    make,
    topological,
    uniform,
)
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.printer import Body

X, LOW, HIGH = (input_(name, Type.FLOAT) for name in ("x", "low", "high"))
WIDE, OTHER = join(X, LOW, HIGH), join(HIGH, X, LOW)
OPEN = {
    Op.SMOOTHSTEP: (f.smoothstep(LOW, HIGH, X), f.smoothstep(0.7, 0.2, X), f.smoothstep(0.2, 0.2, X)),
    Op.CLAMP: (f.clamp(X, LOW, HIGH), f.clamp(X, 1.0, -1.0), f.clamp(WIDE, OTHER, LOW)),
    Op.POW: (f.power(X, HIGH), f.power(X, 2.2), f.power(f.abs_(X), LOW), f.power(WIDE, OTHER), f.power(WIDE, 0.5)),
    Op.SQRT: (f.sqrt(X), f.sqrt(WIDE)),
    Op.LOG: (f.log(X), f.log(WIDE)),
    Op.LOG2: (f.log2(X),),
    Op.WHOLE: (make(Op.TO_FLOAT, make(Op.WHOLE, X * 4e9)),),
}
SOUND = {
    Op.SMOOTHSTEP: f.smoothstep(0.2, 0.7, X),
    Op.CLAMP: f.clamp(X, f.min_(LOW, 0.0), 0.0),
    Op.POW: f.power(f.abs_(X), 2.2),
    Op.SQRT: f.sqrt(f.dot(WIDE, WIDE)),
    Op.LOG: f.log(1.0 + f.abs_(X)),
    Op.LOG2: f.log2(2.0 + f.sin(X)),
    Op.WHOLE: make(Op.WHOLE, f.clamp(X, -1e6, 1e6)),
}


@pytest.mark.parametrize("op", CASES, ids=str)
def test_what_a_language_leaves_open_is_written_otherwise_and_comes_to_what_numpy_says(op: Op) -> None:
    """The cases are those of the documents that `ir.defined` names; what bounds exclude is left as it is."""
    sound = SOUND[op]
    assert defined([sound])[sound] is sound
    at = np.array([-2.0, -1.0, -1e-3, 0.0, 1e-3, 0.2, 0.5, 0.7, 1.0, 2.5], np.float32)
    x, low, high = (each.ravel() for each in np.meshgrid(at, at, at))
    leaves = {"x": x, "low": low, "high": high}
    for whole in OPEN[op]:
        made = defined([whole])[whole]
        assert made is not whole
        with np.errstate(all="ignore"):
            wanted, found = (as_rows(evaluate([each], leaves)[each], len(x)) for each in (whole, made))
        told = np.isfinite(wanted)
        assert told.any() and np.array_equal(found[told], wanted[told])
        assert np.isfinite(found).all()


FUNCTIONS = functions_called([result for case in cases() for result in case.results.values()])


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda function: function.name)
def test_nothing_is_open_in_a_function_whatever_it_is_given(function: Function) -> None:
    assert defined([function.body])[function.body] is function.body


def test_the_page_about_deliveries_lists_every_case() -> None:
    page = (Path(__file__).parents[2] / "docs" / "delivery.md").read_text("utf-8")
    assert all(f"| {case.when} | {case.source} |" in page for case in CASES.values())


def test_no_side_of_a_choice_asks_the_pixels_beside_it() -> None:
    """GLSL 4.60, sections 5.9 and 8.9: the side not chosen is not worked out; what changes are is open then."""
    picture, uv = uniform("picture", Type.SAMPLER), input_("uv", Type.VEC2)
    by_height = f.select(uv.x < 0.5, make(Op.TEXTURE, picture, uv).x * 2.0, make(Op.CHANGE_UP, uv.y))
    written = glsl.write(Body([f.select(uv.y < 0.1, by_height, 1.0)], {}, {}))
    (told,) = written.results
    asking = [line for line in written.statements if "texture(" in line or "dFdy(" in line]
    assert len(asking) == 2 and not any("?" in line for line in asking) and "?" in told


def test_bits_are_shifted_by_less_than_their_number() -> None:
    """GLSL 4.60, section 5.9: what comes of a shift by 32 or more is open."""
    inside = [expr for function in FUNCTIONS for expr in topological([function.body])]
    shifts = [expr for expr in inside if expr.op in (Op.SHIFT_LEFT, Op.SHIFT_RIGHT)]
    assert len(shifts) > 20 and all(0 < constant_parts(expr.args[1])[0] < 32 for expr in shifts)
