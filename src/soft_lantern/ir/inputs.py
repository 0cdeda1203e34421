"""What a surface point brings along: the inputs expressions may read, with their units and limits.

Lengths are metres, times seconds, colours linear; right-handed axes with Y up, as in glTF 2.0.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

from soft_lantern.ir.expr import Expr, Type, input_


@dataclass(frozen=True, slots=True)
class Input:
    """One input: its type, unit, lower and upper limit of each component, and what a lone point has by default."""

    type: Type
    unit: str
    limits: tuple[float, float]
    default: tuple[float, ...]
    words: str


INPUTS: dict[str, Input] = {
    "position_world": Input(Type.VEC3, "m", (-inf, inf), (0, 0, 0), "the point in world space"),
    "position_object": Input(Type.VEC3, "m", (-inf, inf), (0, 0, 0), "the point in its object's own space"),
    "normal_world": Input(Type.VEC3, "", (-1, 1), (0, 1, 0), "the unit surface normal in world space"),
    "uv": Input(Type.VEC2, "", (-inf, inf), (0, 0), "texture coordinates, set 0"),
    "vertex_color": Input(Type.VEC4, "", (0, inf), (1, 1, 1, 1), "the mesh's own linear colour"),
    "view_distance": Input(Type.FLOAT, "m", (0, inf), (1,), "distance from the camera to the point"),
    "depth_behind": Input(Type.FLOAT, "m", (0, inf), (0,), "distance along the view ray to the opaque surface behind"),
    "camera_position": Input(Type.VEC3, "m", (-inf, inf), (0, 0, 0), "the camera in world space"),
    "pixel_place": Input(Type.VEC2, "px", (0, inf), (0.5, 0.5), "the pixel's middle, from the lower left corner"),
    "time": Input(Type.FLOAT, "s", (0, inf), (0,), "seconds since the clock started"),
}


def surface_input(name: str) -> Expr:
    """The expression that reads an input of the table above."""
    return input_(name, INPUTS[name].type)
