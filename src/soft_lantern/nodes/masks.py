"""Masks: numbers from 0 to 1 that say where an effect shows."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, const
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.channels import Channel
from soft_lantern.nodes.channels import channel as channel_of
from soft_lantern.nodes.definition import (
    Amount,
    DataColour,
    Direction,
    Mask,
    Metres,
    Metres3,
    Number,
    Positive,
    PositiveMetres,
    Repeat,
    node,
)
from soft_lantern.nodes.geometry import toward_camera
from soft_lantern.nodes.logic import Count

_POSITION = surface_input("position_world")
_NORMAL = surface_input("normal_world")


@node(
    "Height mask",
    family="masks",
    also=("ramp", "vertical gradient", "height fog", "position"),
    source="common practice",
)
def height_mask(height: Metres = _POSITION.y, origin: Metres = 0.0, spread: PositiveMetres = 1.0) -> Mask:
    """0 at and below the origin, 1 from one spread above it, straight between.

    out = clamp((height - origin) / spread, 0, 1)
    """
    return f.saturate((height - origin) / spread)


@node("Depth mask", family="masks", also=("water depth", "shore", "foam", "fog", "shallow"), source="common practice")
def depth_mask(offset: Metres = 0.0, strength: Amount = 1.0) -> Mask:
    """0 where the surface meets the opaque one behind it, 1 where that lies deep; an offset moves the start.

    out = clamp((scene_depth - (surface_depth + offset)) * strength, 0, 1)
    """
    gap = surface_input("scene_depth") - (surface_input("surface_depth") + offset)
    return f.saturate(gap * strength)


@node("Distance mask", family="masks", also=("far", "camera distance", "fog", "fade"), source="common practice")
def distance_mask(distance: PositiveMetres = 100.0) -> Mask:
    """0 at the camera, 1 from a distance on: doubling the distance doubles where the blend is complete.

    out = clamp(view_distance / distance, 0, 1)
    """
    return f.saturate(surface_input("view_distance") / distance)


@node("Rim mask", family="masks", also=("fresnel", "edge", "glow", "outline", "backlight"), source="common practice")
def rim_mask(exponent: Positive = 3.0, normal: Direction = _NORMAL) -> Mask:
    """1 where the surface is seen edge on, less where it faces the camera: the higher the exponent, the thinner.

    out = pow(1 - clamp(dot(normal, view_direction), 0, 1), exponent)
    """
    return f.power(1.0 - f.saturate(f.dot(normal, toward_camera())), exponent)


@node("Up-facing mask", family="masks", also=("dust", "snow", "top", "slope", "moss"), source="common practice")
def up_mask(start: Number = 0.3, spread: Positive = 0.4, normal: Direction = _NORMAL) -> Mask:
    """1 where the surface faces up in the world, so that it stays on top when the object turns.

    out = clamp((normal.y - start) / spread, 0, 1)
    """
    return f.saturate((normal.y - start) / spread)


@node(
    "Bands",
    family="masks",
    also=("layers", "thresholds", "strata", "contour", "terraces"),
    source="common practice",
    repeat=Repeat("count", lambda index, count: (count - index) / (count + 1), "layer", "rest"),
)
def bands(value: Number = 0.5, *threshold: Number, count: Count = "3") -> tuple[Mask, ...]:
    """Layers that never overlap: each lies where the value reaches its threshold and no earlier layer does.

    layer_i = clamp(step(threshold_i, value) - layer_1 - ... - layer_(i-1), 0, 1), rest = 1 - all layers
    """
    layers: list[Expr] = []
    for edge in threshold:
        before = f.sum_of(layers) if layers else const(0.0)
        layers.append(f.saturate(f.step(edge, value) - before))
    return (*layers, f.saturate(1.0 - f.sum_of(layers)))


@node(
    "Channel mask",
    family="masks",
    also=("red", "green", "blue", "alpha", "mask map", "packed"),
    source="common practice",
)
def channel_mask(colour: DataColour, amount: Amount = 1.0, *, channel: Channel = "red") -> Mask:
    """One channel of a mask texture or vertex colour as a mask, times an amount.

    out = clamp(colour.r * amount, 0, 1)
    """
    return f.saturate(channel_of(colour, channel=channel) * amount)


@node("Box mask", family="masks", also=("region", "volume", "cube", "area"))
def box_mask(
    position: Metres3 = _POSITION,
    centre: Metres3 = (0.0, 0.0, 0.0),
    size: Metres3 = (1.0, 1.0, 1.0),
    softness: PositiveMetres = 0.1,
) -> Mask:
    """1 inside a box of a size, falling to 0 over the softness outside it.

    out = 1 - clamp(length(max(abs(position - centre) - size / 2, 0)) / softness, 0, 1)
    """
    outside = f.max_(f.abs_(position - centre) - size * 0.5, 0.0)
    return 1.0 - f.saturate(f.length(outside) / softness)


@node("Sphere mask", family="masks", also=("region", "radius", "ball", "area", "falloff"))
def sphere_mask(
    position: Metres3 = _POSITION,
    centre: Metres3 = (0.0, 0.0, 0.0),
    radius: PositiveMetres = 1.0,
    softness: PositiveMetres = 0.1,
) -> Mask:
    """1 inside a sphere, falling to 0 over the softness outside it.

    out = 1 - clamp((length(position - centre) - radius) / softness, 0, 1)
    """
    return 1.0 - f.saturate((f.length(position - centre) - radius) / softness)


Together = Literal["union", "intersect", "subtract", "exclusive"]
_TOGETHER: dict[str, Callable[[Expr, Expr], Expr]] = {
    "union": f.max_,
    "intersect": f.min_,
    "subtract": lambda a, b: f.min_(a, 1.0 - b),
    "exclusive": lambda a, b: f.max_(f.min_(a, 1.0 - b), f.min_(b, 1.0 - a)),
}


@node(
    "Combine masks",
    family="masks",
    also=("and", "or", "union", "intersect", "subtract", "exclude"),
    source="Zadeh, Fuzzy Sets (1965)",
)
def combine_masks(a: Mask = 0.0, b: Mask = 0.0, *, together: Together = "union") -> Mask:
    """Two masks as one, which never leaves 0 to 1: either, both, the first without the second, or one of them only.

    out = max(a, b)
    """
    return _TOGETHER[together](a, b)


@node("Sharpen mask", family="masks", also=("feather", "contrast", "soften", "edge", "levels"))
def sharpen_mask(mask: Mask = 0.0, sharpness: Amount = 2.0, middle: Mask = 0.5) -> Mask:
    """A mask with its edge made sharper above 1, or softer below, about a middle.

    out = clamp((mask - middle) * sharpness + middle, 0, 1)
    """
    return f.saturate((mask - middle) * sharpness + middle)


@node("Feather mask", family="masks", also=("soften", "blur", "edge", "smooth"))
def feather_mask(mask: Mask = 0.0, middle: Mask = 0.5, width: Positive = 0.2) -> Mask:
    """A mask made to rise smoothly over a width about a middle.

    out = smoothstep(middle - width / 2, middle + width / 2, mask)
    """
    half = f.max_(width, 1e-6) * 0.5
    return f.smoothstep(middle - half, middle + half, mask)
