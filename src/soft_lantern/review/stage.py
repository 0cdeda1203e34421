"""What a page's stage draws: scenes as views, each with its items, programs and light, as plain data.

The programs are the stage's own, written for GLSL ES 3.00; nothing of what they compute is said again here.
"""

from __future__ import annotations

import functools
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.graph.document import Environment, Project, Scene, StageObject, changed
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.ir.glsl_program import HEADS
from soft_lantern.ir.inputs import BEHIND, INPUTS
from soft_lantern.ir.surface_inputs import ATTRIBUTES, SLOPES
from soft_lantern.render import shadow
from soft_lantern.render.baked import LightNow, ShownLight
from soft_lantern.render.frame import Frame, Item, Paint, UniformValue
from soft_lantern.render.gl_glow import BRIGHT, HALF, OVER, WIDEN
from soft_lantern.render.gl_glow import LEVELS as GLOW_LEVELS
from soft_lantern.render.gl_text import (
    DEPTH,
    SHADOW,
    WALLS,
    WHOLE_PICTURE_VERTEX,
    fragment_shader,
    keeping_holes,
    vertex_shader,
)
from soft_lantern.render.lighting import light_uniforms
from soft_lantern.render.soft import mesh_rows
from soft_lantern.render.staging import (
    NO_SHADOW,
    LoweredMaterials,
    StageOptions,
    frame_of,
    object_inputs,
    placed_parts,
    reads_behind,
    reads_depth,
    scene_bounds,
)
from soft_lantern.render.surface_model import LIGHT_MAP
from soft_lantern.review.packing import Packing
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.skies import SKIES
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

ES = "glsl-es"
RADIANCE = ("stage:sky", "stage:scattered", str(LIGHT_MAP.data))
LARGEST = 3.0e38
OPTIONS = StageOptions(grid=False, gauge=False)
Row = dict[str, Any]


class Programs(Struct, eq=False):
    """The programs of a page, each once."""

    rows: list[Row] = field(default_factory=list)
    _known: dict[tuple[str, str], int] = field(default_factory=dict)

    def of(self, paint: Paint, *, outside: bool = False) -> int:
        """The number of the program that gives meshes a paint, `outside` of cut-outs alone."""
        fragment = fragment_shader(paint, outside=outside, target=ES)
        vertex = vertex_shader(paint.offset, fragment.inputs, ES)
        inputs = sorted({name for name in (*vertex.inputs, *fragment.inputs) if name in INPUTS})
        attributes = [name for name in vertex.inputs if name in ATTRIBUTES | SLOPES]
        return self._put(
            vertex.text, fragment.text, [*vertex.uniforms.items(), *fragment.uniforms.items()], inputs, attributes
        )

    def over_all(self, paint: Paint) -> int:
        """The number of the program that gives the whole picture a paint."""
        fragment = fragment_shader(paint, target=ES)
        return self._put(
            in_es(WHOLE_PICTURE_VERTEX), fragment.text, [*fragment.uniforms.items()], list(fragment.inputs), []
        )

    def plain(self, fragment: str) -> int:
        """The number of the program of a text that is no paint's, over the whole picture."""
        return self._put(in_es(WHOLE_PICTURE_VERTEX), in_es(fragment), [], [], [])

    def _put(
        self, vertex: str, fragment: str, uniforms: Sequence[tuple[str, str]], inputs: list[str], attributes: list[str]
    ) -> int:
        key = vertex, fragment
        if key not in self._known:
            self._known[key] = len(self.rows)
            row = {"vertex": vertex, "fragment": fragment, "uniforms": uniforms, "inputs": inputs}
            self.rows.append(row | {"attributes": attributes})
        return self._known[key]


def in_es(text: str) -> str:
    """A text of GLSL 3.30 that ES 3.00 takes as well, under its first lines."""
    return "\n".join(HEADS[ES]) + text.removeprefix(HEADS["glsl"][0])


def values(given: Mapping[str, UniformValue], packing: Packing) -> Row:
    """Values of uniforms as numbers, or the number of a picture."""
    found: Row = {}
    for key, value in given.items():
        if isinstance(value, Image):
            found[key] = {"image": packing.image(value, radiance=key in RADIANCE)}
        else:
            found[key] = finite(value)
    return found


