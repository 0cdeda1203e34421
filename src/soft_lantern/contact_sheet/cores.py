"""The pictures of a contact sheet drawn on all cores, each in a process of its own with a renderer of its own."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import active_children, get_context

import numpy as np
import numpy.typing as npt

from soft_lantern.contact_sheet.sheet import Cell, draw, frame_maker
from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.graph.document import Project
from soft_lantern.processes import serve, unsignalled
from soft_lantern.progress import Progress, silent
from soft_lantern.render.choose import renderer_for
from soft_lantern.render.frame import Renderer
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

Pixels = npt.NDArray[np.uint8]
EACH = 4
"""Pictures a process takes at a time."""
WORTH_IT = 12
"""Pictures for each process below which starting it takes longer than it saves."""


def draw_on_all_cores(
    project: Project,
    listed: Sequence[Cell],
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    size: tuple[int, int],
    backend: str | None = None,
    progress: Progress = silent,
    cores: int | None = None,
) -> list[Pixels]:
    """The pictures of all cells, in order. Raises Cancelled between two, NoGraphics as `renderer_for` does."""
    count = min(cores or os.cpu_count() or 1, len(listed) // WORTH_IT)
    if count < 2:
        renderer, _ = renderer_for(backend)
        try:
            return [p.pixels for p in draw(project, listed, models, images, size, renderer, progress)]
        finally:
            renderer.release()
    found: dict[int, list[Pixels]] = {}
    given = (project, dict(models), dict(images), size, backend)
    pool = ProcessPoolExecutor(count, get_context("spawn"), _begin, given)
    try:
        starts = range(0, len(listed), EACH)
        with unsignalled():
            waiting = {pool.submit(_drawn, list(listed[start : start + EACH])): start for start in starts}
        progress(0.0, f"Drawing {len(listed)} pictures on {count} cores")
        for done in as_completed(waiting):
            found[waiting[done]] = done.result()
            taken = sum(len(each) for each in found.values())
            progress(taken / len(listed), f"Drawing on {count} cores, {taken} of {len(listed)}")
    except BrokenProcessPool as error:
        raise LanternError("a process that drew the sheet was ended from outside") from error
    except BaseException:  # cancelled, or told to end: nobody waits for what is half drawn
        for process in active_children():
            process.terminate()
        raise
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
    return [picture for start in sorted(found) for picture in found[start]]


class _Worker:
    """What one process draws with."""

    project: Project
    models: Mapping[str, Model]
    images: Mapping[str, Image]
    size: tuple[int, int]
    renderer: Renderer
    lowered_materials: LoweredMaterials


def _begin(
    project: Project,
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    size: tuple[int, int],
    backend: str | None,
) -> None:
    serve()
    os.environ.setdefault("LP_NUM_THREADS", "1")  # a software driver is not to take every core for itself as well
    _Worker.project, _Worker.models, _Worker.images, _Worker.size = project, models, images, size
    try:
        _Worker.renderer, _ = renderer_for(backend)
    except NoGraphics:
        _Worker.renderer, _ = renderer_for("soft")
    _Worker.lowered_materials = LoweredMaterials()


def _drawn(listed: list[Cell]) -> list[Pixels]:
    worker = _Worker
    known = (worker.size, worker.lowered_materials, worker.images)
    makers = [frame_maker(worker.project, cell, worker.models, *known) for cell in listed]
    return [worker.renderer.render(make()).pixels for make in makers]
