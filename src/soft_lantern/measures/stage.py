"""The stage's benchmarks that need no window: a tweak beside none, and how near the two renderers' pictures are."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from soft_lantern.demo.project import write_demo
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.graph.document import Project, changed
from soft_lantern.graph.instances.values import override
from soft_lantern.measures.ratio import ratio
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.transforms import camera_for

SIZE = (420, 280)
FRAMES = 48


def measures() -> dict[str, float]:
    """Of the basin scene: a frame after a tweak over one without, programs compiled by tweaks, and differences."""
    with tempfile.TemporaryDirectory() as folder:
        project = write_demo(Path(folder) / "p")
        models, _ = load_models(project, Path(folder) / "p")
        images, _ = load_images(project, Path(folder) / "p")
    scene = project.scenes["nectar_basin"]
    worn = {**scene.objects[0].wears, "nectar": "night_nectar"}
    scene = changed(scene, objects=(changed(scene.objects[0], wears=worn), *scene.objects[1:]))
    camera, looks, gl = camera_for(scene.view, SIZE), LoweredMaterials(), GlRenderer()
    dressed = override(project, "night_nectar", "depth_strength", 0.5)

    def drawn(project: Project) -> None:
        gl.render(frame_of(project, scene, models, camera, SIZE, StageOptions(), looks, images=images))

    drawn(dressed)
    compiled = gl.compiled
    tweak = ratio(
        lambda turn: drawn(override(dressed, "night_nectar", "depth_strength", turn / 2)),
        lambda _: drawn(dressed),
        FRAMES,
    )
    frame = frame_of(project, scene, models, camera, SIZE, StageOptions(glow=False), looks, images=images)
    apart = np.abs(gl.render(frame).pixels.astype(int) - SoftRenderer().render(frame).pixels)
    return {
        "tweak": tweak,
        "compiled": float(gl.compiled - compiled),
        "mean": float(apart.mean()),
        "far": float(np.percentile(apart, 99.9)),
    }
