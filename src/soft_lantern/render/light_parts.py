"""The parts of a scene as light meets them: which give, take and stop it, and what light groups give on the average."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Mapping
from hashlib import sha1

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.graph.document import LightRole, Project, Scene, StageObject
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import uniform_values
from soft_lantern.graph.scenes import light_role
from soft_lantern.render.staging import GREY, LoweredMaterials, object_inputs, placed_parts
from soft_lantern.render.surface_points import Worn
from soft_lantern.scene.mesh import Mesh, Model
from soft_lantern.scene.transforms import Camera, camera_for
from soft_lantern.values.images import Image

Mean = tuple[float, float, float]
BLACK: Mean = (0.0, 0.0, 0.0)
BRIGHTEST = 65_504.0
"""The most that anything gives: the largest half-precision float, in which light maps are handed over."""
SAMPLED = 1024
"""Triangles of a part by which the mean of what it gives is told."""
MOVES, HIDDEN, SEE_THROUGH, UNLIT = "it moves", "hidden", "see-through", "unlit"
DARK, LOST, NO_FACES = "emissive is 0", "its mesh could not be read", "it has no faces"


class Part(Struct, frozen=True, eq=False):
    """A part of an object as light meets it. `why_not` says of "gives", "takes" or "stops" why it does not, if so."""

    thing: StageObject
    name: str
    role: LightRole
    worn: Worn | None
    why_not: dict[str, str] = field(default_factory=dict)

    @property
    def group(self) -> str:
        """The light group that what it gives counts as."""
        return self.role.group or self.thing.name

    def does(self, what: str) -> bool:
        """Whether it "gives", "takes" or "stops" light."""
        return what not in self.why_not


def parts_of(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    lowered_materials: LoweredMaterials,
) -> Iterator[Part]:
    """Every part of the scene, with what keeps it from taking part."""
    camera = camera_for(scene.view, (16, 9))
    for thing in scene.objects:
        model = models.get(thing.asset)
        if model is None:
            yield Part(thing, "", light_role(thing, ""), None, dict.fromkeys(("gives", "takes", "stops"), LOST))
            continue
        for name, mesh, _ in placed_parts(thing, model):
            yield _part(project, thing, name, mesh, model, images, lowered_materials, camera)


def _part(
    project: Project,
    thing: StageObject,
    name: str,
    mesh: Mesh,
    model: Model,
    images: Mapping[str, Image],
    lowered_materials: LoweredMaterials,
    camera: Camera,
) -> Part:
    found = look(project, worn(project, thing, name))
    material = found.material if found else GREY
    lowered = lowered_materials.lowered(material)
    uniforms = uniform_values(lowered, material, found.shown if found else {}, images)
    as_worn = Worn(mesh, object_inputs(thing, model, mesh), lowered, uniforms, camera)
    role, why = light_role(thing, name), {}
    for what, wanted in (("gives", role.gives), ("takes", role.takes), ("stops", role.stops)):
        if not wanted:
            why[what] = ""
    if lowered.alpha_mode == "blend":
        why["takes"] = SEE_THROUGH
    if lowered.unlit:
        why["takes"] = why["gives"] = UNLIT
    for words, holds in (
        *((NO_FACES, not len(mesh.triangles)), (HIDDEN, name in thing.hidden or "" in thing.hidden)),
        (MOVES, thing.moves),
    ):
        if holds:
            why = dict.fromkeys(("gives", "takes", "stops"), words)
    return Part(thing, name, role, as_worn, why)


class MeanEmissions:
    """What light groups give on the average, worked out again only for what is worn differently."""

    def __init__(self) -> None:
        self._kept: dict[tuple[str, str], tuple[tuple[object, ...], Mean, float]] = {}

    def of_part(self, part: Part) -> tuple[Mean, float]:
        """What a part gives on the average over its area: linear radiance, and that area."""
        held = part.worn
        if held is None:
            return BLACK, 0.0
        values = tuple((k, v if isinstance(v, tuple) else id(v)) for k, v in sorted(held.uniforms.items()))
        key = (held.mesh, held.lowered, values, tuple(sorted(held.of_object.items())))
        kept = self._kept.get((part.thing.id, part.name))
        if kept is None or kept[0] != key:
            kept = self._kept[part.thing.id, part.name] = key, mean_emission(held), area_of(held)
        return kept[1], kept[2]

    def of(
        self,
        project: Project,
        scene: Scene,
        models: Mapping[str, Model],
        images: Mapping[str, Image],
        lowered_materials: LoweredMaterials,
        groups: Container[str],
    ) -> dict[str, Mean]:
        """The mean of each of some groups, as the scene is."""
        parts = parts_of(project, scene, models, images, lowered_materials)
        return self.of_groups([part for part in parts if part.does("gives") and part.group in groups])

    def of_groups(self, givers: Iterable[Part]) -> dict[str, Mean]:
        """The mean of the group of each of some parts, by the parts' areas."""
        total: dict[str, npt.NDArray[np.float64]] = {}
        areas: dict[str, float] = {}
        for part in givers:
            mean, area = self.of_part(part)
            total[part.group] = total.get(part.group, np.zeros(3)) + np.array(mean) * area
            areas[part.group] = areas.get(part.group, 0.0) + area
        return {name: _three(each / max(areas[name], 1e-30)) for name, each in total.items()}


def with_dark_ones(parts: Iterable[Part], means: MeanEmissions) -> list[Part]:
    """The parts, those that give nothing because their emissive is 0 told so."""
    found = []
    for part in parts:
        dark = part.does("gives") and not any(means.of_part(part)[0])
        found.append(replace(part, why_not={**part.why_not, "gives": DARK}) if dark else part)
    return found


def mean_emission(part: Worn) -> Mean:
    """What a mesh gives on the average over its area: linear radiance, told by some of its triangles."""
    mesh = part.mesh
    step = max(len(mesh.triangles) // SAMPLED, 1)
    triangles = np.arange(0, len(mesh.triangles), step)
    carried = part.carried
    places = np.full((len(triangles), 2), 1 / 3)
    given = np.clip(part.surface(["emissive"], triangles, places)["emissive"], 0, BRIGHTEST)
    a, b, c = (carried["position_world"][mesh.triangles[triangles, i]] for i in range(3))
    areas = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    total = float(areas.sum())
    if total <= 0:
        return BLACK
    return _three(areas @ np.broadcast_to(given, (len(triangles), 3)).astype(np.float64) / total)


def _three(values: npt.NDArray[np.floating]) -> Mean:
    return float(values[0]), float(values[1]), float(values[2])


def mark_of(thing: StageObject) -> str:
    """What tells whether an object stands as it did: where, in which shape, and which of it is there."""
    said = (thing.asset, thing.position, thing.rotation, thing.scale, sorted(thing.hidden), thing.moves)
    return sha1(repr(said).encode()).hexdigest()[:16]


def area_of(part: Worn) -> float:
    """Its area in the world, in square metres."""
    a, b, c = (part.carried["position_world"][part.mesh.triangles[:, i]] for i in range(3))
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
