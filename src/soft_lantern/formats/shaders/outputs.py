"""What a fragment shader writes, one target after another."""

from __future__ import annotations

from collections.abc import Mapping

from soft_lantern.ir.expr import Expr

OUTPUTS = (
    ("surface_light", "base colour, alpha", ("base_colour", "alpha")),
    ("surface_values", "metallic, roughness, occlusion, specular", ("metallic", "roughness", "occlusion", "specular")),
    ("surface_emission", "emissive", ("emissive",)),
    ("surface_normal", "unit normal in world space", ("normal",)),
    ("surface_specular", "specular colour", ("specular_colour",)),
)
"""Name, words, and the surface's values in it."""


def packed(surface: Mapping[str, Expr], parts: tuple[str, ...]) -> str:
    """The text of a vector of four with some of a surface's values in it, filled up with 0, and 1 at its end."""
    width = sum(surface[part].type.width for part in parts)
    filling = ["0.0"] * (3 - width) + ["1.0"] * (width < 4)
    return f"vec4({', '.join([*(f'surface.{part}' for part in parts), *filling])})"
