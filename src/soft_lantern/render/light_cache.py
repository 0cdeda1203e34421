"""What the skies that come with the application do to surfaces, kept on disk: it takes a second to work out.

Kept by XDG, under a name made from the source text that works it out, so that nothing older is ever read.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from types import ModuleType
from typing import Any, BinaryIO

import numpy as np
import numpy.typing as npt

from soft_lantern.render.cache_files import folder_of, version_of, write

Arrays = tuple[npt.NDArray[Any], ...]


def kept(name: str, sources: tuple[ModuleType, ...], work: Callable[[], Arrays]) -> Arrays:
    """The arrays that `work` gives, from disk where they lie there whole. `sources`: the modules they come of."""
    version = version_of(tuple(Path(str(module.__file__)) for module in sources))
    place = folder_of("light") / f"{name}.{version}.npy"
    with contextlib.suppress(OSError, ValueError, EOFError), place.open("rb") as file:
        return tuple(np.load(file, allow_pickle=False) for _ in range(int(np.load(file, allow_pickle=False))))
    made = work()
    with contextlib.suppress(OSError):
        _write(place, made)
    return made


def _write(place: Path, arrays: Arrays) -> None:
    """Write the arrays, and take away what an older version left under their name."""

    def fill(file: BinaryIO) -> None:
        for array in (np.array(len(arrays)), *arrays):
            np.save(file, array, allow_pickle=False)

    write(place, fill)
    for other in place.parent.glob(f"{place.name.split('.')[0]}.*.npy"):
        if other != place:
            other.unlink(missing_ok=True)
