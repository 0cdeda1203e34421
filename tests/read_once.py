"""Hundreds of windows open copies of one project: what the same bytes hold is read once in each process."""

from __future__ import annotations

import functools
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import pytest

from soft_lantern.app.session import loaded_files
from soft_lantern.formats import project_folder
from soft_lantern.graph.document import Asset, Texture

KEPT = 64
"""Models and images, of each the last so many."""
WHOLE = (".glb", ".png")
"""Kinds of file that need no others beside them."""


def read_once(patch: pytest.MonkeyPatch) -> None:
    """Let records be the same objects, and files of windows give the same models and images, as long as they hold."""
    real = project_folder.read_record
    kept = functools.lru_cache(2048)(real)
    patch.setattr(project_folder, "read_record", lambda data, kind: (kept(data, kind)[0], [*kept(data, kind)[1]]))
    for name in ("load_model", "load_texture"):
        patch.setattr(loaded_files, name, _by_bytes(getattr(loaded_files, name)))


def _by_bytes(real: Callable[[Any, Path], Any]) -> Callable[[Any, Path], Any]:
    held: dict[tuple[bytes, ...], Any] = {}

    def read(record: Asset | Texture, folder: Path) -> Any:
        files = [folder / each for each in (record.file, getattr(record, "layers", "")) if each]
        if not all(each.suffix in WHOLE and each.is_file() and not each.is_symlink() for each in files):
            return real(record, folder)
        key = (msgspec.json.encode(record), *(each.read_bytes() for each in files))
        if key not in held:
            found = real(record, folder)
            while len(held) >= KEPT:
                held.pop(next(iter(held)))
            held[key] = found
        return held[key]

    return read
