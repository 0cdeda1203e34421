"""What records are the same objects as before, and remembering what was made of one for as long as it is."""

from __future__ import annotations

import functools
import operator
from collections.abc import Callable, Mapping
from itertools import compress, filterfalse
from typing import Any, Generic, TypeVar

from msgspec import Struct

R = TypeVar("R")
T = TypeVar("T")


class Same(Struct, Generic[R], frozen=True, eq=False):
    """A record as a key that is equal only for the same object, which it keeps."""

    record: R

    def __hash__(self) -> int:
        return id(self.record)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other.record is self.record


def by_identity(most: int) -> Callable[[Callable[[R], T]], Callable[[R], T]]:
    """Keep the results of a function of one record, the last `most` of them, by the record's identity."""

    def decorate(function: Callable[[R], T]) -> Callable[[R], T]:
        @functools.lru_cache(maxsize=most)
        def kept(same: Same[Any]) -> T:
            return function(same.record)

        return functools.wraps(function)(lambda record: kept(Same(record)))

    return decorate


def differing(old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[str, ...]:
    """The keys of what is not the same object in both mappings, those of `old` first. Thousands take no time.

    Several ask about the same edit, so the last answers are kept: mappings of records are never changed in place.
    """
    return _differing(Same(old), Same(new))


@functools.lru_cache(maxsize=4)
def _differing(one: Same[Any], other: Same[Any]) -> tuple[str, ...]:
    old, new = one.record, other.record
    if len(old) == len(new) and all(map(operator.is_, old, new)):
        return (*compress(old, map(operator.is_not, old.values(), new.values())),)
    changed = compress(old, map(operator.is_not, old.values(), map(new.get, old)))
    return (*changed, *filterfalse(old.__contains__, new))
