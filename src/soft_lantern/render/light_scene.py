"""A scene as light is baked in it: who gives, takes and stops it, what each answers, and where it is gathered."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.bake.light.baking import Job, Lit, Receiver
from soft_lantern.bake.light.charts import WASTED, Charts, Texels
from soft_lantern.bake.light.cores import Cores, Meshes
from soft_lantern.bake.light.kept import SKY, BakedLight, LightMap, Probes, grid_points
from soft_lantern.bake.light.surfaces import Surfaces, cell_middles, divisions_for, joined
from soft_lantern.bake.light.tracing import Sky
from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Project, Scene, StageObject
from soft_lantern.progress import Progress, silent
from soft_lantern.render.light_parts import (
    BRIGHTEST,
    Mean,
    MeanEmissions,
    Part,
    area_of,
    mark_of,
    parts_of,
    with_dark_ones,
)
from soft_lantern.render.lighting import light_uniforms
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.render.surface_points import at_places
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image
from soft_lantern.values.words import counted

Floats = npt.NDArray[np.float32]
WHITEST = 0.98
"""The most of light that a surface sends on, so that it ends."""
NO_TAKERS = "Nothing that stands takes light: it was baked for what moves alone"
MOST_PROBES = 16
"""Points along one axis of the grid in which light for what moves is gathered."""


class Gathered(Struct, frozen=True, eq=False):
    """What a bake is begun with, and what turns its light into something to keep. `remarks`: a sentence each."""

    job: Job
    names: tuple[str, ...]
    means: dict[str, Mean]
    coordinates: dict[str, dict[str, Floats]]
    stood: dict[str, str]
    grid: tuple[tuple[float, float, float], float, tuple[int, int, int]] | None
    remarks: tuple[str, ...]

    def kept(self, lit: Lit) -> BakedLight:
        """The light of a job so far, as it is kept and shown."""
        maps = {
            object_id: LightMap(
                self.coordinates[object_id],
                {name: np.ascontiguousarray(light[:, :, group]) for group, name in enumerate(self.names)},
            )
            for object_id, light in lit.maps.items()
        }
        probes = None
        if self.grid:
            held = {n: np.ascontiguousarray(lit.probes[:, group]) for group, n in enumerate(self.names)}
            probes = Probes(*self.grid, held)
        figures = (lit.samples, self.job.seed, lit.noise, lit.seconds)
        return BakedLight(self.means, maps, probes, self.stood, *figures)


def gathered(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    lowered_materials: LoweredMaterials,
    cores: Cores,
    progress: Progress = silent,
    emissions: MeanEmissions | None = None,
) -> Gathered:
    """A scene made ready for baking. Raises BadValue where nothing gives light, or nothing would show it, Cancelled."""
    settings = scene.baked
    progress(0.0, "Looking who gives light")
    emissions = emissions or MeanEmissions()
    parts = with_dark_ones(parts_of(project, scene, models, images, lowered_materials), emissions)
    parts = [part for part in parts if part.worn and _in(part)]
    givers = [part for part in parts if part.does("gives")]
    names = list(dict.fromkeys(part.group for part in givers))
    if not names and not settings.sky:
        raise BadValue("nothing in the scene gives light: no object that stands still has an emissive above 0")
    takers = [part for part in parts if part.does("takes")]
    if not takers and not settings.probes:
        raise BadValue("nothing in the scene takes light: let an object take it first")
    remarks = [] if takers else [NO_TAKERS]
    means = emissions.of_groups(givers)
    pieces, areas = [], [area_of(part.worn) for part in parts if part.worn]
    for number, part in enumerate(parts):
        progress(0.2 + 0.4 * number / len(parts), f"Reading what {part.thing.name} answers")
        group = names.index(part.group) if part.does("gives") else -1
        share = areas[number] / max(sum(areas), 1e-30)
        pieces.append(_surfaces(part, settings.texels, share, group, means.get(part.group), remarks))
    power = [float(np.mean(means[name])) for name in names]
    if settings.sky:
        means[SKY] = (1.0, 1.0, 1.0)
        names.append(SKY)
        power.append(0.0)
    surfaces = joined(pieces, len(names), np.array(power)) if pieces else _nothing(len(names))
    by_object = takers_by_object(parts)
    made = cores.unfolded([_to_unfold(own, settings.texels) for own in by_object.values()], progress)
    receivers: dict[str, Receiver] = {}
    coordinates: dict[str, dict[str, Floats]] = {}
    for (object_id, own), (charts, texels) in zip(by_object.items(), made, strict=True):
        receivers[object_id] = _receiver(own, charts, texels)
        coordinates[object_id] = {p.name: each for p, each in zip(own, charts.coordinates, strict=True)}
        remarks += _of_charts(own[0].thing, charts, texels, own[0].thing.texels or settings.texels)
    grid = _grid(surfaces, settings.probes)
    probes = grid_points(*grid) if grid else np.zeros((0, 3), np.float32)
    sky = _sky(scene, images) if settings.sky else None
    job = Job(
        *(surfaces, receivers, probes, sky),
        *(max(settings.samples, 1), max(settings.bounces, 0), settings.seed, settings.denoise),
    )
    stood = {thing.id: mark_of(thing) for thing in scene.objects if any(p.thing.id == thing.id for p in parts)}
    return Gathered(job, tuple(names), means, coordinates, stood, grid, tuple(dict.fromkeys(remarks)))


def _in(part: Part) -> bool:
    return any(part.does(what) for what in ("gives", "takes", "stops"))


def _surfaces(
    part: Part,
    texels: float,
    share: float,
    group: int,
    mean: Mean | None,
    remarks: list[str],
) -> Surfaces:
    assert part.worn
    worn_, lowered = part.worn, part.worn.lowered
    mesh, carried = worn_.mesh, worn_.carried
    corners = carried["position_world"][mesh.triangles].astype(np.float32)
    sound = np.isfinite(corners.reshape(-1, 9)).all(axis=1)
    if not sound.all():
        remarks.append(f"{part.thing.name} has faces that are nowhere; they are left out")
        corners[~sound] = 0.0
    masked = lowered.alpha_mode == "mask"
    fine = (part.thing.texels or texels) * (4 if masked else 1)
    divisions = divisions_for(corners, fine, share)
    triangles, places = cell_middles(divisions)
    wanted = ["base_colour", "metallic", "emissive", "alpha"]
    if masked:
        wanted.append("alpha_cutoff")
    answers = worn_.surface(wanted, triangles, places)
    count = len(triangles)
    albedo = np.clip(answers["base_colour"] * (1 - np.clip(answers["metallic"], 0, 1)), 0, WHITEST)
    emission = np.zeros((count, 3), np.float32)
    if group >= 0 and mean:
        given = answers["emissive"]
        if np.any(given > BRIGHTEST):
            remarks.append(f"{part.thing.name} gives more than {BRIGHTEST:,.0f}; that much counts")
        emission = _pattern(np.clip(given, 0, BRIGHTEST), mean)
    cover = np.ones(count, np.float32)
    if not part.does("stops") and group < 0:
        cover[:] = 0.0
    elif masked:
        cover = np.greater_equal(answers["alpha"], answers["alpha_cutoff"]).astype(np.float32).reshape(-1)
    elif lowered.alpha_mode == "blend":
        cover = np.clip(answers["alpha"][:, 0], 0, 1)
    return Surfaces(
        *(corners, divisions, np.broadcast_to(albedo, (count, 3)).astype(np.float32), emission, cover),
        np.full(len(corners), group, np.int64),
        np.full(len(corners), lowered.traits.get("double_sided") == "yes"),
    )


def _pattern(given: Floats, mean: Mean) -> Floats:
    """What is given as a share of its mean, channel by channel; where a channel gives nothing, as all of them do."""
    whole = given.mean(axis=1) / max(float(np.mean(mean)), 1e-20)
    columns = [given[:, i] / mean[i] if mean[i] > 0 else whole for i in range(3)]
    return np.stack(columns, axis=1).astype(np.float32)


def takers_by_object(parts: Iterable[Part]) -> dict[str, list[Part]]:
    """The parts that share a light map each, by their object's id."""
    found: dict[str, list[Part]] = {}
    for part in parts:
        if part.worn and part.does("takes"):
            found.setdefault(part.thing.id, []).append(part)
    return found


