"""The textures of Mothlight Terraces, all made by code; every one of them repeats without a seam."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Field = npt.NDArray[np.float64]
Texels = npt.NDArray[np.uint8]
SIZE = 256


def ripples(cell: float, seed: int) -> Texels:
    """A normal map of small waves, as texels of RGB."""
    return _normals(_field(cell, seed, 3.6), 0.6)


def stone(low: tuple[int, int, int], high: tuple[int, int, int], cell: float, seed: int) -> Texels:
    """Mottled stone between two sRGB colours."""
    return _between(low, high, _field(cell, seed, 2.3))


def grain(cell: float, seed: int, strength: float = 1.0) -> Texels:
    """The relief of a rough surface, as a normal map."""
    return _normals(_field(cell, seed, 2.4), strength * 0.5)


def threads(low: tuple[int, int, int], high: tuple[int, int, int], count: int, seed: int) -> Texels:
    """Fine lines that wander, as in crackled glaze."""
    field = _field(5.0, seed, 3.4)
    return _between(low, high, np.abs(np.sin(np.pi * count * field)) ** 0.35)


def three_masks(seed: int) -> Texels:
    """Three masks in red, green and blue: a belt, drips from above, and patches. Pure channels keep them apart."""
    u, v = np.meshgrid((np.arange(SIZE) + 0.5) / SIZE, (np.arange(SIZE) + 0.5) / SIZE)
    rough = _field(6.0, seed, 1.6)
    belt = _soft(0.04, np.abs(v - 0.52 - 0.04 * np.sin(u * 2 * np.pi * 6)) - 0.07)
    drips = _soft(0.03, v - 0.14 - 0.16 * _field(12.0, seed + 1, 2.5)[:1]) * (1 - belt)
    patches = (1 - _soft(0.05, rough - 0.62)) * (1 - belt) * (1 - drips)
    return (np.dstack([belt, drips, patches]) * 255).round().astype(np.uint8)


def _soft(width: float, away: Field) -> Field:
    """1 inside, where `away` is below 0, falling over a width."""
    return np.asarray(np.clip(0.5 - away / width, 0, 1))


def _field(cell: float, seed: int, slope: float) -> Field:
    """Smooth random heights in 0–1 that repeat, their waves about `cell` times across, weaker the finer they are."""
    random = np.random.default_rng(seed)
    across = np.fft.fftfreq(SIZE, 1 / SIZE)
    size = np.hypot(*np.meshgrid(across, across))
    weight = np.where(size > 0, np.exp(-((cell / np.maximum(size, 1e-9)) ** 2)) / np.maximum(size, 1.0) ** slope, 0)
    field = np.fft.ifft2(np.fft.fft2(random.normal(size=(SIZE, SIZE))) * weight).real
    return np.asarray((field - field.min()) / (field.max() - field.min()))


def _between(low: tuple[int, int, int], high: tuple[int, int, int], t: Field) -> Texels:
    return np.asarray((np.array(low) + (np.array(high) - np.array(low)) * t[..., None]).round(), np.uint8)


def _normals(height: Field, strength: float) -> Texels:
    """Tangent-space normals of a relief: x along u, y against v."""
    scale = strength * SIZE / 16
    rise_u = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) * scale
    rise_v = (np.roll(height, -1, axis=0) - np.roll(height, 1, axis=0)) * scale
    normal = np.dstack([-rise_u, rise_v, np.ones_like(height)])
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    return np.asarray((normal * 127.5 + 127.5).round(), np.uint8)
