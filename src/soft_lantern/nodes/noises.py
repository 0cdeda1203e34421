"""Noise. Every kind reads a place times a scale; over time, the clock is one more axis.

The hashes, and the value, gradient and cell noises, are those of the MaterialX 1.39 standard library.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir import noise
from soft_lantern.ir.expr import Expr, join
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import (
    Amount,
    Colour,
    Mask,
    Metres3,
    Number,
    Positive,
    Repeat,
    Seconds,
    Vector2,
    Wave,
    Waves,
    node,
)
from soft_lantern.nodes.logic import Count
from soft_lantern.nodes.ranges import OnOff

_MATERIALX = "MaterialX 1.39 "
_UV, _TIME = surface_input("uv"), surface_input("time")
_PLACE = surface_input("position_object")
Movement = Literal["still", "over time"]
_BY_WIDTH: dict[str, dict[int, Callable[..., Expr]]] = {
    "value": {2: noise.value_2d, 3: noise.value_3d, 4: noise.value_4d},
    "perlin": {2: noise.perlin_2d, 3: noise.perlin_3d, 4: noise.perlin_4d},
    "three": {2: noise.perlin_three_2d, 3: noise.perlin_three_3d},
    "cell": {2: noise.cell_2d, 3: noise.cell_3d, 4: noise.cell_4d},
    "cell colour": {2: noise.cell_colour_2d, 3: noise.cell_colour_3d, 4: noise.cell_colour_4d},
}


def _place(at: Expr, scale: Expr, time: Expr, movement: str) -> Expr:
    return join(at * scale, time) if movement == "over time" else at * scale


def _noise(kind: str, at: Expr) -> Expr:
    return _BY_WIDTH[kind][at.type.width](at)


@node("Value noise 2D", family="noise", also=("cloudy", "random", "blotches"))
def value_noise_2d(
    at: Vector2 = _UV, scale: Number = 8.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> Mask:
    """Random values at the corners of a square lattice, blended smoothly: 0 to 1.

    out = blend(random(corners), fade(fract(at * scale)))
    """
    return _noise("value", _place(at, scale, time, movement))


@node("Value noise 3D", family="noise", also=("cloudy", "random", "blotches", "solid"))
def value_noise_3d(
    at: Metres3 = _PLACE, scale: Number = 2.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> Mask:
    """Random values at the corners of a cubic lattice, blended smoothly: 0 to 1.

    out = blend(random(corners), fade(fract(at * scale)))
    """
    return _noise("value", _place(at, scale, time, movement))


@node("Perlin noise 2D", family="noise", also=("gradient noise", "clouds", "organic"), source=_MATERIALX + "noise2d")
def perlin_noise_2d(
    at: Vector2 = _UV, scale: Number = 8.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> Wave:
    """Gradient noise (Perlin 2002): smooth bumps about 0, within −1 to 1, of one size.

    out = 0.6616 * blend(dot(gradients, offsets), fade(fract(at * scale)))
    """
    return _noise("perlin", _place(at, scale, time, movement))


@node(
    "Perlin noise 3D",
    family="noise",
    also=("gradient noise", "clouds", "organic", "solid"),
    source=_MATERIALX + "noise3d",
)
def perlin_noise_3d(
    at: Metres3 = _PLACE, scale: Number = 2.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> Wave:
    """Gradient noise (Perlin 2002): smooth bumps about 0, within −1 to 1, of one size.

    out = 0.982 * blend(dot(gradients, offsets), fade(fract(at * scale)))
    """
    return _noise("perlin", _place(at, scale, time, movement))


def _layered(
    at: Expr,
    time: Expr,
    movement: str,
    weights: tuple[Expr, ...],
    lacunarity: Expr,
    normalised: str,
    kind: str = "perlin",
) -> Expr:
    """Layers of Perlin noise: each reads the place finer, and all of them the same clock."""
    total: Expr | None = None
    for index, weight in enumerate(weights):
        layer = _noise(kind, join(at, time) if movement == "over time" else at) * weight
        total = layer if total is None else total + layer
        if index + 1 < len(weights):
            at = at * lacunarity
    assert total is not None
    return total / f.max_(f.sum_of([*weights]), 1e-9) if normalised == "on" else total


@node(
    "Layered noise 2D",
    family="noise",
    also=("fractal", "fbm", "octaves", "clouds", "turbulence"),
    source=_MATERIALX + "fractal2d",
    repeat=Repeat("octaves", lambda index, count: 0.5**index),
)
def layered_noise_2d(
    at: Vector2 = _UV,
    scale: Number = 4.0,
    lacunarity: Number = 2.0,
    time: Seconds = _TIME,
    *weight: Amount,
    octaves: Count = "3",
    normalised: OnOff = "on",
    movement: Movement = "still",
) -> Wave:
    """Perlin noise over itself, each layer finer and with its weight; normalised, by the sum of the weights.

    out = sum(weight_i * perlin(at * scale * pow(lacunarity, i))) / sum(weight_i)
    """
    return _layered(at * scale, time, movement, weight, lacunarity, normalised)


@node(
    "Layered noise 3D",
    family="noise",
    also=("fractal", "fbm", "octaves", "clouds", "turbulence", "solid"),
    source=_MATERIALX + "fractal3d",
    repeat=Repeat("octaves", lambda index, count: 0.5**index),
)
def layered_noise_3d(
    at: Metres3 = _PLACE,
    scale: Number = 1.0,
    lacunarity: Number = 2.0,
    time: Seconds = _TIME,
    *weight: Amount,
    octaves: Count = "3",
    normalised: OnOff = "on",
    movement: Movement = "still",
) -> Wave:
    """Perlin noise over itself, each layer finer and with its weight; normalised, by the sum of the weights.

    out = sum(weight_i * perlin(at * scale * pow(lacunarity, i))) / sum(weight_i)
    """
    return _layered(at * scale, time, movement, weight, lacunarity, normalised)


@node(
    "Three noises 2D",
    family="noise",
    also=("vector noise", "colour noise", "warp", "distort", "flow"),
    source=_MATERIALX + "noise2d",
)
def three_noises_2d(at: Vector2 = _UV, scale: Number = 8.0) -> Waves:
    """Three Perlin noises at once that differ, each within −1 to 1: to move a place about, or to colour it.

    out_i = 0.6616 * blend(dot(gradients_i, offsets), fade(fract(at * scale)))
    """
    return _noise("three", at * scale)


@node(
    "Three noises 3D",
    family="noise",
    also=("vector noise", "colour noise", "warp", "distort", "flow", "solid"),
    source=_MATERIALX + "noise3d",
)
def three_noises_3d(at: Metres3 = _PLACE, scale: Number = 2.0) -> Waves:
    """Three Perlin noises at once that differ, each within −1 to 1: to move a place about, or to colour it.

    out_i = 0.982 * blend(dot(gradients_i, offsets), fade(fract(at * scale)))
    """
    return _noise("three", at * scale)


@node(
    "Three layered noises 2D",
    family="noise",
    also=("vector noise", "fractal", "fbm", "octaves", "warp", "distort"),
    source=_MATERIALX + "fractal2d",
    repeat=Repeat("octaves", lambda index, count: 0.5**index),
)
def three_layered_noises_2d(
    at: Vector2 = _UV,
    scale: Number = 4.0,
    lacunarity: Number = 2.0,
    *weight: Amount,
    octaves: Count = "3",
    normalised: OnOff = "on",
) -> Waves:
    """Three layered noises at once that differ; normalised, by the sum of the weights.

    out = sum(weight_i * three_noises(at * scale * pow(lacunarity, i))) / sum(weight_i)
    """
    return _layered(at * scale, _TIME, "still", weight, lacunarity, normalised, "three")


@node(
    "Three layered noises 3D",
    family="noise",
    also=("vector noise", "fractal", "fbm", "octaves", "warp", "distort", "solid"),
    source=_MATERIALX + "fractal3d",
    repeat=Repeat("octaves", lambda index, count: 0.5**index),
)
def three_layered_noises_3d(
    at: Metres3 = _PLACE,
    scale: Number = 1.0,
    lacunarity: Number = 2.0,
    *weight: Amount,
    octaves: Count = "3",
    normalised: OnOff = "on",
) -> Waves:
    """Three layered noises at once that differ; normalised, by the sum of the weights.

    out = sum(weight_i * three_noises(at * scale * pow(lacunarity, i))) / sum(weight_i)
    """
    return _layered(at * scale, _TIME, "still", weight, lacunarity, normalised, "three")


class PerCell(NamedTuple):
    """Random values of a cell."""

    number: Mask
    colour: Colour


def _per_cell(place: Expr) -> PerCell:
    return PerCell(_noise("cell", place), join(_noise("cell colour", place), 1.0))


@node(
    "Random per cell 2D",
    family="noise",
    also=("white noise", "hash", "mosaic", "tiles"),
    source=_MATERIALX + "cellnoise2d",
)
def cell_noise_2d(
    at: Vector2 = _UV, scale: Number = 8.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> PerCell:
    """A random number and a random colour for every square of a lattice; over time, new ones every second.

    number = random(floor(at * scale))
    """
    return _per_cell(_place(at, scale, time, movement))


@node(
    "Random per cell 3D",
    family="noise",
    also=("white noise", "hash", "mosaic", "solid"),
    source=_MATERIALX + "cellnoise3d",
)
def cell_noise_3d(
    at: Metres3 = _PLACE, scale: Number = 2.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> PerCell:
    """A random number and a random colour for every cube of a lattice; over time, new ones every second.

    number = random(floor(at * scale))
    """
    return _per_cell(_place(at, scale, time, movement))


class Cells(NamedTuple):
    """What cells come to at a place."""

    distance: Amount
    second: Amount
    edge: Amount
    number: Mask


def _cells(place: Expr, jitter: Expr) -> Cells:
    width = place.type.width
    found = {2: noise.cells_2d, 3: noise.cells_3d}[width](place, f.saturate(jitter))
    nearest = join(found.x, found.y) if width == 2 else found.xyz
    second = found.z if width == 2 else found.w
    distance = f.length(nearest)
    return Cells(distance, second, f.max_(second - distance, 0.0), _BY_WIDTH["cell"][width](nearest + place))


@node(
    "Cells 2D",
    family="noise",
    also=("worley", "voronoi", "cracks", "scales", "stones"),
    source=_MATERIALX + "worleynoise2d",
)
def cells_2d(
    at: Vector2 = _UV, scale: Number = 6.0, jitter: Mask = 1.0, time: Seconds = _TIME, *, movement: Movement = "still"
) -> Cells:
    """Scattered points, one in each square: the distance of the nearest and the second, their difference, and a number.

    distance = min(length(point_i - at * scale))
    """
    return _cells(_place(at, scale, time, movement), jitter)


@node(
    "Cells 3D",
    family="noise",
    also=("worley", "voronoi", "cracks", "scales", "solid"),
    source=_MATERIALX + "worleynoise3d",
)
def cells_3d(at: Metres3 = _PLACE, scale: Number = 2.0, jitter: Mask = 1.0) -> Cells:
    """Scattered points, one in each cube: the distance of the nearest and the second, their difference, and a number.

    distance = min(length(point_i - at * scale))
    """
    return _cells(at * scale, jitter)


@node("Random", family="noise", also=("hash", "white noise", "seed", "variation"))
def random(value: Number = 0.0, seed: Number = 0.0, low: Number = 0.0, high: Number = 1.0) -> Number:
    """A number between low and high that looks random, the same for every whole value and seed.

    out = mix(low, high, random(floor(value), floor(seed)))
    """
    return low + noise.cell_2d(join(value, seed)) * (high - low)


@node("Warp", family="noise", also=("distort", "domain warp", "wobble", "turbulence"))
def warp(
    at: Vector2 = _UV,
    scale: Positive = 4.0,
    amount: Number = 0.05,
    time: Seconds = _TIME,
    *,
    movement: Movement = "still",
) -> Vector2:
    """Texture coordinates pushed about by noise, so that what is read with them looks distorted.

    out = at + amount * vec2(perlin(at * scale), perlin(at * scale + 19))
    """
    first, second = (_place(at, scale, time, movement), _place(at + 19.0 / scale, scale, time, movement))
    return at + join(_noise("perlin", first), _noise("perlin", second)) * amount
