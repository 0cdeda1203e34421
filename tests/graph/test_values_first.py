"""Ranges, notices and their mends: every notice has a graph that raises it and a near-twin that does not."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from soft_lantern.app.canvas.shapes import spread
from soft_lantern.demo.project import moth_trail
from soft_lantern.formats.saving import save_project
from soft_lantern.graph import edits
from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material, Node, Note, Project
from soft_lantern.graph.expectations import expected_by_outputs
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.graph.layout import around, nodes_in, tidy
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notice import Notice, accept, unaccept
from soft_lantern.graph.notices.project import check_material, uniform_bounds
from soft_lantern.graph.unfold import unfold
from soft_lantern.ir.expr import Expr, Type, const, uniform
from soft_lantern.ir.interval import bounds
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.nodes import LIBRARY
from soft_lantern.nodes.formula import build, formula_type, free_names
from soft_lantern.nodes.formula_text import FormulaError
from soft_lantern.render.measuring import Measured, Measuring
from soft_lantern.render.points import flat_card
from soft_lantern.values.kinds import Kind

ROOT = Path(__file__).parents[2]


def measured(material: Material) -> Measured:
    lowered = lower(material)
    return Measuring().measure(lowered, uniform_values(lowered, material, {}), flat_card(48), 0.0)


def notices(material: Material, *, measure: bool = True) -> list[Notice]:
    done = measured(material) if measure else None
    return check_material(material, None, done.statistics if done else None, done.values if done else None)


def kinds(material: Material) -> set[str]:
    return {n.kind for n in notices(material)}


def finished(m: Authoring, **surface: Wire | float) -> Material:
    m.add("surface", **surface)
    return m.material


def division(low: float) -> Material:
    m = Authoring("M")
    spread = m.expose("Spread", 2.0, limits=(low, 4))
    share = m.add("clamp", value=m.add("position").into("separate").y / spread)
    return finished(m, metallic=share)


def masks(weight: float) -> Material:
    m = Authoring("M")
    a, b = m.expose("A", 0.2, limits=(0, 1)), m.expose("B", 0.3, limits=(0, 1))
    return finished(m, metallic=a * weight + b * weight)


def out_of_range(high: float) -> Material:
    m = Authoring("M")
    return finished(m, roughness=m.expose("Gloss", 0.5, limits=(0, high)) * 1.0)


def tint(second: str) -> Material:
    m = Authoring("M")
    return finished(m, base_colour=m.add("colour", value="#ffee00") * m.add("colour", value=second))


def formula(expression: str, low: float) -> Material:
    """A material whose alpha is the expression of a parameter `x` from the low limit to 1."""
    m = Authoring("M")
    value = m.expose("Value", 0.5, limits=(low, 1))
    made = m.add("formula", expression=expression)
    m.material = edits.connect(m.material, value.ref, f"{made.node_id}.x")
    return finished(m, alpha=m.add("clamp", value=made))


def root(low: float) -> Material:
    return formula("sqrt(x)", low)


def logarithm(low: float) -> Material:
    return formula("log(x)", low)


def second_clamp(high: float) -> Material:
    m = Authoring("M")
    value = m.expose("Value", 0.5, limits=(0, high))
    return finished(m, alpha=m.add("clamp", value=value))


def lost(divisor: float) -> Material:
    m = Authoring("M")
    return finished(m, alpha=m.add("clamp", value=m.add("number", value=1.0) / divisor))


def forgotten(used: bool) -> Material:
    m = Authoring("M")
    extra = m.add("number", value=0.5)
    return finished(m, **({"alpha": extra} if used else {}))


def spaces(space: str) -> Material:
    m = Authoring("M")
    difference = m.add("position", space="world") - m.add("position", space=space)
    return finished(m, base_colour=difference)


def constant(varies: bool) -> Material:
    m = Authoring("M")
    first = m.expose("Depth", 0.5, limits=(0, 1)) if varies else m.add("number", value=0.5)
    return finished(m, alpha=m.add("clamp", value=first * 3.0))


def edges(low: float) -> Material:
    m = Authoring("M")
    height = m.add("position").into("separate").y
    return finished(m, metallic=m.add("smoothstep", value=height, low=low, high=0.5))


def alpha_twice(other: bool) -> Material:
    m = Authoring("M")
    tint = m.expose("Tint", "#33669980", group="")
    alpha = m.add("separate_colour", colour=m.expose("Other", "#33669940") if other else tint)
    m.add("surface", base_colour=tint, alpha=alpha.a, alpha_mode="blend")
    return m.material


def unread(used: bool) -> Material:
    m = Authoring("M")
    shine = m.expose("Shine", 0.5, limits=(0, 1))
    return finished(m, roughness=shine if used else 0.3)


PAIRS: dict[str, tuple[Callable[..., Material], object, object]] = {
    "division": (division, 0.0, 0.1),
    "summed-masks": (masks, 1.0, 0.5),
    "range": (out_of_range, 2.0, 1.0),
    "black-tint": (tint, "#0010ff", "#ff8800"),
    "undefined": (root, -1.0, 0.0),
    "idle-clamp": (second_clamp, 1.0, 2.0),
    "unused": (forgotten, False, True),
    "constant": (constant, False, True),
    "spaces": (spaces, "object", "world"),
    "reversed-edges": (edges, 0.8, 0.2),
    "alpha-twice": (alpha_twice, False, True),
    "unread-parameter": (unread, False, True),
}


@pytest.mark.parametrize("kind", PAIRS)
def test_each_notice_has_a_graph_that_raises_it_and_a_twin_that_does_not(kind: str) -> None:
    make, wrong, right = PAIRS[kind]
    assert kind in kinds(make(wrong))
    assert kind not in kinds(make(right))


def test_a_logarithm_of_zero_is_told_and_of_a_little_is_not() -> None:
    assert "undefined" in kinds(logarithm(0.0))
    assert "undefined" not in kinds(logarithm(0.01))


def test_values_already_lost_are_an_error_where_they_start() -> None:
    (notice,) = [n for n in notices(lost(0.0)) if n.severity == "error"]
    assert notice.node == "divide" and "1 value is now infinite" in notice.text
    assert not any(n.severity == "error" for n in notices(lost(2.0)))


@pytest.mark.parametrize(
    "kind",
    [
        *("division", "summed-masks", "range", "undefined", "black-tint", "idle-clamp", "unused"),
        *("reversed-edges", "alpha-twice", "unread-parameter"),
    ],
)
def test_every_mend_ends_its_notice_and_leaves_a_graph_without_faults(kind: str) -> None:
    make, wrong, _ = PAIRS[kind]
    material = make(wrong)
    (notice,) = [n for n in notices(material) if n.kind == kind]
    assert notice.fixes
    for fix in notice.fixes:
        mended = fix.edit(material)
        assert kind not in kinds(mended), fix.words
        assert not lower(mended).notices


def test_edges_are_put_right_with_the_look_they_had() -> None:
    """GLSL 4.60, section 8.3, leaves smoothstep open where the edges are reversed; here it is 1 less the other."""
    material = edges(0.8)
    (notice,) = [n for n in notices(material) if n.kind == "reversed-edges"]
    mended = {fix.words: fix.edit(material) for fix in notice.fixes}
    before = measured(material).values[material.wires["surface.metallic"]]
    kept = mended["Swap the edges and invert"]
    assert measured(kept).values[kept.wires["surface.metallic"]] == pytest.approx(before, abs=1e-6)
    swapped = mended["Swap the edges"]
    assert measured(swapped).values[swapped.wires["surface.metallic"]] == pytest.approx(1 - before, abs=1e-6)


def test_a_division_that_divides_by_zero_is_not_told_as_one_that_may() -> None:
    (notice,) = [n for n in notices(lost(0.0)) if n.kind == "division"]
    assert notice.text.startswith("Divide does divide by zero") and "1 value is now infinite" in notice.text
    (notice,) = [n for n in notices(division(0.0)) if n.kind == "division"]
    assert "may divide by zero" in notice.text


def test_what_a_snippet_is_handed_may_be_anything() -> None:
    """Inside a snippet nothing is told of values that only stand there until it is used."""
    m = Authoring("Snippet")
    share = m.add("snippet_input", value=0.5) / m.add("snippet_input", name="Size", value=2.0)
    m.add("snippet_output", value=m.add("clamp", value=share * 0.5))
    assert {n.kind for n in check_material(m.material)} == {"division"}


def test_of_two_surfaces_the_first_counts_and_the_other_says_so() -> None:
    m = Authoring("M")
    m.add("surface", roughness=0.25)
    m.add("surface", roughness=0.75)
    (first, second), material = m.material.nodes, m.material
    (notice,) = [n for n in notices(material) if n.kind == "two-outputs"]
    assert notice.node == second
    lowered = lower(material)
    (value,) = uniform_values(lowered, material, {})[str(lowered.surface["roughness"].data)]  # type: ignore[misc]
    assert value == 0.25
    slips = spread(material).slips
    assert (slips[first].title, slips[second].title) == ("Surface", "Surface (not used)")


def test_notices_rest_on_what_is_possible_even_while_values_look_fine() -> None:
    material = masks(1.0)  # 0.2 + 0.3 now, but both may be 1
    (notice,) = [n for n in notices(material) if n.kind == "summed-masks"]
    assert "may leave" in notice.text
    assert (notice.measured, notice.possible) == ("0.5", "0 to 2")


def test_a_notice_can_be_let_stand_with_a_remark_and_opened_again(tmp_path: Path) -> None:
    material = masks(1.0)
    (notice,) = [n for n in notices(material) if n.kind == "summed-masks"]
    settled = accept(material, notice, "they never overlap here")
    (marked,) = [n for n in notices(settled) if n.kind == "summed-masks"]
    assert (marked.accepted, marked.open) == ("they never overlap here", False)
    assert unaccept(settled, notice) == material


def test_the_demo_has_one_planted_mistake_of_each_common_kind() -> None:
    material = moth_trail().material
    found = {n.kind for n in notices(material)}
    assert {"division", "summed-masks", "black-tint", "undefined", "range", "unused"} <= found
    for _ in range(12):
        left = [n for n in notices(material) if n.fixes]
        if not left:
            break
        material = left[0].fixes[0].edit(material)
    assert notices(material) == []


def test_outputs_are_expected_to_keep_what_they_feed() -> None:
    expected = expected_by_outputs(moth_trail().material)
    assert expected["both_glows.out"] == (0.0, 1.0)
    assert "rise.out" not in expected and "position.out" not in expected


_PLAIN = ["add", "subtract", "multiply", "divide", "clamp", "mix"]
_OF_NUMBERS = sorted(
    key
    for key, t in LIBRARY.items()
    if t.outputs
    and key not in ("parameter", "snippet_input", "texture", "gradient", "palette")
    and t.outputs[0].carries.kind in (None, Kind.NUMBER)
    and any(p.carries.kind in (None, Kind.NUMBER) and p.carries.takes_wire for p in t.inputs)
)
"""Every node that makes a number of numbers."""


@settings(max_examples=200, deadline=None)
@given(st.data())
def test_bounds_of_random_graphs_hold_for_all_values_inside_the_limits(data: st.DataObject) -> None:
    m = Authoring("Random")
    limits = {}
    wires = [m.add("position").into("separate").y]
    for index in range(3):
        low = data.draw(st.floats(-3, 2))
        limits[f"p{index}"] = (low, low + data.draw(st.floats(0, 3)))
        wires.append(m.expose(f"p{index}", low, limits=limits[f"p{index}"]))
    for _ in range(data.draw(st.integers(1, 10))):
        node_type = data.draw(st.sampled_from(_PLAIN if data.draw(st.booleans()) else _OF_NUMBERS))
        ports = [p.name for p in LIBRARY[node_type].inputs if p.carries.kind in (None, Kind.NUMBER)]
        made = m.add(node_type, **{port: data.draw(st.sampled_from(wires)) for port in ports})
        kind = output_kinds(m.material)[made.ref]
        wires += [made] if kind is Kind.NUMBER else []
    material, lowered = m.material, lower(m.material)
    known = bounds(lowered.wires.values(), uniform_bounds(material, lowered))
    chosen = {p.id: data.draw(st.floats(*limits[p.identifier], width=64)) for p in material.parameters}
    done = Measuring().measure(lowered, uniform_values(lowered, material, dict(chosen)), flat_card(6), 0.0)
    for wire, reach in done.statistics.items():
        bound = known[lowered.wires[wire]]
        if not np.isfinite(done.values[wire]).any():
            continue
        assert min(bound.low) <= reach.low and reach.high <= max(bound.high), wire
        if np.isnan(done.values[wire]).any():
            assert bound.may_be_nan


def test_only_what_an_edit_affects_is_computed_again(ramp: Material) -> None:
    measuring, card = Measuring(), flat_card(16)
    lowered = lower(ramp)
    first = measuring.measure(lowered, uniform_values(lowered, ramp, {}), card, 0.0)
    second = measuring.measure(lowered, uniform_values(lowered, ramp, {"spread": 2.0}), card, 1.0)
    same = {wire for wire in first.values if first.values[wire] is second.values[wire]}
    assert {"rise.out", "position.out", "origin.out", "low_colour.out"} <= same
    assert same.isdisjoint({"spread.out", "divide.out", "height_mask.out", "ramp_colour.out"})


def test_the_trace_is_what_the_probe_command_says(ramp: Material, tmp_path: Path) -> None:
    done = measured(ramp)
    pixel = 31 * 48 + 17
    position = [float(c[pixel]) for c in done.points.inputs["position_world"]]
    save_project(put_material(Project(name="P"), ramp), tmp_path / "p")
    command = [str(ROOT / "lantern"), "probe", str(tmp_path / "p"), "--material", ramp.id, "--json"]
    at = ["--at", "position=" + ",".join(map(repr, position))]
    answer = json.loads(subprocess.run([*command, *at], capture_output=True, text=True, check=True).stdout)
    for wire, parts in done.at(pixel).items():
        assert answer["wires"][wire] == pytest.approx(list(parts), rel=1e-6), wire


def test_reading_and_histogram_against_numpy(ramp: Material) -> None:
    done = measured(ramp)
    values = done.values["divide.out"]
    reach = done.statistics["divide.out"]
    assert (reach.low, reach.high) == (values.min(), values.max())
    assert reach.mean == pytest.approx(values.astype(float).mean(), rel=1e-6)
    counts, edges = done.histogram("divide.out")
    assert counts.sum() == values.size
    assert (edges[0], edges[-1]) == pytest.approx((reach.low, reach.high))
    assert done.histogram("spread.out")[0].sum() == 1


def test_clip_view_hatches_low_high_and_lost_values_apart() -> None:
    m = Authoring("M")
    height = m.add("position").into("separate").y
    made = m.add("formula", name="Probe", expression="h > 0.5 ? 2.0 : (h < -0.5 ? -1.0 : (h > 0.0 ? 0.5 : sqrt(-1.0)))")
    m.material = edits.connect(m.material, height.ref, f"{made.node_id}.h")
    done = measured(finished(m, alpha=made))
    picture = done.thumbnail(made.ref, Kind.NUMBER, clip_view=True)
    colours = {tuple(int(c) for c in picture[row, column, :3]) for row in range(48) for column in range(48)}
    for place, wanted in ((4, (255, 90, 60)), (44, (70, 110, 255)), (28, (255, 0, 220))):
        assert wanted in {tuple(int(c) for c in pixel[:3]) for pixel in picture[place]}
    assert len(colours) >= 6


# Formulas: the expression, values of its names, and the result worked by hand by the GLSL specification's rules.
FORMULAS: list[tuple[str, dict[str, float], float]] = [
    ("(y - origin) / spread", {"y": 3, "origin": -1, "spread": 8}, 0.5),
    ("1.0 - 2.0 - 3.0", {}, -4.0),
    ("2 * -a + 8. / 4 / 2", {"a": 3}, -5.0),
    ("mix(a, b, clamp(t, 0.0, 1.0))", {"a": 2, "b": 6, "t": 0.25}, 3.0),
    ("a < b && !(a > 1.0) ? 10.0 : 20.0", {"a": 0.5, "b": 1}, 10.0),
    ("a == b || a >= 5.0 ? .5 : 1e1", {"a": 4, "b": 3}, 10.0),
    ("dot(vec3(a, 2.0, 3.0), vec3(1.0)).x", {"a": 1}, 6.0),
    ("vec4(1.0, 2.0, 3.0, 4.0).wzyx.y + vec2(a).g", {"a": 5}, 8.0),
    ("length(vec2(3.0, 4.0)) + distance(vec2(0.0), vec2(0.0, a))", {"a": 2}, 7.0),
    ("pow(abs(a), 2.0) + mod(-1.0, 3.0) + fract(2.25) + step(0.5, 0.5)", {"a": -3}, 12.25),
    ("smoothstep(0.0, 2.0, a)", {"a": 1}, 0.5),
]


@pytest.mark.parametrize(("text", "values", "result"), FORMULAS)
def test_formulas_mean_what_glsl_means_by_them(text: str, values: dict[str, float], result: float) -> None:
    names = {name: uniform(name, Type.FLOAT) for name in free_names(text)}
    assert set(names) == set(values)
    expr = build(text, names)
    got = evaluate([expr], {n: leaf([v]) for n, v in values.items()})[expr]
    assert float(got.ravel()[0]) == pytest.approx(result)


@pytest.mark.parametrize(
    ("text", "column"),
    [
        ("a + ", 5),
        ("a + $b", 5),
        ("sin(a, b)", 1),
        ("a * tea(b)", 5),
        ("vec3(1.0, 2.0)", 1),
        ("(a + b", 7),
        ("vec2(a).z", 9),
        ("1.0 + vec3(a) * vec2(b)", 7),
        ("a + uniform", 5),
        ("a ? b : c", 1),
    ],
)
def test_what_is_wrong_with_a_formula_is_told_with_its_column(text: str, column: int) -> None:
    with pytest.raises(FormulaError) as caught:
        names: dict[str, Expr] = {name: const(1.0) for name in free_names(text)}
        build(text, names)
    assert caught.value.column == column


@settings(max_examples=300, deadline=None)
@given(st.text("ab1.+-*/()?:<>=&|!,vec3sinmix ", max_size=40))
def test_any_text_is_a_formula_or_refused_with_a_column(text: str) -> None:
    try:
        free_names(text)
        formula_type(text).apply({n: const(0.5) for n in free_names(text)}, {"expression": text})
    except FormulaError as error:
        assert 1 <= error.column <= len(text) + 1


def test_a_formula_is_a_node_with_ports_for_its_names() -> None:
    m = Material(id="m", name="M", nodes={"p": Node(type="position"), "s": Node(type="surface")})
    m = edits.add_node(m, "f", Node(type="formula", settings={"expression": "dot(a, vec3(b))"}))
    m = edits.connect(edits.connect(m, "p.out", "f.a"), "f.out", "s.alpha")
    assert {"kinds"} & {n.kind for n in lower(edits.disconnect(m, "f.a")).notices} == set()
    changed_ = edits.change_formula(m, "f", "a.x + c")
    assert changed_.wires["f.a"] == "p.out"
    assert "f.a" not in edits.change_formula(m, "f", "c * 2.0").wires
    with pytest.raises(FormulaError):
        edits.change_formula(m, "f", "a +")


def test_inserting_makes_room_and_dissolving_heals() -> None:
    m = Material(
        id="m",
        name="M",
        nodes={
            "n": Node(type="number", x=0.0),
            "half": Node(type="multiply", x=100.0),
            "s": Node(type="surface", x=170.0),
        },
        wires={"s.alpha": "n.out"},
    )
    inserted = edits.insert(m, "half", "s.alpha")
    assert inserted.wires == {"half.a": "n.out", "s.alpha": "half.out"}
    assert inserted.nodes["s"].x >= inserted.nodes["half"].x + 126
    healed = edits.dissolve(inserted, ["half"])
    assert healed.wires == {"s.alpha": "n.out"}
    assert not edits.insertable(m, "n", "s.alpha")


@pytest.mark.parametrize(
    "text",
    [
        "(y - 1.0) / s",
        "mix(y, s, clamp(y * 0.5, 0.0, 1.0)) + 2.0",
        "p.x * p.zyx.y + length(p) - -s",
        "vec3(y, s, 1.0).y + (y > s ? y * 2.0 : s / 4.0)",
        "dot(vec3(s), p) * abs(y) + smoothstep(0.0, 1.0, y)",
    ],
)
def test_unfolding_a_formula_changes_no_value(text: str) -> None:
    m = Authoring("M")
    point = m.add("position")
    sources = {"p": point, "y": point.into("separate").y, "s": m.expose("S", 0.75, limits=(0.5, 1))}
    made = m.add("formula", name="Whole", expression=text)
    for name in free_names(text):
        m.material = edits.connect(m.material, sources[name].ref, f"{made.node_id}.{name}")
    material = finished(m, alpha=made)
    unfolded = unfold(material, made.node_id)
    assert made.node_id not in unfolded.nodes and not lower(unfolded).notices
    before, after = measured(material), measured(unfolded)
    was, now = before.values[made.ref], after.values[unfolded.wires["surface.alpha"]]
    assert np.broadcast_to(now, was.shape) == pytest.approx(was, rel=1e-6)
    assert len(unfolded.nodes) > len(material.nodes)


def test_note_areas_stay_round_their_slips_through_tidy_and_moves() -> None:
    m = moth_trail()
    material = tidy(m.material)
    note = around(material, ["glow", "sparkle", "both_glows"], Note(id="n", title="Glows", x=0, y=0, width=0, height=0))
    material = edits.add_note(material, note)
    inside = nodes_in(material, note)
    assert {"glow", "sparkle", "both_glows"} <= set(inside)
    places = {i: (material.nodes[i].x, material.nodes[i].y) for i in inside}
    scattered = edits.put_note_at(material, material.notes[0], places, 500, -300)
    tidied = tidy(scattered)
    assert set(nodes_in(tidied, tidied.notes[0])) >= set(inside)
    assert edits.remove_note(tidied, "n").nodes == tidied.nodes


def test_an_elbow_changes_nothing_but_the_way() -> None:
    m = Authoring("M")
    material = finished(m, base_colour=m.add("colour", value="#336699").into("elbow"))
    lowered = lower(material)
    assert lowered.wires["elbow.out"] is lowered.wires["colour.out"]
    assert lowered.kinds["elbow.out"] is Kind.COLOUR
