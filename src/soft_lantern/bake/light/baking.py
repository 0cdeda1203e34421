"""A bake from beginning to end: samples shared out among cores, summed, and laid into maps and probes that get better.

Samples are handed out in units of fixed sizes and summed in their order, so the result is the same on any number of
cores.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.charts import Texels, nearest_filled
from soft_lantern.bake.light.cores import Cores, Found
from soft_lantern.bake.light.denoise import denoised, relative_noise
from soft_lantern.bake.light.surfaces import Floats, Surfaces
from soft_lantern.bake.light.tracing import BURIED, Sky, Starts
from soft_lantern.progress import Progress, silent

UNITS = (1, 1, 2)
"""Samples of the first units: a picture soon. Later ones hold UNIT."""
UNIT = 4
TOLD = 0.4
"""Seconds between two pictures of what there is so far."""


class Receiver(Struct, frozen=True, eq=False):
    """What one light map is gathered at: its size, its texels, where those are and how they face in the world."""

    size: tuple[int, int]
    texels: Texels
    points: Floats
    normals: Floats
    texel: float


class Job(Struct, frozen=True, eq=False):
    """All that a bake needs. `receivers` by names of the caller's; `probes`: points (p, 3), round which is gathered.

    `groups` of the surfaces count the sky's as the last where there is one.
    """

    surfaces: Surfaces
    receivers: dict[str, Receiver]
    probes: Floats
    sky: Sky | None = None
    samples: int = 64
    bounces: int = 4
    seed: int = 1
    denoise: bool = True


class Lit(Struct, frozen=True, eq=False):
    """What a bake has so far. `maps`: radiance of a white diffuse surface by receiver and group, (h, w, groups, 3).

    `probes`: (p, groups, 9, 3) coefficients. `noise`: the standard error beside the mean.
    """

    maps: dict[str, Floats]
    probes: Floats
    samples: int
    noise: float
    seconds: float = 0.0
    finished: bool = False


class Hold(Struct, eq=False):
    """By which a bake is made to wait, from any thread."""

    going: threading.Event = field(default_factory=threading.Event)

    def __post_init__(self) -> None:
        self.going.set()


def bake(
    job: Job,
    cores: Cores,
    told: Callable[[Lit], object] | None = None,
    progress: Progress = silent,
    hold: Hold | None = None,
) -> Lit:
    """The light of a job; `told` hears of better and better states of it. Raises Cancelled, and nothing goes on."""
    sums = _Sums(job)
    started, last = time.perf_counter(), 0.0
    given = (job.surfaces, job.sky, (sums.starts, sums.around), job.seed, job.bounces)
    waited = 0.0
    with contextlib.closing(cores.followed(given, list(units_of(job.samples)), progress)) as work:
        for found, unit in work:
            sums.take(found, unit)
            if hold and not hold.going.is_set():
                paused = time.perf_counter()
                while not hold.going.wait(0.1):
                    progress(sums.samples / job.samples, "Baking light: held")
                waited += time.perf_counter() - paused
            now = time.perf_counter() - started - waited
            left = now / sums.samples * (job.samples - sums.samples)
            known = f", {left:.0f} s to go" if sums.samples > 2 else ""
            progress(sums.samples / job.samples, f"Baking light{known}")
            if told and sums.samples < job.samples and (now - last > TOLD or sums.samples == 1):
                last = now
                told(sums.lit(now, denoise=False))
    return sums.lit(time.perf_counter() - started - waited, denoise=job.denoise, finished=True)


def units_of(samples: int) -> Iterator[range]:
    """The numbers of samples, in the units they are handed out in."""
    start = 0
    sizes = iter(UNITS)
    while start < samples:
        size = min(next(sizes, UNIT), samples - start)
        yield range(start, start + size)
        start += size


class _Sums:
    """What was gathered so far, over all receivers and probes."""

    def __init__(self, job: Job) -> None:
        self.job = job
        held = list(job.receivers.values())
        none = np.zeros((0, 3), np.float32)
        points, normals = ([getattr(each, name) for each in held] for name in ("points", "normals"))
        self.starts = Starts(np.concatenate([none, *points]), np.concatenate([none, *normals]))
        self.around = Starts(np.ascontiguousarray(job.probes, np.float32).reshape(-1, 3))
        groups = job.surfaces.groups
        self.samples = 0
        self.light = np.zeros((self.starts.count, groups, 3))
        self.squares, self.buried = (np.zeros(self.starts.count) for _ in range(2))
        self.probes = np.zeros((self.around.count, groups, harmonics.COUNT, 3))

    def take(self, found: Found, unit: range) -> None:
        at_texels, around = found
        self.light += at_texels.light
        self.squares += at_texels.squares
        self.buried += at_texels.buried
        self.probes += around.light
        self.samples += len(unit)

    def lit(self, seconds: float, *, denoise: bool, finished: bool = False) -> Lit:
        light = (self.light / self.samples).astype(np.float32)
        mean = light.sum(axis=1).mean(axis=1)
        spread = np.maximum(self.squares / self.samples - mean.astype(np.float64) ** 2, 0)
        noise = np.sqrt(spread / max(self.samples - 1, 1)).astype(np.float32)
        kept = self.buried < BURIED * self.samples
        maps, low = {}, 0
        for name, receiver in self.job.receivers.items():
            part = slice(low, low + len(receiver.points))
            low = part.stop
            if denoise and self.samples > 1 and kept[part].any():
                light[part], noise[part] = _without_noise(receiver, light[part], noise[part], kept[part])
                light[part] = _evened(receiver, light[part], kept[part])
            maps[name] = _laid(receiver, light[part], kept[part])
        probes = (self.probes / self.samples).astype(np.float32)
        return Lit(maps, probes, self.samples, relative_noise(mean[kept], noise[kept]), seconds, finished)


def _without_noise(
    receiver: Receiver, light: Floats, noise: Floats, kept: npt.NDArray[np.bool_]
) -> tuple[Floats, Floats]:
    """One receiver's light and its noise, where it is kept, after taking noise off."""
    numbers, groups = receiver.texels.numbers[kept], light.shape[1]
    flat = light[kept].reshape(-1, groups * 3)
    where = receiver.points[kept], receiver.normals[kept], noise[kept], receiver.texel
    clean, left = denoised(receiver.size, numbers, flat, *where)
    light, noise = light.copy(), noise.copy()
    light[kept], noise[kept] = clean.reshape(-1, groups, 3), left
    return light, noise


