"""Gradients and palettes as the images that graphs read.

A gradient is a row of texels, the first and last of which are its ends; a palette a square of N × N texels, row 0 at
the top, cell i of the list at column i mod N. Source of OKLab: CSS Color 4.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.document import Gradient, Palette, Project, Stop, Texture
from soft_lantern.graph.identity import by_identity
from soft_lantern.ir import functions as f
from soft_lantern.ir.colours import linear_from_oklab, linear_from_srgb, oklab_from_linear, srgb_from_linear
from soft_lantern.ir.expr import Expr, Type, const, join, swizzle, uniform
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.oklch import GREY_CHROMA
from soft_lantern.ir.rewrite import replace
from soft_lantern.limits import PALETTE_SIDE
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Kind

WIDTH = 1024
"""Texels of a gradient's row."""
Colours = npt.NDArray[np.float64]

Parts = tuple[float, ...]
_OF, _AT = uniform("of", Type.VEC3), uniform("at", Type.FLOAT)
_INTO: dict[str, tuple[Expr, Expr]] = {
    "linear": (_OF, _OF),
    "srgb": (srgb_from_linear(_OF), linear_from_srgb(_OF)),
    "oklab": (oklab_from_linear(_OF), linear_from_oklab(_OF)),
}


def colours_at(gradient: Gradient, places: npt.ArrayLike) -> Colours:
    """A gradient's linear RGBA at places from 0 to 1, (count, 4)."""
    at = np.asarray(places, np.float64).ravel()
    found = expression(gradient, _AT)
    return as_rows(evaluate([found], {"at": at}, np.float64)[found], len(at))


def expression(gradient: Gradient, at: Expr) -> Expr:
    """A gradient's linear RGBA at a place from 0 to 1, exactly; beyond its stops it keeps their colours.

    Where two stops stand in one place, the later one counts from there on.
    """
    stops = in_order(gradient)
    if not stops:
        return const(0.0, 0.0, 0.0, 1.0)
    places, shapes = [stop.at for stop in stops], [stop.shape for stop in stops]
    ways = _ways(gradient, stops)
    mixed = _pieces(at, places, shapes, ways)
    rgb = swizzle(mixed, "xyz")
    if gradient.mixing == "oklch":
        angle = rgb.z * (math.pi / 180)
        rgb = linear_from_oklab(join(rgb.x, rgb.y * f.cos(angle), rgb.y * f.sin(angle)))
    else:
        rgb = replace([_INTO[gradient.mixing][1]], {_OF: rgb})[_INTO[gradient.mixing][1]]
    if gradient.alphas:
        own = sorted(gradient.alphas, key=lambda stop: stop.at)
        alphas = [((a.alpha,), (b.alpha,)) for a, b in itertools.pairwise(own)] or [((own[0].alpha,),) * 2]
        return join(rgb, _pieces(at, [stop.at for stop in own], ["linear"] * len(own), alphas))
    return join(rgb, mixed.w)


def _pieces(at: Expr, places: Sequence[float], shapes: Sequence[str], ways: Sequence[tuple[Parts, Parts]]) -> Expr:
    """A value that goes each of the ways between two neighbouring places, and stays at the ends beyond them."""
    result = const(*ways[0][0])
    for n, place in enumerate(places):
        if n + 1 == len(places):
            if n and shapes[n - 1] != "constant" and places[n - 1] < place:
                break  # the way here ends at that value and keeps it
            here = const(*ways[-1][1])
        elif places[n + 1] == place:
            continue
        else:
            share = f.saturate((at - place) * (1.0 / (places[n + 1] - place)))
            here = f.mix(const(*ways[n][0]), const(*ways[n][1]), _shaped(share, shapes[n]))
        result = here if n == 0 else f.select(const(place) <= at, here, result)
    return result


def _ways(gradient: Gradient, stops: Sequence[Stop]) -> list[tuple[Parts, Parts]]:
    """Both ends of the way between each two stops in the space of mixing, alpha last; of one stop, itself twice."""
    into = _INTO["oklab" if gradient.mixing == "oklch" else gradient.mixing][0]
    parts = _through(into, np.array([stop.colour[:3] for stop in stops], np.float64))
    pairs = list(itertools.pairwise(range(len(stops)))) or [(0, 0)]
    found = []
    for one, other in pairs:
        ends = parts[[one, other]]
        if gradient.mixing == "oklch":
            ends = _ends_in_lch(ends, gradient.hue)
        first, last = (tuple(float(part) for part in end) for end in ends)
        found.append(((*first, stops[one].colour[3]), (*last, stops[other].colour[3])))
    return found


