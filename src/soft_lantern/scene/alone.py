"""What is shown alone: some of a project's scenes, and assets each in a scene where nothing else stands."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Project, Scene, changed
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.transforms import view_of_bounds


def shown_alone(
    project: Project, scene_ids: Iterable[str], asset_ids: Iterable[str], models: Mapping[str, Model]
) -> Project:
    """The project with some of its scenes, and a scene for each of some assets, and no others.

    An asset stands at the origin and fills the picture; it wears what the first object of it wears, under the light of
    that one's scene. Raises BadValue where there is no such object, or the asset's mesh could not be read.
    """
    chosen, wanted = set(scene_ids), list(asset_ids)
    if not wanted and chosen >= project.scenes.keys():
        return project
    kept = [scene for key, scene in project.scenes.items() if key in chosen]
    kept += [_alone(project, asset_id, models) for asset_id in wanted]
    return changed(project, scenes={scene.id: scene for scene in kept})


def _alone(project: Project, asset_id: str, models: Mapping[str, Model]) -> Scene:
    asset = project.assets[asset_id]
    if asset_id not in models:
        raise BadValue(f"the mesh of {asset.name} could not be read")
    scenes = sorted(project.scenes.values(), key=lambda each: each.id)
    there = ((scene, thing) for scene in scenes for thing in scene.objects if thing.asset == asset_id)
    scene, thing = next(there, (None, None))
    if scene is None or thing is None:
        raise BadValue(f"no object of any scene is of {asset.name}, so that nothing says what it wears")
    placed = {"position": (0.0, 0.0, 0.0), "rotation": (0.0, 0.0, 0.0), "scale": (1.0, 1.0, 1.0)}
    return Scene(
        id=f"{asset_id}_alone",
        name=asset.name,
        objects=(changed(thing, name=asset.name, hidden=(), **placed),),
        view=view_of_bounds(*models[asset_id].bounds, scene.view),
        environment=scene.environment,
    )
