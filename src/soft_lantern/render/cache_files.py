"""Files that can be made again when they are wanted: kept by XDG, each written whole, none older than its program."""

from __future__ import annotations

import functools
import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

import numpy as np
import platformdirs


def folder_of(use: str) -> Path:
    """The folder of one use; it need not be there."""
    return platformdirs.user_cache_path("soft-lantern") / use


@functools.lru_cache(maxsize=16)
def version_of(sources: tuple[Path, ...]) -> str:
    """A word that changes with the text of any of the source files, and with NumPy."""
    text = b"".join(path.read_bytes() for path in sources) + np.__version__.encode()
    return hashlib.sha256(text).hexdigest()[:16]


def write(place: Path, fill: Callable[[BinaryIO], object]) -> None:
    """Write a file whole. Raises OSError where the disk refuses."""
    place.parent.mkdir(parents=True, exist_ok=True)
    draft = place.with_suffix(f".{os.getpid()}")
    try:
        with draft.open("wb") as file:
            fill(file)
        draft.replace(place)
    finally:
        draft.unlink(missing_ok=True)
