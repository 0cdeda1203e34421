"""Edits of the graph and of the family of instances."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.errors import BadEdit, BadValue, WouldCycle, WrongKind
from soft_lantern.graph import edits
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Instance,
    Material,
    Node,
    Parameter,
    Project,
    Scene,
    StageObject,
    Texture,
    changed,
)
from soft_lantern.graph.instances.values import look, override, put_instance, put_material, remove_instance, reset
from soft_lantern.graph.kinds import output_kinds, wire_conversion
from soft_lantern.graph.layout import COLUMN, SLIP_WIDTH, free_place, pushed_down, slip_height, tidy
from soft_lantern.graph.lowering import lower
from soft_lantern.graph.notice import Severity
from soft_lantern.graph.notices import project as project_notices
from soft_lantern.graph.notices.project import check_material, check_project
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.nodes.outputs import Surface
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Conversion, Kind


def graph(**nodes: str) -> Material:
    """A material of nodes by id and type."""
    return Material(id="m", name="M", nodes={i: Node(type=t) for i, t in nodes.items()})


def test_a_wire_that_would_make_a_circle_is_refused() -> None:
    m = edits.connect(graph(a="add", b="add"), "a.out", "b.a")
    with pytest.raises(WouldCycle, match="Add feed itself"):
        edits.connect(m, "b.out", "a.b")
    with pytest.raises(WouldCycle):
        edits.connect(m, "a.out", "a.b")


@pytest.mark.parametrize(
    ("out", "into", "how"),
    [
        ("number.out", "colour_parts.colour", Conversion.GREY),
        ("position.out", "surface.metallic", Conversion.FIRST),
        ("colour.out", "surface.metallic", Conversion.LUMINANCE),
        ("position.out", "surface.base_colour", Conversion.OPAQUE),
        ("colour.out", "separate.vector", Conversion.DROP_ALPHA),
        ("number.out", "separate.vector", Conversion.SPLAT),
        ("colour.out", "surface.emissive", Conversion.NONE),
    ],
)
def test_conversions_on_wires_are_known_and_shown(out: str, into: str, how: Conversion) -> None:
    m = graph(
        number="number",
        colour="colour",
        position="position",
        separate="separate",
        colour_parts="separate_colour",
        surface="surface",
    )
    wired = edits.connect(m, out, into)
    assert wire_conversion(wired, into, output_kinds(wired)) is how


def test_kinds_that_do_not_go_together_are_refused_with_the_reason(monkeypatch: pytest.MonkeyPatch) -> None:
    m = graph(position="position", mix="mix", surface="surface", parameter="parameter")
    two = Parameter(id="p", identifier="p", label="P", kind=Kind.VECTOR2, default=(0.0, 0.0))
    m = changed(
        m, parameters=(two,), nodes={**m.nodes, "parameter": Node(type="parameter", settings={"parameter": "p"})}
    )
    m = edits.connect(m, "position.out", "mix.a")
    with pytest.raises(WrongKind, match="vector 2 does not go with the vector 3 already in Mix"):
        edits.connect(m, "parameter.out", "mix.b")
    with pytest.raises(WrongKind, match="too few parts"):
        edits.connect(m, "parameter.out", "surface.base_colour")


def test_arithmetic_takes_the_widest_kind_of_its_wires() -> None:
    m = edits.connect(graph(c="colour", n="number", mul="multiply", add="add"), "c.out", "mul.a")
    m = edits.connect(edits.connect(m, "n.out", "mul.b"), "mul.out", "add.a")
    assert output_kinds(m)["add.out"] is Kind.COLOUR


def test_nodes_compute_what_their_help_says() -> None:
    """Values worked by hand."""
    m = Authoring("Sums")
    six = m.add("number", value=6.0)
    four = m.add("number", value=4.0)
    vector = m.add("combine", x=six, y=four, z=-2.0)
    wires = {
        "sum": six + four,
        "difference": six - four,
        "product": six * four,
        "quotient": six / four,
        "kept": m.add("clamp", value=six, low=0.0, high=5.0),
        "mixed": m.add("mix", a=six, b=four, factor=0.25),
        "z": vector.into("separate").z,
        "luminance": m.add("surface", metallic=m.add("colour", value="#00ff00"), roughness=six),
    }
    lowered = lower(m.material)
    from soft_lantern.graph.lowering import uniform_values

    leaves = {n: leaf(v) for n, v in uniform_values(lowered, m.material, {}).items()}
    values = evaluate([*lowered.wires.values(), lowered.surface["metallic"]], leaves)
    got = {n: float(values[lowered.wires[w.ref]].ravel()[0]) for n, w in wires.items() if n != "luminance"}
    expected = {"sum": 10, "difference": 2, "product": 24, "quotient": 1.5, "kept": 5, "mixed": 5.5, "z": -2}
    assert got == pytest.approx(expected)
    # ITU-R BT.709: green's share of luminance.
    assert float(values[lowered.surface["metallic"]].ravel()[0]) == pytest.approx(0.7152)


def test_pasting_makes_new_nodes_with_their_wires_and_parameters(ramp: Material) -> None:
    piece = edits.fragment(ramp, [i for i, n in ramp.nodes.items() if n.type != "surface"])
    pasted, ids = edits.paste(ramp, piece, 30, 30)
    assert len(pasted.nodes) == 2 * len(ramp.nodes) - 1
    assert set(ids).isdisjoint(ramp.nodes)
    assert pasted.parameters == ramp.parameters
    elsewhere, ids = edits.paste(graph(s="surface"), piece, 0, 0)
    assert {p.identifier for p in elsewhere.parameters} == {p.identifier for p in piece.parameters}
    assert not lower(elsewhere).notices
    inner = [w for w in elsewhere.wires if w.partition(".")[0] in ids]
    assert len(inner) == len(piece.wires)


def test_exposing_keeps_the_value_and_taking_back_restores_it() -> None:
    m = edits.type_value(graph(clamp="clamp", tint="colour"), "clamp", "low", 0.125)
    exposed, parameter_id = parameters.expose(m, "clamp", "low")
    parameter = exposed.parameter(parameter_id)
    assert parameter and (parameter.default, parameter.label, parameter.identifier) == (0.125, "Clamp low", "clamp_low")
    back = parameters.unexpose(exposed, parameter_id)
    assert not back.parameters
    assert (back.nodes, back.wires) == (m.nodes, m.wires)
    again, same_id = parameters.expose(back, "clamp", "low")
    assert same_id == parameter_id and not again.retired  # so what instances kept for it counts again
    exposed, parameter_id = parameters.expose(m, "tint", "value")
    assert exposed.nodes["tint"].type == "parameter"
    restored = parameters.unexpose(exposed, parameter_id).nodes["tint"]
    assert (restored.type, restored.values) == ("colour", {"value": (0.5, 0.5, 0.5, 1.0)})


def test_a_slip_that_grows_moves_what_it_would_cover_and_nothing_else() -> None:
    places = {
        "switch": (0.0, 0.0),
        "under": (10.0, 240.0),
        "next": (0.0, 400.0),
        "far": (0.0, 2000.0),
        "beside": (200.0, 240.0),
    }
    before = graph(switch="switch", under="add", next="add", far="add", beside="add")
    before = edits.move_nodes(before, places)
    same = edits.choose_setting(before, "switch", "count", "2")
    assert pushed_down(before, same, "switch") == same
    after = pushed_down(before, edits.choose_setting(before, "switch", "count", "8"), "switch")
    ends = 0.0
    for node_id in ("switch", "under", "next", "far"):
        assert after.nodes[node_id].y >= ends
        ends = after.nodes[node_id].y + slip_height(after, after.nodes[node_id])
    assert {i for i, n in after.nodes.items() if n.y != before.nodes[i].y} == {"under", "next"}


def test_a_drop_down_holds_whole_numbers_among_its_choices(ramp: Material) -> None:
    plain = Parameter(id="p", identifier="p", label="Ground", kind=Kind.NUMBER, default=7.0)
    chosen = parameters.with_choices(plain, ("Moss", "Ash", "Snow"))
    assert (chosen.low, chosen.high, chosen.default) == (0.0, 2.0, 2.0)
    assert parameters.held(chosen, 0.8) == 1.0
    m = parameters.add_parameter(ramp, chosen)
    for fields, words in (({"high": 5.0}, "3 choices"), ({"kind": Kind.COLOUR}, "only a number")):
        with pytest.raises(BadEdit, match=words):
            parameters.change_parameter(m, "p", **fields)


def test_identifiers_are_checked_and_defaults_held_to_limits(ramp: Material) -> None:
    for wrong, words in (
        ("vec3", "word of GLSL"),
        ("spread", "already Spread"),
        ("time", "surface input"),
        ("a b", "only"),
    ):
        with pytest.raises(BadEdit, match=words):
            parameters.change_parameter(ramp, "origin", identifier=wrong)
    held = parameters.change_parameter(ramp, "origin", default=-25.0).parameter("origin")
    assert held and held.default == -10.0
    with pytest.raises(BadEdit, match="above its upper"):
        parameters.change_parameter(ramp, "spread", low=11.0)
    with pytest.raises(BadValue, match="finite"):
        parameters.change_parameter(ramp, "spread", default=float("nan"))


def test_a_possible_division_by_zero_is_told_before_it_happens(ramp: Material) -> None:
    assert check_material(ramp) == []
    loose = parameters.change_parameter(ramp, "spread", low=0.0)
    (notice,) = check_material(loose)
    assert (notice.kind, ramp.nodes[notice.node].type) == ("division", "divide")
    assert "Spread may be 0 to 10" in notice.text
    unlimited = parameters.change_parameter(ramp, "spread", low=None, high=None)
    assert "no limits" in check_material(unlimited)[0].text


def test_a_faulty_graph_still_lowers_and_says_what_is_wrong() -> None:
    m = graph(a="add", b="add", ghost="from_the_future", sep="separate", p="parameter", s="surface")
    m = changed(
        m,
        wires={"a.a": "b.out", "b.a": "a.out", "s.alpha": "gone.out", "s.metallic": "sep.x"},
        parameters=(
            Parameter(id="x", identifier="same", label="X", kind=Kind.NUMBER, default=0.0),
            Parameter(id="y", identifier="same", label="Y", kind=Kind.NUMBER, default=0.0),
            Parameter(id="z", identifier="uniform", label="Z", kind=Kind.NUMBER, default=0.0),
        ),
    )
    kinds = {(n.kind, n.node) for n in check_material(m)}
    assert {("cycle", "a"), ("unknown-node", "ghost"), ("missing-wire", "sep"), ("missing-parameter", "p")} <= kinds
    assert ("dangling-wire", "s") in kinds
    assert sum(kind == "parameter" for kind, _ in ((n.kind, n.node) for n in check_material(m))) == 3
    assert set(lower(m).surface) == set(Surface._fields)


@pytest.fixture
def family(ramp: Material) -> Project:
    """A material with a parent instance and a child."""
    project = put_material(Project(name="family"), ramp)
    project = put_instance(project, Instance(id="parent", name="Parent", parent=ramp.id, values={"origin": 1.0}))
    child = Instance(id="child", name="Child", parent="parent", values={"spread": 2.0, "long gone": 4.0})
    return put_instance(project, child)


def test_a_value_comes_from_the_nearest_override(family: Project) -> None:
    found = look(family, "child")
    assert found
    assert (found.values, found.origins) == ({"origin": 1.0, "spread": 2.0}, {"origin": "parent", "spread": "child"})
    tuned = override(family, "child", "origin", 99.0)
    assert tuned.instances["child"].values["origin"] == 10.0  # the hard limit
    assert reset(tuned, "child", "origin") == family
    with pytest.raises(BadValue):
        override(family, "child", "long gone", 1.0)
    assert "long gone" in tuned.instances["child"].values
    with pytest.raises(BadEdit, match="own ancestor"):
        put_instance(family, changed(family.instances["parent"], parent="child"))


def test_removing_a_parent_loses_no_look(family: Project) -> None:
    scene = Scene(id="s", name="S", objects=(StageObject(id="o", name="O", asset="a", wears={"": "parent"}),))
    family = changed(family, scenes={"s": scene})
    before = look(family, "child")
    left = remove_instance(family, "parent")
    after = look(left, "child")
    assert before and after and before.values == after.values
    assert left.scenes["s"].objects[0].wears == {"": "height_ramp"}


def test_notices_of_instances_and_scenes(family: Project) -> None:
    scene = Scene(id="s", name="S", objects=(StageObject(id="o", name="O", asset="gone", wears={"": "nobody"}),))
    stray = Instance(id="stray", name="Stray", parent="nowhere")
    outside = Instance(id="outside", name="Outside", parent="height_ramp", values={"spread": 50.0})
    project = changed(family, scenes={"s": scene}, instances={**family.instances, "stray": stray, "outside": outside})
    notices = check_project(project)
    assert {n.kind for n in notices} == {"missing-asset", "missing-look", "parent", "orphan", "outside-limits"}
    assert [n.severity for n in notices] == sorted((n.severity for n in notices), key=list(Severity)[::-1].index)


def test_a_graph_is_looked_through_again_only_where_it_or_what_it_reads_is_another(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    reader, other = Authoring("Reader"), Authoring("Other")
    reader.add("surface", metallic=reader.add("image", texture="glow").into("separate_colour").r)
    other.add("surface", metallic=0.5)
    texture = Texture(id="glow", name="Glow", file="glow.exr", encoding="data")
    project = other.into_project(reader.into_project(Project(name="t", textures={"glow": texture})))
    seen: list[str] = []
    monkeypatch.setattr(
        project_notices, "check_material", lambda m, *a, **k: seen.append(m.name) or check_material(m, *a, **k)
    )

    def found(now: Project, brightest: float, unread: float = 1.0) -> list[str]:
        seen.clear()
        values = {"glow": brightest, "unread": unread}
        images = {key: Image(np.full((2, 2, 4), value, np.float32), "data") for key, value in values.items()}
        return [n.kind for n in check_project(now, images)]

    assert found(project, 1.0) == [] and seen == ["Reader", "Other"]
    assert found(project, 1.0, unread=9.0) == [] and seen == []
    assert found(project, 3.0) == ["range"] and seen == ["Reader"]
    assert found(project, 3.0) == ["range"] and seen == []
    surface = next(iter(other.material.nodes))
    duller = edits.type_value(project.materials[other.material.id], surface, "metallic", 0.25)
    assert found(put_material(project, duller), 3.0) == ["range"] and seen == ["Other"]


def test_tidy_puts_what_feeds_a_node_to_its_left(ramp: Material) -> None:
    once = tidy(ramp)
    for into, out in once.wires.items():
        target, source = once.nodes[into.partition(".")[0]], once.nodes[out.partition(".")[0]]
        assert source.x <= target.x - COLUMN
    assert tidy(once) == once


def test_a_free_place_is_found_at_once_even_among_a_thousand_slips() -> None:
    nodes = {f"n{i}": Node(type="sine", x=190.0 * (i % 40), y=140.0 * (i // 40)) for i in range(1000)}
    nodes["end"] = Node(type="surface", x=4000.0, y=0.0)
    crowded, size = Material(id="m", name="M", nodes=nodes), (150.0, 120.0)
    for at in ((1000.0, 700.0), (5000.0, 10.0), (-900.0, 0.0)):
        x, y = free_place(crowded, at, size)
        assert x + size[0] < 4000.0
        for node in nodes.values():
            beside = x + size[0] <= node.x or node.x + SLIP_WIDTH <= x
            assert beside or y + size[1] <= node.y or node.y + slip_height(crowded, node) <= y
    assert free_place(Material(id="e", name="E"), (10.0, 20.0), size) == (10.0, 20.0)
