"""Processes that unfold meshes and follow light, one a core: both would keep a window's thread waiting.

They begin at once and take a while to; what they are to do is said when it is known. They load no more than they need.
"""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Generator, Sequence
from hashlib import sha1
from multiprocessing import get_context
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from typing import TYPE_CHECKING, cast

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.bake.light.surfaces import Floats, Surfaces
from soft_lantern.bake.light.tracing import Gathered, Sky, Starts, Tracer
from soft_lantern.errors import LanternError
from soft_lantern.processes import serve, unsignalled
from soft_lantern.progress import Progress
from soft_lantern.scene.mesh import Indices

if TYPE_CHECKING:
    from soft_lantern.bake.light.charts import Charts, Texels

Given = tuple[Surfaces, Sky | None, Sequence[Starts], int, int]
"""What light meets, the sky, where it is gathered, the seed, and the most bounces."""
Found = list[Gathered]
"""What one unit of samples gave at each of the starts."""


class Cores:
    """So many processes, from now until `close`; none where one is enough."""

    def __init__(self, count: int | None = None) -> None:
        self.count = count or os.cpu_count() or 1
        self._lines: dict[Connection, int] = {}
        self._one_at_a_time = threading.Lock()
        self._processes: list[BaseProcess] = []
        context = get_context("spawn")
        with unsignalled():
            for _ in range(self.count if self.count > 1 else 0):
                mine, other = context.Pipe()
                process = context.Process(target=_work, args=(other,), daemon=True)
                process.start()
                other.close()
                self._processes.append(process)
                self._lines[mine] = -1

    def __enter__(self) -> Cores:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """End them, whatever they are at."""
        for line in self._lines:
            line.close()
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            process.join(5)
        self._lines, self._processes = {}, []

    def followed(
        self, given: Given, units: Sequence[range], progress: Progress
    ) -> Generator[tuple[Found, range], None, None]:
        """What each unit of samples gave, in order. Raises LanternError where a process is gone."""
        if self.count < 2:
            follow = _follower(given)
            for unit in units:
                yield follow(unit), unit
            return
        ready: dict[int, Found] = {}
        waiting, following = list(range(len(units))), 0
        try:
            for line in self._lines:
                line.send(given)
                self._hand_out(line, waiting, units)
            while following < len(units):
                progress(following / len(units), "Baking light")
                for told in wait(list(self._lines), 0.1):
                    line = cast(Connection, told)
                    ready[self._lines[line]] = line.recv()
                    self._hand_out(line, waiting, units)
                while following in ready:
                    yield ready.pop(following), units[following]
                    following += 1
        except (EOFError, OSError) as error:
            raise LanternError("a process that followed light was ended from outside") from error

    def unfolded(self, asked: Sequence[Meshes], progress: Progress) -> list[Unfolded]:
        """Charts and texels of each of several lists of meshes, with how many texels a metre of them has.

        What was unfolded before is remembered. Raises LanternError where a process is gone, what `progress` does.
        """
        with self._one_at_a_time:
            return self._unfolded(asked, progress)

    def _unfolded(self, asked: Sequence[Meshes], progress: Progress) -> list[Unfolded]:
        keys = [_key(each) for each in asked]
        missing = [n for n, key in enumerate(keys) if key not in _kept and keys.index(key) == n]
        if self.count < 2:
            for number in missing:
                progress(0.0, "Unfolding")
                _remember(keys[number], _unfold(asked[number]))
        else:
            try:
                self._unfold_on_all(missing, asked, keys, progress)
            except (EOFError, OSError) as error:
                raise LanternError("a process that unfolded meshes was ended from outside") from error
        return [_kept[key] for key in keys]

    def _unfold_on_all(self, missing: list[int], asked: Sequence[Meshes], keys: list[str], progress: Progress) -> None:
        waiting, busy = sorted(missing, key=lambda n: -_size(asked[n])), dict[Connection, int]()
        count = len(waiting)
        while waiting or busy:
            for line in self._lines:
                if waiting and line not in busy:
                    busy[line] = waiting.pop(0)
                    line.send(asked[busy[line]])
            progress(1 - (len(waiting) + len(busy)) / count, "Unfolding meshes into light maps")
            for told in wait(list(busy), 0.1):
                line = cast(Connection, told)
                _remember(keys[busy.pop(line)], line.recv())

    def _hand_out(self, line: Connection, waiting: list[int], units: Sequence[range]) -> None:
        if waiting:
            self._lines[line] = waiting.pop(0)
            line.send(units[self._lines[line]])


class Meshes(Struct, frozen=True, eq=False):
    """What shares one light map: points in the world, (n, 3) in metres, and triangles of each mesh."""

    meshes: tuple[tuple[Floats, Indices], ...]
    texels_per_metre: float


Unfolded = tuple["Charts", "Texels"]
REMEMBERED = 64
"""Light maps whose charts are remembered."""
_kept: OrderedDict[str, Unfolded] = OrderedDict()


def _remember(key: str, found: Unfolded) -> None:
    _kept[key] = found
    while len(_kept) > REMEMBERED:
        _kept.popitem(last=False)


def _key(asked: Meshes) -> str:
    digest = sha1(repr(asked.texels_per_metre).encode())
    for points, triangles in asked.meshes:
        digest.update(points.tobytes())
        digest.update(triangles.tobytes())
    return digest.hexdigest()


def _size(asked: Meshes) -> int:
    return sum(len(triangles) for _, triangles in asked.meshes)


def _unfold(asked: Meshes) -> Unfolded:
    from soft_lantern.bake.light.charts import (  # slow to import, and not for every process
        seams_of,
        texels_of,
        unfolded,
    )

    charts = unfolded(asked.meshes, asked.texels_per_metre)
    texels = texels_of(charts)
    return charts, replace(texels, seams=seams_of(charts, asked.meshes, texels))


def _follower(given: Given) -> Callable[[range], Found]:
    """What follows a unit of samples from all starts."""
    surfaces, sky, starts, seed, bounces = given
    tracer = Tracer(surfaces, sky)
    return lambda unit: [tracer.gather(each, unit, seed + n, bounces) for n, each in enumerate(starts)]


def _work(line: Connection) -> None:
    """What a process does: unfold, take in what light meets, follow unit after unit, until nobody is there any more."""
    serve()
    os.nice(5)  # the window comes first
    follow: Callable[[range], Found] | None = None
    try:
        while True:
            asked = line.recv()
            if isinstance(asked, Meshes):
                line.send(_unfold(asked))
            elif isinstance(asked, range):
                assert follow
                line.send(follow(asked))
            else:
                follow = _follower(asked)
    except (EOFError, OSError, KeyboardInterrupt):
        return
