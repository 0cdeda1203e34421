"""A word for what a stage shows that is known before any of it is read: all that its picture is made from."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path

import msgspec

from soft_lantern.app.pictures.sight import Sight
from soft_lantern.errors import BadFile
from soft_lantern.formats.places import file_inside
from soft_lantern.graph.document import Project, View

_BESIDE_THE_PROJECT = ("scene", "view", "sight", "on_card", "size")


class FirstSight(msgspec.Struct, frozen=True):
    """A scene of a project as one stage shows it. `size` in pixels; `on_card`: what the flat card wears."""

    project: Project
    folder: Path
    scene: str
    view: View
    sight: Sight
    on_card: str
    size: tuple[int, int]

    def is_that_of(self, other: FirstSight) -> bool:
        """Whether both show the very same."""
        same_record = self.project is other.project
        return same_record and all(getattr(self, f) == getattr(other, f) for f in _BESIDE_THE_PROJECT)

    def word(self) -> str:
        """Equal wherever the records, the files as they lie on disk, and all else that shows are equal."""
        sight, encode = self.sight, msgspec.msgpack.Encoder(order="deterministic").encode
        shown = (self.scene, self.view, sight.options, sight.time, sight.tried, sight.card, self.on_card, self.size)
        told = (encode(self.project), encode(shown), encode(list(_states(self.project, self.folder))))
        return hashlib.sha256(b"".join(hashlib.sha256(each).digest() for each in told)).hexdigest()


def _states(project: Project, folder: Path) -> Iterator[tuple[str, int, int]]:
    """The files that records name, with their bytes and when they were written; 0 where there is none."""
    names = [each.file for held in (project.assets, project.textures) for each in held.values()]
    names += [scene.baked.file for scene in project.scenes.values()]
    for name in sorted({*names} - {""}):
        try:
            found = file_inside(folder, name, "a record").stat()
        except (BadFile, OSError):
            yield name, 0, 0
        else:
            yield name, found.st_size, found.st_mtime_ns
