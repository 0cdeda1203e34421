"""What a parameter says it is, families of instances, values to try, and what a change does to them."""

from __future__ import annotations

import colorsys
import math
from typing import Any

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from soft_lantern.demo.project import demo_project, height_ramp
from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.formats.images import load_images
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Gradient,
    Instance,
    Node,
    Palette,
    Parameter,
    Pick,
    Project,
    Scene,
    StageObject,
    Stop,
    changed,
    with_records,
)
from soft_lantern.graph.instances.change_report import ASIDE, BACK, CONVERTED, LOOKS, OUTSIDE, effects
from soft_lantern.graph.instances.family import (
    Standing,
    clamped,
    copied,
    descendants,
    differing,
    duplicated,
    pasted,
    reparent,
    searcher,
    standings,
    value_of,
    with_lock,
    with_parameter,
)
from soft_lantern.graph.instances.picks import (
    LIKE_THE_OBJECT,
    picked,
    put_pick,
    with_looks,
    with_weight,
    with_worn,
    without_look,
    worn,
)
from soft_lantern.graph.instances.shade import Shade, combined, shaded
from soft_lantern.graph.instances.sweeps import Spread, kept_variations, sweep, variations
from soft_lantern.graph.instances.values import edited_instance, look, override, put_material, remove_instance, reset
from soft_lantern.graph.lowering import lower
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.notices.suggested_limits import suggested_limits
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.graph.ramps.images import colours_at, image_of_palette, side_of
from soft_lantern.ir.oklch import hsv_of, in_gamut, linear_from_oklch, oklch_from_linear, rgb_of_hsv
from soft_lantern.nodes.formula import number_of
from soft_lantern.scene.placing import in_row
from soft_lantern.values.colour import colour_from_hex, srgb_to_linear
from soft_lantern.values.kinds import Kind, Value, components

SCREEN = st.integers(0, 255).map(lambda byte: byte / 255)


def parameter(**fields: Any) -> Parameter:
    return Parameter(**{"id": "p", "identifier": "p", "label": "P", "kind": Kind.NUMBER, "default": 1.0, **fields})


@pytest.fixture(scope="module")
def project() -> Project:
    return demo_project()


# What a parameter says it is


@pytest.mark.parametrize(
    ("fields", "given_value", "kept"),
    [
        ({"use": "whole", "low": 0, "high": 9}, 3.6, 4.0),
        ({"use": "switch"}, 7.0, 1.0),
        ({"kind": Kind.TEXTURE, "default": ""}, "moss", "moss"),
        ({"low": 0.0, "high": 4.0, "soft_high": 1.0}, 3.0, 3.0),  # a soft limit bounds the slider alone
        ({"kind": Kind.VECTOR3, "default": (0, 1, 0), "use": "direction"}, (3.0, 0.0, 4.0), (0.6, 0.0, 0.8)),
        ({"kind": Kind.VECTOR3, "default": (0, 1, 0), "use": "direction"}, (0.0, 0.0, 0.0), (0.0, 1.0, 0.0)),
        ({"kind": Kind.VECTOR2, "default": (0, 1), "use": "range", "low": 0, "high": 5}, (9.0, 2.0), (2.0, 5.0)),
        ({"kind": Kind.COLOUR, "default": (0, 0, 0, 1)}, (2.0, 0.5, -1.0, 0.5), (1.0, 0.5, 0.0, 0.5)),
        (
            {"kind": Kind.COLOUR, "default": (0, 0, 0, 1), "hdr": True, "alpha": False},
            (8.0, 0, 0, 0.2),
            (8.0, 0, 0, 1.0),
        ),
    ],
)
def test_a_value_keeps_to_what_its_parameter_says_it_is(fields: Any, given_value: Value, kept: Value) -> None:
    assert parameters.held(parameter(**fields), given_value) == (kept if isinstance(kept, str) else pytest.approx(kept))


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"low": 0.0, "high": 1.0, "soft_high": 2.0}, "leaves its limits"),
        ({"soft_low": 3.0, "soft_high": 2.0}, "before it begins"),
        ({"low": 0.0, "high": 8.0, "scale": "log"}, "must be above 0"),
        ({"use": "direction"}, "cannot be a direction"),
        ({"identifier": "vec3"}, "word of GLSL"),
        ({"identifier": "lerp"}, "word of HLSL"),
    ],
)
def test_what_a_parameter_cannot_be_is_said(fields: Any, words: str) -> None:
    material = height_ramp().material
    with pytest.raises(BadEdit, match=words):
        parameters.add_parameter(material, parameter(**fields))


