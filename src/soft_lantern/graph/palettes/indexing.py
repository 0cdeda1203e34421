"""Palettes from images, images as indices into palettes, and families of palettes for one set of indices.

Pixels are 8-bit sRGB with alpha, (height, width, 4). Of an N × N palette, cell i of a row stands at red (of a column at
green) round(255 · i / (N − 1)): for N = 4 that is 0, 85, 170 and 255, for N = 16 the multiples of 17 (common practice).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Gradient, Palette, changed
from soft_lantern.graph.ramps.images import colours_at, oklab_of, side_of
from soft_lantern.ir.oklch import hsv_of, in_gamut, linear_from_oklch, oklch_from_linear
from soft_lantern.values.colour import REC709_LUMINANCE, srgb_bytes, srgb_to_linear

Pixels = npt.NDArray[np.uint8]
Order = Literal["use", "hue", "luminance"]
ORDERS: tuple[Order, ...] = ("use", "hue", "luminance")
Byte4 = tuple[int, int, int, int]
LINEAR = np.array([srgb_to_linear(byte / 255) for byte in range(256)])
"""Linear light of every 8-bit sRGB component."""


class Counted(Struct, frozen=True):
    """A colour of an image as 8-bit sRGB with alpha, and how many pixels have it."""

    colour: Byte4
    count: int


def distinct_colours(pixels: Pixels, *, ignore_alpha: bool = True, order: Order = "use") -> list[Counted]:
    """The distinct colours of an image. `ignore_alpha`: what differs in alpha alone counts once, as opaque."""
    flat = pixels.reshape(-1, 4).copy()
    if ignore_alpha:
        flat[:, 3] = 255
    found, counts = np.unique(flat.view(np.uint32).ravel(), return_counts=True)
    colours = found.view(np.uint8).reshape(-1, 4)
    listed = [Counted(_bytes(c), int(n)) for c, n in zip(colours, counts, strict=True)]
    keys = {
        "use": lambda each: (-each.count, each.colour),
        "hue": lambda each: (hsv_of([part / 255 for part in each.colour[:3]]), each.colour),
        "luminance": lambda each: (_luminance(each.colour), each.colour),
    }
    return sorted(listed, key=keys[order])


def count_of(pixels: Pixels) -> int:
    """How many distinct colours an image has, alpha left aside."""
    return len(np.unique(packed(pixels)))


def merged(colours: Sequence[Counted], tolerance: float) -> list[Counted]:
    """Fewer colours: each within a ΔE OK of one that is used more joins it."""
    kept: list[Counted] = []
    places: list[npt.NDArray[np.float64]] = []
    for each in sorted(colours, key=lambda c: -c.count):
        lab = np.append(oklab_of(LINEAR[list(each.colour[:3])][None])[0], each.colour[3] / 255)
        near = next((n for n, place in enumerate(places) if np.linalg.norm(place - lab) <= tolerance), None)
        if near is None:
            kept.append(each)
            places.append(lab)
        else:
            kept[near] = Counted(kept[near].colour, kept[near].count + each.count)
    return kept


def quantised(pixels: Pixels, count: int) -> tuple[Pixels, float]:
    """The image in at most so many colours, alpha kept, and the root mean square error of its pixels in 255ths.

    By whichever of Pillow's quantisers comes nearest. Raises BadValue where the count cannot be.
    """
    if not 1 <= count <= 256:
        raise BadValue(f"an image is brought down to 1 to 256 colours, not {count}")
    from PIL import Image as Pillow  # slow to import, and only wanted here

    rgb = Pillow.fromarray(np.ascontiguousarray(pixels[..., :3]), "RGB")
    tried = []
    for method in (Pillow.Quantize.MEDIANCUT, Pillow.Quantize.MAXCOVERAGE, Pillow.Quantize.FASTOCTREE):
        reduced = np.asarray(rgb.quantize(count, method, dither=Pillow.Dither.NONE).convert("RGB"))
        apart = reduced.astype(float) - pixels[..., :3]
        tried.append((float(np.sqrt((apart**2).mean())), reduced))
    error, nearest = min(tried, key=lambda each: each[0])
    return np.dstack([nearest, pixels[..., 3]]).astype(np.uint8), error


def packed(pixels: Pixels) -> npt.NDArray[np.uint32]:
    """Each pixel's red, green and blue as one number, row by row."""
    red, green, blue = (pixels[..., part].ravel().astype(np.uint32) for part in range(3))
    return np.asarray(red << 16 | green << 8 | blue, np.uint32)


def unpacked(numbers: npt.NDArray[np.uint32]) -> Pixels:
    """The red, green and blue of each such number, (count, 3)."""
    return np.stack([numbers >> 16, numbers >> 8 & 255, numbers & 255], axis=1).astype(np.uint8)


