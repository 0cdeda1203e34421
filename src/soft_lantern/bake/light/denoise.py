"""Noise taken off light maps: each texel a weighted mean of its neighbours on the same surface.

An edge-avoiding wavelet on the maps (Dammertz et al., "Edge-Avoiding À-Trous Wavelet Transform for fast Global
Illumination Filtering", 2010): neighbours count by how near they are in space, how alike they face, and how alike
their light is beside what the noise explains.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from soft_lantern.bake.light.surfaces import Floats, Whole

ROUNDS = 3
KERNEL = (1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16)


def denoised(
    size: tuple[int, int], numbers: Whole, light: Floats, points: Floats, normals: Floats, noise: Floats, texel: float
) -> tuple[Floats, Floats]:
    """Light (k, c) of the texels of those numbers with less noise, and the standard error that is left, (k,).

    `points`, `normals`: (k, 3) in the world; `noise`: (k,) standard error of the light's mean over channels; `texel`:
    metres across one.
    """
    width, height = size
    row_of = np.full((height, width), -1, np.int64)
    row_of.reshape(-1)[numbers] = np.arange(len(numbers))
    x, y = numbers % width, numbers // width
    found, spread = light, _smoothed(noise, row_of, x, y)
    for round_ in range(ROUNDS):
        step = 1 << round_
        level = found.mean(axis=1)
        total, weights, left = np.zeros_like(found), np.zeros(len(numbers), np.float32), np.zeros_like(spread)
        for dy, across in enumerate(KERNEL, -2):
            for dx, along in enumerate(KERNEL, -2):
                other = row_of[np.clip(y + dy * step, 0, height - 1), np.clip(x + dx * step, 0, width - 1)]
                here = np.flatnonzero(other >= 0)
                there = other[here]
                way = points[there] - points[here]
                near = np.einsum("ni,ni->n", way, way) / np.float32((3 * step * texel) ** 2)
                alike = np.maximum(np.einsum("ni,ni->n", normals[here], normals[there]), 0) ** np.float32(16)
                # How far apart two texels may be and still be the same light: what their noise explains.
                apart = np.abs(level[here] - level[there]) / (spread[here] + spread[there] + 1e-6)
                weight = np.float32(across * along) * np.exp(-near - apart).astype(np.float32) * alike
                weights[here] += weight
                total[here] += found[there] * weight[:, None]
                left[here] += (weight * spread[there]) ** 2
        weights = np.maximum(weights, 1e-12)
        found = np.asarray(total / weights[:, None], np.float32)
        spread = np.asarray(np.sqrt(left) / weights, np.float32)
    return found, spread


def _smoothed(noise: Floats, row_of: Whole, x: Whole, y: Whole) -> Floats:
    """The noise of each texel with that of its neighbours: told by few samples, one texel's own says little."""
    height, width = row_of.shape
    total, count = np.zeros_like(noise), np.zeros_like(noise)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            other = row_of[np.clip(y + dy, 0, height - 1), np.clip(x + dx, 0, width - 1)]
            here = np.flatnonzero(other >= 0)
            total[here] += noise[other[here]] ** 2
            count[here] += 1
    return np.asarray(np.sqrt(total / count), np.float32)


def relative_noise(light: npt.NDArray[np.floating], noise: npt.NDArray[np.floating]) -> float:
    """The standard error over texels beside their mean light: 0 without noise, near 1 where nothing can be told."""
    mean = float(np.mean(light)) if light.size else 0.0
    return float(np.sqrt(np.mean(np.square(noise, dtype=np.float64)))) / mean if mean > 0 else 0.0
