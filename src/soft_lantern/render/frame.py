"""What a picture holds: everything a renderer needs, and nothing of the document. Frames are immutable."""

from __future__ import annotations

import functools
from typing import Protocol

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from soft_lantern.ir.expr import Expr
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.surface_inputs import OF_OBJECT
from soft_lantern.render.shadow import ShadowView
from soft_lantern.scene.mesh import Indices, Matrix, Mesh
from soft_lantern.scene.transforms import Camera
from soft_lantern.values.images import Image

MOST_ORDERED = 200_000
"""Triangles above which what blends is drawn in the order of its file."""
FRAME_STEP = 1 / 60
"""Seconds from one frame to the next."""

UniformValue = tuple[float, ...] | Image
"""The components of a uniform, or the image a sampler reads."""
Pixels = npt.NDArray[np.uint8]
LinearPixels = npt.NDArray[np.float32]


class Paint(Struct, frozen=True):
    """What colours a mesh: linear RGBA as an expression, and the value of each uniform in it.

    `offset`: how far each vertex is moved in world space, in metres. `masked`: pixels of alpha under ½ are left out.
    `hidden_in`: the ids of the cut-outs inside whose volumes nothing of it is drawn.
    """

    colour: Expr
    uniforms: dict[str, UniformValue] = field(default_factory=dict)
    names: dict[Expr, str] = field(default_factory=dict)
    offset: Expr | None = None
    masked: bool = False
    hidden_in: frozenset[str] = frozenset()


class Item(Struct, frozen=True):
    """A mesh in its object's own space, what the object brings to `ir.surface_inputs.OF_OBJECT`, and its paint.

    Late ones are drawn after all others, in order: blended over what is there, or reading the depth of it.
    `culled`: triangles seen from inside are left out. `cuts`: the id of the cut-out whose volume the mesh encloses.
    `shown`: whether it is drawn at all. `prop`: it belongs to the stage, not to the scene.
    `light`: the values of the uniforms that its baked light is read by.
    """

    mesh: Mesh
    inputs: dict[str, tuple[float, ...]]
    paint: Paint
    blended: bool = False
    late: bool = False
    culled: bool = False
    casts_shadow: bool = False
    receives_shadow: bool = True
    cuts: str = ""
    shown: bool = True
    prop: bool = False
    light: dict[str, UniformValue] = field(default_factory=dict)

    @property
    def uniforms(self) -> dict[str, UniformValue]:
        """The values of the uniforms in its paint."""
        return {"stage:receives_shadow": (float(self.receives_shadow),), **self.light, **self.paint.uniforms}

    @property
    def matrix(self) -> Matrix:
        """From the object's own space to the world, 4×4."""
        matrix = np.eye(4)
        for column, name in enumerate(("object_x", "object_y", "object_z", "object_position")):
            matrix[:3, column] = self.inputs[name]
        return matrix

    @property
    def mirrored(self) -> bool:
        """Whether the object is scaled so that its triangles turn the other way round (glTF 2.0, section 3.5.2)."""
        return bool(np.linalg.det(self.matrix) < 0)


class Frame(Struct, frozen=True, dict=True):
    """A whole picture. `backdrop` colours what no item covers; `display` turns linear pixels into the screen's.

    `uniforms`: values of uniforms that all paints share, such as the light's. `shadow`: where shadows fall from.
    `glow`: how much of what is brighter than white spreads around it. `edges`: triangles' edges are drawn over them.
    `shown_at`: the size in pixels at which a picture that is drawn smaller is looked at; a renderer that can enlarge it
    beside the window's thread hands it over so.
    """

    size: tuple[int, int]
    camera: Camera
    items: tuple[Item, ...]
    backdrop: Paint
    display: Expr
    time: float = 0.0
    samples: int = 0
    uniforms: dict[str, UniformValue] = field(default_factory=dict)
    shadow: ShadowView | None = None
    glow: float = 0.0
    edges: bool = False
    shown_at: tuple[int, int] = (0, 0)

    def order(self, item: Item) -> Indices:
        """The triangles of an item as they are drawn: of what blends, the farthest first, as far as middles tell."""
        triangles = item.mesh.triangles
        if not item.blended or item.prop or len(triangles) > MOST_ORDERED:
            return triangles
        middles = item.mesh.middles @ item.matrix[:3, :3].T + item.matrix[:3, 3]
        away = (middles - self.camera.position) @ self.camera.view[2, :3]
        return triangles[np.argsort(away, kind="stable")]

    @property
    def casters(self) -> list[Item]:
        """What throws shadows."""
        return [item for item in self.items if item.casts_shadow]

    def volumes(self, item: Item) -> list[Item]:
        """The cut-outs inside whose volumes nothing of an item is drawn."""
        return [other for other in self.items if other.cuts and other.cuts in item.paint.hidden_in]

    @functools.cached_property
    def inputs(self) -> dict[str, tuple[float, ...]]:
        """What the frame brings to `ir.surface_inputs.OF_FRAME`."""
        return frame_inputs(self.camera, self.size, self.time)


def frame_inputs(camera: Camera, size: tuple[int, int], time: float = 0.0) -> dict[str, tuple[float, ...]]:
    """What a frame brings to every surface point, by the names of `ir.surface_inputs.OF_FRAME`."""
    return {
        "camera_position": _three(camera.position),
        "camera_right": _three(camera.view[0, :3]),
        "camera_up": _three(camera.view[1, :3]),
        "camera_range": camera.range,
        "picture_size": (float(size[0]), float(size[1])),
        "time": (time,),
        "time_step": (FRAME_STEP,),
    }


def placed_inputs(matrix: Matrix) -> dict[str, tuple[float, ...]]:
    """Where a thing under a matrix stands, by the names of `ir.surface_inputs.OF_OBJECT`; the rest as it defaults."""
    given = {name: tuple(map(float, INPUTS[name].default)) for name in OF_OBJECT}
    columns = {"object_x": 0, "object_y": 1, "object_z": 2, "object_position": 3}
    return given | {name: _three(matrix[:3, column]) for name, column in columns.items()}


def _three(vector: Matrix) -> tuple[float, ...]:
    return float(vector[0]), float(vector[1]), float(vector[2])


class Picture(Struct, frozen=True):
    """A finished picture: (height, width, 4), top row first.

    `linear` is before the display step, and always as large as it was drawn.
    """

    pixels: Pixels
    linear: LinearPixels
    seconds: float


class Renderer(Protocol):
    """What draws frames. Not thread-safe: keep each on the thread that made it."""

    name: str
    device: str
    driver: str
    """What draws on the device, with its version."""
    smooths: bool
    """Whether it draws edges smoother where a frame asks for samples."""

    @property
    def compiled(self) -> int:
        """How many programs were built so far."""

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame. Raises LanternError where it cannot be drawn, NoGraphics where nothing can."""

    def release(self) -> None:
        """Give back what the renderer holds; it draws no more."""
