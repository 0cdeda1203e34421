"""What a sky does to surfaces, worked out ahead: how it looks from every direction after a surface has scattered it.

An octahedral map for each of several roughnesses and one for diffuse surfaces, stacked in one image, and the split-sum
table: the split-sum approximation of Karis (SIGGRAPH 2013 course, "Physically Based Shading in Theory and Practice").
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.document import Environment
from soft_lantern.ir.expr import Type, const, uniform
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.limits import EXPOSURE_STOPS
from soft_lantern.render import surface_model
from soft_lantern.render.frame import UniformValue
from soft_lantern.render.light_cache import Arrays, kept
from soft_lantern.scene import skies
from soft_lantern.scene.skies import SKIES, panorama, sun_of, toward
from soft_lantern.values.images import MISSING, Image

Floats = npt.NDArray[np.float64]
Halves = npt.NDArray[np.float16]
Pair = tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]
FINE, COARSE = (256, 128), (64, 32)
"""Texels a panorama is reduced to before it is scattered: a little, or widely."""
WIDELY = 0.5
"""The roughness from which the coarse one is enough."""


class Lighting(Struct, frozen=True, eq=False):
    """A sky as it is seen, and as surfaces answer it (see `surface_model.from_sky`), in halves (IEEE 754 binary16).

    Halves reach to 65,504, are off by a twentieth of a per cent at most, and take half the room, twice for each sky.
    """

    seen: Image
    scattered: Image


def light_uniforms(environment: Environment, panoramas: Mapping[str, Image]) -> dict[str, UniformValue]:
    """The values of every uniform that `surface_model` reads of an environment.

    `panoramas`: the project's textures by id; a sky that is neither an own one nor among them is even grey.
    """
    if environment.sky in SKIES:
        lighting = _own(environment.sky)
    else:
        lighting = _scattered(panoramas.get(environment.sky, MISSING))
    gain = float(2.0 ** min(max(environment.exposure, -EXPOSURE_STOPS), EXPOSURE_STOPS))
    turn = np.radians(environment.rotation)
    sun = sun_of(environment)
    found: dict[str, UniformValue] = {
        "stage:sky": lighting.seen,
        "stage:scattered": lighting.scattered,
        "stage:split_sum": split_sum(),
        "stage:sky_turn": (float(np.cos(turn)), float(np.sin(turn))),
        "stage:sky_gain": (gain,),
        "stage:sun_direction": (0.0, 1.0, 0.0),
        "stage:sun_light": (0.0, 0.0, 0.0),
    }
    if sun:
        found["stage:sun_direction"] = tuple(map(float, toward(sun.azimuth, sun.elevation)))
        found["stage:sun_light"] = tuple(float(part) * sun.strength * gain for part in sun.colour)
    return found


@functools.lru_cache(maxsize=2)  # 18 MB each, on both sides, and soon read from disk again
def _own(sky: str) -> Lighting:
    def work() -> Arrays:
        found = lighting_of(panorama(sky))
        return found.seen.texels, found.scattered.texels

    return _lighting(*kept(sky.replace(" ", "_"), _SOURCES, work))


_SOURCES = (sys.modules[__name__], skies, surface_model)


def _lighting(seen: Halves, scattered: Halves) -> Lighting:
    return Lighting(Image(seen, "data"), Image(scattered, "data", wrap="clamp"))


@functools.lru_cache(maxsize=4)
def _scattered(image: Image) -> Lighting:
    """Of a panorama read from a file; images are compared by identity."""
    return lighting_of(image.linear()[..., :3])


def lighting_of(radiance: npt.NDArray[np.float32]) -> Lighting:
    """What surfaces get from a panorama of linear radiance, (height, width, 3), row 0 up, its middle along −z."""
    radiance = np.nan_to_num(np.clip(radiance, 0, np.finfo(np.float16).max), nan=0.0).astype(np.float32)
    fine, coarse = _reduced(radiance, FINE), _reduced(radiance, COARSE)
    size, bands = surface_model.SCATTERED_SIZE, surface_model.SCATTERED_BANDS
    atlas = np.ones((size * (bands + 1), size, 3), np.float32)
    for band in range(bands + 1):
        grid = coarse if band == bands or band / (bands - 1) > WIDELY else fine
        kernel = None if band == 0 else _kernel(band, grid.shape[1], grid.shape[0])
        answered = fine if kernel is None else _convolved(grid, kernel)
        atlas[band * size : (band + 1) * size] = _looked_up(answered, size)
    return _lighting(_in_halves(radiance), _in_halves(atlas))


def _in_halves(rows: npt.NDArray[np.float32]) -> Halves:
    """A map, (height, width, 3), with an alpha of 1."""
    found = np.ones((*rows.shape[:2], 4), np.float16)
    found[..., :3] = rows
    return found


def octahedral_directions(size: int) -> Floats:
    """The unit direction of each texel of an octahedral map with a border of one texel, (size, size, 3)."""
    steps = (np.arange(size) - 0.5) / (size - 2) * 2 - 1
    x, z = np.meshgrid(steps, steps)
    # Beyond an edge the map goes on as it does from the mirrored place on the same edge.
    for along, across in ((x, z), (z, x)):
        beyond = np.abs(along) > 1
        along[beyond] = np.sign(along[beyond]) * 2 - along[beyond]
        across[beyond] *= -1
    y = 1 - np.abs(x) - np.abs(z)
    side_x, side_z = np.where(x < 0, -1.0, 1.0), np.where(z < 0, -1.0, 1.0)
    below = y < 0
    found = np.dstack([np.where(below, (1 - np.abs(z)) * side_x, x), y, np.where(below, (1 - np.abs(x)) * side_z, z)])
    return np.asarray(found / np.linalg.norm(found, axis=2, keepdims=True))


@functools.cache
def split_sum() -> Image:
    """The share of even light that GGX mirrors, of a reflectance head on (red) and at grazing (green).

    Columns go with the cosine to the viewer, rows with roughness, each in texels' middles, both from 0 to 1.
    """
    (table,) = kept("split_sum", _SOURCES, lambda: (_split_sum(),))
    return Image(table, "data", wrap="clamp")


def _split_sum() -> npt.NDArray[np.float32]:
    size, samples = 48, 512
    middles = (np.arange(size) + 0.5) / size
    cosine, roughness = (each.ravel()[:, None] for each in np.meshgrid(middles, middles))
    index = np.arange(samples)
    turn = 2 * np.pi * ((index * 0.7548776662466927) % 1)  # an additive recurrence fills the square evenly
    chance = (index + 0.5) / samples
    alpha = roughness**2
    cos_half = np.sqrt((1 - chance) / (1 + (alpha**2 - 1) * chance))
    sin_half = np.sqrt(np.maximum(1 - cos_half**2, 0))
    view_x = np.sqrt(1 - cosine**2)
    view_half = np.maximum(view_x * sin_half * np.cos(turn) + cosine * cos_half, 1e-9)
    normal_light = 2 * view_half * cos_half - cosine
    names = ("alpha", "light", "view")
    visibility = surface_model.smith(*(uniform(name, Type.FLOAT) for name in names))
    shape = np.broadcast_shapes(alpha.shape, normal_light.shape)
    leaves = {n: np.broadcast_to(v, shape).ravel() for n, v in zip(names, (alpha, normal_light, cosine), strict=True)}
    term = evaluate([visibility], leaves, np.float64)[visibility].reshape(shape)
    weight = np.where(normal_light > 0, term * 4 * normal_light * view_half / cos_half, 0)
    grazing = (1 - view_half) ** 5
    table = np.zeros((size, size, 4), np.float32)
    table[..., 0] = ((1 - grazing) * weight).mean(axis=1).reshape(size, size)
    table[..., 1] = (grazing * weight).mean(axis=1).reshape(size, size)
    return table


def _reduced(radiance: npt.NDArray[np.float32], size: tuple[int, int]) -> Floats:
    """The panorama at another size: each texel the mean of what it covers."""
    found = np.asarray(radiance, np.float64)
    for axis, wanted in ((0, size[1]), (1, size[0])):
        given = found.shape[axis]
        ends = np.arange(wanted + 1) / wanted * given
        total = np.concatenate([np.zeros_like(found.take([0], axis)), np.cumsum(found, axis=axis)], axis=axis)
        low = np.minimum(ends.astype(int), given)
        part = (ends - low).reshape([-1 if i == axis else 1 for i in range(3)])
        upto = total.take(low, axis) + part * found.take(np.minimum(low, given - 1), axis)
        found = np.diff(upto, axis=axis) * (wanted / given)
    return found


def _kernel(band: int, width: int, height: int) -> Floats:
    """How much of each row, at each turn, a surface facing each row gets: over frequencies, (width/2 + 1, rows, rows).

    The last band is for diffuse surfaces. Others mirror by GGX, with the view along the normal (Karis 2013).
    """
    down = (np.arange(height) + 0.5) / height * np.pi
    upper = down[: height // 2]  # what the lower half gets is the same upside down
    turn = np.arange(width // 2 + 1) / width * 2 * np.pi  # and to the left as to the right
    cosine = (
        np.sin(upper)[:, None, None] * np.sin(down)[None, :, None] * np.cos(turn)
        + np.cos(upper)[:, None, None] * np.cos(down)[None, :, None]
    )
    weight = np.maximum(cosine, 0) * np.sin(down)[None, :, None]
    bands = surface_model.SCATTERED_BANDS
    if band < bands:
        lit = np.flatnonzero(weight)  # half of it faces away
        half = np.sqrt(np.clip((1 + cosine.ravel()[lit]) / 2, 0, 1))
        at = uniform("cosine", Type.FLOAT)
        density = surface_model.ggx(const((band / (bands - 1)) ** 2), at)
        weight.ravel()[lit] *= evaluate([density], {"cosine": half}, np.float64)[density]
    spectrum = np.fft.rfft(np.concatenate([weight, weight[:, :, -2:0:-1]], axis=2), axis=2).real
    spectrum /= spectrum[:, :, :1].sum(axis=1, keepdims=True)
    whole = np.concatenate([spectrum, spectrum[::-1, ::-1]])
    return np.ascontiguousarray(whole.transpose(2, 0, 1))


def _convolved(grid: Floats, kernel: Floats) -> Floats:
    """The panorama scattered: a product for each frequency around the axis, since turning it changes nothing."""
    spectrum = np.fft.rfft(grid, axis=1).transpose(1, 0, 2)
    mixed = kernel @ spectrum.real + 1j * (kernel @ spectrum.imag)
    return np.asarray(np.fft.irfft(mixed.transpose(1, 0, 2), n=grid.shape[1], axis=1))


def _looked_up(grid: Floats, size: int) -> npt.NDArray[np.float32]:
    """A panorama between its texels, in the direction of each texel of an octahedral map."""
    rows, columns, across, down = _places(*grid.shape[:2], size)
    upper = grid[rows[0], columns[0]] * (1 - across) + grid[rows[0], columns[1]] * across
    lower = grid[rows[1], columns[0]] * (1 - across) + grid[rows[1], columns[1]] * across
    return np.asarray(upper * (1 - down) + lower * down, np.float32)


@functools.lru_cache(maxsize=4)
def _places(height: int, width: int, size: int) -> tuple[Pair, Pair, Floats, Floats]:
    """The rows and columns of a panorama that each texel of an octahedral map lies between, and how far along."""
    directions = octahedral_directions(size)
    x = (np.arctan2(directions[..., 0], -directions[..., 2]) / (2 * np.pi) + 0.5) * width - 0.5
    y = np.arccos(np.clip(directions[..., 1], -1, 1)) / np.pi * height - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    columns = (left % width, (left + 1) % width)
    rows = (np.clip(top, 0, height - 1), np.clip(top + 1, 0, height - 1))
    return rows, columns, (x - left)[..., None], (y - top)[..., None]
