"""Remembering what was made of a record for as long as it stays the same object."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

R = TypeVar("R")
T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class _Same:
    record: Any

    def __hash__(self) -> int:
        return id(self.record)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.record is self.record


def by_identity(most: int) -> Callable[[Callable[[R], T]], Callable[[R], T]]:
    """Keep the results of a function of one record, the last `most` of them, by the record's identity."""

    def decorate(function: Callable[[R], T]) -> Callable[[R], T]:
        @functools.lru_cache(maxsize=most)
        def kept(same: _Same) -> T:
            return function(same.record)

        return functools.wraps(function)(lambda record: kept(_Same(record)))

    return decorate
