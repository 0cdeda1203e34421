"""The page as a target of deliveries."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import msgspec

from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.delivery import Whole
from soft_lantern.formats.images import load_images
from soft_lantern.formats.places import file_inside
from soft_lantern.graph.document import Material, Project
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.progress import Progress, silent
from soft_lantern.review.page import review_page
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

WORDS = "Review page, for any browser"
Read = Callable[[Project], tuple[Mapping[str, Model], Mapping[str, Image]]]


def page_target(folder: Path, read: Read | None = None) -> dict[str, Whole]:
    """The target "page" of a project in a folder. `read` gives its models and pictures, else those on the disk."""

    def from_disk(project: Project) -> tuple[Mapping[str, Model], Mapping[str, Image]]:
        return load_models(project, folder)[0], load_images(project, folder)[0]

    def files(project: Project, materials: Sequence[Material], progress: Progress = silent) -> dict[str, str | bytes]:
        models, images = (read or from_disk)(project)
        name = as_identifier(project.name, set(), fallback="project")
        return {f"{name}.review.html": review_page(project, materials, models, images, progress)}

    return {"page": Whole(WORDS, lambda project, materials: _source(project, materials, folder), files)}


def _source(project: Project, materials: Sequence[Material], folder: Path) -> str:
    """A digest of all that a page may show: the project's records, and the files that they name."""
    chosen = repr([each.id for each in materials]).encode()
    whole = hashlib.sha256(chosen + msgspec.json.encode(project, order="sorted"))
    named = [name for asset in project.assets.values() for name in (asset.file, asset.layers)]
    named += [texture.file for texture in project.textures.values()]
    for name in sorted(filter(None, named)):
        try:
            whole.update(name.encode() + file_inside(folder, name, name).read_bytes())
        except (LanternError, OSError):
            whole.update(b"?")  # a page shows what is there
    return whole.hexdigest()
