"""From the document to frames: which meshes stand where, and what they wear."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from dataclasses import dataclass
from zlib import crc32

import numpy as np

from soft_lantern.graph.document import Material, Project, Scene, StageObject
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.instances import look
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, join, swizzle, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.supply import at_pixel, read_inputs
from soft_lantern.render import surface_model
from soft_lantern.render.frame import Frame, Item, Paint, placed_inputs
from soft_lantern.scene.mesh import Matrix, Mesh, Model, corners_bounds, mesh_from
from soft_lantern.scene.transforms import Camera, placement
from soft_lantern.values.images import Image

LIT = "lit"
SHOWABLE = (LIT, "base_colour", "metallic", "roughness", "normal", "occlusion", "emissive", "alpha", "specular_colour")
"""What the stage can show: the lit surface, or one of its inputs alone."""

GREY = Material(id="", name="plain grey")


SCALES = ("0 to 1", "measured", "signed")
CHANNELS = ("all", "x", "y", "z", "w")


@dataclass(frozen=True, slots=True)
class WireView:
    """One wire of one material to show unlit, instead of the surface.

    `scale`: "0 to 1" as it is, "measured" from `low` to `high`, "signed" −1 to 1; `channel`: all, or one as grey.
    """

    material: str
    wire: str
    scale: str = "0 to 1"
    channel: str = "all"
    low: float = 0.0
    high: float = 1.0


@dataclass(frozen=True, slots=True)
class StageOptions:
    """How the stage is judged: what is drawn beside the objects, and what of the surface is shown."""

    backdrop: bool = True
    floor: bool = True
    tone_map: bool = True
    gauge: float | None = None
    show: str = LIT
    clip: bool = False
    wire: WireView | None = None


class Looks:
    """Lowered materials, remembered while the material's graph stays the same object.

    A new value typed into a node makes a new material with the same expressions, so nothing compiles again.
    """

    def __init__(self) -> None:
        self._lowered = by_identity(256)(lower)

    def lowered(self, material: Material) -> Lowered:
        """The material as expressions."""
        return self._lowered(material)

    def paint(
        self, project: Project, look_id: str, options: StageOptions, images: Mapping[str, Image] | None = None
    ) -> tuple[Paint, bool]:
        """What something wearing that instance or material is coloured with, and whether it blends with what is behind.

        Plain grey where it is missing.
        """
        found = look(project, look_id)
        material = found.material if found else GREY
        lowered = self.lowered(material)
        values = uniform_values(lowered, material, found.values if found else {}, images)
        colour = _shown(lowered, options.show)
        view = options.wire
        if view:
            mine = material.id == view.material and view.wire in lowered.wires
            colour = _wire_colour(lowered.wires[view.wire], view) if mine else const(0.05, 0.05, 0.05, 1.0)
            values |= {"stage:wire_low": (view.low,), "stage:wire_high": (view.high,)}
        if options.clip:
            colour = clip_hatched(colour)
        whole = options.show == LIT and not view and not options.clip
        blended = whole and lowered.alpha_mode == "blend"
        if lowered.alpha_mode == "mask":
            colour = join(colour.xyz, f.step(lowered.surface["alpha_cutoff"], lowered.surface["alpha"]))
        elif not blended:
            colour = join(colour.xyz, 1.0)
        return Paint(colour, values, lowered.names, lowered.offset, lowered.alpha_mode == "mask"), blended


def _shown(lowered: Lowered, show: str) -> Expr:
    if show == LIT and lowered.unlit:
        return join(lowered.surface["base_colour"], lowered.surface["alpha"])
    if show == LIT:
        return surface_model.lit(lowered.surface)
    value = lowered.surface[show]
    if show == "normal":
        value = value * 0.5 + 0.5
    return join(value if value.type is Type.VEC3 else f.splat(value, 3), 1.0)


def _wire_colour(value: Expr, view: WireView) -> Expr:
    if view.channel != "all":
        at = CHANNELS.index(view.channel) - 1
        value = swizzle(value, "xyzw"[min(at, value.type.width - 1)])
    if view.scale == "signed":
        value = value * 0.5 + 0.5
    elif view.scale == "measured":
        low, high = (uniform(f"stage:wire_{end}", Type.FLOAT) for end in ("low", "high"))
        value = (value - low) / f.max_(high - low, 1e-9)
    if value.type is Type.VEC2:
        value = join(value, 0.0)
    return join(f.splat(value, 3) if value.type is Type.FLOAT else swizzle(value, "xyz"), 1.0)


BELOW, ABOVE, NOT_FINITE = (0.07, 0.16, 1.0), (1.0, 0.1, 0.05), (1.0, 0.0, 0.7)
"""What clip view hatches with, linear: below 0, above 1, and infinite or not a number."""


def clip_hatched(colour: Expr) -> Expr:
    """A linear colour before display, hatched where a channel is below 0, above 1 or not finite.

    The hatches differ in direction as well as colour, so that colour is not the only sign.
    """
    linear, place = swizzle(colour, "xyz"), surface_input("pixel_place")
    lowest = f.min_(f.min_(linear.x, linear.y), linear.z)
    highest = f.max_(f.max_(linear.x, linear.y), linear.z)
    shown = linear
    rising, falling = _stripes(place.x + place.y), _stripes(place.x - place.y)
    shown = f.select(lowest < -1e-5, f.mix(linear * 0.2, const(*BELOW), rising), shown)
    shown = f.select(highest > 1.0 + 1e-5, f.mix(const(0.1, 0.1, 0.1), const(*ABOVE), falling), shown)
    checks = f.abs_(rising - falling)
    broken = f.mix(const(0.02, 0.02, 0.02), const(*NOT_FINITE), checks)
    return join(f.select(f.finite(linear), shown, broken), 1.0)


def _stripes(along: Expr) -> Expr:
    return f.select(f.fract(along * 0.125) < 0.5, 1.0, 0.0)


def placed_parts(thing: StageObject, model: Model) -> list[tuple[str, Mesh, Matrix]]:
    """An object's parts by name, each mesh in the object's own space, with the object's world matrix."""
    matrix = placement(thing)
    return [(part.name, part.placed, matrix) for part in model.parts]


