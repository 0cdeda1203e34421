"""What documents read at a place: the files of textures, gradients and palettes, and how each is read."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from soft_lantern.formats.materialx.expressions import Sampling
from soft_lantern.formats.materialx.graphs import typed


class PictureFile(Struct, frozen=True):
    """A texture, gradient or palette as documents read it: its file, how it is read, and its texels across."""

    file: str
    sampling: Sampling
    width: int = 1
    height: int = 1

    @property
    def texel(self) -> str:
        """One over its size."""
        return typed("vector2", [1.0 / self.width, 1.0 / self.height]).value


PictureFiles = Callable[[str], PictureFile]
"""Gives what is read by its id; of what is not there, one without a file."""
