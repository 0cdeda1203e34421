"""Processes and threads that work for this one: they end with it, hear no signals of its, and let hands go first."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import threading
from collections.abc import Iterator
from pathlib import Path

_ENDING = (signal.SIGINT, signal.SIGTERM)
_PR_SET_PDEATHSIG = 1
_NICE = 10
"""Where all cores are wanted, such work gets a tenth of what a window's thread does."""


@contextlib.contextmanager
def unsignalled() -> Iterator[None]:
    """Hear of signals only afterwards: half of what a process is given would make it complain."""
    before = signal.pthread_sigmask(signal.SIG_BLOCK, _ENDING)  # as those begun meanwhile have it too
    heard: list[int] = []
    handlers = {}
    if threading.current_thread() is threading.main_thread():
        # Another thread of this process may be the one that hears: what follows from it happens in this one.
        handlers = {number: signal.signal(number, lambda which, _: heard.append(which)) for number in _ENDING}
    try:
        yield
    finally:
        for number, handler in handlers.items():
            signal.signal(number, handler)
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
        for each in heard:
            signal.raise_signal(each)


def let_go_first(named: str) -> None:
    """Put threads of this process behind all others: those whose names, as the system has them, begin so."""
    for thread in Path("/proc/self/task").iterdir():
        with contextlib.suppress(OSError):  # it may end meanwhile
            if (thread / "comm").read_text().startswith(named):
                os.setpriority(os.PRIO_PROCESS, int(thread.name), _NICE)


def serve() -> None:
    """In a process just begun: end with the one that began it, however that went, and leave its signals to it."""
    os.nice(_NICE)
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() == 1:
        os._exit(143)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it is the parent that hears the person
    signal.pthread_sigmask(signal.SIG_UNBLOCK, _ENDING)
