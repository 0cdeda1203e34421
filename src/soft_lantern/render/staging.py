"""From the document to frames: which meshes stand where, and what they wear."""

from __future__ import annotations

import functools
import weakref
from collections.abc import Collection, Mapping
from typing import Literal, Protocol
from zlib import crc32

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.graph.document import Material, Project, Scene, StageObject
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, join, reads, swizzle, uniform
from soft_lantern.ir.inputs import BEHIND, surface_input
from soft_lantern.ir.mip_levels import with_levels
from soft_lantern.ir.surface_inputs import at_pixel, read_inputs
from soft_lantern.render import props, shadow, surface_model
from soft_lantern.render.frame import Frame, Item, Paint, UniformValue, placed_inputs
from soft_lantern.render.lighting import light_uniforms
from soft_lantern.scene.mesh import Matrix, Mesh, Model, corners_bounds
from soft_lantern.scene.transforms import Camera, placement
from soft_lantern.turns import give_way
from soft_lantern.values.images import Image

LIT = "lit"
OF_SURFACE = ("base_colour", "metallic", "roughness", "normal", "occlusion", "emissive", "alpha", "specular_colour")
OF_MESH = ("vertex_colour", "vertex_alpha", "vertex_red", "vertex_green", "vertex_blue")
SHOWABLE = (LIT, *OF_SURFACE, *OF_MESH)
"""What the stage can show: the lit surface, one of its inputs alone, or the colours that meshes hold.

Of those, alpha lets a checker through; a channel alone is grey.
"""
CHECK = 8.0
"""Pixels along a field of the checker."""

GREY = Material(id="", name="plain grey")


COLOURS_KEPT = 512
SCALES = ("0 to 1", "measured", "signed")
CHANNELS = ("all", "x", "y", "z", "w")


class WireView(Struct, frozen=True):
    """One wire of one material to show unlit, instead of the surface.

    `scale`: "0 to 1" as it is, "measured" from `low` to `high`, "signed" −1 to 1; `channel`: all, or one as grey.
    """

    material: str
    wire: str
    scale: str = "0 to 1"
    channel: str = "all"
    low: float = 0.0
    high: float = 1.0


class StageOptions(Struct, frozen=True):
    """How the stage is judged: what is drawn beside the objects, and what of the surface is shown.

    `light`: what of baked light is seen; "texels" shows those of its maps on plain grey. `textures`: off, every texture
    is its own mean. `edges`: triangles' edges over all. `solo`: only this object of the scene, or this part of it, is
    drawn.
    """

    backdrop: bool = True
    floor: bool = True
    grid: bool = True
    tone_map: bool = True
    gauge: bool = True
    shadow: bool = True
    glow: bool = True
    light: Literal["with", "alone", "without", "texels"] = "with"
    textures: bool = True
    edges: bool = False
    show: str = LIT
    clip: bool = False
    wire: WireView | None = None
    solo: tuple[str, str] = ("", "")

    @property
    def lit(self) -> bool:
        """Whether the surface is shown as it is, lit, rather than something of it."""
        return self.show == LIT and not self.wire and not self.clip


class Dress(Struct, frozen=True):
    """How something is drawn by what it wears: its paint and what the surface node says beside it."""

    paint: Paint
    blended: bool
    late: bool
    culled: bool
    casts: bool
    receives: bool


class BakedOnItems(Protocol):
    """Light that was baked for the items of a frame."""

    def on(self, thing: StageObject, part: str, mesh: Mesh) -> tuple[Mesh, dict[str, UniformValue]]:
        """A part's mesh as it is drawn, and the values of the uniforms that `surface_model.baked_light` reads."""

    def in_texels(self) -> BakedOnItems:
        """The same with a checker of its maps' texels in place of the light in them."""


class LoweredMaterials:
    """Lowered materials, remembered while the material's graph stays the same object.

    A new value typed into a node makes a new material with the same expressions, so nothing compiles again.
    """

    def __init__(self) -> None:
        self._lowered = by_identity(256)(lower)
        self._colours: dict[tuple[object, ...], tuple[Lowered, Expr]] = {}

    def lowered(self, material: Material) -> Lowered:
        """The material as expressions."""
        return self._lowered(material)

    def dress(
        self,
        project: Project,
        look_id: str,
        options: StageOptions,
        images: Mapping[str, Image] | None = None,
        *,
        baked: bool = False,
    ) -> Dress:
        """How something wearing that instance or material is drawn; plain grey where it is missing.

        `baked`: with light that was baked for it.
        """
        found = look(project, look_id)
        material = found.material if found else GREY
        lowered = self.lowered(material)
        if not options.textures:
            images = {name: evened(image) for name, image in (images or {}).items()}
        values = uniform_values(lowered, material, found.shown if found else {}, images)
        view = options.wire
        if view:
            values |= {"stage:wire_low": (view.low,), "stage:wire_high": (view.high,)}
        colour = self._coloured(lowered, material.id, options, baked=baked)
        masked, blended = lowered.alpha_mode == "mask", options.lit and lowered.alpha_mode == "blend"
        hidden_in = frozenset(name.strip() for name in lowered.traits.get("hidden_in", "").split(",") if name.strip())
        return Dress(
            Paint(colour, values, lowered.names, lowered.offset, masked, hidden_in),
            blended,
            blended or reads_depth(colour) or reads_behind(colour),
            culled=lowered.traits.get("double_sided") != "yes",
            casts=lowered.traits.get("casts_shadow") != "no" and lowered.alpha_mode != "blend",
            receives=lowered.traits.get("receives_shadow") != "no",
        )

    def _coloured(self, lowered: Lowered, material_id: str, options: StageOptions, *, baked: bool) -> Expr:
        """The colour of a lowered material; the same object as long as nothing of it would be built differently."""
        view = options.wire
        wire = (view.material == material_id, view.wire, view.scale, view.channel) if view else None
        key = (id(lowered), options.show, options.shadow, options.clip, wire, baked)
        kept = self._colours.get(key)
        if kept is None or kept[0] is not lowered:
            if len(self._colours) >= COLOURS_KEPT:
                self._colours.clear()
            kept = self._colours[key] = (lowered, _colour_of(lowered, material_id, options, baked=baked))
        return kept[1]