def finite(parts: Iterable[float]) -> list[float]:
    """Numbers as JSON can hold them: what is not a number is 0, what is infinite the largest of its sign."""
    held = np.nan_to_num(np.array(list(parts), np.float64), nan=0.0, posinf=LARGEST, neginf=-LARGEST)
    return [float(part) for part in held]


Lights = dict[str, tuple[str, Environment]]
"""The different lights of a project's scenes, by what sets them apart: the name of each, and it."""


def lights_of(project: Project) -> Lights:
    """The different lights of a project's scenes, named by their skies."""
    found = Lights()
    for scene in sorted(project.scenes.values(), key=lambda each: each.id):
        light = scene.environment
        texture = project.textures.get(light.sky)
        name = light.sky if light.sky in SKIES or texture is None else texture.name
        count = sum(other[0].partition(" (")[0] == name for other in found.values())
        found.setdefault(_key(light), (f"{name} ({scene.name})" if count else name, light))
    return found


def _key(light: Environment) -> str:
    return repr((light.sky, light.rotation, light.exposure, light.sun))


def skies(lights: Lights, images: Mapping[str, Image], packing: Packing) -> list[Row]:
    """The lights that things can be seen under."""
    return [{"name": name, "values": values(light_uniforms(light, images), packing)} for name, light in lights.values()]


def shared(programs: Programs, frame: Frame) -> Row:
    """What every view needs: the step to the screen, the backdrop, glow, and the size of the sun's map."""
    glow = {"bright": BRIGHT, "half": HALF, "widen": WIDEN, "over": OVER}
    return {
        "backdrop": programs.over_all(frame.backdrop),
        "display": programs.over_all(Paint(frame.display)),
        "glow": {"levels": GLOW_LEVELS, "amount": frame.glow}
        | {name: programs.plain(text) for name, text in glow.items()},
        "shadow": {"size": shadow.SIZE, "nothing": shadow.NOTHING, "key": shadow.PICTURE.data},
        "behind": BEHIND.data,
    }


def view(
    project: Project,
    scene: Scene,
    materials: Collection[str],
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    lights: Lights,
    packing: Packing,
    programs: Programs,
    baked: ShownLight | None = None,
) -> tuple[Row, Frame] | None:
    """A scene with what wears one of the materials, by their ids, in it; None where nothing does.

    Where one of them reads what is behind it, all of the scene stays. `baked`: light that was baked for it.
    """
    looks, kept = LoweredMaterials(), []
    family = {look_id for look_id in _worn(project, scene, models) if material_of(project, look_id) in materials}
    if not family:
        return None
    whole = any(_reads(looks, project, look_id) for look_id in family)
    for thing in scene.objects:
        if thing.asset in models and (whole or family & set(_worn(project, changed(scene, objects=(thing,)), models))):
            kept.append(thing)
    shown = changed(scene, objects=tuple(kept))
    camera = camera_for(scene.view, (16, 10))
    light = baked.now(project, scene, models, images, looks) if baked else None
    frame = frame_of(project, shown, models, camera, (16, 10), OPTIONS, looks, images=images, light=light)
    wearing = _wearing(project, kept, models, light)
    depth = any(reads_depth(item.paint.colour) for item in frame.items)
    items = [
        _item(frame, item, wearing.get((id(item.mesh), item.inputs["object_random"]), ""), packing, programs, depth)
        for item in frame.items
        if item.shown
    ]
    low, high = scene_bounds(shown, models)
    seen = scene.view
    row = {
        "name": scene.name,
        "items": items,
        "camera": {"target": list(seen.target), "yaw": seen.yaw, "pitch": seen.pitch, "distance": seen.distance},
        "bounds": [finite(low), finite(high)],
        "sky": list(lights).index(_key(scene.environment)),
        "suns": [_sun(light, low, high, images) for _, light in lights.values()],
    }
    return row, frame


