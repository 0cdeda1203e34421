"""Processes that work for this one are begun whole, whatever signal comes meanwhile."""

from __future__ import annotations

import signal
import threading
import time
from collections.abc import Iterator

import pytest

from soft_lantern.processes import unsignalled


class Told(Exception):
    """What the program makes of a signal."""


@pytest.fixture
def idle() -> Iterator[threading.Thread]:
    """A thread that has nothing to do and may be the one that hears a signal; told of one, the program stops."""
    over = threading.Event()
    thread = threading.Thread(target=over.wait)
    thread.start()

    def tell(*_: object) -> None:
        raise Told

    before = signal.signal(signal.SIGTERM, tell)
    yield thread
    signal.signal(signal.SIGTERM, before)
    over.set()
    thread.join()


def test_a_signal_that_another_thread_hears_waits_as_well(idle: threading.Thread) -> None:
    whole = False
    with pytest.raises(Told), unsignalled():
        assert idle.ident
        signal.pthread_kill(idle.ident, signal.SIGTERM)
        time.sleep(0.05)  # it is heard in this time
        whole = True
    assert whole
    with pytest.raises(Told):  # and from then on it is heard at once
        signal.raise_signal(signal.SIGTERM)
