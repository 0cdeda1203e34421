"""Light's benchmarks: rays beside embree's own, error beside an estimator by hand in the same time, filling a layer."""

from __future__ import annotations

import contextlib
import statistics
import tempfile
import time
from math import pi
from pathlib import Path

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from soft_lantern.bake.light.baking import Lit, bake
from soft_lantern.bake.light.cores import Cores
from soft_lantern.bake.light.surfaces import Floats, Surfaces, joined
from soft_lantern.bake.light.tracing import Starts, Tracer
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Project, View
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.ir.surface_inputs import at_vertex
from soft_lantern.render.frame import frame_inputs, placed_inputs
from soft_lantern.render.light_parts import MeanEmissions, parts_of, with_dark_ones
from soft_lantern.render.light_scene import gathered, unfold_ahead
from soft_lantern.render.soft import vertex_leaves
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.render.vertex_fill import wire_at_vertices
from soft_lantern.scene.brush import Brush, Places, Stroke
from soft_lantern.scene.colour_layers import layered, white
from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.primitives import grid_triangles, sphere
from soft_lantern.scene.transforms import camera_for

POINTS = 1000
SAMPLES = 256


def measures() -> dict[str, float]:
    """Seconds to the first light of the demo's grotto, and three ratios."""
    return {
        "first": _first_light(),
        "rays": _rays_beside_embree(),
        "error": _error_beside_hands(),
        "fill": _fill_beside_reader(),
        "brush": _brush_step(),
    }


def _first_light() -> float:
    """From asking for the light of the night grotto to having some, with processes begun, as a person finds it."""
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "p"
        project = write_demo(folder)
        models, _ = load_models(project, folder)
        images, _ = load_images(project, folder)
    scene, found = project.scenes["night_grotto"], list[float]()

    def told(lit: Lit) -> None:
        found.append(time.perf_counter())
        raise StopIteration

    looks, means = LoweredMaterials(), MeanEmissions()
    with Cores() as cores:
        # The desk has listed who gives light, and unfolds ahead, before a hand is at the button.
        parts = with_dark_ones(parts_of(project, scene, models, images, looks), means)
        unfold_ahead(parts, scene.baked.texels, cores)
        started = time.perf_counter()
        ready = gathered(project, scene, models, images, looks, cores, emissions=means)
        with contextlib.suppress(StopIteration):
            bake(ready.job, cores, told)
    return found[0] - started


def room() -> Surfaces:
    """A room with a lamp and pillars: 20,000 triangles that are not met in any order."""
    ball = sphere(64)
    corners = (ball.positions[ball.triangles]).astype(np.float32)
    lamp = _plain(corners * 0.2 + np.array([0.4, 0.8, 0.1], np.float32), 5.0)
    hull = _plain(corners[:, ::-1] * 2.0, 0.0)
    pillar = _plain(corners * np.array([0.3, 1.2, 0.3], np.float32) + np.array([-0.7, 0.0, 0.3], np.float32), 0.0)
    return joined([hull, pillar, lamp], 1, np.ones(1))


def _plain(corners: Floats, emission: float) -> Surfaces:
    count = len(corners)
    return Surfaces(
        *(corners, np.ones(count, np.int64), np.full((count, 3), 0.6, np.float32)),
        *(np.full((count, 3), emission, np.float32), np.ones(count, np.float32)),
        *(np.full(count, 0 if emission else -1, np.int64), np.zeros(count, bool)),
    )


