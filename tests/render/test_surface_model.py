"""Light on surfaces, checked against published values and integrals."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import View
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, uniform
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.render import surface_model
from soft_lantern.scene.transforms import FIELD_OF_VIEW, camera_for
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, linear_to_srgb, srgb_to_linear

COSINE, ALPHA = uniform("cosine", Type.FLOAT), uniform("alpha", Type.FLOAT)
COLOUR, DIRECTION, LIGHT = (uniform(n, Type.VEC3) for n in ("colour", "direction", "light"))
UP = const(0, 1, 0)


def value(expr: Expr, **leaves: object) -> np.ndarray:
    """The expression's value in double precision."""
    shaped = {n: np.atleast_1d(np.asarray(v, float)) for n, v in leaves.items()}
    columns = {n: v[:, None] if v.ndim == 1 and n in ("colour", "direction", "light") else v for n, v in shaped.items()}
    return evaluate([expr], columns, np.float64)[expr]


@given(st.floats(0, 1))
def test_srgb_transfer_agrees_with_an_independent_library(x: float) -> None:
    """IEC 61966-2-1, as colour-science computes it; where its two pieces join, the standard leaves a gap of 3e-9."""
    assert srgb_to_linear(x) == pytest.approx(float(colour.models.eotf_sRGB(x)), abs=1e-8)
    assert linear_to_srgb(srgb_to_linear(x)) == pytest.approx(x, abs=1e-6)


def test_encoding_in_shaders_is_the_same_curve() -> None:
    greys = np.linspace(0, 1, 101)
    encoded = value(surface_model.srgb_encoded(COLOUR), colour=np.stack([greys] * 3))
    assert encoded[0] == pytest.approx([linear_to_srgb(g) for g in greys], abs=1e-7)


def test_hex_colours_read_and_write() -> None:
    for text in ("#000000", "#f2b75c", "#12345678", "#ffffff"):
        assert colour_to_hex(colour_from_hex(text)) == text
    assert colour_from_hex("#0f8") == colour_from_hex("#00ff88")  # CSS Color 4, section 5.2
    with pytest.raises(BadValue):
        colour_from_hex("#12345")


def test_schlick_is_f0_head_on_and_one_at_grazing() -> None:
    """Schlick (1994), the two ends of the approximation."""
    f0 = const(0.04, 0.5, 0.95)
    assert value(surface_model.schlick(f0, COSINE), cosine=1.0)[:, 0] == pytest.approx([0.04, 0.5, 0.95])
    assert value(surface_model.schlick(f0, COSINE), cosine=0.0)[:, 0] == pytest.approx([1, 1, 1])


@pytest.mark.parametrize("alpha", [0.1, 0.3, 0.7, 1.0])
def test_ggx_projects_to_one(alpha: float) -> None:
    """Walter et al. (2007), equation 4: the integral of D(m)·(n·m) over the hemisphere is 1."""
    cosine = (np.arange(400_000) + 0.5) / 400_000
    density = value(surface_model.ggx(ALPHA, COSINE), cosine=cosine, alpha=alpha)
    assert 2 * np.pi * np.mean(density * cosine) == pytest.approx(1, abs=2e-3)


@pytest.mark.parametrize("roughness", [0.3, 0.6, 1.0])
def test_no_surface_gives_back_more_light_than_it_gets(roughness: float) -> None:
    """White furnace: a white dielectric under an even sky reflects at most all of it, and most of it when rough."""
    random = np.random.default_rng(3)
    cosine = random.uniform(0, 1, 60_000)
    turn = random.uniform(0, 2 * np.pi, len(cosine))
    sine = np.sqrt(1 - cosine**2)
    light = np.stack([sine * np.cos(turn), cosine, sine * np.sin(turn)])
    view = f.normalize(const(0.4, 0.8, 0.1))
    expr = surface_model.brdf(const(1, 1, 1), const(0.04, 0.04, 0.04), const(roughness), UP, view, LIGHT)
    reflected = 2 * np.pi * np.mean(value(expr, light=light)[0] * cosine)
    assert 0.85 < reflected < 1.01


def test_the_neutral_tone_map_keeps_base_colours_and_holds_highlights() -> None:
    """Khronos PBR Neutral, by its own text: below 0.76 it only takes off the Fresnel offset of up to 0.04
    (x − 6.25x² below 0.08), and what is brighter never reaches 1 (values worked by hand from the formula)."""
    mapped = value(
        surface_model.neutral_tone_map(COLOUR), colour=np.array([[0.5, 0.04, 20.0], [0.3, 0.04, 2.0], [0.2, 0.04, 1.0]])
    )
    assert mapped[:, 0] == pytest.approx([0.46, 0.26, 0.16])
    assert mapped[:, 1] == pytest.approx([0.01, 0.01, 0.01])
    peak = 20.0 - 0.04
    new_peak = 1 - 0.24**2 / (peak + 0.24 - 0.76)
    grey = 1 - 1 / (0.15 * (peak - new_peak) + 1)
    assert mapped[0, 2] == pytest.approx(new_peak)
    assert mapped[2, 2] == pytest.approx((1.0 - 0.04) * new_peak / peak * (1 - grey) + new_peak * grey)
    assert (mapped < 1).all()


def test_the_camera_sees_what_the_view_says() -> None:
    """By hand: an upright field of view of 36° at distance d shows 2·d·tan 18° of height."""
    camera = camera_for(View(target=(1, 2, 3), yaw=0, pitch=0, distance=5), (300, 200))
    top = np.array([1, 2 + 5 * np.tan(np.radians(FIELD_OF_VIEW / 2)), 3])
    pixels = camera.project(np.array([[1, 2, 3], top]), (300, 200))
    assert pixels[0] == pytest.approx([150, 100, 5])
    assert pixels[1, :2] == pytest.approx([150, 0], abs=1e-6)
    start, direction = camera.ray((150, 0), (300, 200))
    assert np.cross(direction, top - start) == pytest.approx([0, 0, 0], abs=1e-6)


def test_rows_spread_what_is_the_same_everywhere() -> None:
    assert as_rows(np.array([2.0]), 3).tolist() == [[2.0], [2.0], [2.0]]
