"""Gradients and palettes as the images that graphs read.

A gradient is a row of texels, the first and last of which are its ends; a palette a square of N × N texels, row 0 at
the top, cell i of the list at column i mod N. Source of OKLab: CSS Color 4.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.document import Gradient, Palette, Project
from soft_lantern.graph.identity import by_identity
from soft_lantern.ir.colours import linear_from_oklab, linear_from_srgb, oklab_from_linear, srgb_from_linear
from soft_lantern.ir.expr import Expr, Type, uniform
from soft_lantern.ir.numpy_reader import evaluate
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
    """A gradient's linear RGBA at places from 0 to 1, (count, 4); beyond its stops it keeps their colours."""
    stops = sorted(gradient.stops, key=lambda stop: stop.at)
    at = np.asarray(places, np.float64)
    if not stops:
        return np.tile([0.0, 0.0, 0.0, 1.0], (len(at), 1))
    into, back = _INTO[gradient.mixing]
    known = np.array([stop.at for stop in stops])
    parts = _through(into, np.array([stop.colour[:3] for stop in stops]))
    mixed = np.stack([np.interp(at, known, parts[:, k]) for k in range(3)], axis=1)
    alpha = np.interp(at, known, [stop.colour[3] for stop in stops])
    return np.column_stack([_through(back, mixed), alpha])


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


def _through(expr: Expr, colours: Colours) -> Colours:
    if expr is _OF:
        return colours
    found = evaluate([expr], {"of": colours.T}, np.float64)[expr]
    return np.ascontiguousarray(np.asarray(found).T)
