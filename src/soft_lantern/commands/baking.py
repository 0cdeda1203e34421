"""The light of a scene, baked without a window."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from soft_lantern.bake.light.baking import bake
from soft_lantern.bake.light.cores import Cores
from soft_lantern.commands.arguments import named
from soft_lantern.errors import BadValue
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.light_export import hand_over, lit_objects
from soft_lantern.formats.light_files import keep_light
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import changed, with_records
from soft_lantern.progress import Progress
from soft_lantern.render.baked import ShownLight
from soft_lantern.render.light_scene import gathered
from soft_lantern.render.staging import LoweredMaterials


def bake_scene(
    folder: Path,
    scene_name: str,
    samples: int | None,
    seed: int | None,
    output: Path | None,
    progress: Progress,
) -> dict[str, Any]:
    """Bake a scene's light, keep it in the project, and hand it over to a folder if one is said; its figures."""
    opened = open_project(folder)
    project = opened.project
    scene = named(project.scenes.values(), scene_name, "scene")
    fields = {name: value for name, value in (("samples", samples), ("seed", seed)) if value is not None}
    if samples is not None and samples < 1:
        raise BadValue("a bake takes at least one sample")
    scene = changed(scene, baked=changed(scene.baked, **fields))
    models, _ = load_models(project, folder)
    images, _ = load_images(project, folder)
    lowered_materials = LoweredMaterials()
    with Cores() as cores:
        ready = gathered(project, scene, models, images, lowered_materials, cores, progress)
        lit = bake(ready.job, cores, progress=progress)
    light = ready.kept(lit)
    scene = changed(scene, baked=changed(scene.baked, file=keep_light(folder, scene, light)))
    after = with_records(project, scene)
    save_project(after, folder, opened.on_disk)
    written: list[Path] = []
    if output:
        output.mkdir(parents=True, exist_ok=True)
        weights = ShownLight(light).now(after, scene, models, images, lowered_materials).weights
        written = hand_over(output, light, weights, lit_objects(scene, models, light))
    return {
        "scene": scene.name,
        "file": scene.baked.file,
        "samples": light.samples,
        "seed": light.seed,
        "seconds": round(light.seconds, 3),
        "noise": round(light.noise, 6),
        "groups": {name: list(mean) for name, mean in light.groups.items()},
        "light_maps": {
            thing.name: [receiver.size[0], receiver.size[1]]
            for thing in scene.objects
            if (receiver := ready.job.receivers.get(thing.id))
        },
        "probes": len(ready.job.probes),
        "remarks": list(ready.remarks),
        "written": [str(path) for path in written],
    }
