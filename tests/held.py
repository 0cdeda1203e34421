"""What a function holds on to: whether a QObject is among it."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator
from types import BuiltinMethodType, FunctionType, MethodType

from PyQt6.QtCore import QObject, pyqtBoundSignal

from soft_lantern.app.work.beside import Reply
from soft_lantern.render.worker import Job


def held_qobjects(work: Callable[..., object], depth: int = 6) -> Iterator[str]:
    """The QObjects that a thread would hold with some work, by the way that leads to them."""
    seen: set[int] = set()
    waiting: list[tuple[object, str, int]] = [(work, "work", 0)]
    while waiting:
        value, way, deep = waiting.pop()
        if id(value) in seen or isinstance(value, Reply | type):
            continue
        seen.add(id(value))
        if isinstance(value, QObject | pyqtBoundSignal):
            yield f"{way}: {type(value).__name__}"
            continue
        if deep < depth:
            waiting += [(each, f"{way} → {name}", deep + 1) for name, each in _parts(value)]


def _parts(value: object) -> Iterator[tuple[str, object]]:
    if isinstance(value, FunctionType):
        for name, cell in zip(value.__code__.co_freevars, value.__closure__ or (), strict=True):
            try:
                yield name, cell.cell_contents
            except ValueError:
                continue
        yield from ((f"default {n}", each) for n, each in enumerate(value.__defaults__ or ()))
    elif isinstance(value, MethodType):
        yield "self", value.__self__
        yield "function", value.__func__
    elif isinstance(value, BuiltinMethodType):
        yield "self", value.__self__
    elif isinstance(value, functools.partial):
        yield "function", value.func
        yield from ((f"argument {n}", each) for n, each in enumerate((*value.args, *value.keywords.values())))
    elif isinstance(value, list | tuple) and len(value) < 50:
        yield from ((str(n), each) for n, each in enumerate(value))
    elif isinstance(value, Job):
        yield from ((name, getattr(value, name)) for name in value.__struct_fields__)