def test_a_parameter_is_offered_only_when_its_switch_says_so(project: Project) -> None:
    material = project.materials["kettle_metal"]
    known = {p.id: p for p in material.parameters}
    dots = known["speckle_colour"]
    assert not parameters.is_offered(dots, {}, known) and parameters.is_offered(dots, {"speckles": 1.0}, known)
    found = look(project, "speckled_enamel")
    assert found and parameters.is_offered(dots, found.values, known)


@pytest.mark.parametrize(
    ("node_type", "port", "kind"),
    [
        ("checker", "tiling", Kind.VECTOR2),
        ("triplanar", "texture", Kind.TEXTURE),
        ("stripes_3d", "direction", Kind.VECTOR3),
        ("gradient_lookup", "gradient", Kind.GRADIENT),
        ("palette_lookup", "palette", Kind.PALETTE),
        ("vector_4", "value", Kind.VECTOR4),
    ],
)
def test_a_value_of_every_kind_is_exposed_and_taken_back(node_type: str, port: str, kind: Kind) -> None:
    material = Authoring("Kinds").material
    material = changed(material, nodes={"n": Node(type=node_type)})
    exposed, parameter_id = parameters.expose(material, "n", port)
    found = exposed.parameter(parameter_id)
    assert found and found.kind is kind
    back = parameters.unexpose(exposed, parameter_id)
    assert (
        lower(back).surface == lower(material).surface
        and set(back.nodes) == {"n"}
        and back.nodes["n"].type == node_type
    )
    assert not back.parameters and not back.wires


def test_limits_are_suggested_from_the_bounds_of_the_graph() -> None:
    """A divisor keeps away from 0; what is halved on its way to a roughness may be up to 2."""
    m = Authoring("Suggest")
    divisor = m.expose("Divisor", 2.0)
    m.add("surface", metallic=m.add("saturate", value=m.add("divide", a=1.0, b=divisor)))
    low, high = suggested_limits(m.material, "divisor") or (0.0, 0.0)
    assert low > 0 and high >= 10
    m = Authoring("Suggest")
    part = m.expose("Part", 0.25)
    m.add("surface", roughness=m.add("multiply", a=part, b=0.5))
    low, high = suggested_limits(m.material, "part") or (0.0, 0.0)
    assert (low, high) == (0.0, 2.0)  # roughness = part / 2 keeps to 0–1 just there


def test_the_readers_of_a_parameter_are_listed(project: Project) -> None:
    assert parameters.readers(project.materials["height_ramp"], "origin") == ["Rise: b"]


# Families


def test_a_lock_holds_for_descendants_and_what_they_had_comes_back_after_it(project: Project) -> None:
    locked = with_lock(project, "amber_hour", "spread", locked=True)
    with pytest.raises(BadEdit, match="locked in Amber hour"):
        override(locked, "last_light", "spread", 9.0)
    found = look(locked, "last_light")
    assert found and found.values["spread"] == 5.0  # Amber hour's, though Last light keeps 3.5
    free = look(with_lock(locked, "amber_hour", "spread", locked=False), "last_light")
    assert free and free.values["spread"] == 3.5


def test_each_value_tells_whether_it_is_inherited_set_or_equal(project: Project) -> None:
    ramp = project.materials["height_ramp"]
    spread, high = ramp.parameter("spread"), ramp.parameter("high_colour")
    assert spread and high
    last = project.instances["last_light"]
    stand = standings(project, last, [spread, high])
    assert stand == {spread.id: Standing.OVERRIDDEN, high.id: Standing.INHERITED}
    same = override(project, "last_light", "spread", 5.0)
    assert standings(same, same.instances["last_light"], [spread])[spread.id] is Standing.EQUAL