def object_inputs(thing: StageObject, model: Model, mesh: Mesh) -> dict[str, tuple[float, ...]]:
    """What an object brings to the surface points of one of its meshes, by the names of `ir.supply.OF_OBJECT`."""
    low, high = model.bounds
    return placed_inputs(placement(thing)) | {
        "object_random": (crc32(thing.id.encode()) / 2**32,),
        "bounds_low": tuple(map(float, low)),
        "bounds_high": tuple(map(float, high)),
        "has_vertex_color": (float(mesh.has_colours),),
    }


def scene_bounds(scene: Scene, models: Mapping[str, Model]) -> tuple[Matrix, Matrix]:
    """The lowest and highest corner of all objects whose meshes could be read."""
    placed = [
        (mesh, matrix)
        for thing in scene.objects
        if thing.asset in models
        for _, mesh, matrix in placed_parts(thing, models[thing.asset])
    ]
    return corners_bounds(placed)


def frame_of(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    camera: Camera,
    size: tuple[int, int],
    options: StageOptions,
    looks: Looks,
    time: float = 0.0,
    samples: int = 0,
    images: Mapping[str, Image] | None = None,
) -> Frame:
    """The frame of a scene. Objects whose asset is not among `models` are left out.

    `images`: the project's textures by id. What is blended or reads the depth behind it comes last, farthest first.
    """
    items: list[Item] = []
    behind: list[Item] = []
    away: dict[int, float] = {}
    for thing in scene.objects:
        if thing.asset not in models:
            continue
        paints: dict[str, tuple[Paint, bool]] = {}
        for name, mesh, matrix in placed_parts(thing, models[thing.asset]):
            worn = thing.wears.get(name, thing.wears.get("", ""))
            if worn not in paints:
                paints[worn] = looks.paint(project, worn, options, images)
            paint, blended = paints[worn]
            item = Item(mesh, object_inputs(thing, models[thing.asset], mesh), paint, blended, late(paint, blended))
            (behind if item.late else items).append(item)
            away[id(item)] = _distance(mesh, matrix, camera)
    low, high = scene_bounds(scene, models)
    reach = float(np.linalg.norm(high - low)) * 1.5 + 1.0
    middle = (low + high) / 2
    if options.floor:
        items.append(
            Item(
                _sheet(),
                _level(middle, min(0.0, np.floor(low[1] * 2) / 2), reach * 4),
                _floor_paint(reach),
                blended=True,
                late=True,
            )
        )
    items += sorted(behind, key=lambda item: (item.blended, -away[id(item)]))
    if options.gauge is not None:
        items.append(Item(_sheet(), _level(middle, options.gauge, reach * 0.42), _GAUGE, blended=True, late=True))
    backdrop = _SKY if options.backdrop else _PLAIN
    tone_map = options.tone_map and options.show == LIT and not options.clip and not options.wire
    display = surface_model.displayed(tone_map)
    return Frame(size, camera, tuple(items), backdrop, display, time, samples)