def unfold_ahead(parts: Iterable[Part], texels: float, cores: Cores) -> None:
    """Unfold what takes light before it is asked for; `cores` remember it."""
    cores.unfolded([_to_unfold(own, texels) for own in takers_by_object(parts).values()], silent)


def _to_unfold(own: list[Part], texels: float) -> Meshes:
    placed = [
        (part.worn.carried["position_world"].astype(np.float32), part.worn.mesh.triangles) for part in own if part.worn
    ]
    return Meshes(tuple(placed), own[0].thing.texels or texels)


def _of_charts(thing: StageObject, charts: Charts, texels: Texels, asked: float) -> list[str]:
    """What is to be said of an object's light map."""
    found = []
    if charts.texels_per_metre < asked * 0.99:
        found.append(
            f"{thing.name} has no room in its map for {asked:g} texels a metre; it has {charts.texels_per_metre:.1f}"
        )
    if texels.doubled:
        found.append(f"{thing.name} has charts that overlap in {counted(texels.doubled, 'texel')} of its light map")
    used = texels.covered.sum() / (charts.size[0] * charts.size[1])
    if used < WASTED and charts.size[0] * charts.size[1] > 4096:
        found.append(f"{thing.name} uses {used:.0%} of its light map; the rest is wasted room")
    return found