SMOOTH = 0.9
"""The cosine between the normals on both sides from which a seam is one in the map alone."""


def _evened(receiver: Receiver, light: Floats, kept: npt.NDArray[np.bool_]) -> Floats:
    """Light that is the same on both sides of a chart's edge where the surface goes on smoothly."""
    a, b = receiver.texels.seams.T
    alike = np.einsum("ni,ni->n", receiver.normals[a], receiver.normals[b]) > SMOOTH
    a, b = (each[alike & kept[a] & kept[b]] for each in (a, b))
    total, count = light.astype(np.float64), np.ones(len(light))
    for one, other in ((a, b), (b, a)):
        np.add.at(total, one, light[other])
        np.add.at(count, one, 1)
    return np.asarray(total / count[:, None, None], np.float32)


def _laid(receiver: Receiver, light: Floats, kept: npt.NDArray[np.bool_]) -> Floats:
    """One light map, full to its edges. Where nothing shows but the inside of something, its neighbours count."""
    width, height = receiver.size
    numbers, groups = receiver.texels.numbers[kept], light.shape[1]
    laid = np.zeros((width * height, groups, 3), np.float32)
    laid[numbers] = light[kept]
    nearest = nearest_filled(receiver.size, numbers)
    return laid[nearest].reshape(height, width, groups, 3)
