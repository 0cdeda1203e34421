"""Skies made by code: linear radiance from every direction, and the sun that goes with each.

A radiance of 1 makes a white diffuse surface that it lights from everywhere show as white.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.document import Environment, Sun, Vector
from soft_lantern.scene.mesh import Matrix

Radiance = npt.NDArray[np.float32]
WIDTH, HEIGHT = 1024, 512
"""Texels of a sky's panorama."""


class Sky(Struct, frozen=True):
    """Radiance from unit directions (n, 3), as linear RGB (n, 3), without the sun's own disc; and the sun, if any."""

    radiance: Callable[[Matrix], Matrix]
    sun: Sun | None


def sun_of(environment: Environment) -> Sun | None:
    """The sun of an environment, turned with it; None where none shines."""
    sun = environment.sun or own_sun(environment.sky)
    if sun is None or sun.strength <= 0 or max(sun.colour) <= 0:
        return None
    return Sun(
        azimuth=sun.azimuth + environment.rotation, elevation=sun.elevation, colour=sun.colour, strength=sun.strength
    )


def own_sun(sky: str) -> Sun | None:
    """The sun that comes with an own sky."""
    return SKIES[sky].sun if sky in SKIES else None


def toward(azimuth: float, elevation: float) -> Matrix:
    """The unit direction of an azimuth from +z toward +x and an elevation, in degrees."""
    turn, rise = np.radians(azimuth), np.radians(elevation)
    return np.array([np.sin(turn) * np.cos(rise), np.sin(rise), np.cos(turn) * np.cos(rise)])


def panorama(sky: str) -> Radiance:
    """An own sky as an equirectangular panorama, (height, width, 3): its middle lies along −z, row 0 is up."""
    directions = panorama_directions(WIDTH, HEIGHT)
    found = SKIES[sky].radiance(directions.reshape(-1, 3).astype(np.float64))
    return np.ascontiguousarray(found.reshape(HEIGHT, WIDTH, 3), np.float32)


def panorama_directions(width: int, height: int) -> npt.NDArray[np.float32]:
    """The unit direction through each texel of a panorama, (height, width, 3)."""
    across = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    down = (np.arange(height) + 0.5) / height * np.pi
    out = np.sin(down)[:, None]
    parts = (np.sin(across) * out, np.broadcast_to(np.cos(down)[:, None], (height, width)), -np.cos(across) * out)
    return np.stack(parts, axis=2).astype(np.float32)


def _blend(low: Vector, high: Vector, t: Matrix) -> Matrix:
    return np.asarray(np.array(low) + (np.array(high) - np.array(low)) * t[:, None])


def _round(d: Matrix, azimuth: float, elevation: float, degrees: float) -> Matrix:
    """A round glow about a direction: 1 in its middle, half at so many degrees from it."""
    cosine = d @ toward(azimuth, elevation)
    return np.asarray(np.exp(np.log(0.5) * (1 - cosine) / (1 - np.cos(np.radians(degrees)))))


def _soft_step(low: float, high: float, x: Matrix) -> Matrix:
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _over_ground(d: Matrix, sky: Matrix, ground: Matrix | Vector) -> Matrix:
    above = _soft_step(-0.02, 0.02, d[:, 1])[:, None]
    return np.asarray(sky * above + np.asarray(ground) * (1 - above))


_NOON = Sun(azimuth=43.0, elevation=49.0, colour=(1.0, 0.92, 0.8), strength=1.35)
_DUSK = Sun(azimuth=64.0, elevation=14.0, colour=(1.0, 0.5, 0.24), strength=0.8)
_MOON = Sun(azimuth=-35.0, elevation=52.0, colour=(0.55, 0.68, 1.0), strength=0.14)


def _clear_noon(d: Matrix) -> Matrix:
    height = np.clip(d[:, 1], 0, 1)
    sky = _blend((0.62, 0.74, 0.88), (0.13, 0.27, 0.62), height**0.55)
    sky += _round(d, _NOON.azimuth, _NOON.elevation, 14)[:, None] * np.array([0.55, 0.5, 0.4])
    return _over_ground(d, sky, _blend((0.30, 0.28, 0.25), (0.15, 0.13, 0.11), np.clip(-d[:, 1], 0, 1)))


