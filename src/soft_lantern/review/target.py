"""The page as a target of deliveries."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from soft_lantern.formats.delivery import Whole
from soft_lantern.formats.light_files import baked_lights
from soft_lantern.formats.project_source import Read, from_disk, source_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.progress import Progress
from soft_lantern.render.baked import ShownLight

WORDS = "Review page, for any browser"


def page_target(folder: Path, read: Read | None = None, looks: Collection[str] | None = None) -> dict[str, Whole]:
    """The target "page" of a project in a folder. `read` gives its models and pictures, else those on the disk.

    `looks`: the ids of the instances it shows; None is all.
    """

    def files(project: Project, materials: Sequence[Material], progress: Progress) -> Mapping[str, str | bytes]:
        from soft_lantern.review.page import review_page  # slow to import, and only wanted here

        models, images = (read or from_disk(folder))(project)
        name = as_identifier(project.name, set(), fallback="project")
        lights = {key: ShownLight(light) for key, light in baked_lights(project, folder).items()}
        page = review_page(project, materials, models, images, progress, looks, lights)
        return {f"{name}.review.html": page}

    return {"page": Whole(WORDS, lambda project, materials: source_of(project, materials, folder, looks), files)}