def _starts(count: int) -> Starts:
    chance = np.random.default_rng(4)
    normals = chance.normal(size=(count, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    return Starts((-1.6 * normals).astype(np.float32), normals.astype(np.float32))


class _Recorder:
    """Stands in for embree's scene and keeps what it was asked."""

    def __init__(self, scene: EmbreeScene) -> None:
        self.scene, self.asked = scene, list[tuple[tuple[object, ...], dict[str, object]]]()

    def run(self, *given: object, **named: object) -> object:
        self.asked.append((given, named))
        return self.scene.run(*given, **named)


def _rays_beside_embree() -> float:
    """Rays a second of the tracer over those of embree called bare with the same rays."""
    tracer, starts, ratios = Tracer(room()), _starts(60_000), []
    scene, recorder = tracer.scene, _Recorder(tracer.scene)
    tracer.scene = recorder
    tracer.gather(starts, range(1), 1, 3)
    tracer.scene = scene
    for _ in range(5):
        began = time.perf_counter()
        tracer.gather(starts, range(1), 1, 3)
        ours = time.perf_counter() - began
        began = time.perf_counter()
        for given, named in recorder.asked:
            scene.run(*given, **named)
        ratios.append((time.perf_counter() - began) / ours)
    return statistics.median(ratios)


def _error_beside_hands() -> float:
    """Root mean square error at SAMPLES, over that of the same estimator by hand after as many seconds."""
    surfaces, starts = room(), _starts(POINTS)
    tracer = Tracer(surfaces)
    truth = tracer.gather(starts, range(16 * SAMPLES), 77, 2).light[:, 0, 0] / (16 * SAMPLES)
    began = time.perf_counter()
    ours = tracer.gather(starts, range(SAMPLES), 1, 2).light[:, 0, 0] / SAMPLES
    seconds = time.perf_counter() - began
    theirs = _by_hand(surfaces, starts, seconds)
    return float(np.sqrt(np.mean((ours - truth) ** 2) / np.mean((theirs - truth) ** 2)))


def _by_hand(surfaces: Surfaces, starts: Starts, seconds: float) -> Floats:
    """A path tracer of one channel as one writes it in an afternoon: a lamp by area, the balance heuristic, chance."""
    scene = EmbreeScene()
    TriangleMesh(scene, surfaces.corners)
    corners, (normals, areas) = surfaces.corners, surfaces.crossed
    emission, albedo = surfaces.emission[:, 0], surfaces.albedo[:, 0]
    lamps = np.flatnonzero(emission > 0)
    upto = np.cumsum(areas[lamps] / areas[lamps].sum())
    whole, chance = float(areas[lamps].sum()), np.random.default_rng(9)
    assert starts.normals is not None
    total, rounds, ending = np.zeros(starts.count), 0, time.perf_counter() + seconds
    while time.perf_counter() < ending:
        points, facing = starts.points + starts.normals * 1e-4, starts.normals
        left, alive = np.ones(starts.count), np.arange(starts.count)
        for _ in range(3):
            lamp = lamps[np.minimum(np.searchsorted(upto, chance.random(len(alive))), len(lamps) - 1)]
            a, b = np.sqrt(chance.random(len(alive))), chance.random(len(alive))
            weights = np.stack([1 - a, a * (1 - b), a * b], axis=1)
            way = np.einsum("nc,nci->ni", weights, corners[lamp]) - points
            far = np.linalg.norm(way, axis=1)
            way = (way / far[:, None]).astype(np.float32)
            here, there = np.einsum("ni,ni->n", way, facing), -np.einsum("ni,ni->n", way, normals[lamp])
            free = scene.run(points, way, dists=(far * 0.9999 - 1e-4).astype(np.float32), query="OCCLUDED") < 0
            light = far**2 / np.maximum(there, 1e-9) / whole
            good = (here > 0) & (there > 0) & free
            sent = np.where(good, emission[lamp] * (here / pi) / (light + here / pi), 0)
            total[alive] += left * sent
            turn, out = 2 * pi * chance.random(len(alive)), chance.random(len(alive))
            aside = np.where(np.abs(facing[:, :1]) < 0.9, [[1.0, 0, 0]], [[0, 1.0, 0]])
            along = np.cross(aside, facing)
            along /= np.linalg.norm(along, axis=1, keepdims=True)
            across, up = np.cross(facing, along), np.sqrt(1 - out)
            flat = np.sqrt(out)[:, None] * (along * np.cos(turn)[:, None] + across * np.sin(turn)[:, None])
            toward = (flat + facing * up[:, None]).astype(np.float32)
            met = scene.run(points, toward, output=True)
            hit = np.flatnonzero(met["primID"] >= 0)
            face, far = met["primID"][hit], met["tfar"][hit]
            there = -np.einsum("ni,ni->n", toward[hit], normals[face])
            front = there > 0
            hit, face, far, there = hit[front], face[front], far[front], there[front]
            density, light = up[hit] / pi, far**2 / np.maximum(there, 1e-9) / whole
            weight = density / (density + np.where(emission[face] > 0, light, 0))
            total[alive[hit]] += left[hit] * emission[face] * weight
            left, alive = left[hit] * albedo[face], alive[hit]
            points = points[hit] + toward[hit] * far[:, None] + normals[face] * np.float32(1e-4)
            facing = normals[face]
        rounds += 1
    return np.asarray(total / max(rounds, 1), np.float32)


def _fill_beside_reader() -> float:
    """A layer of a million vertices from a wire, over the NumPy reader alone on as many points."""
    m = Authoring("Bands")
    noise = m.add("layered_noise_3d", name="Noise", at=m.add("position", space="object"), scale=3.0)
    m.add("smoothstep", name="Wear", value=noise, low=0.1, high=0.6)
    project = m.into_project(Project(name="p"))
    found = look(project, m.material.id)
    assert found
    mesh = _a_million()
    camera, of_object = camera_for(View(), (1, 1)), placed_inputs(np.eye(4))
    value = at_vertex(lower(found.material).wires["wear.out"])
    uniforms = uniform_values(lower(found.material), found.material, found.shown, {})
    leaves = vertex_leaves(mesh, {"value": value}, {**frame_inputs(camera, (1, 1)), **of_object}, uniforms)

    def seconds(filling: bool) -> float:
        began = time.perf_counter()
        if filling:
            wire_at_vertices(found, "wear.out", mesh, of_object, camera, {})
        else:
            evaluate([value], leaves, np.float64)
        return time.perf_counter() - began

    pairs = [(seconds(True), seconds(False)) for _ in range(3)]
    return statistics.median(a for a, _ in pairs) / statistics.median(b for _, b in pairs)


def _a_million() -> Mesh:
    side = np.linspace(-1, 1, 1000)
    x, z = np.meshgrid(side, side)
    flat = np.stack([x.ravel(), 0.1 * np.sin(9 * x.ravel()), z.ravel()], axis=1).astype(np.float32)
    up, none = np.tile(np.array([0, 1, 0], np.float32), (len(flat), 1)), np.zeros((len(flat), 2), np.float32)
    return Mesh(flat, up, none, np.ones((len(flat), 4), np.float32), grid_triangles(999, 999), none)


def _brush_step() -> float:
    """The median step of a stroke over a million vertices, as the window's thread does it: dabs, and what is shown."""
    mesh = _a_million()
    layer, places = white(mesh), Places(mesh.positions)
    stroke = Stroke(Brush(0.08, colour=(0.1, 0.2, 0.3, 1.0)), layer, places)
    found = []
    for step in range(40):
        began = time.perf_counter()
        stroke.to((-0.8 + 0.04 * step, 0.0, 0.3))
        layered(mesh, [stroke.painted()])
        found.append(time.perf_counter() - began)
    return statistics.median(found)
