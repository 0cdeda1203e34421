"""Measures a graph: the value of every wire over a buffer of points, from one pass, and what it comes to.

The same pass gives the thumbnails, the range strips, the histograms and the trace.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.lowering import Lowered
from soft_lantern.ir.expr import Expr, Type
from soft_lantern.ir.numpy_reader import Array, Evaluation, leaf
from soft_lantern.ir.statistics import Statistics, statistics_of
from soft_lantern.render.frame import UniformValue
from soft_lantern.render.points import Points, at_time
from soft_lantern.values.colour import linear_to_srgb
from soft_lantern.values.kinds import Kind

BINS = 64
BELOW, ABOVE, NOT_FINITE = (70, 110, 255), (255, 90, 60), (255, 0, 220)
"""What clip view hatches with: below 0, above 1, and infinite or not a number."""


class Measured(Struct, frozen=True, eq=False):
    """One pass: reach and value of every output by "node.port", and on which points."""

    points: Points
    statistics: dict[str, Statistics]
    values: dict[str, Array]
    time: float

    def histogram(self, wire: str) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64]]:
        """Counts of finite values in 64 equal bins for each component, (components, 64), and the bins' edges."""
        values = np.atleast_2d(self.values[wire])
        reach = self.statistics[wire]
        least = max(1e-6, abs(reach.low) * 1e-4)  # a constant gets one bin of a span that floats can divide
        span = (reach.low, max(reach.high, reach.low + least))
        rows = [np.histogram(row[np.isfinite(row)], BINS, span) for row in values]
        return np.stack([counts for counts, _ in rows]), rows[0][1]

    def thumbnail(self, wire: str, kind: Kind, *, clip_view: bool = False) -> npt.NDArray[np.uint8]:
        """A wire as a picture, (height, width, 4): numbers as grey, colours in their own colour, vectors as RGB.

        Values are linear and held to 0–1; in clip view what is not within is hatched instead.
        """
        return pictured(self.points, self.values[wire], kind, self.statistics[wire], clip_view=clip_view)

    def at(self, pixel: int) -> dict[str, tuple[float, ...]]:
        """Every wire's components at one of the points, by its place in `points.pixels`."""
        return {wire: components_at(value, pixel) for wire, value in self.values.items()}


class Measuring:
    """Measures one graph again and again, computing only what changed."""

    def __init__(self) -> None:
        self._evaluation = Evaluation()
        self._points: Points | None = None
        self._leaves: dict[str, tuple[UniformValue, Array]] = {}
        self._reaches: dict[Expr, Statistics] = {}

    def measure(self, lowered: Lowered, uniforms: Mapping[str, UniformValue], points: Points, time: float) -> Measured:
        """The graph's wires over the points at a moment."""
        leaves = at_time(points, time) | {name: self._leaf(name, parts) for name, parts in uniforms.items()}
        if points is not self._points:
            self._evaluation, self._reaches, self._points = Evaluation(), {}, points
        wires = {wire: expr for wire, expr in lowered.wires.items() if expr.type is not Type.SAMPLER}
        measured, kept = set(wires.values()), {}

        def seen(expr: Expr, value: Array) -> None:
            if expr in measured:
                kept[expr] = statistics_of(value)

        values = self._evaluation.update([*wires.values(), *lowered.surface.values()], leaves, seen)
        for expr in measured.difference(kept):
            kept[expr] = self._reaches.get(expr) or statistics_of(values[expr])
        self._reaches = kept
        statistics = {wire: kept[expr] for wire, expr in wires.items()}
        return Measured(points, statistics, {w: values[e] for w, e in wires.items()}, time)

    def _leaf(self, name: str, parts: UniformValue) -> Array:
        """A uniform's array: the same one as long as it holds the same."""
        known = self._leaves.get(name)
        if known is None or not (known[0] is parts or (isinstance(parts, tuple) and known[0] == parts)):
            known = self._leaves[name] = (parts, leaf(parts))
        return known[1]


