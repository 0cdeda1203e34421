"""Processes that follow light, one a core: embree's rays would keep a window's thread waiting.

They begin at once and take a while to; what they are to do is said when it is known. This module is all they load.
"""

from __future__ import annotations

import os
from collections.abc import Generator, Sequence
from multiprocessing import get_context
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from typing import cast

from soft_lantern.bake.light.surfaces import Surfaces
from soft_lantern.bake.light.tracing import Gathered, Sky, Starts, Tracer
from soft_lantern.errors import LanternError
from soft_lantern.processes import serve, unsignalled
from soft_lantern.progress import Progress

Given = tuple[Surfaces, Sky | None, Sequence[Starts], int, int]
"""What light meets, the sky, where it is gathered, the seed, and the most bounces."""
Found = list[Gathered]
"""What one unit of samples gave at each of the starts."""


class Cores:
    """So many processes, from now until `close`; none where one is enough."""

    def __init__(self, count: int | None = None) -> None:
        self.count = count or os.cpu_count() or 1
        self._lines: dict[Connection, int] = {}
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
            surfaces, sky, starts, seed, bounces = given
            tracer = Tracer(surfaces, sky)
            for unit in units:
                yield _gathered(tracer, starts, unit, seed, bounces), unit
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

    def _hand_out(self, line: Connection, waiting: list[int], units: Sequence[range]) -> None:
        if waiting:
            self._lines[line] = waiting.pop(0)
            line.send(units[self._lines[line]])


def _gathered(tracer: Tracer, starts: Sequence[Starts], unit: range, seed: int, bounces: int) -> Found:
    return [tracer.gather(each, unit, seed + number, bounces) for number, each in enumerate(starts)]


def _work(line: Connection) -> None:
    """What a process does: take the surfaces, then follow unit after unit until nobody is there any more."""
    serve()
    os.nice(5)  # the window comes first
    try:
        surfaces, sky, starts, seed, bounces = line.recv()
        tracer = Tracer(surfaces, sky)
        while True:
            line.send(_gathered(tracer, starts, line.recv(), seed, bounces))
    except (EOFError, OSError, KeyboardInterrupt):
        return
