"""What everything that is made of a whole project comes from: its models and pictures, and a digest of all of it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path

from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.places import file_inside
from soft_lantern.formats.records import project_files
from soft_lantern.graph.document import Material, Project
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

Read = Callable[[Project], tuple[Mapping[str, Model], Mapping[str, Image]]]
"""Gives the models and pictures of a project."""


def from_disk(folder: Path) -> Read:
    """The models and pictures that lie in a project's folder."""
    return lambda project: (load_models(project, folder)[0], load_images(project, folder)[0])


def source_of(
    project: Project, materials: Sequence[Material], folder: Path, looks: Collection[str] | None = None
) -> str:
    """A digest of chosen materials and looks, the project's records, and the files that those name."""
    chosen = [each.id for each in materials], None if looks is None else sorted(looks)
    whole = hashlib.sha256(repr(chosen).encode())
    for path, text in sorted(project_files(project).items()):
        whole.update(path.encode() + text)
    named = [name for asset in project.assets.values() for name in (asset.file, asset.layers)]
    named += [texture.file for texture in project.textures.values()]
    named += [scene.baked.file for scene in project.scenes.values()]
    for name in sorted(filter(None, named)):
        try:
            whole.update(name.encode() + file_inside(folder, name, name).read_bytes())
        except (LanternError, OSError):
            whole.update(b"?")  # what is made shows what is there
    return whole.hexdigest()
