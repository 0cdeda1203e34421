"""Pictures kept on disk by what is in them, so that what was drawn once need not be drawn again at the next start.

They lie in the cache as NumPy's arrays, packed; those that were not looked at for longest go when there are too many
bytes of them.
"""

from __future__ import annotations

import contextlib
import functools
import gzip
import hashlib
import io
import itertools
import os
from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np

from soft_lantern.render.cache_files import folder_of, version_of, write
from soft_lantern.render.content import content_of
from soft_lantern.render.frame import Frame, Pixels, Renderer

MOST_BYTES = 128 << 20
"""Bytes on disk above which the oldest go, until three quarters are left."""
MOST_WAITING = 48
"""Pictures that wait to be written; the ones above are written at once."""
_ROOT = Path(__file__).parent.parent
_DRAWN_BY = ("ir", "render", "scene", "values")
"""The packages whose text decides how a frame looks."""


class KeptPictures:
    """Finds and keeps pictures by name. For one thread.

    What is new waits until nothing else is to be done, so that of a thing that changes all the time only the last of
    its pictures is written.
    """

    def __init__(self) -> None:
        self._waiting: dict[str, tuple[str, Pixels]] = {}
        self._bytes: int | None = None

    def find(self, name: str) -> Pixels | None:
        """The picture of that name, (height, width, 4), if it is there and whole."""
        for waiting, pixels in self._waiting.values():
            if waiting == name:
                return pixels
        place = _place(name)
        with contextlib.suppress(OSError):
            found = _read(place)
            if found is None:
                place.unlink()
            else:
                os.utime(place)
            return found
        return None

    def keep(self, thing: str, name: str, pixels: Pixels) -> None:
        """Keep the newest picture of a thing, (height, width, 4), once there is time for it."""
        self._waiting.pop(thing, None)
        self._waiting[thing] = (name, pixels)
        if len(self._waiting) > MOST_WAITING:
            self.write_one()

    def write_one(self) -> bool:
        """Write what has waited longest, if anything has; whether more waits."""
        if self._waiting:
            name, pixels = self._waiting.pop(next(iter(self._waiting)))
            with contextlib.suppress(OSError):  # a full or closed disk: nothing hangs on it
                self._write(name, pixels)
        return bool(self._waiting)

    def write_all(self) -> None:
        """Write all that waits."""
        while self.write_one():
            pass

    def _write(self, name: str, pixels: Pixels) -> None:
        place, array = _place(name), io.BytesIO()
        np.save(array, pixels)
        packed = gzip.compress(array.getvalue(), compresslevel=1, mtime=0)
        write(place, lambda file: file.write(packed))
        self._bytes = _bytes_kept() if self._bytes is None else self._bytes + place.stat().st_size
        if self._bytes > MOST_BYTES:
            self._bytes = _trimmed(MOST_BYTES * 3 // 4)


def name_of(frame: Frame, renderer: Renderer) -> str:
    """The name of a frame's picture by a renderer: its content, what draws it, and the text of the program."""
    parts = (content_of(frame), renderer.name, renderer.device, renderer.driver, version_of(_sources()))
    return _name(parts)


def name_of_start(word: str) -> str:
    """The name of what a window shows first, of whose frame no more is known than a word for what it is made from.

    It is seen for a moment, until the same is drawn: what draws is not part of the name, as it is not known yet.
    """
    return _name((word, _program()))


def _name(parts: Iterable[str]) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:32]


def _program() -> str:
    """A word for the program as it is installed, soon found: how large its files are, and since when."""
    found = (each for folder, _, _ in os.walk(_ROOT) for each in os.scandir(folder) if each.name.endswith(".py"))
    files = [each.stat() for each in found]
    return f"{len(files)} {sum(at.st_size for at in files)} {sum(at.st_mtime_ns for at in files)}"


@functools.cache
def _sources() -> tuple[Path, ...]:
    return tuple(sorted(path for package in _DRAWN_BY for path in (_ROOT / package).rglob("*.py")))


def _place(name: str) -> Path:
    return folder_of("pictures") / name[:2] / f"{name}.npy.gz"


def _read(place: Path) -> Pixels | None:
    """A picture, or None where the file is not whole. Raises OSError where there is none."""
    data = place.read_bytes()
    try:
        pixels: Pixels = np.load(io.BytesIO(gzip.decompress(data)), allow_pickle=False)
    except Exception:  # readers raise whatever their parsing stumbles over
        return None
    return pixels if pixels.dtype == np.uint8 and pixels.ndim == 3 and pixels.shape[2] == 4 else None


def _files() -> Iterator[tuple[float, int, Path]]:
    """When each was last looked at, its bytes and where it lies."""
    for path in folder_of("pictures").glob("*/*"):
        with contextlib.suppress(OSError):
            held = path.stat()
            yield held.st_mtime, held.st_size, path


def _bytes_kept() -> int:
    return sum(size for _, size, _ in _files())


def _trimmed(most: int) -> int:
    """The bytes that are left when those that were looked at longest ago are gone."""
    files = sorted(_files(), reverse=True)
    for (_, _, path), upto in zip(files, itertools.accumulate(size for _, size, _ in files), strict=True):
        if upto > most:
            path.unlink(missing_ok=True)
    return _bytes_kept()
