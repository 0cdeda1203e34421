"""What a picture holds: everything a renderer needs, and nothing of the document. Frames are immutable."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
import numpy.typing as npt

from soft_lantern.ir.expr import Expr
from soft_lantern.scene.mesh import Matrix, Mesh
from soft_lantern.scene.transforms import Camera

Pixels = npt.NDArray[np.uint8]
LinearPixels = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Paint:
    """What colours a mesh: linear RGBA as an expression, and the value of each uniform in it."""

    colour: Expr
    uniforms: dict[str, tuple[float, ...]] = field(default_factory=dict)
    names: dict[Expr, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Item:
    """A mesh with its place in the world (4×4), and its paint. Blended ones are drawn after the rest, in order."""

    mesh: Mesh
    matrix: Matrix
    paint: Paint
    blended: bool = False


@dataclass(frozen=True, slots=True)
class Frame:
    """A whole picture. `backdrop` colours what no item covers; `display` turns linear pixels into the screen's."""

    size: tuple[int, int]
    camera: Camera
    items: tuple[Item, ...]
    backdrop: Paint
    display: Expr
    time: float = 0.0
    samples: int = 0


@dataclass(frozen=True, slots=True)
class Picture:
    """A finished picture: (height, width, 4), top row first. `linear` is before the display step."""

    pixels: Pixels
    linear: LinearPixels
    seconds: float


class Renderer(Protocol):
    """What draws frames. Not thread-safe: keep each on the thread that made it."""

    name: str
    device: str
    compiled: int
    """How many programs were built so far."""

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame. Raises LanternError where it cannot be drawn."""