def _dusk(d: Matrix) -> Matrix:
    height = np.clip(d[:, 1], 0, 1)
    flat = toward(_DUSK.azimuth, 0)
    facing = (d @ flat) * 0.5 + 0.5
    horizon = _blend((0.20, 0.14, 0.26), (1.05, 0.42, 0.16), facing**2)
    sky = horizon + (np.array([0.05, 0.07, 0.19]) - horizon) * (1 - (1 - height) ** 3)[:, None]
    sky += _round(d, _DUSK.azimuth, _DUSK.elevation, 10)[:, None] * np.array([1.3, 0.55, 0.2])
    return _over_ground(d, sky, (0.075, 0.06, 0.07))


_LAMPS = ((-150.0, 12.0), (-118.0, 7.0), (-64.0, 16.0), (-20.0, 9.0), (28.0, 13.0), (75.0, 6.0), (112.0, 18.0))


def _night_with_lamps(d: Matrix) -> Matrix:
    height = np.clip(d[:, 1], 0, 1)
    sky = _blend((0.030, 0.036, 0.066), (0.006, 0.010, 0.026), height**0.5)
    sky += _round(d, _MOON.azimuth, _MOON.elevation, 3)[:, None] * np.array([0.3, 0.36, 0.5])
    glow = np.zeros(len(d))
    for azimuth, elevation in _LAMPS:
        glow += 14 * _round(d, azimuth, elevation, 2.2) + 0.22 * _round(d, azimuth, elevation, 12)
    lit = glow[:, None] * np.array([1.0, 0.58, 0.22])
    return np.asarray(_over_ground(d, sky, (0.018, 0.016, 0.017)) + lit)


def _overcast(d: Matrix) -> Matrix:
    """The CIE standard overcast sky: three times as bright overhead as at the horizon (Moon and Spencer, 1942)."""
    height = np.clip(d[:, 1], 0, 1)
    sky = (0.95 * (1 + 2 * height) / 3)[:, None] * np.array([0.94, 0.98, 1.04])
    return _over_ground(d, sky, (0.17, 0.16, 0.15))


def _studio_soft(d: Matrix) -> Matrix:
    """Three soft boxes in a grey room."""
    room = _blend((0.10, 0.10, 0.105), (0.30, 0.30, 0.31), d[:, 1] * 0.5 + 0.5)
    azimuth, elevation = np.degrees(np.arctan2(d[:, 0], d[:, 2])), np.degrees(np.arcsin(np.clip(d[:, 1], -1, 1)))
    boxes = ((-48.0, 38.0, 30.0, 22.0, (5.2, 5.0, 4.7)), (70.0, 18.0, 16.0, 32.0, (2.1, 2.2, 2.4)))
    for middle, height, half_across, half_up, light in boxes:
        across = np.abs((azimuth - middle + 180) % 360 - 180)
        inside = _soft_step(half_across + 4, half_across - 4, across) * _soft_step(
            half_up + 4, half_up - 4, np.abs(elevation - height)
        )
        room = room + inside[:, None] * np.array(light)
    overhead = _soft_step(0.93, 0.965, d[:, 1])[:, None] * np.array([3.0, 3.0, 3.0])
    return np.asarray(room + overhead)


def _neutral_grey(d: Matrix) -> Matrix:
    return np.full((len(d), 3), 0.6)


SKIES: dict[str, Sky] = {
    "clear noon": Sky(_clear_noon, _NOON),
    "dusk": Sky(_dusk, _DUSK),
    "night with lamps": Sky(_night_with_lamps, _MOON),
    "overcast": Sky(_overcast, None),
    "studio soft": Sky(_studio_soft, None),
    "neutral grey": Sky(_neutral_grey, None),
}
"""The skies that come with the application, by the names that scenes keep."""
