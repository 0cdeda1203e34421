"""Gradients and palettes as the images that graphs read.

A gradient is a row of texels, the first and last of which are its ends; a palette a square of N × N texels, row 0 at
the top, cell i of the list at column i mod N. Source of OKLab: CSS Color 4.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.document import Gradient, Palette, Project, Stop
from soft_lantern.graph.identity import by_identity
from soft_lantern.ir.colours import linear_from_oklab, linear_from_srgb, oklab_from_linear, srgb_from_linear
from soft_lantern.ir.expr import Expr, Type, uniform
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.ir.oklch import GREY_CHROMA
from soft_lantern.values.images import Image

WIDTH = 1024
"""Texels of a gradient's row."""
Colours = npt.NDArray[np.float64]

_OF = uniform("of", Type.VEC3)
_INTO: dict[str, tuple[Expr, Expr]] = {
    "linear": (_OF, _OF),
    "srgb": (srgb_from_linear(_OF), linear_from_srgb(_OF)),
    "oklab": (oklab_from_linear(_OF), linear_from_oklab(_OF)),
}


def colours_at(gradient: Gradient, places: npt.ArrayLike) -> Colours:
    """A gradient's linear RGBA at places from 0 to 1, (count, 4); beyond its stops it keeps their colours.

    Where two stops stand in one place, the later one counts from there on.
    """
    stops = in_order(gradient)
    at = np.asarray(places, np.float64).ravel()
    if not stops:
        return np.tile([0.0, 0.0, 0.0, 1.0], (len(at), 1))
    known = np.array([stop.at for stop in stops])
    left = np.clip(np.searchsorted(known, at, side="right") - 1, 0, len(stops) - 1)
    right = np.minimum(left + 1, len(stops) - 1)
    width = known[right] - known[left]
    share = np.clip(np.where(width > 0, (at - known[left]) / np.where(width > 0, width, 1.0), 0.0), 0.0, 1.0)
    shaped = _shaped(share, np.array([SHAPES.index(stop.shape) for stop in stops])[left])[:, None]
    colours = np.array([stop.colour[:3] for stop in stops])
    if gradient.mixing == "oklch":
        rgb = _mixed_in_lch(colours[left], colours[right], shaped, gradient.hue)
    else:
        into, back = _INTO[gradient.mixing]
        parts = _through(into, colours)
        rgb = _through(back, parts[left] + (parts[right] - parts[left]) * shaped)
    alphas = np.array([stop.colour[3] for stop in stops])
    alpha = alphas[left] + (alphas[right] - alphas[left]) * shaped[:, 0]
    if gradient.alphas:
        own = sorted(gradient.alphas, key=lambda stop: stop.at)
        alpha = np.interp(at, [stop.at for stop in own], [stop.alpha for stop in own])
    return np.column_stack([rgb, alpha])


def in_order(gradient: Gradient) -> list[Stop]:
    """A gradient's stops from 0 to 1; of two in one place, the one that is listed first."""
    return sorted(gradient.stops, key=lambda stop: stop.at)


SHAPES = ("linear", "constant", "smooth", "ease in", "ease out")


def _shaped(share: Colours, shapes: npt.NDArray[np.int64]) -> Colours:
    """How far the way between two stops has come, by the shape of each."""
    ways = [share, np.zeros_like(share), share * share * (3 - 2 * share), share * share, share * (2 - share)]
    return np.choose(shapes, ways)


def _mixed_in_lch(one: Colours, other: Colours, share: Colours, way: str) -> Colours:
    """Mixed in OKLCH, the hue going round one of four ways (CSS Color 4, section 12.4); a grey has the other's hue."""
    into, back = _INTO["oklab"]
    a, b = _through(into, one), _through(into, other)
    chroma = [np.hypot(each[:, 1], each[:, 2]) for each in (a, b)]
    hue = [np.degrees(np.arctan2(each[:, 2], each[:, 1])) % 360.0 for each in (a, b)]
    grey = [each < GREY_CHROMA for each in chroma]
    first, second = np.where(grey[0], hue[1], hue[0]), np.where(grey[1], hue[0], hue[1])
    turn = second - first
    if way == "shorter":
        turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    elif way == "longer":
        turn = np.where((turn > 0) & (turn < 180), turn - 360, np.where((turn > -180) & (turn <= 0), turn + 360, turn))
    elif way == "increasing":
        turn = np.where(turn < 0, turn + 360, turn)
    else:
        turn = np.where(turn > 0, turn - 360, turn)
    t = share[:, 0]
    angle = np.radians(first + turn * t)
    strength = chroma[0] + (chroma[1] - chroma[0]) * t
    light = a[:, 0] + (b[:, 0] - a[:, 0]) * t
    return _through(back, np.stack([light, strength * np.cos(angle), strength * np.sin(angle)], axis=1))


@by_identity(256)
def image_of_gradient(gradient: Gradient) -> Image:
    """A gradient as a row of linear texels."""
    row = colours_at(gradient, np.linspace(0.0, 1.0, WIDTH)).astype(np.float32)
    return Image(row[None], "data", "linear", "clamp")


def side_of(palette: Palette) -> int:
    """N of the N × N cells that a palette's colours take up."""
    return max(math.isqrt(max(len(palette.colours) - 1, 0)) + 1, 2)


@by_identity(256)
def image_of_palette(palette: Palette) -> Image:
    """A palette as N × N linear texels read with the nearest filter; spare cells are see-through."""
    side = side_of(palette)
    texels = np.zeros((side * side, 4), np.float32)
    if palette.colours:
        texels[: len(palette.colours)] = palette.colours
    return Image(texels.reshape(side, side, 4), "data", "nearest", "clamp")


def ramp_images(project: Project) -> dict[str, Image]:
    """The image of every gradient and palette, by its id."""
    gradients = {key: image_of_gradient(each) for key, each in project.gradients.items()}
    return gradients | {key: image_of_palette(each) for key, each in project.palettes.items()}


def sampled_names(project: Project) -> dict[str, dict[str, str]]:
    """The names of what a texture parameter may hold, by id, for each use it can have."""
    return {
        "": {key: each.name for key, each in project.textures.items()},
        "gradient": {key: each.name for key, each in project.gradients.items()},
        "palette": {key: each.name for key, each in project.palettes.items()},
    }


def oklab_of(linear: Colours) -> Colours:
    """OKLab of linear colours, (count, 3)."""
    return _through(_INTO["oklab"][0], linear)


def _through(expr: Expr, colours: Colours) -> Colours:
    if expr is _OF:
        return colours
    found = evaluate([expr], {"of": colours.T}, np.float64)[expr]
    return np.ascontiguousarray(np.asarray(found).T)
