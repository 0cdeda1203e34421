"""Edits of gradients, gradients fitted to colours, and what baking one into a row of texels costs in width.

Errors are ΔE OK, the distance in OKLab (CSS Color 4, section 17), where they are about looks, and of linear light in
255ths where they are about texels.
"""

from __future__ import annotations

import itertools
from collections import deque
from typing import Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import AlphaStop, Gradient, Stop, changed
from soft_lantern.graph.ramps.images import Colours, colours_at, in_order, oklab_of

FIT_PLACES = 129
"""Places along a line of colours at which a fitted gradient may have stops."""
WIDTHS = (2, 4, 8, 16, 32, 64, 128, 256, 512, 1024)
ENOUGH = 1 / 255
FEWEST_COMPARED = 256
"""Steps at which even the shortest row is compared with its gradient."""
Mixing = Literal["linear", "srgb", "oklab", "oklch"]
STRAIGHT: tuple[Mixing, ...] = ("oklab", "linear", "srgb")
"""Spaces in which two stops may be all that a line of colours needs."""
JUST_BEFORE = 1e-9


def reversed_(gradient: Gradient) -> Gradient:
    """The gradient the other way round; each way between two stops keeps its shape, turned round."""
    stops = in_order(gradient)
    turned = {"ease in": "ease out", "ease out": "ease in"}
    result = []
    for place, stop in enumerate(reversed(stops)):
        before = stops[len(stops) - 2 - place] if place < len(stops) - 1 else stop
        shape = turned.get(before.shape, before.shape)
        result.append(changed(stop, at=1.0 - stop.at, shape=shape if place < len(stops) - 1 else "linear"))
    alphas = tuple(AlphaStop(at=1.0 - stop.at, alpha=stop.alpha) for stop in reversed(gradient.alphas))
    return changed(gradient, stops=tuple(result), alphas=alphas)


def spaced_evenly(gradient: Gradient) -> Gradient:
    """The gradient with its stops at equal distances, in their order, from 0 to 1."""
    stops = in_order(gradient)
    last = max(len(stops) - 1, 1)
    return changed(gradient, stops=tuple(changed(stop, at=place / last) for place, stop in enumerate(stops)))


def mirrored(gradient: Gradient) -> Gradient:
    """The gradient there in the first half, and back in the second."""
    stops = in_order(gradient)
    back = in_order(reversed_(gradient))
    there = [changed(stop, at=stop.at / 2) for stop in stops]
    again = [changed(stop, at=0.5 + stop.at / 2) for stop in back]
    if there and again and there[-1].at == again[0].at:
        there[-1] = changed(there[-1], shape=again[0].shape)
        again = again[1:]
    halves = [changed(stop, at=stop.at / 2) for stop in gradient.alphas]
    alphas = (*halves, *(changed(stop, at=1.0 - stop.at) for stop in reversed(halves)))
    return changed(gradient, stops=(*there, *again), alphas=alphas)


def rotated(gradient: Gradient, by: float) -> Gradient:
    """The gradient moved along by a share of its length, what leaves at one end coming in at the other."""
    by %= 1.0
    if by == 0.0 or not gradient.stops:
        return gradient
    seam_low, seam_high = colours_at(gradient, [1.0 - by - JUST_BEFORE, 1.0 - by])
    stops = [changed(stop, at=(stop.at + by) % 1.0) for stop in gradient.stops]
    ends = [Stop(at=0.0, colour=_four(seam_high)), Stop(at=1.0, colour=_four(seam_low))]
    first, last = colours_at(gradient, [0.0, 1.0])
    seam = [Stop(at=by, colour=_four(last)), Stop(at=by, colour=_four(first))]
    kept = [stop for stop in stops if abs(stop.at - by) > JUST_BEFORE and stop.at > 0.0]
    return changed(gradient, stops=tuple(sorted([ends[0], *kept, *seam, ends[1]], key=lambda stop: stop.at)))


def fitted_gradient(colours: npt.ArrayLike, tolerance: float, gradient: Gradient) -> tuple[Gradient, float]:
    """A gradient with the fewest stops that keeps to a line of linear RGBA colours, and its largest ΔE OK.

    `colours`: (count, 4), evenly spaced from 0 to 1, taken at up to FIT_PLACES places. `gradient`: whose name and id
    it has; it mixes in OKLab, or as two stops do that keep to it in another space. Raises BadValue where there are no
    colours, or any is not finite.
    """
    given = np.asarray(colours, np.float64).reshape(-1, 4)
    if len(given) == 0 or not np.isfinite(given).all():
        raise BadValue("a gradient is fitted to at least one colour, all of them finite")
    count = min(len(given), FIT_PLACES)
    places = np.linspace(0.0, 1.0, count) if count > 1 else np.zeros(1)
    old = np.linspace(0.0, 1.0, len(given)) if len(given) > 1 else np.zeros(1)
    taken = np.stack([np.interp(places, old, given[:, part]) for part in range(4)], axis=1)
    points = np.column_stack([oklab_of(taken[:, :3]), taken[:, 3]])
    straight = [_through_places(gradient, mixing, places, taken, [0, count - 1]) for mixing in STRAIGHT]
    fitted = next((each for each in straight if fit_error(each, given) <= tolerance), None)
    fitted = fitted or _through_places(gradient, "oklab", places, taken, _fewest(points, tolerance))
    return fitted, fit_error(fitted, given)


def fit_error(gradient: Gradient, colours: Colours) -> float:
    """How far a gradient is at most from evenly spaced linear RGBA colours: ΔE OK, or the difference in alpha."""
    found = colours_at(gradient, np.linspace(0.0, 1.0, len(colours)) if len(colours) > 1 else [0.0])
    apart = np.linalg.norm(oklab_of(found[:, :3]) - oklab_of(colours[:, :3]), axis=1)
    return float(max(apart.max(), np.abs(found[:, 3] - colours[:, 3]).max()))


