"""Whose turn it is: work beside a window waits while the window answers a hand, as all threads share one interpreter.

Without it, a thread that works in many small steps takes half of the window's time.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator

LONGEST = 0.03
"""Seconds of one turn for which work waits: what takes longer is no reason to stand still."""
_NAP = 0.0002
_turns: list[tuple[int, float]] = []
"""The number of the thread that has the turn, and since when; more than one where a thing is done within another."""


@contextlib.contextmanager
def taken() -> Iterator[None]:
    """Let the work of other threads wait meanwhile."""
    _turns.append((threading.get_ident(), _turns[0][1] if _turns else time.monotonic()))
    try:
        yield
    finally:
        _turns.pop()


def give_way() -> None:
    """Between two steps of work: wait where another thread has the turn."""
    while _turns:
        with contextlib.suppress(IndexError):  # it may end between the two lines
            thread, since = _turns[0]
            if thread == threading.get_ident() or time.monotonic() > since + LONGEST:
                return
        time.sleep(_NAP)
