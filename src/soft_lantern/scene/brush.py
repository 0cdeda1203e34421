"""A brush on a colour layer: dabs along a stroke, none of which covers a place more than the stroke's strength."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.errors import BadValue
from soft_lantern.scene.colour_layers import in_precision
from soft_lantern.scene.filling import CHANNELS
from soft_lantern.scene.mesh import ColourLayer, Floats

Mode = Literal["replace", "add", "subtract", "multiply", "lighten", "darken", "smooth"]
MODES: tuple[Mode, ...] = get_args(Mode)
SPACING = 1 / 3
"""Of the radius, how far dabs are apart along a stroke."""
MOST_DABS = 400
"""Along one way of the hand."""


class Brush(Struct, frozen=True):
    """`radius` in metres; `hardness`: the share of it that is covered fully; `strength`: how much of the effect.

    `flow`: the share of that which one dab gives; less builds up by going over a place again. `colour`: linear RGBA;
    `channels`: letters of "rgba" that are painted. `mirror`: the axis, "x", "y" or "z", across whose plane each dab is
    made again, "" for none. `steady`: metres by which the brush trails behind the hand, which takes its shaking away.
    """

    radius: float
    hardness: float = 0.5
    strength: float = 1.0
    mode: Mode = "replace"
    colour: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    channels: str = CHANNELS
    flow: float = 1.0
    mirror: Literal["", "x", "y", "z"] = ""
    steady: float = 0.0


class Places:
    """Points (n, 3) of a mesh, ready to be found by a brush. For a million that takes a while; any thread may."""

    def __init__(self, points: npt.ArrayLike) -> None:
        from scipy.spatial import cKDTree  # slow to import, and only wanted here

        self.points = np.asarray(points, np.float64)
        self._tree = cKDTree(self.points, balanced_tree=False, compact_nodes=False) if len(self.points) else None

    def near(self, at: npt.NDArray[np.float64], radius: float) -> npt.NDArray[np.int64]:
        """The numbers of the points within a radius."""
        return np.asarray(self._tree.query_ball_point(at, radius) if self._tree else [], np.int64)


class Stroke:
    """From the first dab to the last, over places that a layer holds values for; where some are chosen, over those.

    Raises BadValue.
    """

    def __init__(
        self,
        brush: Brush,
        layer: ColourLayer,
        points: Places | npt.ArrayLike,
        chosen: npt.NDArray[np.bool_] | None = None,
    ) -> None:
        self.brush, self.layer = brush, layer
        self.places = points if isinstance(points, Places) else Places(points)
        self.points = self.places.points
        if not brush.radius > 0:
            raise BadValue("a brush needs a radius above 0")
        if len(self.points) != len(layer.values):
            raise BadValue(f"{layer.name} has {len(layer.values):,} values for {len(self.points):,} points")
        self.values = layer.values.copy()
        self._made = in_precision(self.values, layer.precision)
        self._covered = np.zeros(len(self.points), np.float32)
        self._at: npt.NDArray[np.float64] | None = None
        self._chosen = chosen
        self._channels = np.array([CHANNELS.index(letter) for letter in brush.channels], np.int64)

    def to(self, point: npt.ArrayLike) -> None:
        """Go on to a point, with dabs along the way."""
        there = np.asarray(point, np.float64)
        if self._at is None:
            self._dabs(there)
        else:
            way = there - self._at
            far = float(np.linalg.norm(way))
            if self.brush.steady:
                if far <= self.brush.steady:
                    return
                way *= 1.0 - self.brush.steady / far
            there = self._at + way
            count = int(np.linalg.norm(way) / (self.brush.radius * SPACING)) + 1
            for step in range(1, min(count, MOST_DABS) + 1):
                self._dabs(self._at + way * step / min(count, MOST_DABS))
        self._at = there

    def painted(self) -> ColourLayer:
        """The layer as it is now."""
        return replace(self.layer, values=self._made.copy())

    def _dabs(self, at: npt.NDArray[np.float64]) -> None:
        """One dab, and its mirrored twin."""
        self._dab(at)
        if self.brush.mirror:
            self._dab(at * np.where(np.arange(3) == "xyz".index(self.brush.mirror), -1.0, 1.0))

    def _dab(self, at: npt.NDArray[np.float64]) -> None:
        near = self.places.near(at, self.brush.radius)
        near = near if self._chosen is None else near[self._chosen[near]]
        if len(near):
            self._paint(near, at)
            self._made[near] = in_precision(self.values[near], self.layer.precision)

    def _paint(self, near: npt.NDArray[np.int64], at: npt.NDArray[np.float64]) -> None:
        brush = self.brush
        share = falloff(np.linalg.norm(self.points[near] - at, axis=1) / brush.radius, brush.hardness) * brush.strength
        place = np.ix_(near, self._channels)
        if brush.mode == "smooth":
            now = self.values[place]
            self.values[place] = now + (now.mean(axis=0) - now) * (share * brush.flow)[:, None]
            return
        covered = self._covered[near]
        self._covered[near] = covered + np.maximum(share - covered, 0) * np.float32(brush.flow)
        before = self.layer.values[place]
        wanted = _effect(brush.mode, before, np.asarray(brush.colour, np.float32)[self._channels])
        self.values[place] = before + (wanted - before) * self._covered[near][:, None]


def falloff(share: npt.NDArray[np.float64], hardness: float) -> Floats:
    """How much is covered at a share of the radius: all within the hardness, none at 1, smoothly between."""
    along = np.clip((share - hardness) / max(1.0 - hardness, 1e-6), 0.0, 1.0)
    return np.asarray(1.0 - along * along * (3.0 - 2.0 * along), np.float32)


def _effect(mode: Mode, before: Floats, colour: Floats) -> Floats:
    """What full strength makes of values, (n, k)."""
    if mode == "add":
        return before + colour
    if mode == "subtract":
        return before - colour
    if mode == "multiply":
        return before * colour
    if mode == "lighten":
        return np.maximum(before, colour)
    return np.minimum(before, colour) if mode == "darken" else np.broadcast_to(colour, before.shape)