def _colour_of(lowered: Lowered, material_id: str, options: StageOptions, *, baked: bool) -> Expr:
    colour, view = _shown(lowered, options, baked=baked), options.wire
    if view:
        mine = material_id == view.material and view.wire in lowered.wires
        colour = _wire_colour(lowered.wires[view.wire], view) if mine else const(0.05, 0.05, 0.05, 1.0)
    if options.clip:
        colour = clip_hatched(colour)
    if lowered.alpha_mode == "mask":
        colour = join(colour.xyz, f.step(lowered.surface["alpha_cutoff"], lowered.surface["alpha"]))
    elif not (options.lit and lowered.alpha_mode == "blend"):
        colour = join(colour.xyz, 1.0)
    return with_levels(colour)


@functools.lru_cache(maxsize=512)
def reads_depth(colour: Expr) -> bool:
    """Whether a colour reads the depth behind it, and so must wait until all that hides it is drawn."""
    return "scene_depth" in read_inputs(at_pixel([colour]))


@functools.lru_cache(maxsize=512)
def reads_behind(colour: Expr) -> bool:
    """Whether a colour reads the picture behind it."""
    return reads([colour], BEHIND)


def _shown(lowered: Lowered, options: StageOptions, *, baked: bool) -> Expr:
    if options.show == LIT and lowered.unlit:
        return join(lowered.surface["base_colour"], lowered.surface["alpha"])
    if options.show == LIT:
        colour = surface_model.lit(lowered.surface, shadowed=options.shadow, baked=baked)
        return _hatched_where_stale(colour) if baked else colour
    if options.show in OF_MESH:
        return _mesh_colour(options.show)
    value = lowered.surface[options.show]
    if options.show == "normal":
        value = value * 0.5 + 0.5
    return join(value if value.type is Type.VEC3 else f.splat(value, 3), 1.0)


def _hatched_where_stale(colour: Expr) -> Expr:
    """A lit colour, hatched on items whose baked light is no longer that of how things stand."""
    place = surface_input("pixel_place")
    line = f.step(0.8, f.fract((place.x + place.y) * 0.0625)) * uniform("stage:light_stale", Type.FLOAT)
    return join(colour.xyz * (1.0 - 0.5 * line) + const(*STALE) * line, colour.w)


STALE = (0.07, 0.055, 0.025)
"""What hatches light that is out of date, linear."""


def _mesh_colour(show: str) -> Expr:
    held = surface_input("vertex_color")
    if show == "vertex_colour":
        return join(held.xyz, 1.0)
    if show == "vertex_alpha":
        place = surface_input("pixel_place") / CHECK
        odd = f.fract((f.floor(place.x) + f.floor(place.y)) * 0.5) * 2.0
        return join(f.mix(f.splat(f.mix(const(0.1), const(0.4), odd), 3), held.xyz, f.saturate(held.w)), 1.0)
    at = OF_MESH.index(show) - 2
    return join(f.splat(swizzle(held, "xyz"[at]), 3), 1.0)


_evened: weakref.WeakKeyDictionary[Image, Image] = weakref.WeakKeyDictionary()


def evened(image: Image) -> Image:
    """An image of one texel: the mean of all, linear. Kept as long as the image is."""
    kept = _evened.get(image)
    if kept is None:
        kept = _evened[image] = _mean(image)
    return kept


