"""Sprites in other colours without an index: one colour replaced with its shades, and where a multiplied tint fails.

Pixels are 8-bit sRGB with alpha, (height, width, 4).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.palettes.indexing import LINEAR, Pixels, packed, tones, unpacked
from soft_lantern.graph.ramps.images import oklab_of
from soft_lantern.ir.expr import Expr, Type, const, uniform
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.nodes import LIBRARY
from soft_lantern.values.colour import srgb_bytes
from soft_lantern.values.kinds import components

Linear = tuple[float, ...]
BLACK = 0.15
"""OKLab lightness below which a colour is as good as black."""
_COLOUR = uniform("colour", Type.VEC4)


def replaced(pixels: Pixels, old: Linear, new: Linear, tolerance: float, softness: float) -> Pixels:
    """One colour in place of another, its shades following in proportion, by the node Exchange shades."""
    given = {"wanted": const(*old), "replacement": const(*new), "tolerance": const(tolerance)}
    return _mapped(pixels, "exchange_shades", given | {"softness": const(softness)})


def replaced_all(
    pixels: Pixels,
    pairs: Sequence[tuple[Linear, Linear]],
    held: Sequence[Linear],
    tolerance: float,
    softness: float,
) -> Pixels:
    """Several colours in place of others in one pass: each pixel by the pair whose old colour it is most a shade of.

    What is most a shade of a colour that is held stays as it is. One pass, so that no replacement replaces another's.
    """
    olds = [*held, *(old for old, _ in pairs)]  # a colour that is both is held
    found, which = np.unique(packed(pixels), return_inverse=True)
    colours = np.dstack([unpacked(found)[None], np.full((1, len(found), 1), 255)]).astype(np.uint8)
    own, theirs = tones(LINEAR[colours[0, :, :3]]), tones(np.array([old[:3] for old in olds]))
    nearest = np.linalg.norm(own[:, None] - theirs[None], axis=2).argmin(axis=1)
    table = colours[0, :, :3].copy()
    for place, (old, new) in enumerate(pairs, len(held)):
        made = replaced(colours, old, new, tolerance, softness)[0, :, :3]
        table[nearest == place] = made[nearest == place]
    return np.dstack([table[which.ravel()].reshape(*pixels.shape[:2], 3), pixels[..., 3]]).astype(np.uint8)


def touched(before: Pixels, after: Pixels) -> npt.NDArray[np.bool_]:
    """Where a visible pixel has become another, (height, width)."""
    return np.asarray((before[..., :3] != after[..., :3]).any(axis=2) & (before[..., 3] > 0))


def tinted(pixels: Pixels, tint: Linear) -> Pixels:
    """Every pixel's linear light multiplied by a tint, by the node Multiply tint."""
    return _mapped(pixels, "multiply_tint", {"tint": const(*tint)})


class Failure(Struct, frozen=True):
    """How far a multiplied tint is from the colour that was wanted.

    `black`: the share of the pixels to be replaced that come out as good as black without having been so. `apart`:
    ΔE OK of the replaced colour itself, multiplied, from what was wanted.
    """

    black: float
    apart: float


def tint_failure(pixels: Pixels, old: Linear, new: Linear, tolerance: float, softness: float) -> Failure:
    """What multiplying does to the pixels that replacing would change."""
    meant, got = replaced(pixels, old, new, tolerance, softness), tinted(pixels, new)
    changed_ = touched(pixels, meant)
    product, wanted = oklab_of(np.array([np.multiply(old[:3], new[:3]), new[:3]]))
    apart = float(np.linalg.norm(product - wanted))
    if not changed_.any():
        return Failure(0.0, apart)
    was, now = (oklab_of(LINEAR[each[changed_][:, :3]])[:, 0] for each in (pixels, got))
    return Failure(float(((now < BLACK) & (was >= BLACK)).mean()), apart)


def tint_words(old: Linear, new: Linear) -> str:
    """Why a multiplied tint cannot reach a colour, in numbers of linear light; "" where it can come close."""
    short = [
        f"the old colour holds {had:.2f} of {name}, where {wanted:.2f} is wanted"
        for name, had, wanted in zip(("red", "green", "blue"), old, new, strict=False)
        if wanted > 0.02 and had * wanted < 0.75 * wanted and wanted - had * wanted > 0.02
    ]
    return f"{short[0][:1].upper()}{'; '.join(short)[1:]}: a multiply can only take away" if short else ""


def _mapped(pixels: Pixels, node: str, given: dict[str, Expr]) -> Pixels:
    """The image with a node acting on each of its distinct colours; alpha is kept."""
    node_type = LIBRARY[node]
    typed = {p.name: const(*components(p.default)) for p in node_type.inputs if p.default is not None}
    settings = {s.name: s.default for s in node_type.settings}
    (expr, *_) = node_type.apply({**typed, **given, "colour": _COLOUR}, settings).values()
    found, which = np.unique(packed(pixels), return_inverse=True)
    linear = np.column_stack([LINEAR[unpacked(found)], np.ones(len(found))])
    value = as_rows(evaluate([expr], {"colour": linear.T}, np.float64)[expr], len(found))
    table = np.array([srgb_bytes((*row[:3], 1.0))[:3] for row in np.clip(value, 0.0, 1.0)], np.uint8)
    return np.dstack([table[which.ravel()].reshape(*pixels.shape[:2], 3), pixels[..., 3]]).astype(np.uint8)