def _through_places(gradient: Gradient, mixing: Mixing, places: Colours, taken: Colours, chosen: list[int]) -> Gradient:
    """The gradient with stops at some of the places."""
    stops = tuple(Stop(at=float(places[n]), colour=_four(taken[n])) for n in dict.fromkeys(chosen))
    return changed(gradient, stops=stops, mixing=mixing, alphas=())


def _fewest(points: Colours, tolerance: float) -> list[int]:
    """The fewest places, first and last among them, between which straight ways stay within the tolerance."""
    last = len(points) - 1
    came_from = {0: -1}
    waiting = deque([0])
    while waiting and last not in came_from:
        start = waiting.popleft()
        for end in range(last, start, -1):
            if end not in came_from and _keeps(points, start, end, tolerance):
                came_from[end] = start
                waiting.append(end)
    chosen, at = [], last
    while at >= 0:
        chosen.append(at)
        at = came_from[at]
    return chosen[::-1]


def _keeps(points: Colours, start: int, end: int, tolerance: float) -> bool:
    share = np.linspace(0.0, 1.0, end - start + 1)[:, None]
    straight = points[start] + (points[end] - points[start]) * share
    apart = points[start : end + 1] - straight
    return bool(np.linalg.norm(apart[:, :3], axis=1).max() <= tolerance and np.abs(apart[:, 3]).max() <= tolerance)


# Baking


class WidthError(Struct, frozen=True):
    """What a baked row of so many texels differs by at most from the gradient, in linear light, and where."""

    width: int
    error: float
    at: float


def baked_row(gradient: Gradient, width: int) -> Colours:
    """The texels of a row, (width, 4) linear: the first and last are the gradient's ends."""
    return colours_at(gradient, np.linspace(0.0, 1.0, width) if width > 1 else [0.5])


def row_coordinate(row: int, rows: int) -> float:
    """v of a row's middle among so many, counted from the top."""
    return (row + 0.5) / rows


def column_coordinate(at: npt.ArrayLike, width: int) -> Colours:
    """u at which a row is read for a place from 0 to 1: from the middle of the first texel to that of the last."""
    return 0.5 / width + np.clip(np.asarray(at, np.float64), 0.0, 1.0) * (1.0 - 1.0 / width)


def read_row(row: Colours, at: npt.ArrayLike) -> Colours:
    """What the linear filter gives of a row at places from 0 to 1, by the half-texel rule."""
    where = np.clip(np.asarray(at, np.float64), 0.0, 1.0) * (len(row) - 1)
    left = np.minimum(where.astype(int), max(len(row) - 2, 0))
    share = (where - left)[:, None]
    right = row[np.minimum(left + 1, len(row) - 1)]
    return np.asarray(row[left] * (1 - share) + right * share)


def width_error(gradient: Gradient, width: int) -> WidthError:
    """How far a baked row of a width is from the gradient. Beside a jump, within a texel of it, nothing is asked."""
    return WidthError(width, *row_error(gradient, baked_row(gradient, width)))


def row_error(gradient: Gradient, row: Colours) -> tuple[float, float]:
    """How far a row of linear texels, as it is read, is from the gradient at most, and where."""
    at = _compared_at(gradient, len(row))
    return _apart(gradient, row, at, colours_at(gradient, at))


def _compared_at(gradient: Gradient, width: int) -> Colours:
    """Where a row of that width is compared with its gradient: each texel's middle, between them, and every stop."""
    between = max(4, -(-FEWEST_COMPARED // max(width - 1, 1)))
    even = np.linspace(0.0, 1.0, max(width - 1, 1) * between + 1)
    return np.union1d(even, np.clip([*(s.at for s in gradient.stops), *(a.at for a in gradient.alphas)], 0.0, 1.0))


def _apart(gradient: Gradient, row: Colours, at: Colours, exact: Colours) -> tuple[float, float]:
    """The same, where the gradient's colours at those places are known."""
    apart = np.abs(read_row(row, at) - exact).max(axis=1)
    for jump in jumps(gradient):
        apart[np.abs(at - jump) <= 1.0 / max(len(row) - 1, 1)] = 0.0
    worst = int(apart.argmax())
    return float(apart[worst]), float(at[worst])


def jumps(gradient: Gradient) -> list[float]:
    """Where the gradient changes at once: at the end of a held colour, or where two stops stand in one place."""
    stops = in_order(gradient)
    pairs = itertools.pairwise(stops)
    return [b.at for a, b in pairs if a.colour != b.colour and (a.shape == "constant" or a.at == b.at)]


def width_advice(gradient: Gradient) -> tuple[list[WidthError], int | None]:
    """The error of each usual width, and the least width under 1/255; None where none of them is."""
    asked = [_compared_at(gradient, width) for width in WIDTHS]
    places = [*asked, *(np.linspace(0.0, 1.0, width) for width in WIDTHS)]
    known = np.split(colours_at(gradient, np.concatenate(places)), np.cumsum([len(at) for at in places])[:-1])
    rows = zip(WIDTHS, asked, known, known[len(WIDTHS) :], strict=False)
    errors = [WidthError(width, *_apart(gradient, row, at, exact)) for width, at, exact, row in rows]
    least = next((each.width for each in errors if each.error < ENOUGH), None)
    return errors, least


def _four(colour: npt.ArrayLike) -> tuple[float, float, float, float]:
    red, green, blue, alpha = (float(part) for part in np.asarray(colour))
    return (red, green, blue, alpha)
