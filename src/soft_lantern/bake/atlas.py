"""Gradients baked as rows of one texture, and how far each row is from its gradient.

Row r of n is read at v = (r + 0.5) / n, and along u by the half-texel rule: from the middle of the first texel to that
of the last. Texels are decoded before they are filtered, as glTF 2.0 and sRGB textures of OpenGL have it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Gradient
from soft_lantern.graph.gradients.editing import baked_row, row_coordinate, row_error
from soft_lantern.graph.ramps.images import srgb_of
from soft_lantern.values.images import Encoding, Image

Bits = Literal[8, 16]
WIDEST = 4096


class Row(Struct, frozen=True, eq=False):
    """One gradient in the atlas: its row's middle, and its largest error in linear light, and where along it."""

    gradient: Gradient
    v: float
    error: float
    at: float
    clipped: bool


class Atlas(Struct, frozen=True, eq=False):
    """The texels, (rows, width, 4) of 8 or 16 bits, how they are encoded, and what each row holds."""

    texels: npt.NDArray[Any]
    encoding: Encoding
    bits: int
    rows: tuple[Row, ...]

    @property
    def image(self) -> Image:
        """The atlas as a texture."""
        return Image(self.texels, self.encoding, "linear", "clamp")


def atlas_of(gradients: Sequence[Gradient], width: int, bits: Bits = 8, encoding: Encoding = "colour") -> Atlas:
    """The gradients baked as rows, from the top. What is brighter than white is held to it, and said so.

    Raises BadValue where there is nothing to bake or the width cannot be.
    """
    if not gradients:
        raise BadValue("an atlas needs at least one gradient")
    if not 2 <= width <= WIDEST:
        raise BadValue(f"a row has 2 to {WIDEST} texels, not {width}")
    steps = 2**bits - 1
    rows = []
    texels = np.zeros((len(gradients), width, 4), np.uint8 if bits == 8 else np.uint16)
    for number, gradient in enumerate(gradients):
        linear = baked_row(gradient, width)
        held = np.clip(linear, 0.0, 1.0)
        coded = held.copy()
        if encoding == "colour":
            coded[:, :3] = srgb_of(held[:, :3])
        texels[number] = np.round(coded * steps)
        decoded = Image(texels[number][None], encoding).linear()[0].astype(np.float64)
        error, at = row_error(gradient, decoded)
        v = row_coordinate(number, len(gradients))
        rows.append(Row(gradient, v, error, at, bool((linear[:, :3] > 1.0 + 1e-6).any())))
    return Atlas(texels, encoding, bits, tuple(rows))


def table_of(atlas: Atlas) -> dict[str, Any]:
    """What a reader of the texture must know, for a JSON file beside it."""
    return {
        "width": int(atlas.texels.shape[1]),
        "rows": len(atlas.rows),
        "bits": atlas.bits,
        "encoding": "sRGB" if atlas.encoding == "colour" else "linear",
        "u": "0.5 / width + at * (1 - 1 / width), at from 0 to 1",
        "filter": "linear, clamped, decoded before it is filtered",
        "gradients": [
            {"name": row.gradient.name, "row": n, "v": row.v, "error": row.error, "clipped": row.clipped}
            for n, row in enumerate(atlas.rows)
        ],
    }
