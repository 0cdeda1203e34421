"""How a surface answers light, written once over ir values and read by both renderers.

Sources: the glTF 2.0 specification, appendix B (metallic-roughness BRDF); Walter et al., "Microfacet Models for
Refraction" (2007) for GGX; Schlick (1994); Khronos PBR Neutral Tone Mapper; IEC 61966-2-1. Linear light throughout.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping
from math import pi

from soft_lantern.bake.light import harmonics
from soft_lantern.ir import functions as f
from soft_lantern.ir.directions import octahedral_uv, panorama_uv
from soft_lantern.ir.expr import Expr, Type, const, input_, join, swizzle, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.surface_inputs import CARRIED
from soft_lantern.render import shadow

SCATTERED_BANDS, SCATTERED_SIZE = 8, 256
"""Octahedral maps of a sky for evenly spaced roughnesses (one more is for diffuse surfaces), and texels across each."""

DISPLAYED = uniform("stage:picture", Type.VEC4)
"""A pixel of the finished linear picture, as the display pass reads it."""


def lit(surface: Mapping[str, Expr], *, shadowed: bool = False, baked: bool = False) -> Expr:
    """Linear RGBA of a surface under the sun and the sky, in the sun's shadow map if `shadowed`.

    `baked`: and in the light that was baked for it, as far as its diffuse share answers that.
    """
    normal = surface["normal"]
    view = f.normalize(surface_input("camera_position") - surface_input("position_world"))
    base, metallic = surface["base_colour"], f.saturate(surface["metallic"])
    roughness = f.clamp(surface["roughness"], 0.04, 1.0)
    diffuse_colour = f.mix(base, const(0, 0, 0), metallic)
    f0, f90 = reflectance(base, metallic, surface["specular"], surface["specular_colour"])
    to_sun, facing_sun = SUN_DIRECTION, f.saturate(f.dot(normal, SUN_DIRECTION))
    from_sun = brdf(diffuse_colour, f0, roughness, normal, view, to_sun, f90)
    sun = from_sun * (SUN_LIGHT * (pi * facing_sun))
    if shadowed:
        sun = sun * shadow.sunlit_share(SUN_DIRECTION)
    held = baked_light(normal) if baked else None
    sky_light = from_sky(diffuse_colour, f0, f90, roughness, normal, view, held) * surface["occlusion"]
    return join(sun + sky_light + surface["emissive"], surface["alpha"])


def reflectance(base: Expr, metallic: Expr, specular: Expr, specular_colour: Expr) -> tuple[Expr, Expr]:
    """Reflectance head on and at grazing: of glass with KHR_materials_specular, or of metal with its base colour."""
    weight = f.saturate(specular)
    dielectric = f.min_(specular_colour * 0.04, 1.0) * weight
    return f.mix(dielectric, base, metallic), f.mix(weight, const(1.0), metallic)


def brdf(
    diffuse_colour: Expr,
    f0: Expr,
    roughness: Expr,
    normal: Expr,
    view: Expr,
    light: Expr,
    f90: Expr | float = 1.0,
) -> Expr:
    """The glTF 2.0 BRDF (appendix B.3): Fresnel mix of Lambert and GGX with Smith's height-correlated term.

    The diffuse share is what the strongest mirrored channel leaves, as in KHR_materials_specular.
    """
    half = f.normalize(light + view)
    fresnel = schlick(f0, f.saturate(f.dot(view, half)), f90)
    alpha = roughness * roughness
    specular = fresnel * (smith_visibility(alpha, normal, view, light) * ggx(alpha, f.saturate(f.dot(normal, half))))
    strongest = f.max_(f.max_(fresnel.x, fresnel.y), fresnel.z)
    return (1.0 - strongest) * (diffuse_colour * (1 / pi)) + specular


def schlick(f0: Expr, cosine: Expr, f90: Expr | float = 1.0) -> Expr:
    """Fresnel reflectance by Schlick's approximation: f0 + (f90 − f0)(1 − cos θ)⁵."""
    away = 1.0 - cosine
    squared = away * away
    return f0 + (f90 - f0) * (squared * squared * away)


def ggx(alpha: Expr, cosine: Expr) -> Expr:
    """The GGX normal distribution D for roughness alpha at an angle to the normal of that cosine."""
    squared = alpha * alpha
    spread = cosine * cosine * (squared - 1.0) + 1.0
    return squared / (pi * (spread * spread))


def smith_visibility(alpha: Expr, normal: Expr, view: Expr, light: Expr) -> Expr:
    """Smith's height-correlated masking and shadowing over 4·(n·l)·(n·v)."""
    n_l = f.max_(f.dot(normal, light), 1e-4)
    n_v = f.max_(f.abs_(f.dot(normal, view)), 1e-4)
    return smith(alpha, n_l, n_v)


def smith(alpha: Expr, n_l: Expr, n_v: Expr) -> Expr:
    """The same from the cosines of the light and of the view to the normal."""
    squared = alpha * alpha
    toward_light = n_v * f.sqrt(n_l * n_l * (1.0 - squared) + squared)
    toward_view = n_l * f.sqrt(n_v * n_v * (1.0 - squared) + squared)
    return 0.5 / (toward_light + toward_view)


def sky_radiance(direction: Expr) -> Expr:
    """What the sky shows in a unit direction, exposure included."""
    return f.texture(_SKY, panorama_uv(_turned_back(direction))).xyz * _SKY_GAIN


def sky_irradiance(normal: Expr) -> Expr:
    """The sky's irradiance on a surface that faces a direction, over pi."""
    return _scattered(_turned_back(normal), const(float(SCATTERED_BANDS))) * _SKY_GAIN