@pytest.mark.parametrize("target", ["pool_depths", "height_ramp"])
def test_a_new_parent_keeps_the_look_or_gives_its_own(project: Project, target: str) -> None:
    before = look(project, "last_light")
    kept = look(reparent(project, "last_light", target, keep=True), "last_light")
    anew = look(reparent(project, "last_light", target, keep=False), "last_light")
    above = look(project, target)
    assert before and kept and anew and above
    assert [value_of(kept, p) for p in kept.material.parameters] == [
        value_of(before, p) for p in before.material.parameters
    ]
    high = next(p for p in anew.material.parameters if p.id == "high_colour")
    assert value_of(anew, high) == value_of(above, high)
    with pytest.raises(BadEdit, match="own ancestor"):
        reparent(project, "amber_hour", "last_light", keep=True)


def test_under_another_material_values_go_by_identifier_and_the_rest_stays_aside(project: Project) -> None:
    moved = reparent(project, "last_light", "kettle_metal", keep=False)
    found = look(moved, "last_light")
    assert found and found.values == {"roughness": 0.35}
    assert moved.instances["last_light"].values["spread"] == 3.5  # kept, in case it goes home
    home = reparent(moved, "last_light", "amber_hour", keep=False)
    assert look(home, "last_light") == look(project, "last_light")


def test_copies_go_by_identifier_and_say_when_nothing_fits(project: Project) -> None:
    found = look(project, "last_light")
    assert found
    height = copied(found, "Height")
    assert set(height) == {"origin", "spread"}
    there = look(pasted(project, "pool_depths", height), "pool_depths")
    assert there and (there.values["spread"], there.values["origin"]) == (3.5, 0.0)
    with pytest.raises(BadEdit, match="no parameter for what was copied"):
        pasted(project, "cool_glow", height)


def test_duplicates_bring_their_descendants_if_asked(project: Project) -> None:
    copy_id = "copied"
    made = duplicated(project, "amber_hour", copy_id, descendants=True)
    below = list(descendants(made, copy_id))
    assert [i.name for i in below] == ["Last light"] and below[0].id != "last_light"
    assert made.instances[copy_id].name == "Amber hour 2"


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("copper", {"copper", "aged_copper", "new_copper"}),
        ("tag=polished", {"new_copper", "brass"}),
        ("tag=polished copper", {"new_copper"}),
        ("roughness < 0.2 finish = enamel", {"enamel", "speckled_enamel"}),
        ("base = #c8703c", {"copper", "aged_copper", "new_copper"}),
        ("spread>=3.5 spread<4", {"last_light"}),
        ("patina_amount > nonsense", set()),
        ("", None),
    ],
)
def test_instances_are_found_by_name_tag_and_value(project: Project, text: str, found: set[str] | None) -> None:
    fits = searcher(project, text)
    assert {i.id for i in project.instances.values() if fits(i)} == (set(project.instances) if found is None else found)


def test_what_differs_between_two_looks_is_listed(project: Project) -> None:
    aged, new = look(project, "aged_copper"), look(project, "new_copper")
    assert aged and new
    assert [(p.id, a, b) for p, a, b in differing(aged, new)] == [
        ("roughness", 0.42, 0.12),
        ("patina_amount", 0.95, 0.0),
    ]


# The author changes the graph under them


def test_a_renamed_parameter_keeps_every_value_and_a_narrowed_one_marks_and_clamps_on_request(project: Project) -> None:
    ramp = project.materials["height_ramp"]
    spread = ramp.parameter("spread")
    assert spread
    after = with_parameter(project, ramp.id, changed(spread, identifier="reach", label="Reach", high=4.0))
    assert after.instances == project.instances  # nothing is changed silently
    assert [(e.instance, e.kind) for e in effects(project, after, ramp.id)] == [("amber_hour", OUTSIDE)]
    assert any(n.kind == "outside-limits" and n.place == "amber_hour" for n in check_project(after))
    found = look(after, "amber_hour")
    assert found and found.values["spread"] == 5.0
    assert clamped(after, "amber_hour").instances["amber_hour"].values["spread"] == 4.0


