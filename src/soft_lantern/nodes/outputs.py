"""Nodes that end a graph: what the surface is made of."""

from __future__ import annotations

from typing import NamedTuple

from soft_lantern.ir.expr import Expr
from soft_lantern.nodes.definition import Colour, Mask, node


class Surface(NamedTuple):
    """The inputs of the glTF 2.0 metallic-roughness surface: two vec3 (linear), three floats."""

    base_colour: Expr
    metallic: Expr
    roughness: Expr
    emissive: Expr
    alpha: Expr


@node("Surface", family="outputs", also=("output", "material", "result", "pbr"))
def surface(
    base_colour: Colour = (0.8, 0.8, 0.8, 1.0),
    metallic: Mask = 0.0,
    roughness: Mask = 0.5,
    emissive: Colour = (0.0, 0.0, 0.0, 1.0),
    alpha: Mask = 1.0,
) -> Surface:
    """What the surface is made of, as in the glTF 2.0 metallic-roughness model (specification, appendix B).

    The surface's alpha is base colour's alpha times alpha.
    """
    return Surface(base_colour.xyz, metallic, roughness, emissive.xyz, base_colour.w * alpha)