def components_at(value: Array, pixel: int) -> tuple[float, ...]:
    """The components of one point's value in the NumPy reader's layout."""
    rows = np.atleast_2d(value)
    return tuple(float(row[pixel if len(row) > 1 else 0]) for row in rows)


def pictured(
    points: Points, value: Array, kind: Kind, known: Statistics | None = None, *, clip_view: bool = False
) -> npt.NDArray[np.uint8]:
    """Values at the points as a picture of the points' size; see `Measured.thumbnail`. `known`: what they come to."""
    rows = np.atleast_2d(value)
    tame = known is not None and not known.not_finite and max(-known.low, known.high) < _TAME
    steps = _steps(rows[:3] if len(rows) > 1 else rows, tame=tame)
    if len(steps) == 1:
        packed = _GREY.take(steps[0], mode="clip")
    else:
        packed = _RED.take(steps[0], mode="clip")
        for table, row in zip((_GREEN, _BLUE), steps[1:], strict=False):
            packed |= table.take(row, mode="clip")
    if packed.size == points.count == points.size[0] * points.size[1]:
        picture: npt.NDArray[np.uint32] = packed
    else:
        picture = np.zeros(points.size[0] * points.size[1], "<u4")
        picture[slice(None) if points.count == len(picture) else points.pixels] = packed
    shown = picture.view(np.uint8).reshape(-1, 4)
    if clip_view:
        _hatch(shown, points, rows if kind is not Kind.COLOUR else rows[:3])
    return shown.reshape(points.size[1], points.size[0], 4)


def _hatch(picture: npt.NDArray[np.uint8], points: Points, rows: Array) -> None:
    """Stripes that differ in direction as well as colour, so that colour is not the only sign."""
    x, y = points.pixels % points.size[0], points.pixels // points.size[0]
    finite = np.isfinite(rows).all(axis=0)
    stripes = {
        BELOW: ((rows < -1e-5).any(axis=0), (x + y) % 6 < 3),
        ABOVE: ((rows > 1 + 1e-5).any(axis=0), (x - y) % 6 < 3),
        NOT_FINITE: (~finite, (x // 3 + y // 3) % 2 == 0),
    }
    for colour, (where, stripe) in stripes.items():
        hatched = np.broadcast_to(where, points.pixels.shape)
        picture[points.pixels[hatched & stripe], :3] = colour
        picture[points.pixels[hatched & ~stripe], :3] //= 3


_STEPS = 8192


def _encoding() -> npt.NDArray[np.uint32]:
    """sRGB bytes by the place of linear light in tables: of the nearest of half as many steps, that of the next one.

    So the place is cut off, not rounded, which saves a pass over every picture.
    """
    whole = _STEPS // 2
    curve = np.array([linear_to_srgb(step / whole) for step in range(whole + 1)])
    return np.floor(curve * 255 + 0.5).astype(np.uint32)[(np.arange(_STEPS + 1) + 1) // 2]


_SRGB = _encoding()
_OPAQUE = np.uint32(0xFF000000)
_GREY, _RED = (_SRGB * np.uint32(0x010101)) | _OPAQUE, _SRGB | _OPAQUE
_GREEN, _BLUE = _SRGB << np.uint32(8), _SRGB << np.uint32(16)
"""Pixels of 32 bits, and what a component adds to one, by the steps."""


def encoded(value: Array) -> npt.NDArray[np.uint32]:
    """sRGB bytes, 0 to 255, of linear values held to 0–1; what is not a number shows as black."""
    return _SRGB.take(_steps(value), mode="clip")


_TAME = 1e5
"""Below this a value has a place in tables of steps, be it outside of them."""


def _steps(value: Array, *, tame: bool = False) -> npt.NDArray[np.intp]:
    """The place of each linear value in tables of steps, to be read clipped; of what is no number, the first one.

    `tame`: whether every value is a number that is small enough to have one.
    """
    return ((value if tame else np.fmax(np.minimum(value, 1.0), 0.0)) * _STEPS).astype(np.intp)
