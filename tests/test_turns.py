"""Work beside a window waits while another thread has the turn, and not for long."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from soft_lantern import turns
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Scene
from soft_lantern.ir.expr import Op, Type, const, input_, make
from soft_lantern.ir.numpy_reader import Evaluation
from soft_lantern.render.frame import Frame
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.transforms import camera_for

Step = Callable[[], object]
SIZE = (24, 16)


def evaluating(folder: Path) -> Step:
    value = input_("height", Type.FLOAT)
    for number in range(400):
        value = make(Op.ADD, value, const(float(number)))
    return lambda: Evaluation().update([value], {"height": np.zeros(1, np.float32)})


def framing(folder: Path, scene: Scene | None = None) -> Callable[[], Frame]:
    project = open_project(folder).project
    shown, models, lowered = scene or project.scenes["garden"], load_models(project, folder)[0], LoweredMaterials()
    camera = camera_for(shown.view, SIZE)
    return lambda: frame_of(project, shown, models, camera, SIZE, StageOptions(glow=False), lowered)


def drawing(folder: Path) -> Step:
    """A floor, which takes a few milliseconds."""
    frame, renderer = framing(folder, Scene(id="bare", name="Bare"))(), GlRenderer()
    return lambda: renderer.render(frame)


@pytest.mark.parametrize("made", [evaluating, framing, drawing])
def test_work_on_another_thread_waits_for_the_turn_and_goes_on_after_it(
    made: Callable[[Path], Step], _demo_once: Path
) -> None:
    steps: list[float] = []
    over = threading.Event()

    def work() -> None:
        step = made(_demo_once)
        while not over.is_set():
            step()
            steps.append(time.monotonic())

    thread = threading.Thread(target=work)
    thread.start()
    while not steps:
        time.sleep(0.001)
    with turns.taken(), turns.taken():  # one thing is done within another
        time.sleep(0.002)
        began = time.monotonic()
        while time.monotonic() < began + turns.LONGEST / 2:
            turns.give_way()  # whoever has the turn does not wait for itself
            time.sleep(0.001)
        done = len(steps)
        ended = time.monotonic()
    assert len([each for each in steps[:done] if began < each < ended]) <= 1  # what was at its very end
    with turns.taken():
        until = time.monotonic() + 20
        while len(steps) <= done and time.monotonic() < until:
            time.sleep(turns.LONGEST)
        assert len(steps) > done  # a turn that goes on for long holds nothing up
    over.set()
    thread.join(10)
    turns.give_way()
