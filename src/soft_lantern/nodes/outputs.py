"""Nodes that end a graph: what the surface is made of, and how its vertices move."""

from __future__ import annotations

from typing import Literal, NamedTuple

from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import Expr, const
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Amount, Colour, Direction, Mask, Metres3, Role, Words, node

AlphaMode = Literal["opaque", "mask", "blend"]
Switch = Literal["no", "yes"]


class Surface(NamedTuple):
    """The inputs of the glTF 2.0 metallic-roughness surface: vec3 are linear colours or directions, the rest floats."""

    base_colour: Expr
    metallic: Expr
    roughness: Expr
    normal: Expr
    occlusion: Expr
    emissive: Expr
    alpha: Expr
    alpha_cutoff: Expr
    specular: Expr
    specular_colour: Expr


@node(
    "Surface",
    family="outputs",
    also=("output", "material", "result", "pbr"),
    source="glTF 2.0, appendix B",
    role=Role.SURFACE,
)
def surface(
    base_colour: Colour = (0.8, 0.8, 0.8, 1.0),
    metallic: Mask = 0.0,
    roughness: Mask = 0.5,
    normal: Direction = surface_input("normal_world"),
    occlusion: Mask = 1.0,
    emissive: Colour = (0.0, 0.0, 0.0, 1.0),
    emissive_strength: Amount = 1.0,
    alpha: Mask = 1.0,
    alpha_cutoff: Mask = 0.5,
    specular: Mask = 1.0,
    specular_colour: Colour = (1.0, 1.0, 1.0, 1.0),
    *,
    alpha_mode: AlphaMode = "opaque",
    double_sided: Switch = "no",
    casts_shadow: Literal["yes", "no"] = "yes",
    receives_shadow: Literal["yes", "no"] = "yes",
    hidden_in: Words = "",
) -> Surface:
    """What the surface is made of, as in the glTF 2.0 metallic-roughness model with specular and emissive strength.

    alpha = base_colour.a * alpha, emissive = emissive * emissive_strength

    The normal is in world space; while nothing is wired it is the mesh's own. Alpha counts in the modes mask and blend.
    Single-sided surfaces are not seen from behind. Blended ones cast no shadow. Hidden in: the ids of cut-outs, with
    commas between, inside whose volumes nothing of the surface shows.
    """
    return Surface(
        base_colour.xyz,
        metallic,
        roughness,
        normal,
        occlusion,
        emissive.xyz * emissive_strength,
        base_colour.w * alpha,
        alpha_cutoff,
        specular,
        specular_colour.xyz,
    )


@node(
    "Unlit surface",
    family="outputs",
    also=("output", "flat", "sprite", "constant"),
    source="KHR_materials_unlit",
    role=Role.SURFACE,
    unlit=True,
)
def unlit_surface(
    colour: Colour = (0.8, 0.8, 0.8, 1.0),
    alpha: Mask = 1.0,
    alpha_cutoff: Mask = 0.5,
    *,
    alpha_mode: AlphaMode = "opaque",
    double_sided: Switch = "no",
    casts_shadow: Literal["yes", "no"] = "yes",
    hidden_in: Words = "",
) -> Surface:
    """A surface that shows its colour and answers no light, as sprites and glows do.

    alpha = colour.a * alpha
    """
    black = const(0.0, 0.0, 0.0)
    return Surface(
        colour.xyz,
        const(0.0),
        const(1.0),
        surface_input("normal_world"),
        const(1.0),
        black,
        colour.w * alpha,
        alpha_cutoff,
        const(0.0),
        black,
    )


class VertexOffset(NamedTuple):
    """How far a vertex moves, in metres of world space."""

    offset: Expr


@node(
    "Vertex offset", family="outputs", also=("displacement", "displace", "wind", "wobble", "deform"), role=Role.OFFSET
)
def vertex_offset(offset: Metres3 = (0.0, 0.0, 0.0), *, space: Literal["object", "world"] = "object") -> VertexOffset:
    """Moves every vertex; shading normals follow the moved surface, by differentiation of the offset.

    position = position + offset
    """
    return VertexOffset(surface_inputs.turned(offset) if space == "object" else offset)
