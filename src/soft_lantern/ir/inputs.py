"""What a surface point brings along: the inputs expressions may read, with their units and limits.

Lengths are metres, times seconds, colours linear; right-handed axes with Y up, as in glTF 2.0.
"""

from __future__ import annotations

from math import inf

from msgspec import Struct

from soft_lantern.ir.expr import Expr, Type, input_, uniform


class Input(Struct, frozen=True):
    """One input: its type, unit, lower and upper limit of each component, and what a lone point has by default."""

    type: Type
    unit: str
    limits: tuple[float, float]
    default: tuple[float, ...]
    words: str


BEHIND = uniform("stage:behind", Type.SAMPLER)
"""The picture of all that hides what is behind it, linear, its first row the lowest, with smaller copies."""
BRIGHTEST = 65504.0
"""The most a pixel of it holds: the largest half-precision float."""
_EVERYWHERE = (-inf, inf)

INPUTS: dict[str, Input] = {
    "position_world": Input(Type.VEC3, "m", _EVERYWHERE, (0, 0, 0), "the point in world space"),
    "position_object": Input(Type.VEC3, "m", _EVERYWHERE, (0, 0, 0), "the point in its object's own space"),
    "normal_world": Input(Type.VEC3, "", (-1, 1), (0, 1, 0), "the unit surface normal in world space"),
    "tangent_world": Input(Type.VEC3, "", (-1, 1), (1, 0, 0), "the unit direction in which u grows, in world space"),
    "bitangent_world": Input(Type.VEC3, "", (-1, 1), (0, 0, -1), "normal × tangent, turned the way v shrinks"),
    "uv": Input(Type.VEC2, "", _EVERYWHERE, (0, 0), "texture coordinates, set 0"),
    "uv1": Input(Type.VEC2, "", _EVERYWHERE, (0, 0), "texture coordinates, set 1"),
    "vertex_color": Input(Type.VEC4, "", (0, inf), (1, 1, 1, 1), "the mesh's own linear colour"),
    "has_vertex_color": Input(Type.FLOAT, "", (0, 1), (1,), "1 where the mesh brings colours, else 0"),
    "facing": Input(Type.FLOAT, "", (-1, 1), (1,), "1 seen from outside, −1 from inside"),
    "front_facing": Input(Type.FLOAT, "", (0, 1), (1,), "1 seen from outside, 0 from inside"),
    "object_position": Input(Type.VEC3, "m", _EVERYWHERE, (0, 0, 0), "the object's origin in world space"),
    "object_x": Input(
        Type.VEC3, "", _EVERYWHERE, (1, 0, 0), "the object's x axis in world space, as long as its scale"
    ),
    "object_y": Input(
        Type.VEC3, "", _EVERYWHERE, (0, 1, 0), "the object's y axis in world space, as long as its scale"
    ),
    "object_z": Input(
        Type.VEC3, "", _EVERYWHERE, (0, 0, 1), "the object's z axis in world space, as long as its scale"
    ),
    "object_random": Input(Type.FLOAT, "", (0, 1), (0.5,), "a number that differs from object to object"),
    "bounds_low": Input(Type.VEC3, "m", _EVERYWHERE, (-1, -1, -1), "the lowest corner of the object, in its own space"),
    "bounds_high": Input(Type.VEC3, "m", _EVERYWHERE, (1, 1, 1), "the highest corner of the object, in its own space"),
    "view_distance": Input(Type.FLOAT, "m", (0, inf), (1,), "distance from the camera to the point"),
    "surface_depth": Input(Type.FLOAT, "m", (0, inf), (1,), "the point's distance along the camera's forward axis"),
    "scene_depth": Input(Type.FLOAT, "m", (0, inf), (1,), "the opaque surface's distance along the forward axis"),
    "depth_behind": Input(Type.FLOAT, "m", (0, inf), (0,), "distance along the view ray to the opaque surface behind"),
    "camera_position": Input(Type.VEC3, "m", _EVERYWHERE, (0, 0, 1), "the camera in world space"),
    "camera_right": Input(Type.VEC3, "", (-1, 1), (1, 0, 0), "the picture's right, in world space"),
    "camera_up": Input(Type.VEC3, "", (-1, 1), (0, 1, 0), "the picture's up, in world space"),
    "camera_range": Input(Type.VEC2, "m", (0, inf), (0.1, 1000), "the nearest and farthest depth the camera sees"),
    "pixel_place": Input(Type.VEC2, "px", (0, inf), (0.5, 0.5), "the pixel's middle, from the lower left corner"),
    "picture_size": Input(Type.VEC2, "px", (1, inf), (1, 1), "the picture's width and height"),
    "time": Input(Type.FLOAT, "s", (0, inf), (0,), "seconds since the clock started"),
    "time_step": Input(Type.FLOAT, "s", (0, inf), (1 / 60,), "seconds since the frame before"),
}

VARYING = ("position_world", "position_object", "normal_world", "uv", "uv1", "vertex_color", "view_distance")
"""The inputs that change smoothly from pixel to pixel."""

MOVING = "moving:"
"""Begins the names of inputs that are no surface's and change from pixel to pixel all the same."""

for _name in VARYING:
    for _axis, _way in (("dx", "right"), ("dy", "up")):
        _type = INPUTS[_name].type
        _words = f"how much {INPUTS[_name].words} changes to the next pixel {_way}"
        INPUTS[f"{_name}_{_axis}"] = Input(_type, INPUTS[_name].unit, _EVERYWHERE, (0,) * _type.width, _words)


def surface_input(name: str) -> Expr:
    """The expression that reads an input of the table above."""
    return input_(name, INPUTS[name].type)