def _mean(image: Image) -> Image:
    rows = max((1 << 22) // max(image.width, 1), 1)  # in pieces: a large picture as floats is very large
    pieces = [replace(image, texels=image.texels[top : top + rows]) for top in range(0, image.height, rows)]
    total = sum(piece.linear().sum(axis=(0, 1), dtype=np.float64) for piece in pieces)
    mean = np.asarray(total) / (image.width * image.height)
    return Image(mean.astype(np.float32).reshape(1, 1, 4), image.encoding, image.filter, image.wrap)


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
    """What an object brings to the points of one of its meshes, by the names of `ir.surface_inputs.OF_OBJECT`."""
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


def object_boxes(scene: Scene, models: Mapping[str, Model], ids: Collection[str]) -> dict[str, tuple[Matrix, Matrix]]:
    """The lowest and highest corner in the world of each of some objects whose mesh could be read, in that order."""
    found = {}
    for object_id in ids:
        thing = scene.object(object_id)
        if thing and thing.asset in models:
            found[object_id] = vertex_bounds(thing, models[thing.asset])
    return found


def vertex_bounds(thing: StageObject, model: Model) -> tuple[Matrix, Matrix]:
    """The lowest and highest vertex of an object in the world."""
    points = [mesh.positions @ matrix[:3, :3].T + matrix[:3, 3] for _, mesh, matrix in placed_parts(thing, model)]
    held = np.concatenate([*points, np.zeros((0, 3))]) if any(map(len, points)) else np.zeros((1, 3))
    return np.asarray(held.min(axis=0), np.float64), np.asarray(held.max(axis=0), np.float64)


def frame_of(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    camera: Camera,
    size: tuple[int, int],
    options: StageOptions,
    lowered_materials: LoweredMaterials,
    time: float = 0.0,
    samples: int = 0,
    images: Mapping[str, Image] | None = None,
    light: BakedOnItems | None = None,
) -> Frame:
    """The frame of a scene. Objects whose asset is not among `models` are left out.

    `images`: the project's textures by id. `light`: what was baked for it. What is blended or reads the depth behind it
    comes last, farthest first.
    """
    light = None if options.light == "without" else light
    in_texels = light is not None and options.light == "texels"
    light = light.in_texels() if light and in_texels else light
    items: list[Item] = []
    behind: list[Item] = []
    away: dict[int, float] = {}
    dresses: dict[str, Dress] = {}
    for thing in scene.objects:
        if thing.asset not in models:
            continue
        model = models[thing.asset]
        for name, mesh, matrix in placed_parts(thing, model):
            give_way()
            look_id = "" if in_texels else worn(project, thing, name)
            if look_id not in dresses:
                dresses[look_id] = lowered_materials.dress(project, look_id, options, images, baked=light is not None)
            dress = dresses[look_id]
            apart = options.solo[0] and options.solo not in ((thing.id, ""), (thing.id, name))
            shown = not (name in thing.hidden or "" in thing.hidden or apart)
            drawn, lit = light.on(thing, name, mesh) if light else (mesh, {})
            item = Item(
                drawn,
                object_inputs(thing, model, mesh),
                dress.paint,
                dress.blended,
                dress.late,
                dress.culled,
                casts_shadow=shown and dress.casts and thing.casts_shadow,
                receives_shadow=dress.receives and thing.receives_shadow,
                cuts=thing.cut_outs.get(name, thing.cut_outs.get("", "")),
                shown=shown,
                light=lit,
            )
            (behind if item.late else items).append(item)
            away[id(item)] = _distance(mesh, matrix, camera)
    items.sort(key=lambda item: away[id(item)])  # what is near hides what is far before that is worked out
    low, high = scene_bounds(scene, models)
    reach = float(np.linalg.norm(high - low)) * 1.5 + 1.0
    middle = (low + high) / 2
    uniforms = light_uniforms(scene.environment, images or {})
    if light and options.light in ("alone", "texels"):
        uniforms |= {"stage:sun_light": (0.0, 0.0, 0.0), "stage:sky_gain": (0.0,)}
    view = None
    if options.shadow and any(uniforms["stage:sun_light"]):  # type: ignore[arg-type]
        view = shadow.view_round(low, high, np.array(uniforms["stage:sun_direction"]))
    uniforms |= (view or NO_SHADOW).uniforms
    if options.floor or options.grid:
        ground = min(0.0, float(np.floor(low[1] * 2) / 2))
        switches = {"solid": options.floor, "grid": options.grid, "shadowed": options.shadow}
        items.append(props.floor(middle, ground, reach, **switches))
    items += sorted(behind, key=lambda item: (item.blended, -away[id(item)]))
    if options.gauge and scene.gauge is not None:
        items.append(props.gauge(middle, scene.gauge_axis, scene.gauge, reach * 0.42))
    return Frame(
        size,
        camera,
        tuple(items),
        props.SKY if options.backdrop else props.PLAIN,
        surface_model.displayed(options.tone_map and options.lit),
        time,
        samples,
        uniforms,
        view,
        GLOW if options.glow and options.lit else 0.0,
        options.edges,
    )


GLOW = 0.35
"""How much of what is brighter than white spreads, where glow is on."""
NO_SHADOW = shadow.ShadowView(np.zeros(3), np.array([0.0, 1.0, 0.0]), 1.0)
"""Stands in where no sun shines: nothing is drawn, and the whole map is lit."""


def _distance(mesh: Mesh, matrix: Matrix, camera: Camera) -> float:
    """From the camera to the middle of a mesh, in metres."""
    low, high = mesh.bounds
    middle = matrix[:3, :3] @ ((low + high) / 2) + matrix[:3, 3]
    return float(np.linalg.norm(middle - camera.position))