def late(paint: Paint, blended: bool) -> bool:
    """Whether something must wait until all that hides it is drawn."""
    return blended or "scene_depth" in read_inputs(at_pixel([paint.colour]))


def _distance(mesh: Mesh, matrix: Matrix, camera: Camera) -> float:
    """From the camera to the middle of a mesh, in metres."""
    low, high = mesh.bounds
    middle = matrix[:3, :3] @ ((low + high) / 2) + matrix[:3, 3]
    return float(np.linalg.norm(middle - camera.position))


def _level(middle: Matrix, height: float, reach: float) -> dict[str, tuple[float, ...]]:
    matrix = np.diag([reach, 1.0, reach, 1.0])
    matrix[:3, 3] = (middle[0], height, middle[2])
    return placed_inputs(matrix)


@functools.cache
def _sheet() -> Mesh:
    """A square seen from both sides."""
    corners = [[-1, 0, -1], [-1, 0, 1], [1, 0, -1], [1, 0, 1]]
    return mesh_from(corners, [[0, 1, 2], [2, 1, 3]], np.tile([0.0, 1.0, 0.0], (4, 1)))


def _view_direction() -> Expr:
    return f.normalize(surface_input("position_world") - surface_input("camera_position"))


_SKY = Paint(join(surface_model.sky(_view_direction()) * 0.55, 1.0))
_PLAIN = Paint(const(0.18, 0.18, 0.18, 1.0))


def _gauge_paint() -> Paint:
    """A faint disc with a rim, and rings a tenth of its radius apart."""
    out = f.length(surface_input("position_object"))
    rim = f.smoothstep(0.97, 0.975, out)
    ring = 1.0 - f.smoothstep(0.02, 0.05, f.abs_(f.fract(out * 10.0) - 0.5))
    alpha = (0.10 + 0.12 * ring + 0.6 * rim) * f.select(out <= 1.0, 1.0, 0.0)
    return Paint(join(const(0.95, 0.50, 0.12), alpha))


_GAUGE = _gauge_paint()


def _floor_paint(reach: float) -> Paint:
    """A metre grid that fades with the distance from the middle of the scene."""
    position, eye = surface_input("position_world"), surface_input("camera_position")
    distance = f.length(position - eye)
    line = distance * 0.0016 + 0.004
    lines = [_grid_line(part, line) for part in (position.x, position.z)]
    fade_end = uniform("stage:floor_reach", Type.FLOAT)
    fade = 1.0 - f.smoothstep(0.3, 1.0, f.length(surface_input("position_object")) * 1.6)
    alpha = (0.16 + 0.3 * f.max_(lines[0], lines[1]) * f.saturate(fade_end / distance)) * fade
    return Paint(join(const(0.30, 0.29, 0.34), alpha), {"stage:floor_reach": (reach * 4,)})


def _grid_line(at: Expr, width: Expr) -> Expr:
    off = f.abs_(f.fract(at + 0.5) - 0.5)
    return 1.0 - f.smoothstep(width, width * 2.0, off)
