"""Numbers and pictures of a page in one block of bytes, compressed; the page's own table says what lies where.

Pictures are put down channel after channel, each texel as the difference to the one at its left: that packs best.
"""

from __future__ import annotations

import base64
import gzip
from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.ramps.images import srgb_of
from soft_lantern.values.images import Image

LARGEST = 1024
"""Texels across a picture: larger ones go out in a smaller copy."""
_LARGEST_SHARED = 65_024.0
_BIAS = 15

Row = dict[str, Any]


class Packing:
    """The block as it grows. What is put in twice lies there once."""

    def __init__(self) -> None:
        self.images: list[Row] = []
        self._numbers: dict[tuple[int, object], Row] = {}
        self._known: dict[tuple[int, bool], int] = {}
        self._held: list[object] = []
        self._pieces: list[bytes] = []
        self._end = 0

    def numbers(self, of: object, what: object, made: Callable[[], npt.NDArray[Any]]) -> Row:
        """Where the numbers lie that something has under some name: floats of 32 bits, or whole ones."""
        key = id(of), what
        if key not in self._numbers:
            array = made()
            kind = "f4" if array.dtype.kind == "f" else "u4"
            self._held.append(of)
            self._numbers[key] = {"at": self._put(np.ascontiguousarray(array, kind).tobytes()), "count": array.size}
        return self._numbers[key]

    def image(self, image: Image, *, radiance: bool = False) -> int:
        """The number of a picture. `radiance`: linear and never negative, three parts with a shared exponent each."""
        key = id(image), radiance
        if key not in self._known:
            self._held.append(image)
            form, planes = _radiance(image.texels) if radiance else _texels(_small(image))
            row = {"width": planes.shape[1], "height": planes.shape[0], "form": form, "at": self._put(_packed(planes))}
            self._known[key] = len(self.images)
            self.images.append(row | {"filter": image.filter, "wrap": image.wrap})
        return self._known[key]

    def text(self) -> str:
        """The whole block, compressed, as base64. The same each time."""
        return base64.b64encode(gzip.compress(b"".join(self._pieces), 6, mtime=0)).decode()

    def _put(self, data: bytes) -> int:
        at = self._end
        self._pieces.append(data + b"\0" * (-len(data) % 4))
        self._end += len(self._pieces[-1])
        return at


def _packed(planes: npt.NDArray[np.uint8]) -> bytes:
    return np.diff(planes, axis=1, prepend=np.zeros_like(planes[:, :1])).transpose(2, 0, 1).tobytes()


def _small(image: Image) -> Image:
    """An image, or its first smaller copy that is not too large to send."""
    largest = max(image.width, image.height)
    if largest <= LARGEST or not image.levels:
        return image
    texels = image.levels[int(np.ceil(np.log2(largest / LARGEST))) - 1]
    if image.texels.dtype.kind != "f":
        encoded = texels.copy()
        if image.encoding == "colour":
            rows = texels[..., :3].reshape(-1, 3).astype(np.float64)
            encoded[..., :3] = srgb_of(rows).reshape(*texels.shape[:2], 3)
        texels = np.rint(np.clip(encoded, 0, 1) * 255).astype(np.uint8)
    return Image(texels, image.encoding, image.filter, image.wrap)


def _texels(image: Image) -> tuple[str, npt.NDArray[np.uint8]]:
    if image.texels.dtype == np.uint8:
        return ("srgb" if image.encoding == "colour" else "bytes"), image.texels
    halves = np.clip(image.linear(), -_LARGEST_SHARED, _LARGEST_SHARED).astype(np.float16)
    return "halves", halves.view(np.uint8).reshape(*halves.shape[:2], 8)


def _radiance(texels: npt.NDArray[np.floating]) -> tuple[str, npt.NDArray[np.uint8]]:
    """Red, green and blue of 8 bits, and the exponent of 2 that all three are multiplied by."""
    linear = np.clip(texels[..., :3].astype(np.float64), 0, _LARGEST_SHARED)
    brightest = np.maximum(np.maximum(linear[..., 0], linear[..., 1]), linear[..., 2])
    exponent = np.maximum(-_BIAS + 1, np.floor(np.log2(np.maximum(brightest, 1e-30))) + 1)
    exponent += np.rint(brightest * 2.0 ** (8 - exponent)) > 255
    parts = np.rint(linear * 2.0 ** (8 - exponent)[..., None])
    return "radiance", np.concatenate([parts, (exponent + _BIAS)[..., None]], axis=2).astype(np.uint8)