def _sun(light: Environment, low: Any, high: Any, images: Mapping[str, Image]) -> Row:
    """How the sun's map is taken of a scene under a light, and what surfaces read of it."""
    found = light_uniforms(light, images)
    sunny = any(found["stage:sun_light"])  # type: ignore[arg-type]
    seen = shadow.view_round(low, high, np.array(found["stage:sun_direction"])) if sunny else None
    row: Row = {"values": {key: finite(value) for key, value in (seen or NO_SHADOW).uniforms.items()}}
    return row | {"matrix": finite(seen.view_projection.T.reshape(-1)) if seen else None}


def _item(frame: Frame, item: Item, look_id: str, packing: Packing, programs: Programs, depth: bool) -> Row:
    volumes = frame.volumes(item)
    outside, deep = bool(volumes), keeping_holes(item.paint, DEPTH)
    wanted = [programs.of(item.paint, outside=outside)]
    wanted.append(programs.of(keeping_holes(item.paint, SHADOW)) if item.casts_shadow else -1)
    wanted.append(programs.of(deep, outside=outside) if depth and not item.late else -1)
    wanted.append(programs.of(deep) if volumes else -1)
    row = _drawn(item, wanted, look_id, packing, programs)
    walls = [programs.of(replace(each.paint, colour=WALLS, masked=False)) for each in volumes]
    pairs = zip(volumes, walls, strict=True)
    return row | {"volumes": [_drawn(each, [number], "", packing, programs) for each, number in pairs]}


def _drawn(item: Item, wanted: list[int], look_id: str, packing: Packing, programs: Programs) -> Row:
    names = sorted({name for number in wanted if number >= 0 for name in programs.rows[number]["attributes"]})
    mesh = item.mesh
    attributes = {name: packing.numbers(mesh, name, functools.partial(mesh_rows, mesh, name)) for name in names}
    low, high = mesh.bounds
    middle = item.matrix[:3, :3] @ ((low + high) / 2) + item.matrix[:3, 3]
    own = {key: value for key, value in item.uniforms.items() if not look_id or key not in item.paint.uniforms}
    return {
        "look": look_id,
        "programs": wanted,
        "attributes": attributes,
        "triangles": packing.numbers(mesh, "triangles", lambda: mesh.triangles),
        "middles": packing.numbers(mesh, "middles", lambda: mesh.middles.astype(np.float32)) if item.blended else None,
        "inputs": {name: finite(value) for name, value in item.inputs.items()},
        "values": values(own, packing),
        "vertices": len(mesh.positions),
        "matrix": finite(item.matrix.T.reshape(-1)),
        "middle": finite(middle),
        "blended": item.blended,
        "late": item.late,
        "culled": item.culled,
        "mirrored": item.mirrored,
        "prop": item.prop,
        "behind": reads_behind(item.paint.colour),
    }


def _wearing(
    project: Project, things: Sequence[StageObject], models: Mapping[str, Model], light: LightNow | None
) -> dict[tuple[int, tuple[float, ...]], str]:
    """The look of each part, "" where it is gone, by its mesh and what is random about its object."""
    found = {}
    for thing in things:
        model = models[thing.asset]
        for name, mesh, _ in placed_parts(thing, model):
            random = object_inputs(thing, model, mesh)["object_random"]
            look_id = worn(project, thing, name)
            drawn = light.on(thing, name, mesh)[0] if light else mesh
            found[id(drawn), random] = look_id if material_of(project, look_id) else ""
    return found


def _worn(project: Project, scene: Scene, models: Mapping[str, Model]) -> list[str]:
    return [
        worn(project, thing, name)
        for thing in scene.objects
        if thing.asset in models
        for name, _, _ in placed_parts(thing, models[thing.asset])
        if name not in thing.hidden and "" not in thing.hidden
    ]


def material_of(project: Project, look_id: str) -> str:
    """The id of the material behind a look, "" where none is."""
    material = ancestry(project, look_id)[1]
    return material.id if material else ""


def _reads(looks: LoweredMaterials, project: Project, look_id: str) -> bool:
    colour = looks.dress(project, look_id, OPTIONS).paint.colour
    return reads_depth(colour) or reads_behind(colour)