def palette_of(colours: Sequence[Byte4], palette: Palette) -> Palette:
    """The palette with these colours, linear."""
    linear = [(*(float(LINEAR[part]) for part in colour[:3]), colour[3] / 255) for colour in colours]
    return changed(palette, colours=tuple(linear))


def capacity(palette: Palette, side: int | None = None) -> tuple[int, int]:
    """How many cells are used and how many are free, of the least square that holds all, or of a side that is given."""
    cells = (side or side_of(palette)) ** 2
    return len(palette.colours), cells - len(palette.colours)


def cell_byte(cell: int, side: int) -> int:
    """What red or green says for a cell of a row or column."""
    return round(255 * cell / (side - 1))


def room_words(palette: Palette) -> str:
    """How full a palette is, with a warning where its last row has begun."""
    side = side_of(palette)
    used, free = capacity(palette)
    told = f"{used} of {side * side} cells used, {free} free"
    if free == 0:
        return f"{told}: full. Growing it re-encodes its sprites"
    return f"{told}: the last row has begun" if used > side * (side - 1) else told


class Indexed(Struct, frozen=True):
    """An image of indices: red the column, green the row, alpha as it was; and the colours the palette has none of."""

    pixels: Pixels
    missing: tuple[Counted, ...]


def index_image(pixels: Pixels, palette: Palette, side: int | None = None) -> Indexed:
    """The indices of an image's colours in a palette; a colour it does not hold gets the nearest in OKLab.

    Alpha is kept as it is and plays no part. Raises BadValue where the palette is empty or does not fit the side.
    """
    side = side or side_of(palette)
    if not palette.colours or len(palette.colours) > side * side:
        raise BadValue(
            f"{palette.name} has {len(palette.colours)} colours, and {side} × {side} cells hold {side * side}"
        )
    found, which, counts = np.unique(packed(pixels), return_inverse=True, return_counts=True)
    which = which.ravel()
    held = packed(np.array([[srgb_bytes(colour) for colour in palette.colours]], np.uint8))
    known, first = np.unique(held, return_index=True)  # of colours that are alike, the first counts
    at = np.minimum(np.searchsorted(known, found), len(known) - 1)
    places, absent = first[at], known[at] != found
    if absent.any():
        from scipy.spatial import cKDTree  # slow to import, and only wanted here

        labs = oklab_of(np.array([colour[:3] for colour in palette.colours]))
        places[absent] = cKDTree(labs).query(oklab_of(LINEAR[unpacked(found[absent])]))[1]
    seen = np.bincount(which, weights=pixels.reshape(-1, 4)[:, 3] > 0, minlength=len(found)) > 0
    missing = [
        Counted(_bytes((*colour, 255)), int(count))
        for colour, count in zip(unpacked(found[absent & seen]), counts[absent & seen], strict=True)
    ]
    cells = places[which]
    bytes_ = np.array([cell_byte(cell, side) for cell in range(side)], np.uint8)
    result = np.zeros((len(cells), 4), np.uint8)
    result[:, 0], result[:, 1] = bytes_[cells % side], bytes_[cells // side]
    result[:, 3] = pixels.reshape(-1, 4)[:, 3]
    return Indexed(result.reshape(pixels.shape), tuple(sorted(missing, key=lambda each: -each.count)))


def decoded(indices: Pixels, palette: Palette, side: int | None = None) -> Pixels:
    """The image of indices and a palette, by the rule of the Palette lookup node; a spare cell is see-through."""
    side = side or side_of(palette)
    cell = cells_of(indices, side)
    table = cells_image(changed(palette, side=side))
    result: Pixels = table[cell[..., 1], cell[..., 0]]
    result[..., 3] = np.round(result[..., 3] / 255.0 * indices[..., 3]).astype(np.uint8)
    return result


def cells_of(indices: Pixels, side: int) -> npt.NDArray[np.int64]:
    """Column and row of the cell that each pixel names, (height, width, 2)."""
    return np.floor(indices[..., :2].astype(np.float64) / 255 * (side - 1) + 0.5).astype(np.int64)


def reencoded(indices: Pixels, old: int, new: int) -> Pixels:
    """Indices for palettes of another side, each cell of the list staying the same one. Raises BadValue.

    Beyond what the new side holds there is nothing to name.
    """
    cell = cells_of(indices, old)
    place = cell[..., 1] * old + cell[..., 0]
    if place[indices[..., 3] > 0].max(initial=0) >= new * new:
        raise BadValue(f"{new} × {new} cells are too few for these indices")
    place = np.minimum(place, new * new - 1)
    bytes_ = np.array([cell_byte(each, new) for each in range(new)], np.uint8)
    result = indices.copy()
    result[..., 0], result[..., 1] = bytes_[place % new], bytes_[place // new]
    return result


def cells_image(palette: Palette) -> Pixels:
    """A palette's cells as 8-bit sRGB, (N, N, 4), row 0 at the top; spare cells are see-through."""
    side = side_of(palette)
    table = np.zeros((side * side, 4), np.uint8)
    for place, colour in enumerate(palette.colours):
        table[place] = srgb_bytes(colour)
    return table.reshape(side, side, 4)


def index_traps(indices: Pixels, side: int, used: int) -> list[str]:
    """What has gone wrong with an image of indices: values between cells, and cells no colour stands in."""
    told = []
    exact = np.array([cell_byte(cell, side) for cell in range(side)])
    seen = indices[indices[..., 3] > 0]
    between = ~np.isin(seen[:, :2], exact)
    if between.any():
        share = 100 * between.any(axis=1).mean()
        told.append(f"{share:.1f}% of the pixels lie between cells: it was filtered, resized, or compressed with loss")
    cell = cells_of(seen, side)
    outside = cell[:, 1] * side + cell[:, 0] >= used
    if outside.any():
        told.append(f"{int(outside.sum())} pixels name a cell beyond the {used} that hold a colour")
    if (seen[:, 2] > 0).any():
        told.append("blue is not 0 everywhere: this may be a picture, not indices")
    return told


# Families


def hue_turned(palette: Palette, degrees: float, locked: frozenset[int] = frozenset()) -> Palette:
    """Every colour that is not locked turned in OKLCH hue, its lightness and chroma kept as far as a screen shows."""

    def turned(colour: tuple[float, ...]) -> tuple[float, float, float, float]:
        lightness, chroma, hue = oklch_from_linear(colour[:3])
        rgb = linear_from_oklch(in_gamut((lightness, chroma, (hue + degrees) % 360.0)))
        red, green, blue = (min(max(part, 0.0), 1.0) for part in rgb)
        return (red, green, blue, colour[3])

    kept = (c if n in locked else turned(c) for n, c in enumerate(palette.colours))
    return changed(palette, colours=tuple(kept))


def mapped(
    palette: Palette,
    gradient: Gradient,
    locked: frozenset[int] = frozenset(),
    *,
    in_order: bool = False,
    reverse: bool = False,
) -> Palette:
    """Every colour that is not locked in place of its own lightness along a gradient; alpha is kept.

    `in_order`: the darkest at the gradient's beginning and the lightest at its end, by luminance, the others evenly
    between. `reverse`: from the gradient's end.
    """
    colours = np.array([colour[:3] for colour in palette.colours])
    places = np.clip(oklab_of(colours)[:, 0], 0.0, 1.0)
    if in_order:
        free = [n for n in range(len(colours)) if n not in locked]
        ranked = sorted(free, key=lambda n: (float(np.dot(colours[n], REC709_LUMINANCE)), n))
        places[ranked] = np.linspace(0.0, 1.0, len(ranked)) if len(ranked) > 1 else 0.5
    along = colours_at(gradient, 1.0 - places if reverse else places)
    kept = [
        colour if n in locked else (float(new[0]), float(new[1]), float(new[2]), colour[3])
        for n, (colour, new) in enumerate(zip(palette.colours, along, strict=True))
    ]
    return changed(palette, colours=tuple(kept))


def tones(linear: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """OKLab a and b by lightness, which all shades of a colour share, (count, 2), of linear colours (count, 3)."""
    labs = oklab_of(linear)
    return np.asarray(labs[:, 1:] / np.maximum(labs[:, :1], 1e-4))


def shades_like(palette: Palette, base: int, within: float = 0.12) -> tuple[int, ...]:
    """The places of the colours that are lighter and darker shades of one: alike in OKLab a and b per lightness."""
    tone = tones(np.array([colour[:3] for colour in palette.colours]))
    return tuple(int(n) for n in np.flatnonzero(np.linalg.norm(tone - tone[base], axis=1) <= within))


def recoloured(palette: Palette, ramp: Sequence[int], base: int, wanted: tuple[float, ...]) -> Palette:
    """A ramp of shades brought to another base colour: each shade keeps its distance in lightness from the base."""
    first, aim = oklch_from_linear(palette.colours[base][:3]), oklch_from_linear(wanted[:3])
    colours = list(palette.colours)
    for place in ramp:
        lightness, chroma, hue = oklch_from_linear(colours[place][:3])
        light = min(max(aim[0] + lightness - first[0], 0.0), 1.0)
        strength = aim[1] * (chroma / first[1] if first[1] > 1e-6 else 1.0)
        turned = (aim[2] + hue - first[2]) % 360.0 if first[1] > 1e-6 else aim[2]
        red, green, blue = (min(max(p, 0.0), 1.0) for p in linear_from_oklch(in_gamut((light, strength, turned))))
        colours[place] = (red, green, blue, colours[place][3])
    return changed(palette, colours=tuple(colours))


def _luminance(colour: Byte4) -> float:
    return float(np.dot(LINEAR[list(colour[:3])], REC709_LUMINANCE))


def _bytes(colour: Any) -> Byte4:
    red, green, blue, alpha = (int(part) for part in colour)
    return (red, green, blue, alpha)
