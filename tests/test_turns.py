"""Work beside a window waits while another thread has the turn, and not for long."""

from __future__ import annotations

import threading
import time

import numpy as np

from soft_lantern import turns
from soft_lantern.ir.expr import Op, Type, const, input_, make
from soft_lantern.ir.numpy_reader import Evaluation


def test_work_on_another_thread_waits_for_the_turn_and_goes_on_after_it() -> None:
    steps: list[float] = []
    over = threading.Event()

    def work() -> None:
        value = input_("height", Type.FLOAT)
        for number in range(400):
            value = make(Op.ADD, value, const(float(number)))
        while not over.is_set():
            Evaluation().update([value], {"height": np.zeros(1, np.float32)})
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
        done = len(steps)
        ended = time.monotonic()
    assert len([each for each in steps[:done] if began < each < ended]) <= 1  # what was at its very end
    with turns.taken():
        time.sleep(5 * turns.LONGEST)
        assert len(steps) > done  # a turn that goes on for long holds nothing up
    over.set()
    thread.join(10)
    turns.give_way()
