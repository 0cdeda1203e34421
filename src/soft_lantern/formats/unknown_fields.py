"""Fields of a file that this version does not know: taken out on reading, put back in the same place on writing."""

from __future__ import annotations

import functools
import typing
from typing import Any

import msgspec

INSIDE = "/"


def split_unknown(raw: Any, record: Any) -> dict[str, Any]:
    """The fields of `raw` that records of type `record` do not have, by their path.

    A path is made of field names, keys of mappings, and for a record in a list its id, so that it still leads to the
    right one after the list was put in another order.
    """
    found: dict[str, Any] = {}
    _collect(raw, record, "", found)
    return found


def merge_unknown(raw: Any, unknown: dict[str, Any]) -> None:
    """Put fields taken by `split_unknown` back into `raw`. Those whose place is gone are left out."""
    for path, value in unknown.items():
        *way, last = path.split(INSIDE)
        at = raw
        for step in way:
            at = _inside(at, step.replace("~1", "/"))
        if isinstance(at, dict):
            at.setdefault(last.replace("~1", "/"), value)


@functools.cache
def _hints(record: type) -> dict[str, Any]:
    return typing.get_type_hints(record)


@functools.cache
def _holds_records(kind: Any) -> bool:
    """Whether a value of a type can hold a record, and so a field that is not known."""
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        return True
    return any(_holds_records(each) for each in typing.get_args(kind))


def _collect(raw: Any, record: Any, path: str, found: dict[str, Any]) -> None:
    origin, args = typing.get_origin(record), typing.get_args(record)
    if isinstance(record, type) and issubclass(record, msgspec.Struct) and isinstance(raw, dict):
        hints = _hints(record)
        for key, value in raw.items():
            if key not in hints:
                found[_join(path, key)] = value
            elif _holds_records(hints[key]):
                _collect(value, hints[key], _join(path, key), found)
    elif origin is dict and isinstance(raw, dict):
        for key, value in raw.items():
            _collect(value, args[1], _join(path, key), found)
    elif origin is tuple and isinstance(raw, list) and args:
        for value in raw:
            if isinstance(value, dict) and "id" in value:
                _collect(value, args[0], _join(path, str(value["id"])), found)


def _join(path: str, step: str) -> str:
    escaped = step.replace("/", "~1")
    return f"{path}{INSIDE}{escaped}" if path else escaped


def _inside(at: Any, step: str) -> Any:
    if isinstance(at, dict):
        return at.get(step)
    if isinstance(at, list | tuple):
        return next((each for each in at if isinstance(each, dict) and str(each.get("id")) == step), None)
    return None
