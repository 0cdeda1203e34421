"""Images as textures: texels, how they are decoded, filtered and wrapped, and how a graph reads them.

Row 0 is the top, v runs downwards as in glTF 2.0. Reading gives linear RGBA.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from soft_lantern.values.colour import srgb_to_linear

Encoding = Literal["colour", "data"]
Filter = Literal["linear", "nearest"]
Wrap = Literal["repeat", "clamp", "mirror"]


@dataclass(frozen=True, eq=False)
class Image:
    """Texels (height, width, 4) of 8 or 16 bits or floats. `encoding` "colour": RGB is sRGB-encoded, unless floats.

    `filter` and `wrap` are glTF's LINEAR and NEAREST; REPEAT, CLAMP_TO_EDGE and MIRRORED_REPEAT.
    """

    texels: npt.NDArray[Any]
    encoding: Encoding = "colour"
    filter: Filter = "linear"
    wrap: Wrap = "repeat"

    @property
    def width(self) -> int:
        return int(self.texels.shape[1])

    @property
    def height(self) -> int:
        return int(self.texels.shape[0])

    @property
    def bound(self) -> tuple[float, float]:
        """The lowest and highest value of any texel."""
        if self.texels.dtype.kind != "f":
            return 0.0, 1.0
        finite = self.texels[np.isfinite(self.texels)]
        return (float(finite.min()), float(finite.max())) if finite.size else (0.0, 0.0)

    def linear(self) -> npt.NDArray[np.float32]:
        """Every texel decoded to linear RGBA, (height, width, 4)."""
        return _decoded(self.texels, self.encoding)

    def read(self, uv: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
        """Linear RGBA (4, n) at coordinates (2, n), filtered after decoding (glTF 2.0, section 3.8.4)."""
        uv = np.nan_to_num(uv.astype(np.float32), nan=0.0, posinf=0.0, neginf=0.0)
        x, y = uv[0] * np.float32(self.width), uv[1] * np.float32(self.height)
        if self.filter == "nearest":
            return self._texel(np.floor(x), np.floor(y)).T
        x, y = x - np.float32(0.5), y - np.float32(0.5)
        left, top = np.floor(x), np.floor(y)
        across, down = (x - left)[:, None], (y - top)[:, None]
        upper = self._texel(left, top) * (1 - across) + self._texel(left + 1, top) * across
        lower = self._texel(left, top + 1) * (1 - across) + self._texel(left + 1, top + 1) * across
        return np.ascontiguousarray((upper * (1 - down) + lower * down).T)

    def _texel(self, x: npt.NDArray[np.float32], y: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        column, row = (_wrapped(at, size, self.wrap) for at, size in ((x, self.width), (y, self.height)))
        return _decoded(self.texels[row, column], self.encoding)


def _wrapped(at: npt.NDArray[np.float32], size: int, wrap: Wrap) -> npt.NDArray[np.int64]:
    whole = at.astype(np.int64)
    if wrap == "repeat":
        return whole % size
    if wrap == "mirror":
        there_and_back = whole % (2 * size)
        return np.minimum(there_and_back, 2 * size - 1 - there_and_back)
    return np.clip(whole, 0, size - 1)


def _decoded(texels: npt.NDArray[Any], encoding: Encoding) -> npt.NDArray[np.float32]:
    if texels.dtype.kind == "f":
        return texels.astype(np.float32)
    steps = np.iinfo(texels.dtype).max
    if encoding == "data":
        return texels.astype(np.float32) / np.float32(steps)
    decoded: npt.NDArray[np.float32] = _curve(steps)[texels]
    decoded[..., 3] = texels[..., 3].astype(np.float32) / np.float32(steps)
    return decoded


@functools.cache
def _curve(steps: int) -> npt.NDArray[np.float32]:
    """Linear light of every sRGB code of that many steps (IEC 61966-2-1)."""
    return np.array([srgb_to_linear(code / steps) for code in range(steps + 1)], np.float32)


MISSING = Image(np.full((1, 1, 4), 255, np.uint8) // np.array([2, 2, 2, 1], np.uint8), "data")
"""What stands in for a texture that is not chosen or cannot be read: even mid-grey."""
