"""Spherical harmonics of order 2: nine numbers for what arrives at a point from everywhere.

Ramamoorthi and Hanrahan, "An Efficient Representation for Irradiance Environment Maps" (SIGGRAPH 2001): the real basis,
and the share of each band that a diffuse surface answers, π, 2π/3 and π/4.
"""

from __future__ import annotations

from math import pi, sqrt

import numpy as np
import numpy.typing as npt

COUNT = 9
FLAT, STRAIGHT = 0.5 * sqrt(1 / pi), sqrt(3 / (4 * pi))
PRODUCT, POLAR, SQUARE = 0.5 * sqrt(15 / pi), 0.25 * sqrt(5 / pi), 0.25 * sqrt(15 / pi)
ANSWERED = (1.0, *(2 / 3,) * 3, *(1 / 4,) * 5)
"""What a white diffuse surface sends of each of the nine: the bands' shares of irradiance, over π."""


def basis(directions: npt.NDArray[np.floating]) -> npt.NDArray[np.float32]:
    """The nine functions in unit directions, (n, 9), in the order 00, 1−1, 10, 11, 2−2, 2−1, 20, 21, 22."""
    x, y, z = np.asarray(directions, np.float32).T
    columns = [
        *(np.full_like(x, FLAT), STRAIGHT * y, STRAIGHT * z, STRAIGHT * x),
        *(PRODUCT * x * y, PRODUCT * y * z, POLAR * (3 * z * z - 1), PRODUCT * x * z, SQUARE * (x * x - y * y)),
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def sent_by_white(held: npt.NDArray[np.floating], normals: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
    """Radiance that white diffuse surfaces of unit normals (n, 3) send where (9, c) arrives: (n, c)."""
    weighted = basis(normals).astype(np.float64) * np.array(ANSWERED)
    return np.asarray(weighted @ np.asarray(held, np.float64))