def test_a_parameter_taken_back_leaves_its_values_and_exposed_again_they_count(project: Project) -> None:
    ramp = project.materials["height_ramp"]
    gone = put_material(project, parameters.unexpose(ramp, "spread"))
    assert {(e.instance, e.kind) for e in effects(project, gone, ramp.id)} == {
        ("amber_hour", ASIDE),
        ("last_light", ASIDE),
    }
    assert any("its value of Spread" in n.text for n in check_project(gone) if n.kind == "orphan")
    there = gone.materials["height_ramp"]
    node_id = next(i for i, n in there.nodes.items() if n.type == "number" and n.name == "Spread")
    again, parameter_id = parameters.expose(there, node_id, "value")
    back = put_material(gone, again)
    assert parameter_id == "spread" and look(back, "last_light").values["spread"] == 3.5  # type: ignore[union-attr]
    assert {e.kind for e in effects(gone, back, ramp.id)} == {BACK}
    tuned = override(override(project, "pool_depths", "spread", 6.0), "amber_hour", "spread", 7.0)  # one new, one other
    assert {(e.instance, e.kind, e.words) for e in effects(project, tuned, ramp.id)} == {
        ("pool_depths", LOOKS, "it gets another Spread"),
        ("amber_hour", LOOKS, "it gets another Spread"),
    }


def test_another_kind_converts_what_it_can_and_keeps_the_rest_aside(project: Project) -> None:
    ramp = project.materials["height_ramp"]
    spread, high = ramp.parameter("spread"), ramp.parameter("high_colour")
    assert spread and high
    wide = with_parameter(project, ramp.id, changed(spread, kind=Kind.VECTOR3, low=None, high=None, control="field"))
    assert wide.instances["amber_hour"].values["spread"] == (5.0, 5.0, 5.0)
    assert {e.kind for e in effects(project, wide, ramp.id)} >= {CONVERTED}
    tinted = override(project, "amber_hour", "high_colour", (0.2, 0.4, 0.6, 0.5))
    there = with_parameter(tinted, ramp.id, changed(high, kind=Kind.VECTOR3))
    assert there.instances["amber_hour"].values["high_colour"] == (0.2, 0.4, 0.6, 0.5)  # its alpha would be lost
    assert look(there, "amber_hour").values.get("high_colour") is None  # type: ignore[union-attr]
    opaque = with_parameter(project, ramp.id, changed(high, kind=Kind.VECTOR3))
    assert opaque.instances["amber_hour"].values["high_colour"] == colour_from_hex("#f0b25a")[:3]
    with pytest.raises(BadEdit, match="without loss"):
        with_parameter(project, ramp.id, changed(high, kind=Kind.NUMBER))


# Values to try


def test_a_sweep_runs_as_its_slider_does() -> None:
    plain = parameter(low=0.0, high=8.0, control="slider")
    assert sweep(plain, 1.0, 5) == [0.0, 2.0, 4.0, 6.0, 8.0]
    assert sweep(changed(plain, low=0.5, scale="log"), 1.0, 5) == pytest.approx([0.5, 1.0, 2.0, 4.0, 8.0])
    assert sweep(changed(plain, choices=("a", "b", "c"), high=2.0), 1.0, 7) == [0.0, 1.0, 2.0]
    assert sweep(changed(plain, use="whole"), 1.0, 9) == [float(n) for n in range(9)]
    hues = sweep(parameter(kind=Kind.COLOUR, default=(0.3, 0.1, 0.1, 1.0)), (0.3, 0.1, 0.1, 1.0), 6)
    turned = [oklch_from_linear(components(each)[:3]) for each in hues]
    assert max(t[0] for t in turned) - min(t[0] for t in turned) < 0.02
    with pytest.raises(BadValue, match="2 to 9"):
        sweep(plain, 1.0, 12)


