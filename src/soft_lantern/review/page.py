"""A review page: one file of HTML that needs no network and nothing else, put together from `web/` and a project."""

from __future__ import annotations

import html
import json
import re
from collections.abc import Collection, Mapping, Sequence
from importlib.resources import files

from soft_lantern import __version__
from soft_lantern.errors import BadValue
from soft_lantern.formats.answers import ANSWER
from soft_lantern.graph.document import Material, Project
from soft_lantern.progress import Progress, silent
from soft_lantern.render.baked import ShownLight
from soft_lantern.review import stage
from soft_lantern.review.packing import Packing
from soft_lantern.review.sheet import sheets
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

SCRIPTS = ("packing.js", "stage.js", "camera.js", "sheet.js", "page.js")
"""In the order in which they need one another."""


def review_page(
    project: Project,
    materials: Sequence[Material],
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    progress: Progress = silent,
    looks: Collection[str] | None = None,
    baked: Mapping[str, ShownLight] = {},
) -> str:
    """The page of what wears some materials, in every scene where anything does. The same each time.

    `looks`: the ids of the instances to choose from beside what is worn; None is all. Raises BadValue where nothing
    wears any of the materials, Cancelled. `baked`: light that was baked, by the ids of scenes.
    """
    packing, programs, lights = Packing(), stage.Programs(), stage.lights_of(project)
    chosen = {material.id for material in materials}
    views, frame = [], None
    for number, scene in enumerate(sorted(project.scenes.values(), key=lambda each: each.id)):
        progress(number / max(len(project.scenes), 1), f"Looking at {scene.name}")
        found = stage.view(project, scene, chosen, models, images, lights, packing, programs, baked.get(scene.id))
        if found:
            row, frame = found
            views.append(row)
    if frame is None:
        names = ", ".join(material.name for material in materials)
        raise BadValue(f"no object of any scene wears {names}: a page would show nothing")
    worn = {item["look"] for view in views for item in view["items"]}
    offered = None if looks is None else worn.union(looks)
    data = {
        "format": ANSWER,
        "version": __version__,
        "project": project.name,
        "stage": stage.shared(programs, frame),
        "skies": stage.skies(lights, images, packing),
        "materials": sheets(project, _worn_too(project, materials, worn), images, packing, offered),
        "tuned": [material.id for material in materials],
        "views": views,
        "programs": programs.rows,
        "images": packing.images,
    }
    progress(0.9, "Putting the page together")
    return _page(project.name, data, packing.text())


def _worn_too(project: Project, materials: Sequence[Material], worn: Collection[str]) -> list[Material]:
    """The materials, and after them all others that are behind some looks."""
    others = {stage.material_of(project, look_id) for look_id in worn} - {each.id for each in materials} - {""}
    return [*materials, *(project.materials[each] for each in sorted(others))]


def _page(title: str, data: Mapping[str, object], block: str) -> str:
    web = files("soft_lantern.review") / "web"
    told = json.dumps(data, ensure_ascii=False, separators=(",", ":"), sort_keys=True, allow_nan=False)
    parts = {
        "TITLE": html.escape(title),
        "STYLE": (web / "page.css").read_text("utf-8"),
        "DATA": told.replace("<", "\\u003c"),
        "BLOCK": block,
        "SCRIPT": "\n".join((web / name).read_text("utf-8") for name in SCRIPTS),
    }
    text = (web / "page.html").read_text("utf-8")
    return re.sub(f"@({'|'.join(parts)})@", lambda found: parts[found[1]], text)
