"""Processes that work for this one: they end when it does, and hear no signals meant for it."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import threading
from collections.abc import Iterator

_ENDING = (signal.SIGINT, signal.SIGTERM)
_PR_SET_PDEATHSIG = 1


@contextlib.contextmanager
def unsignalled() -> Iterator[None]:
    """Hear of signals only afterwards: half of what a process is given would make it complain."""
    before = signal.pthread_sigmask(signal.SIG_BLOCK, _ENDING)  # as those begun meanwhile have it too
    heard: list[int] = []
    handlers = {}
    if threading.current_thread() is threading.main_thread():
        # Another thread of this process may be the one that hears: what follows from it happens in this one.
        ours = [number for number in _ENDING if signal.getsignal(number) is not None]  # not of another language
        handlers = {number: signal.signal(number, lambda which, _: heard.append(which)) for number in ours}
    try:
        yield
    finally:
        for number, handler in handlers.items():
            signal.signal(number, handler)
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
        for each in heard:
            signal.raise_signal(each)


def serve() -> None:
    """In a process just begun: end with the one that began it, however that went, and leave its signals to it."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() == 1:
        os._exit(143)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it is the parent that hears the person
    signal.pthread_sigmask(signal.SIG_UNBLOCK, _ENDING)