def test_variations_are_the_same_for_the_same_seed_and_independent_of_one_another(project: Project) -> None:
    rough = Spread("roughness", "uniform", 0.2, 0.6)
    alone = variations(project, "copper", [rough], 40, 7)
    both = variations(project, "copper", [Spread("patina_amount", "normal", 0.0, 1.0), rough], 40, 7)
    assert [each["roughness"] for each in alone] == [each["roughness"] for each in both]
    assert alone != variations(project, "copper", [rough], 40, 8)
    found = np.array([each["roughness"] for each in alone])
    assert found.min() >= 0.2 and found.max() <= 0.6 and found.std() == pytest.approx(0.4 / math.sqrt(12), rel=0.25)
    normal = np.array([each["patina_amount"] for each in variations(project, "copper", [
        Spread("patina_amount", "normal", 0.0, 1.0)], 256, 1)])  # fmt: skip
    assert normal.mean() == pytest.approx(0.5, abs=0.05) and normal.std() == pytest.approx(0.25, rel=0.15)
    listed = variations(project, "copper", [Spread("finish", "list", values=(0.0, 1.0))], 40, 3)
    assert {each["finish"] for each in listed} == {0.0, 1.0}
    after, made = kept_variations(project, "copper", "Copper", [alone[0], alone[5]])
    assert [i.name for i in made] == ["Copper 2", "Copper 3"] and len(after.instances) == len(project.instances) + 2


def test_a_pick_gives_each_object_one_of_its_looks_and_stays_by_it(project: Project) -> None:
    pick = project.picks["any_glow"]
    things = [StageObject(id=f"o{n}", name="o", asset="a", wears={"": pick.id}) for n in range(600)]
    got = [worn(project, thing, "cap") for thing in things]
    counts = [got.count(each) for each in pick.looks]
    assert sum(counts) == 600 and min(counts) > 60 and max(counts) < 145  # about 100 each, by chance
    assert got == [worn(project, thing) for thing in things]
    assert got != [picked(changed(pick, seed=5), thing.id) for thing in things]
    assert "cool_mint" not in remove_instance(project, "cool_mint").picks["any_glow"].looks
    with pytest.raises(BadEdit, match="gone"):
        put_pick(project, Pick(id="x", name="X", looks=("nothing",)))


def test_weights_say_how_often_and_an_even_spread_keeps_to_them_exactly(project: Project) -> None:
    looks = project.picks["any_glow"].looks[:3]
    weighed = Pick(id="w", name="W", looks=looks, weights=(3.0, 1.0, 0.0))
    got = [picked(weighed, f"o{n}") for n in range(2000)]
    deviation = math.sqrt(2000 * 0.75 * 0.25)  # of a binomial distribution
    assert abs(got.count(looks[0]) - 1500) < 4 * deviation and got.count(looks[2]) == 0
    things = tuple(StageObject(id=f"o{n}", name="o", asset="a", wears={"cap": "w"}) for n in range(10))
    there = with_records(project, Scene(id="row", name="Row", objects=things))
    even = put_pick(there, changed(weighed, even=True))
    dressed = [worn(even, thing, "cap") for thing in things]
    assert [dressed.count(look_id) for look_id in looks] == [8, 2, 0]  # of 7.5, 2.5 and 0
    other = [worn(put_pick(there, changed(weighed, even=True, seed=9)), thing, "cap") for thing in things]
    assert sorted(other) == sorted(dressed) and other != dressed
    empty = Pick(id="w", name="E", even=True)
    assert picked(empty, "o") == "" and worn(put_pick(there, empty), things[0], "cap") == ""
    with pytest.raises(BadValue, match="0 or more"):
        with_weight(weighed, 0, -1.0)
    assert without_look(weighed, 0).weights == (1.0, 0.0)
    assert with_looks(weighed, [looks[0], "new"]).looks == (*looks, "new")


# Colours and numbers, against the outside


@pytest.mark.parametrize(
    ("css", "lch"),
    [
        # Sample values of the CSS Color 4 test suite (web-platform-tests, css-color oklch-001 and on), from memory.
        ("#008000", (0.51975, 0.17686, 142.495)),
        ("#000000", (0.0, 0.0, 0.0)),
        ("#ffffff", (1.0, 0.0, 0.0)),
        ("#ff0000", (0.62796, 0.25768, 29.234)),
    ],
)
def test_oklch_is_that_of_css_color_4(css: str, lch: tuple[float, float, float]) -> None:
    assert oklch_from_linear(colour_from_hex(css)[:3]) == pytest.approx(lch, abs=2e-3)


