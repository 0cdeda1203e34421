"""The one way back to the window's thread from work beside it.

A thread must never touch a QObject: its owner may have closed it, and then Qt falls. So work takes plain values with
it, and a `reply_to` in place of a method: what that calls is kept here, on the window's thread, and dropped when its
owner has gone.
"""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from soft_lantern.render.worker import Newest


class Reply:
    """A function that any thread may call; what it calls runs on the window's thread, if its owner is there then."""

    __slots__ = ("_key",)

    def __init__(self, key: int) -> None:
        self._key = key

    def __call__(self, *told: object) -> None:
        with contextlib.suppress(RuntimeError):  # the application has gone, and everyone who could be told
            _relay().come.emit(self._key, told)

    def __del__(self) -> None:
        # Let go of on the window's thread, after what was told, since it may hold the last hand on a widget.
        with contextlib.suppress(Exception):  # the program is ending
            _relay().come.emit(self._key, None)


def reply_to(owner: QObject, call: Callable[..., object]) -> Reply:
    """A way for another thread to have `call` run with what it tells, as long as `owner` lives. On the window's thread.

    `call` and what it holds are kept on the window's thread; the thread holds a number.
    """
    _relay()
    key = next(_numbers)
    if key % SWEEP == 0:
        _let_go_of_the_dead()
    _expected[key] = (owner, call)
    return Reply(key)


SWEEP = 64
"""Every so many replies, those are let go of whose owners are gone: an owner may hold its own reply."""


class NewestAnswer:
    """Questions worked out on a thread of their own, of which only the newest counts.

    `answered` is given what the work came to, `failed` why it could not be done, both on the window's thread and only
    while `owner` lives. The thread ends with its owner.
    """

    def __init__(
        self, name: str, owner: QObject, answered: Callable[[Any], object], failed: Callable[[str], object]
    ) -> None:
        self._newest = newest = Newest(name)
        self._owner, self._answered, self._failed = owner, answered, failed
        owner.destroyed.connect(lambda: newest.stop(wait=False))

    def ask(self, work: Callable[[], object]) -> None:
        """Work something out; what is asked and not yet begun is dropped for it. `work` holds no QObject."""
        answered = reply_to(self._owner, self._answered)
        self._newest.submit("question", lambda: answered(work()), reply_to(self._owner, self._failed))

    def stop(self, *, wait: bool = True) -> None:
        """Ask nothing more; without `wait`, what is being worked out ends in its own time."""
        self._newest.stop(wait=wait)


class _Relay(QObject):
    """Lives as long as the program, so that a thread can always send to it."""

    come = pyqtSignal(int, object)

    def __init__(self) -> None:
        super().__init__()
        self.come.connect(self._call, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def _call(self, key: int, told: tuple[object, ...] | None) -> None:
        if told is None:
            _expected.pop(key, None)
            return
        expected = _expected.get(key)
        if expected and not sip.isdeleted(expected[0]):
            expected[1](*told)


_numbers = itertools.count()
_expected: dict[int, tuple[QObject, Callable[..., object]]] = {}


def _let_go_of_the_dead() -> None:
    for key in [key for key, (owner, _) in _expected.items() if sip.isdeleted(owner)]:
        del _expected[key]


_the_relay: list[_Relay] = []


def _relay() -> _Relay:
    if not _the_relay:
        _the_relay.append(_Relay())
    return _the_relay[0]
