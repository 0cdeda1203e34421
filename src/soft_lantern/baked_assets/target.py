"""Baked scenes as a target of deliveries."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from soft_lantern.bake.light.kept import BakedLight
from soft_lantern.errors import BadValue
from soft_lantern.formats.delivery import Whole
from soft_lantern.formats.light_export import hand_over, lit_objects
from soft_lantern.formats.light_files import baked_lights
from soft_lantern.formats.project_source import Read, from_disk, source_of
from soft_lantern.graph.document import Material, Project, Scene
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.progress import Progress
from soft_lantern.render.baked import ShownLight
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

WORDS = "glTF 2.0, looks baked as variants"
SIDE = 512
"""Texels a side of a picture."""


def gltf_target(
    folder: Path, read: Read | None = None, looks: Collection[str] | None = None, side: int = SIDE
) -> dict[str, Whole]:
    """The target "gltf" of a project in a folder. `read` gives its models and pictures, else those on the disk.

    `looks`: the ids of the instances that are variants; None is all.
    """

    def files(project: Project, materials: Sequence[Material], progress: Progress) -> Mapping[str, str | bytes]:
        from soft_lantern.baked_assets.scene import VIEWS, SceneFile  # slow to import, and only wanted here
        from soft_lantern.baked_assets.sheets import Sheets

        models, images = (read or from_disk(folder))(project)
        chosen, made, taken = {each.id for each in materials}, dict[str, str | bytes](), set[str]()
        scenes = sorted(project.scenes.values(), key=lambda each: each.id)
        lights, sheets = baked_lights(project, folder), Sheets(side)
        for number, scene in enumerate(scenes):

            def part(share: float, words: str, number: int = number) -> None:
                progress((number + share) / len(scenes), words)

            file = SceneFile(project, scene, models, images, sheets, looks)
            data = file.made(chosen, part)
            if file.objects:
                name = as_identifier(scene.name, taken, "scene")
                taken.add(name)
                about = {"texels_a_side": side, "measured_from_sides": VIEWS, "looks": file.told}
                made[f"{name}.glb"] = data
                made[f"{name}.glb.json"] = json.dumps(about, indent=2, ensure_ascii=False) + "\n"
                if scene.id in lights:
                    made |= _light(project, scene, models, images, lights[scene.id], f"{name}.")
        if not made:
            names = ", ".join(each.name for each in materials)
            raise BadValue(f"no object of any scene wears {names}: a file would hold nothing")
        return made

    def source(project: Project, materials: Sequence[Material]) -> str:
        return f"{side}{source_of(project, materials, folder, looks)}"

    return {"gltf": Whole(WORDS, source, files)}


def _light(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    light: BakedLight,
    prefix: str,
) -> dict[str, str | bytes]:
    """The files of a scene's baked light, as it is tuned now, by their names."""
    weights = ShownLight(light).now(project, scene, models, images, LoweredMaterials()).weights
    with tempfile.TemporaryDirectory() as home:
        written = hand_over(Path(home), light, weights, lit_objects(scene, models, light), prefix)
        return {path.name: path.read_bytes() for path in written}