@given(SCREEN, SCREEN, SCREEN)
def test_oklch_and_hsv_are_those_of_colour_science_and_come_back(red: float, green: float, blue: float) -> None:
    linear = [srgb_to_linear(part) for part in (red, green, blue)]
    lightness, chroma, hue = oklch_from_linear(linear)
    lab = colour.XYZ_to_Oklab(colour.RGB_to_XYZ(linear, "sRGB", apply_cctf_decoding=False))
    turned = math.radians(hue)
    assert (lightness, chroma * math.cos(turned), chroma * math.sin(turned)) == pytest.approx(tuple(lab), abs=4e-4)
    assert linear_from_oklch((lightness, chroma, hue)) == pytest.approx(linear, abs=1e-5)
    hsv = hsv_of((red, green, blue))
    assert (hsv[0] / 360 % 1.0, *hsv[1:]) == pytest.approx(colorsys.rgb_to_hsv(red, green, blue), abs=1e-6)
    assert rgb_of_hsv(hsv) == pytest.approx((red, green, blue), abs=2e-4)


def test_chroma_comes_down_into_what_a_screen_shows_and_no_further() -> None:
    lightness, chroma, hue = in_gamut((0.7, 0.4, 140.0))
    assert (lightness, hue) == (0.7, 140.0) and 0.1 < chroma < 0.4
    assert all(-2e-4 <= part <= 1.0002 for part in linear_from_oklch((lightness, chroma, hue)))
    beyond = linear_from_oklch((lightness, chroma + 0.01, hue))
    assert min(beyond) < -1e-4 or max(beyond) > 1.0001


@pytest.mark.parametrize(
    ("text", "number"),
    [("1/3", 1 / 3), ("* 2", 6.0), ("/2", 1.5), ("+ 1.5", 4.5), ("x*x - 1", 8.0), ("−2", -2.0), ("2,5", 2.5),
     ("sqrt(2) * pi", math.sqrt(2) * math.pi), ("mix(0, 8, 0.25)", 2.0)],
)  # fmt: skip
def test_a_field_takes_arithmetic(text: str, number: float) -> None:
    assert number_of(text, 3.0) == pytest.approx(number)


@pytest.mark.parametrize("text", ["", "abc", "1/0", "vec2(1, 2)", "1 +", "log(0-1)", "__import__('os')"])
def test_what_is_no_number_is_refused(text: str) -> None:
    with pytest.raises(BadValue):
        number_of(text, 3.0)


def test_gradients_and_palettes_are_values_that_a_graph_reads() -> None:
    stops = (Stop(at=0.0, colour=(0.0, 0.0, 0.0, 1.0)), Stop(at=0.5, colour=(1.0, 0.0, 0.0, 0.0)))
    red = Gradient(id="red", name="Red", stops=stops, mixing="linear")
    assert colours_at(red, [0.0, 0.25, 0.5, 1.0]) == pytest.approx(
        np.array([[0, 0, 0, 1], [0.5, 0, 0, 0.5], [1, 0, 0, 0], [1, 0, 0, 0]])
    )
    grey = Gradient(id="g", name="G", stops=(stops[0], Stop(at=1.0, colour=(1.0, 1.0, 1.0, 1.0))))
    assert colours_at(grey, [0.5])[0, :3] == pytest.approx([0.125] * 3, abs=1e-4)  # OKLab lightness 0.5 is 0.5³
    eight = Palette(id="p", name="P", colours=tuple((n / 8, 0.0, 0.0, 1.0) for n in range(10)))
    assert side_of(eight) == 4 and image_of_palette(eight).texels[1, 3, 0] == np.float32(7 / 8)
    m = Authoring("Ramped")
    ramp = m.expose("Ramp", "red", kind=Kind.GRADIENT)
    m.add("surface", base_colour=m.add("gradient_lookup", gradient=ramp, at=0.25))
    project = m.into_project(Project(name="t", gradients={"red": red, "g": grey}))
    assert not [n for n in check_project(project) if n.kind == "missing-texture"]
    assert set(load_images(project, None)[0]) == {"red", "g"}
    assert lower(project.materials["ramped"]).uniforms["parameter:ramp"].kind is Kind.GRADIENT


def test_resetting_several_values_leaves_the_others(project: Project) -> None:
    after = reset(project, "last_light", "origin", "spread")
    assert set(after.instances["last_light"].values) == {"low_colour", "roughness"}