def in_order(gradient: Gradient) -> list[Stop]:
    """A gradient's stops from 0 to 1; of two in one place, the one that is listed first."""
    return sorted(gradient.stops, key=lambda stop: stop.at)


SHAPES = ("linear", "constant", "smooth", "ease in", "ease out")


def _shaped(share: Expr, shape: str) -> Expr:
    """How far the way between two stops has come, by its shape."""
    ways = {"constant": const(0.0), "smooth": share * share * (3.0 - 2.0 * share)}
    ways |= {"ease in": share * share, "ease out": share * (2.0 - share)}
    return ways.get(shape, share)


def _ends_in_lch(labs: Colours, way: str) -> Colours:
    """Two colours of OKLab in OKLCH, (2, 3), the second's hue so that it goes one of four ways from the first's.

    CSS Color 4, section 12.4; a grey has the other's hue.
    """
    chroma = np.hypot(labs[:, 1], labs[:, 2])
    hue = np.degrees(np.arctan2(labs[:, 2], labs[:, 1])) % 360.0
    hue = np.where(chroma < GREY_CHROMA, hue[::-1], hue)
    turn = hue[1] - hue[0]
    if way == "shorter":
        turn = turn - 360 if turn > 180 else turn + 360 if turn < -180 else turn
    elif way == "longer":
        turn = turn - 360 if 0 < turn < 180 else turn + 360 if -180 < turn <= 0 else turn
    elif way == "increasing":
        turn = turn + 360 if turn < 0 else turn
    else:
        turn = turn - 360 if turn > 0 else turn
    return np.stack([labs[:, 0], chroma, np.array([hue[0], hue[0] + turn])], axis=1)


@by_identity(256)
def image_of_gradient(gradient: Gradient) -> Image:
    """A gradient as a row of linear texels."""
    row = colours_at(gradient, np.linspace(0.0, 1.0, WIDTH)).astype(np.float32)
    return Image(row[None], "data", "linear", "clamp")


def shown_row(gradient: Gradient, count: int) -> Colours:
    """A gradient's linear RGBA at so many places from 0 to 1, (count, 4), as near as its row of texels has them."""
    texels = image_of_gradient(gradient).texels[0]
    return np.asarray(texels[np.linspace(0, WIDTH - 1, count).round().astype(int)], np.float64)


def side_of(palette: Palette) -> int:
    """N of a palette's N × N cells: what it says, but no less than its colours take up, and what an index can name."""
    wanted = max(palette.side, math.isqrt(max(len(palette.colours) - 1, 0)) + 1, 2)
    return min(wanted, PALETTE_SIDE)


@by_identity(256)
def image_of_palette(palette: Palette) -> Image:
    """A palette as N × N linear texels read with the nearest filter; spare cells are see-through."""
    side = side_of(palette)
    texels = np.zeros((side * side, 4), np.float32)
    if palette.colours:
        texels[: len(palette.colours)] = palette.colours[: side * side]
    return Image(texels.reshape(side, side, 4), "data", "nearest", "clamp")


def ramp_images(project: Project) -> dict[str, Image]:
    """The image of every gradient and palette, by its id."""
    gradients = {key: image_of_gradient(each) for key, each in project.gradients.items()}
    return gradients | {key: image_of_palette(each) for key, each in project.palettes.items()}


Readable = dict[Kind, Mapping[str, Texture | Gradient | Palette]]


def readable(project: Project) -> Readable:
    """What a value of each kind that is read may be, by id."""
    return {Kind.TEXTURE: project.textures, Kind.GRADIENT: project.gradients, Kind.PALETTE: project.palettes}


def readable_names(project: Project) -> dict[Kind, dict[str, str]]:
    """The names of it, by id."""
    return {kind: {key: each.name for key, each in held.items()} for kind, held in readable(project).items()}


def oklab_of(linear: Colours) -> Colours:
    """OKLab of linear colours, (count, 3)."""
    return _through(_INTO["oklab"][0], linear)


def srgb_of(linear: Colours) -> Colours:
    """The sRGB-encoded components of linear colours, (count, 3)."""
    return _through(_INTO["srgb"][0], linear)


def _through(expr: Expr, colours: Colours) -> Colours:
    if expr is _OF:
        return colours
    found = evaluate([expr], {"of": colours.T}, np.float64)[expr]
    return np.ascontiguousarray(np.asarray(found).T)