def _receiver(own: list[Part], charts: Charts, texels: Texels) -> Receiver:
    """Where an object's light is gathered."""
    points, normals = (np.zeros((len(texels.numbers), 3), np.float32) for _ in range(2))
    for number, part in enumerate(own):
        assert part.worn
        mine = np.flatnonzero(texels.mesh == number)
        at = at_places(part.worn.mesh, part.worn.carried, texels.triangle[mine], texels.places[mine])
        points[mine] = at["position_world"]
        facing = at["carried_normal"]
        normals[mine] = facing / np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-20)
    return Receiver(charts.size, texels, points, normals, 1 / charts.texels_per_metre)


def _grid(surfaces: Surfaces, spacing: float) -> tuple[tuple[float, float, float], float, tuple[int, int, int]] | None:
    if spacing <= 0 or not len(surfaces.corners):
        return None
    points = surfaces.corners.reshape(-1, 3).astype(np.float64)
    low, high = points.min(axis=0), points.max(axis=0)
    spacing = max(spacing, float((high - low).max()) / (MOST_PROBES - 1))
    counts = np.maximum(np.ceil((high - low) / spacing).astype(int), 1) + 1
    start = (low + high) / 2 - (counts - 1) * spacing / 2
    x, y, z = map(float, start)
    return (x, y, z), spacing, (int(counts[0]), int(counts[1]), int(counts[2]))


def _sky(scene: Scene, images: Mapping[str, Image]) -> Sky:
    uniforms = light_uniforms(scene.environment, images)
    seen, gain = uniforms["stage:sky"], uniforms["stage:sky_gain"]
    assert isinstance(seen, Image) and isinstance(gain, tuple)
    return Sky(np.ascontiguousarray(seen.texels[..., :3] * np.float32(gain[0]), np.float32), scene.environment.rotation)


def _nothing(groups: int) -> Surfaces:
    none = np.zeros(0, np.int64)
    three = np.zeros((0, 3), np.float32)
    return Surfaces(
        *(np.zeros((0, 3, 3), np.float32), none, three, three, np.zeros(0, np.float32), none, none.astype(bool), groups)
    )
