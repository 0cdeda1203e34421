"""The kettle's scene as the stage draws it, beside the same meshes, textures and sun drawn by the `pygfx` library.

Both draw by software on the same cores: OpenGL here, Vulkan there. The library has it easier: even light stands in for
what the sky gives and mirrors, and nothing glows.
"""

from __future__ import annotations

import io
import tempfile
from collections.abc import Callable
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

from soft_lantern.baked_assets.scene import SceneFile
from soft_lantern.baked_assets.sheets import Sheets
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.project_source import from_disk
from soft_lantern.measures.ratio import ratio
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.skies import sun_of, toward
from soft_lantern.scene.transforms import camera_for

SIZE = (800, 600)
FRAMES = 9
SIDE = 256
"""Texels a side of the textures."""
SUN_AWAY = 20.0
"""Metres."""


def has_library() -> bool:
    """Whether the library is here."""
    return find_spec("pygfx") is not None and find_spec("wgpu") is not None


def stage_beside_library() -> float:
    """Seconds for a frame of the stage, over those of the library."""
    with tempfile.TemporaryDirectory() as folder:
        project = write_demo(Path(folder) / "p")
        models, images = from_disk(Path(folder) / "p")(project)
    scene = project.scenes["tea_terrace"]
    camera, looks, gl = camera_for(scene.view, SIZE), LoweredMaterials(), GlRenderer()
    glb = SceneFile(project, scene, models, images, Sheets(SIDE), looks=()).made(set(project.materials))

    def ours(_: float) -> object:
        return gl.render(frame_of(project, scene, models, camera, SIZE, StageOptions(), looks, images=images)).pixels

    sun = sun_of(scene.environment)
    direction = toward(sun.azimuth, sun.elevation) if sun else np.array([0.0, 1.0, 0.0])
    theirs = _drawn_by_library(glb, camera.position, np.array(scene.view.target), direction)
    for draw in (ours, theirs):
        draw(0)  # what is compiled is not counted
    return ratio(ours, theirs, FRAMES)


def _drawn_by_library(glb: bytes, eye: Any, target: Any, sun: Any) -> Callable[[float], object]:
    import pygfx
    from rendercanvas.offscreen import RenderCanvas

    canvas = RenderCanvas(size=SIZE, pixel_ratio=1)
    renderer, scene = pygfx.renderers.WgpuRenderer(canvas, pixel_ratio=1), pygfx.Scene()
    held = trimesh.load_scene(io.BytesIO(glb), file_type="glb")
    for name in held.graph.nodes_geometry:
        matrix, geometry = held.graph[name]
        mesh = held.geometry[geometry]
        made = pygfx.Mesh(pygfx.geometry_from_trimesh(mesh), pygfx.material_from_trimesh(mesh))
        made.cast_shadow = made.receive_shadow = True
        made.local.matrix = matrix
        scene.add(made)
    light = pygfx.DirectionalLight("#ffffff", 3.0, cast_shadow=True)
    light.local.position = tuple(SUN_AWAY * np.asarray(sun))
    scene.add(light, pygfx.AmbientLight("#ffffff", 0.3), pygfx.Background.from_color("#808080"))
    camera = pygfx.PerspectiveCamera(40, SIZE[0] / SIZE[1])
    camera.local.position = tuple(eye)
    camera.look_at(tuple(target))
    canvas.request_draw(lambda: renderer.render(scene, camera))
    return lambda _: np.asarray(canvas.draw())