def from_sky(
    diffuse_colour: Expr,
    f0: Expr,
    f90: Expr,
    roughness: Expr,
    normal: Expr,
    view: Expr,
    baked: Expr | None = None,
) -> Expr:
    """Radiance that a surface sends to the viewer under the sky alone, and under baked light where there is some.

    Mirrored light by the split sum; the diffuse share is what the strongest mirrored channel leaves, as in `brdf`.
    """
    mirrored = _turned_back(f.reflect(-view, normal))
    level = roughness * (SCATTERED_BANDS - 1)
    lower = f.floor(f.min_(level, SCATTERED_BANDS - 1.001))
    radiance = f.mix(_scattered(mirrored, lower), _scattered(mirrored, lower + 1.0), level - lower) * _SKY_GAIN
    table = f.texture(_SPLIT_SUM, join(f.saturate(f.dot(normal, view)), roughness))
    response = f0 * table.x + f90 * table.y
    strongest = f.max_(f.max_(response.x, response.y), response.z)
    diffuse = sky_irradiance(normal) if baked is None else sky_irradiance(normal) * _OWN_SKY + baked
    return (1.0 - strongest) * (diffuse_colour * diffuse) + radiance * response


def baked_light(normal: Expr) -> Expr:
    """The irradiance of baked light over pi: from the item's light map, and from the light round it."""
    mapped = f.texture(LIGHT_MAP, input_("light_uv", CARRIED["light_uv"])).xyz
    x, y, z = normal.x, normal.y, normal.z
    functions = (
        *(const(harmonics.FLAT), harmonics.STRAIGHT * y, harmonics.STRAIGHT * z, harmonics.STRAIGHT * x),
        *(harmonics.PRODUCT * (x * y), harmonics.PRODUCT * (y * z), harmonics.POLAR * (3.0 * (z * z) - 1.0)),
        *(harmonics.PRODUCT * (x * z), harmonics.SQUARE * (x * x - y * y)),
    )
    around = AROUND[0] * (functions[0] * harmonics.ANSWERED[0])
    for held, function, share in zip(AROUND[1:], functions[1:], harmonics.ANSWERED[1:], strict=True):
        around = around + held * (function * share)
    return mapped + f.max_(around, 0.0)


SUN_DIRECTION, SUN_LIGHT = uniform("stage:sun_direction", Type.VEC3), uniform("stage:sun_light", Type.VEC3)
"""The unit direction toward the sun, and its irradiance on a surface that faces it, over pi."""
_SKY, _SPLIT_SUM, _SCATTERED = (uniform(f"stage:{n}", Type.SAMPLER) for n in ("sky", "split_sum", "scattered"))
LIGHT_MAP = uniform("stage:light_map", Type.SAMPLER)
"""What was baked for an item: the radiance of a white diffuse surface there."""
AROUND = tuple(uniform(f"stage:around_{n}", Type.VEC3) for n in range(harmonics.COUNT))
"""What was baked of the light all round an item, as `bake.light.harmonics` has it."""
_OWN_SKY = uniform("stage:own_sky", Type.FLOAT)
"""1 where the sky lights an item as it lights all; 0 where its light was baked."""
_SKY_GAIN, _SKY_TURN = uniform("stage:sky_gain", Type.FLOAT), uniform("stage:sky_turn", Type.VEC2)


def _turned_back(direction: Expr) -> Expr:
    """A direction of the world among those of a sky that is turned about Y."""
    cosine, sine = _SKY_TURN.x, _SKY_TURN.y
    return join(direction.x * cosine - direction.z * sine, direction.y, direction.x * sine + direction.z * cosine)


def _scattered(direction: Expr, band: Expr) -> Expr:
    """The sky in a direction after scattering of one band; each band's map has a border of one texel."""
    place = octahedral_uv(direction) * (SCATTERED_SIZE - 2) + 1.0
    rows = SCATTERED_SIZE * (SCATTERED_BANDS + 1)
    return f.texture(_SCATTERED, join(place.x / SCATTERED_SIZE, (place.y + band * SCATTERED_SIZE) / rows)).xyz


def neutral_tone_map(colour: Expr) -> Expr:
    """The Khronos PBR Neutral tone map: base colours stay as they are, only highlights are compressed."""
    start, desaturation = 0.8 - 0.04, 0.15
    lowest = f.min_(f.min_(colour.x, colour.y), colour.z)
    offset = f.select(lowest < 0.08, lowest - 6.25 * lowest * lowest, 0.04)
    shifted = colour - offset
    peak = f.max_(f.max_(shifted.x, shifted.y), shifted.z)
    room = 1.0 - start
    new_peak = 1.0 - room * room / (f.max_(peak, start) + room - start)
    compressed = shifted * (new_peak / f.max_(peak, start))
    grey = 1.0 - 1.0 / (desaturation * (peak - new_peak) + 1.0)
    bright = f.mix(compressed, f.splat(new_peak, 3), grey)
    return f.select(peak < start, shifted, bright)


def srgb_encoded(colour: Expr) -> Expr:
    """sRGB components in 0–1 of linear RGB, held to 0–1 (IEC 61966-2-1)."""
    parts = []
    for letter in "xyz":
        x = f.saturate(swizzle(colour, letter))
        parts.append(f.select(x <= 0.0031308, x * 12.92, 1.055 * f.power(x, 1 / 2.4) - 0.055))
    return join(*parts)


@functools.cache
def displayed(tone_map: bool) -> Expr:
    """What the screen gets for a pixel of the linear picture: tone mapped or as it is, then encoded, alpha kept."""
    colour = DISPLAYED.xyz
    return join(srgb_encoded(neutral_tone_map(colour) if tone_map else colour), DISPLAYED.w)
