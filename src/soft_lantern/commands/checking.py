"""What is wrong with a project, its files and its scenes."""

from __future__ import annotations

from pathlib import Path

from soft_lantern.errors import BadFile
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.light_files import load_light
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Scene
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.notices.project import check_project, named_place
from soft_lantern.render.baked import stale
from soft_lantern.render.mesh_fit import unfit_meshes
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.transforms import camera_for


def check(project: Path) -> list[tuple[str, Notice]]:
    """Every notice of a project as it lies in its folder, each with the name of what it is about."""
    opened = open_project(project)
    models, meshes = load_models(opened.project, project)
    images, textures = load_images(opened.project, project)
    notices = [*opened.notices, *meshes, *textures, *check_project(opened.project, images)]
    for scene in opened.project.scenes.values():
        notices += _of_light(project, scene)
        camera = camera_for(scene.view, (1, 1))
        notices += unfit_meshes(opened.project, scene, models, camera, LoweredMaterials(), images)
    return [(named_place(opened.project, notice.place), notice) for notice in notices]


def _of_light(folder: Path, scene: Scene) -> list[Notice]:
    """What is wrong with the light that was baked for a scene."""
    if not scene.baked.file:
        return []
    try:
        light = load_light(folder, scene)
    except BadFile as error:
        return [Notice(Severity.ERROR, "light", str(error), scene.id)]
    if stale(light, scene):
        return [Notice(Severity.WARNING, "light", "something has moved since its light was baked", scene.id)]
    return []
