"""Images as textures: texels, how they are decoded, filtered and wrapped, and how a graph reads them.

Row 0 is the top, v runs downwards as in glTF 2.0. Reading gives linear RGBA.
"""

from __future__ import annotations

import functools
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.values.colour import srgb_to_linear

Encoding = Literal["colour", "data"]
Filter = Literal["linear", "nearest"]
Wrap = Literal["repeat", "clamp", "mirror"]


class Image(Struct, frozen=True, eq=False, dict=True, weakref=True):
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

    @functools.cached_property
    def bound(self) -> tuple[float, float]:
        """The lowest and highest value of any texel."""
        if self.texels.dtype.kind != "f":
            return 0.0, 1.0
        finite = self.texels[np.isfinite(self.texels)]
        return (float(finite.min()), float(finite.max())) if finite.size else (0.0, 0.0)

    def linear(self) -> npt.NDArray[np.float32]:
        """Every texel decoded to linear RGBA, (height, width, 4)."""
        return _decoded(self.texels, self.encoding)

    @functools.cached_property
    def levels(self) -> tuple[npt.NDArray[np.float32], ...]:
        """Smaller and smaller linear copies, each texel the mean of 2 × 2 of the one before; none for "nearest"."""
        if self.filter == "nearest":
            return ()
        found, last = [], self.linear()
        while max(last.shape[:2]) > 1:
            last = _halved(last)
            found.append(last)
        return tuple(found)

    def read(self, uv: npt.NDArray[Any], level: npt.NDArray[Any] | None = None) -> npt.NDArray[np.float32]:
        """Linear RGBA (4, n) at coordinates (2, n), filtered after decoding (glTF 2.0, section 3.8.4).

        `level` (n,): from which of the smaller copies; between two of them, both are mixed.
        """
        uv = np.nan_to_num(uv.astype(np.float32), nan=0.0, posinf=0.0, neginf=0.0)
        if level is None or not level.any() or not self.levels:
            return self._read_level(uv, 0).T
        count = max(uv.shape[1], len(level))
        uv, at = np.broadcast_to(uv, (2, count)), np.broadcast_to(np.nan_to_num(level.astype(np.float32)), count)
        at = np.clip(at, 0, len(self.levels))
        lower = np.floor(at).astype(np.int64)
        found = np.zeros((count, 4), np.float32)
        for each in np.unique(lower):
            here = lower == each
            part = (at[here] - each)[:, None]
            read = self._read_level(uv[:, here], int(each))
            if part.any():
                read = read * (1 - part) + self._read_level(uv[:, here], min(int(each) + 1, len(self.levels))) * part
            found[here] = read
        return np.ascontiguousarray(found.T)

    def _read_level(self, uv: npt.NDArray[np.float32], level: int) -> npt.NDArray[np.float32]:
        """Linear RGBA (n, 4) from one of the copies; 0 is the image itself."""
        height, width = self.levels[level - 1].shape[:2] if level else (self.height, self.width)
        x, y = uv[0] * np.float32(width), uv[1] * np.float32(height)
        if self.filter == "nearest":
            return self._texel(np.floor(x), np.floor(y), level)
        x, y = x - np.float32(0.5), y - np.float32(0.5)
        left, top = np.floor(x), np.floor(y)
        across, down = (x - left)[:, None], (y - top)[:, None]
        upper = self._texel(left, top, level) * (1 - across) + self._texel(left + 1, top, level) * across
        lower = self._texel(left, top + 1, level) * (1 - across) + self._texel(left + 1, top + 1, level) * across
        return np.asarray(upper * (1 - down) + lower * down, np.float32)

    def _texel(self, x: npt.NDArray[np.float32], y: npt.NDArray[np.float32], level: int) -> npt.NDArray[np.float32]:
        height, width = self.levels[level - 1].shape[:2] if level else (self.height, self.width)
        column, row = (_wrapped(at, size, self.wrap) for at, size in ((x, width), (y, height)))
        return self.levels[level - 1][row, column] if level else _decoded(self.texels[row, column], self.encoding)


def _halved(texels: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Half as wide and high, at least 1; of an odd side the last row or column falls away."""
    for axis in (0, 1):
        half = texels.shape[axis] // 2
        if half:
            pairs = texels.take(range(half * 2), axis)
            shape = (half, 2, *texels.shape[1:]) if axis == 0 else (texels.shape[0], half, 2, texels.shape[2])
            texels = pairs.reshape(shape).mean(axis=axis + 1, dtype=np.float32)
    return texels


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