def test_a_part_is_undressed_to_plain_grey_and_dressed_like_its_object_again() -> None:
    thing = StageObject(id="kettle", name="Kettle", asset="kettle", wears={"": "copper", "lid": "brass"})
    scene, project = Scene(id="tea", name="Tea", objects=(thing,)), Project(name="P")

    def lid(scene: Scene) -> str:
        return worn(project, scene.objects[0], "lid")

    bare = with_worn(scene, "kettle", "lid", "")
    assert (lid(scene), lid(bare), worn(project, bare.objects[0], "spout")) == ("brass", "", "copper")
    assert lid(with_worn(bare, "kettle", "lid", LIKE_THE_OBJECT)) == "copper"
    assert with_worn(scene, "kettle", "", "").objects[0].wears == {"lid": "brass"}


def test_copies_are_numbered_on() -> None:
    names = ["Mushroom", "Mushroom 5", "Moth"]
    things = tuple(StageObject(id=name, name=name, asset="a") for name in names)
    scene = in_row(Scene(id="s", name="S", objects=things), ["Mushroom 5"], ["new"], (1.0, 0.0, 0.0))
    after = in_row(scene, ["Moth"], ["other"], (1.0, 0.0, 0.0))
    assert [o.name for o in after.objects][-2:] == ["Mushroom 6", "Moth 2"]


def test_a_whole_look_is_turned_in_oklch_for_it_and_all_below_it(project: Project) -> None:
    """By a rotation in OKLCH (CSS Color 4): lightness and chroma stay, the hue turns; alpha is left alone."""
    turned = edited_instance(project, "amber_hour", lambda i: changed(i, hue=90.0))
    for look_id in ("amber_hour", "last_light"):
        before, after = look(project, look_id), look(turned, look_id)
        assert before and after and before.values == after.values  # what is tuned stays as it was
        for parameter in (p for p in before.material.parameters if p.kind is Kind.COLOUR):
            colour = before.values.get(parameter.id, parameter.default)
            was, now = (oklch_from_linear(c[:3]) for c in (colour, after.shown[parameter.id]))  # type: ignore[index]
            assert now[0] == pytest.approx(was[0], abs=2e-3)
            assert (now[2] - was[2]) % 360 == pytest.approx(90.0, abs=0.5) or was[1] < 0.02
            assert after.shown[parameter.id][3] == colour[3]  # type: ignore[index]
    assert look(turned, "amber_hour").shown.keys() >= look(project, "amber_hour").values.keys()  # type: ignore[union-attr]


def test_layers_add_up_down_the_family_and_full_loss_of_saturation_is_grey(project: Project) -> None:
    project = edited_instance(project, "amber_hour", lambda i: changed(i, hue=300.0, saturation=0.5, brightness=0.2))
    project = edited_instance(project, "last_light", lambda i: changed(i, hue=100.0, saturation=-0.5))
    found = look(project, "last_light")
    assert found and found.shade == pytest.approx((40.0, 1.5 * 0.5 - 1, 0.2))
    grey = shaded((0.8, 0.2, 0.1, 0.5), Shade(saturation=-1.0))
    assert grey[:2] == pytest.approx(grey[1:3], abs=1e-6) and grey[3] == 0.5
    assert oklch_from_linear(grey[:3])[0] == pytest.approx(oklch_from_linear((0.8, 0.2, 0.1))[0], abs=1e-4)
    vivid = shaded((0.9, 0.1, 0.1, 1.0), Shade(saturation=3.0))
    bright = shaded((4.0, 1.0, 1.0, 1.0), Shade(brightness=0.5), hdr=True)
    assert all(0.0 <= part <= 1.0 for part in vivid) and bright[0] > 4.0


@pytest.mark.parametrize("wrong", [float("nan"), float("inf"), -50.0, 1e30])
def test_a_layer_that_a_file_overdoes_still_gives_colours(wrong: float) -> None:
    instance = Instance(id="i", name="I", parent="m", hue=wrong, saturation=wrong, brightness=wrong)
    shown = shaded((0.5, 0.25, 0.1, 1.0), combined([instance]))
    assert all(0.0 <= part <= 1.0 for part in shown)
