"""Filling colour layers: by a value, by ramps between points, over the vertices that are chosen."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.errors import BadValue
from soft_lantern.scene.colour_layers import check, in_precision
from soft_lantern.scene.mesh import ColourLayer, Floats, Mesh

CHANNELS = "rgba"


def filled(
    layer: ColourLayer,
    mesh: Mesh,
    values: npt.ArrayLike,
    channels: str = CHANNELS,
    chosen: npt.NDArray[np.bool_] | None = None,
) -> ColourLayer:
    """The layer with some channels set: by one linear RGBA, (4,), or one for each vertex, (n, 4).

    `channels`: letters of "rgba". `chosen`: the vertices that are filled, (n,); None fills all. Raises BadValue where
    the layer does not fit, or a value is not finite.
    """
    check(layer, mesh)
    count = len(mesh.positions)
    given = np.broadcast_to(np.asarray(values, np.float32), (count, 4))
    wanted = np.ones(count, bool) if chosen is None else chosen
    if layer.domain == "corner":
        owners = mesh.triangles.reshape(-1)
        given, wanted = given[owners], wanted[owners]
    made = layer.values.copy()
    for place in (CHANNELS.index(letter) for letter in channels):
        made[wanted, place] = in_precision(given[wanted, place], layer.precision)
    return replace(layer, values=made)


def between(positions: Floats, start: npt.ArrayLike, end: npt.ArrayLike) -> Floats:
    """How far each point is from a start (0) to an end (1) along the line through them, held to 0–1."""
    way = np.subtract(end, start, dtype=np.float64)
    length = float(way @ way)
    if not length > 0:
        raise BadValue("a ramp needs two points that are apart")
    return np.asarray(np.clip((positions - np.asarray(start)) @ way / length, 0.0, 1.0), np.float32)


def around(positions: Floats, centre: npt.ArrayLike, radius: float) -> Floats:
    """How far each point is from a centre (0) to a radius in metres (1), held to 0–1."""
    if not radius > 0:
        raise BadValue("a radial ramp needs a radius above 0")
    away = np.linalg.norm(positions - np.asarray(centre), axis=1)
    return np.asarray(np.clip(away / radius, 0.0, 1.0), np.float32)


def mixed(share: Floats, first: npt.ArrayLike, last: npt.ArrayLike) -> Floats:
    """Linear RGBA for each share from 0, where it is the first, to 1, where it is the last: (n, 4)."""
    a, b = np.asarray(first, np.float32), np.asarray(last, np.float32)
    return np.asarray(a + (b - a) * share[:, None], np.float32)
