"""The camera, distances from it, and places on the picture."""

from __future__ import annotations

from typing import Literal, NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import join
from soft_lantern.ir.inputs import BEHIND, surface_input
from soft_lantern.nodes.definition import Colour, Mask, Metres, Metres3, Vector2, node


@node("View distance", family="camera", also=("camera distance", "far", "depth", "fog"))
def view_distance() -> Metres:
    """How far the surface point is from the camera, in metres.

    out = length(position - camera_position)
    """
    return surface_input("view_distance")


@node("Surface depth", family="camera", also=("depth", "z", "fragment"))
def surface_depth() -> Metres:
    """How far the surface point is along the camera's forward axis, in metres.

    out = dot(position - camera_position, forward)
    """
    return surface_input("surface_depth")


@node("Linear scene depth", family="camera", also=("depth buffer", "background depth", "opaque"))
def scene_depth() -> Metres:
    """How far the opaque surface in this pixel is along the camera's forward axis, in metres.

    out = scene_depth
    """
    return surface_input("scene_depth")


@node("Depth behind", family="camera", also=("water depth", "thickness", "intersection", "foam", "soft particle"))
def depth_behind() -> Metres:
    """How far the opaque surface behind this one is along the line of sight, in metres: 0 where they meet.

    out = (scene_depth - surface_depth) * view_distance / surface_depth
    """
    return surface_input("depth_behind")


@node(
    "Colour behind",
    family="camera",
    also=("scene colour", "background", "refraction", "glass", "heat shimmer", "underwater", "distortion"),
    source="common practice",
)
def colour_behind(shift: Vector2 = (0.0, 0.0), roughness: Mask = 0.0) -> Colour:
    """What the opaque things behind look like in this pixel, or shifted by a share of the picture's height, or blurred.

    out = scene_colour(pixel / picture_size + shift, level = roughness * log2(picture_height))

    Drawn after the opaque things; it never shows what reads it too. On its own thumbnail grey stands in.
    """
    size = surface_input("picture_size")
    uv = surface_input("pixel_place") / size + shift * join(size.y / size.x, 1.0)
    seen = f.texture_level(BEHIND, uv, roughness * f.log2(f.max_(size.y, 1.0)))
    return join(seen.xyz, 1.0)


@node("Screen coordinates", family="camera", also=("screen uv", "pixel", "viewport", "dither"))
def screen_coordinates(*, unit: Literal["0 to 1", "pixels"] = "0 to 1") -> Vector2:
    """Where the pixel is on the picture, from the lower left corner: 0 to 1, or in pixels.

    out = pixel / picture_size
    """
    pixel = surface_input("pixel_place")
    return pixel if unit == "pixels" else pixel / surface_input("picture_size")


@node("Camera position", family="camera", also=("eye", "viewer", "location"))
def camera_position() -> Metres3:
    """Where the camera is, in world space.

    out = camera_position
    """
    return surface_input("camera_position")


class CameraRange(NamedTuple):
    """The depths between which the camera sees."""

    near: Metres
    far: Metres


@node("Camera range", family="camera", also=("near", "far", "clipping planes"))
def camera_range() -> CameraRange:
    """The nearest and the farthest depth the camera sees, in metres.

    near = camera_range.x, far = camera_range.y
    """
    both = surface_input("camera_range")
    return CameraRange(both.x, both.y)
