"""What the skies that come with the application do to surfaces, kept on disk: it takes a second to work out.

Kept by XDG, under a name made from the source text that works it out, so that nothing older is ever read.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt
import platformdirs

Arrays = tuple[npt.NDArray[Any], ...]


def kept(name: str, sources: tuple[ModuleType, ...], work: Callable[[], Arrays]) -> Arrays:
    """The arrays that `work` gives, from disk where they lie there whole. `sources`: the modules they come of."""
    place = platformdirs.user_cache_path("soft-lantern") / "light" / f"{name}.{_version(sources)}.npy"
    with contextlib.suppress(OSError, ValueError, EOFError), place.open("rb") as file:
        return tuple(np.load(file, allow_pickle=False) for _ in range(int(np.load(file, allow_pickle=False))))
    made = work()
    with contextlib.suppress(OSError):
        _write(place, made)
    return made


@functools.lru_cache(maxsize=8)
def _version(sources: tuple[ModuleType, ...]) -> str:
    text = b"".join(Path(str(module.__file__)).read_bytes() for module in sources) + np.__version__.encode()
    return hashlib.sha256(text).hexdigest()[:16]


def _write(place: Path, arrays: Arrays) -> None:
    """Write a file whole, and take away what an older version left under its name."""
    place.parent.mkdir(parents=True, exist_ok=True)
    draft = place.with_suffix(f".{os.getpid()}")
    try:
        with draft.open("wb") as file:
            for array in (np.array(len(arrays)), *arrays):
                np.save(file, array, allow_pickle=False)
        draft.replace(place)
    finally:
        draft.unlink(missing_ok=True)
    for other in place.parent.glob(f"{place.name.split('.')[0]}.*.npy"):
        if other != place:
            other.unlink(missing_ok=True)
