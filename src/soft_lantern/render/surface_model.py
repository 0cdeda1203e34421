"""How a surface answers light, written once over ir values and read by both renderers.

Sources: the glTF 2.0 specification, appendix B (metallic-roughness BRDF); Walter et al., "Microfacet Models for
Refraction" (2007) for GGX; Schlick (1994); Khronos PBR Neutral Tone Mapper; IEC 61966-2-1. Linear light throughout.
"""

from __future__ import annotations

from collections.abc import Mapping
from math import pi

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, join, swizzle, uniform
from soft_lantern.ir.inputs import surface_input

SUN_DIRECTION = (0.45, 0.75, 0.48)
"""Toward the sun; not yet of unit length."""
SUN_LIGHT = (1.35, 1.2, 1.0)
"""Irradiance of the sun on a surface that faces it, divided by pi times white."""
SKY_ABOVE = (0.42, 0.50, 0.66)
SKY_BELOW = (0.13, 0.12, 0.13)
"""Radiance straight up and straight down; between them it goes linearly with the direction's y."""

DISPLAYED = uniform("stage:picture", Type.VEC4)
"""A pixel of the finished linear picture, as the display pass reads it."""


def lit(surface: Mapping[str, Expr]) -> Expr:
    """Linear RGBA of a surface under the sun and the sky."""
    normal = surface["normal"]
    view = f.normalize(surface_input("camera_position") - surface_input("position_world"))
    base, metallic = surface["base_colour"], f.saturate(surface["metallic"])
    roughness = f.clamp(surface["roughness"], 0.04, 1.0)
    diffuse_colour = f.mix(base, const(0, 0, 0), metallic)
    f0, f90 = reflectance(base, metallic, surface["specular"], surface["specular_colour"])
    to_sun = f.normalize(const(*SUN_DIRECTION))
    from_sun = brdf(diffuse_colour, f0, roughness, normal, view, to_sun, f90)
    facing_sun = f.saturate(f.dot(normal, to_sun))
    sun = from_sun * (const(*SUN_LIGHT) * (pi * facing_sun))
    sky_light = _from_sky(diffuse_colour, f0, roughness, normal, view) * surface["occlusion"]
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
    squared = alpha * alpha
    toward_light = n_v * f.sqrt(n_l * n_l * (1.0 - squared) + squared)
    toward_view = n_l * f.sqrt(n_v * n_v * (1.0 - squared) + squared)
    return 0.5 / (toward_light + toward_view)


def sky(direction: Expr) -> Expr:
    """Radiance of the sky from a unit direction: linear in its y."""
    middle, half = _sky_parts()
    return middle + half * direction.y


def sky_irradiance(normal: Expr) -> Expr:
    """The sky's irradiance on a surface over pi: exact for a sky linear in y, middle + ⅔·half·n.y."""
    middle, half = _sky_parts()
    return middle + half * (normal.y * (2 / 3))


def _sky_parts() -> tuple[Expr, Expr]:
    middle = const(*((a + b) / 2 for a, b in zip(SKY_ABOVE, SKY_BELOW, strict=True)))
    half = const(*((a - b) / 2 for a, b in zip(SKY_ABOVE, SKY_BELOW, strict=True)))
    return middle, half


def _from_sky(diffuse_colour: Expr, f0: Expr, roughness: Expr, normal: Expr, view: Expr) -> Expr:
    """Diffuse light exactly; mirrored light by flattening the sky with roughness and a fitted Fresnel response."""
    mirrored = f.reflect(-view, normal)
    middle, half = _sky_parts()
    radiance = middle + half * (mirrored.y * (1.0 - roughness * (1 / 3)))
    return diffuse_colour * sky_irradiance(normal) + radiance * _sky_response(f0, roughness, normal, view)


def _sky_response(f0: Expr, roughness: Expr, normal: Expr, view: Expr) -> Expr:
    """Share of an even sky that GGX mirrors toward the view: Karis's analytic fit (2014) of the split-sum table."""
    n_v = f.saturate(f.dot(normal, view))
    r = roughness * const(-1, -0.0275, -0.572, 0.022) + const(1, 0.0425, 1.04, -0.04)
    bend = f.min_(r.x * r.x, f.exp2(-9.28 * n_v)) * r.x + r.y
    scale = bend * -1.04 + r.z
    offset = bend * 1.04 + r.w
    return f0 * scale + offset


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


def displayed(tone_map: bool) -> Expr:
    """What the screen gets for a pixel of the linear picture: tone mapped or as it is, then encoded, alpha kept."""
    colour = DISPLAYED.xyz
    return join(srgb_encoded(neutral_tone_map(colour) if tone_map else colour), DISPLAYED.w)
