"""Nodes that read the surface point and the object it belongs to."""

from __future__ import annotations

from typing import Literal, NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.derivative import screen_rate
from soft_lantern.ir.expr import Expr, join
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import AnyKind, Colour, Direction, Mask, Metres3, Vector2, Vector3, node

_GLTF = "glTF 2.0, section 3.7.2"
Space = Literal["world", "object"]


def toward_camera() -> Expr:
    """The unit direction from the surface point to the camera."""
    return f.normalize(surface_input("camera_position") - surface_input("position_world"))


@node("Position", family="geometry", also=("location", "height", "coordinates", "world", "object"), source=_GLTF)
def position(*, space: Space = "world") -> Metres3:
    """Where the surface point is, in metres.

    out = position

    World space stays put when an object moves; object space travels with it. Y is up.
    """
    return surface_input("position_world" if space == "world" else "position_object")


@node("Normal", family="geometry", also=("facing", "direction", "surface", "up"), source=_GLTF)
def normal(*, space: Space = "world") -> Direction:
    """The direction the surface faces, of length 1, turned toward the camera on back faces.

    out = normal
    """
    world = surface_input("normal_world")
    return world if space == "world" else surface_inputs.turned_normal_back(world)


@node("Tangent", family="geometry", also=("u direction", "anisotropy", "hair"), source=_GLTF)
def tangent() -> Direction:
    """The direction in which u grows along the surface, in world space.

    out = tangent
    """
    return surface_input("tangent_world")


@node("Bitangent", family="geometry", also=("binormal", "v direction"), source=_GLTF)
def bitangent() -> Direction:
    """The direction in which v shrinks along the surface, in world space.

    out = cross(normal, tangent) * handedness
    """
    return surface_input("bitangent_world")


@node("View direction", family="geometry", also=("camera", "eye", "toward camera"))
def view_direction() -> Direction:
    """From the surface point toward the camera, in world space, of length 1.

    out = normalize(camera_position - position)
    """
    return toward_camera()


@node("Reflection direction", family="geometry", also=("mirror", "reflect", "environment"))
def reflection_direction(normal: Direction = surface_input("normal_world")) -> Direction:
    """The direction in which a mirror would see, in world space.

    out = reflect(-view_direction, normal)
    """
    return f.reflect(-toward_camera(), normal)


@node("Texture coordinates", family="geometry", also=("uv", "coordinates", "unwrap", "texcoord"), source=_GLTF)
def texture_coordinates(*, set: Literal["0", "1"] = "0") -> Vector2:
    """Where the surface point lies on a texture: u to the right, v downwards.

    out = uv
    """
    return surface_input("uv" if set == "0" else "uv1")


@node("Vertex colour", family="geometry", also=("painted", "mesh colour", "mask", "color_0"), source=_GLTF)
def vertex_colour(without: Colour = (1.0, 1.0, 1.0, 1.0)) -> Colour:
    """The colour painted on the mesh, or another where the mesh has none.

    out = has_vertex_color ? vertex_color : without
    """
    return f.select(surface_input("has_vertex_color") > 0.5, surface_input("vertex_color"), without)


@node("Object position", family="geometry", also=("pivot", "origin", "location"))
def object_position() -> Metres3:
    """Where the object's origin is, in world space.

    out = object_position
    """
    return surface_input("object_position")


@node("Object scale", family="geometry", also=("size",))
def object_scale() -> Vector3:
    """How much larger the object is than its mesh along its own axes.

    out = vec3(length(object_x), length(object_y), length(object_z))
    """
    return join(*(f.length(axis) for axis in surface_inputs.object_axes()))


@node("Random per object", family="geometry", also=("variation", "seed", "instance", "id"))
def object_random() -> Mask:
    """A number, 0 to 1, that differs from object to object and stays the same for each.

    out = object_random
    """
    return surface_input("object_random")


@node("Front-facing", family="geometry", also=("back face", "inside", "two-sided"), source="GLSL 3.30 gl_FrontFacing")
def front_facing() -> Mask:
    """1 where the outside of the surface is seen, 0 where its inside is.

    out = front_facing
    """
    return surface_input("front_facing")


@node(
    "Facing ratio",
    family="geometry",
    also=("fresnel", "edge", "view angle", "facing"),
    source="MaterialX 1.39 facingratio",
)
def facing_ratio(normal: Direction = surface_input("normal_world")) -> Mask:
    """1 where the surface faces the camera, 0 where it is seen edge on.

    out = abs(dot(normal, view_direction))
    """
    return f.min_(f.abs_(f.dot(normal, toward_camera())), 1.0)


class ScreenDerivative(NamedTuple):
    """How much a value changes to the next pixel."""

    right: AnyKind
    up: AnyKind


@node(
    "Screen derivative",
    family="geometry",
    also=("ddx", "ddy", "fwidth", "slope", "anti-alias"),
    source="GLSL 3.30 dFdx, dFdy",
)
def screen_derivative(value: AnyKind = 0.0) -> ScreenDerivative:
    """How much a value changes to the next pixel to the right, and to the next one up; exact, by differentiation.

    right = dFdx(value), up = dFdy(value)
    """
    return ScreenDerivative(screen_rate(value, "dx"), screen_rate(value, "dy"))


@node("Position in bounds", family="geometry", also=("bounding box", "normalised position", "0 to 1", "local"))
def bounds_position() -> Vector3:
    """Where the point lies in its object's box: 0 at the lowest corner, 1 at the highest, whatever the object's size.

    out = (position - low) / (high - low)
    """
    low, high = surface_input("bounds_low"), surface_input("bounds_high")
    return (surface_input("position_object") - low) / f.max_(high - low, 1e-9)
