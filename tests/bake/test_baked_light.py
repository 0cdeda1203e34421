"""Light by paths, against configuration factors, closed forms and laws of light that need no program."""

from __future__ import annotations

from math import pi, sqrt

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.baking import Hold, Job, Lit, Receiver, bake
from soft_lantern.bake.light.charts import Texels, seams_of, texels_of, unfolded
from soft_lantern.bake.light.cores import Cores, Meshes
from soft_lantern.bake.light.surfaces import Surfaces, cell_corners, cell_middles, joined
from soft_lantern.bake.light.tracing import Sky, Starts, Tracer
from soft_lantern.bake.vertex_rays import ambient_occlusion, thickness
from soft_lantern.errors import Cancelled, LanternError
from soft_lantern.scene.mesh import mesh_from
from soft_lantern.scene.primitives import primitive

UP = np.array([0.0, 1.0, 0.0], np.float32)


def quad(*corners: tuple[float, float, float]) -> list[list[tuple[float, float, float]]]:
    a, b, c, d = corners
    return [[a, b, c], [a, c, d]]


def surfaces(
    corners: object, emission: float = 0.0, albedo: float = 0.0, *, cells: int = 1, group: int = 0, cover: float = 1.0
) -> Surfaces:
    points = np.array(corners, np.float32).reshape(-1, 3, 3)
    count = len(points) * cells * cells
    return Surfaces(
        points,
        np.full(len(points), cells),
        np.full((count, 3), albedo, np.float32),
        np.full((count, 3), emission, np.float32),
        np.full(count, cover, np.float32),
        np.full(len(points), group if emission else -1),
        np.zeros(len(points), bool),
    )


def disc(radius: float, height: float, *, facing_down: bool, sectors: int = 256) -> np.ndarray:
    turn = np.linspace(0, 2 * pi, sectors + 1)
    rim = np.stack([radius * np.cos(turn), np.full_like(turn, height), radius * np.sin(turn)], axis=1)
    middle = np.tile([0.0, height, 0.0], (sectors, 1))
    return np.stack([middle, *((rim[:-1], rim[1:]) if facing_down else (rim[1:], rim[:-1]))], axis=1)


def mean_at(emitter: Surfaces, points: np.ndarray, normal: np.ndarray, samples: int = 16) -> tuple[float, float]:
    """The mean radiance of white surfaces at points, and its standard error."""
    starts = Starts(points.astype(np.float32), np.tile(normal, (len(points), 1)).astype(np.float32))
    found = Tracer(emitter).gather(starts, range(samples), 1, 0).light[:, 0, 0] / samples
    return float(found.mean()), float(found.std() / sqrt(len(points)))


def on_square(count: int = 20_000) -> np.ndarray:
    chance = np.random.default_rng(2).random((count, 2))
    return np.stack([chance[:, 0], np.zeros(count), chance[:, 1]], axis=1)


def on_disc(radius: float, count: int = 20_000) -> np.ndarray:
    far, turn = np.random.default_rng(3).random((2, count))
    out = radius * np.sqrt(far)
    return np.stack([out * np.cos(2 * pi * turn), np.zeros(count), out * np.sin(2 * pi * turn)], axis=1)


# Configuration factors: J. R. Howell, "A Catalog of Radiation Heat Transfer Configuration Factors". The formulas are
# written out here from memory; the values they give for squares are the handbooks' 0.1998 and 0.2000.


def parallel_rectangles(x: float, y: float) -> float:
    """C-11: identical rectangles that face each other, sides over distance."""
    u, v = 1 + x * x, 1 + y * y
    return (2 / (pi * x * y)) * (
        np.log(sqrt(u * v / (u + v - 1)))
        + x * sqrt(v) * np.arctan(x / sqrt(v))
        + y * sqrt(u) * np.arctan(y / sqrt(u))
        - x * np.arctan(x)
        - y * np.arctan(y)
    )


def perpendicular_rectangles(h: float, w: float) -> float:
    """C-14: two rectangles with a common edge at right angles: h the other's height, w the own depth over the edge."""
    both = h * h + w * w
    logs = np.log(
        ((1 + w * w) * (1 + h * h) / (1 + both))
        * (w * w * (1 + both) / ((1 + w * w) * both)) ** (w * w)
        * (h * h * (1 + both) / ((1 + h * h) * both)) ** (h * h)
    )
    arcs = w * np.arctan(1 / w) + h * np.arctan(1 / h) - sqrt(both) * np.arctan(1 / sqrt(both))
    return float((arcs + logs / 4) / (pi * w))


def coaxial_discs(r1: float, r2: float, apart: float) -> float:
    """C-41: parallel discs on one axis, seen from the first."""
    a, b = r1 / apart, r2 / apart
    x = 1 + (1 + b * b) / (a * a)
    return 0.5 * (x - sqrt(x * x - 4 * (b / a) ** 2))


def sphere_to_disc(radius: float, apart: float) -> float:
    """C-121: a sphere and a disc square to the line from the sphere's centre to the disc's, which is all above it."""
    return 0.5 * (1 - 1 / sqrt(1 + (radius / apart) ** 2))


def test_the_catalogs_formulas_give_the_values_of_handbooks() -> None:
    """Howell's and Incropera's tables for unit squares (values from memory)."""
    assert parallel_rectangles(1, 1) == pytest.approx(0.1998, abs=5e-5)
    assert perpendicular_rectangles(1, 1) == pytest.approx(0.2000, abs=5e-5)
    assert coaxial_discs(1, 1, 1) == pytest.approx(0.3820, abs=5e-5)


@pytest.mark.parametrize("apart", [0.5, 1.0, 2.0])
def test_parallel_squares(apart: float) -> None:
    above = surfaces(quad((0, apart, 0), (1, apart, 0), (1, apart, 1), (0, apart, 1)), 1.0, cells=2)
    _close(*mean_at(above, on_square(), UP), parallel_rectangles(1 / apart, 1 / apart))


@pytest.mark.parametrize("height", [0.5, 1.0, 3.0])
def test_perpendicular_rectangles(height: float) -> None:
    wall = surfaces(quad((0, 0, 0), (0, height, 0), (0, height, 1), (0, 0, 1)), 1.0, cells=3)
    _close(*mean_at(wall, on_square(), UP), perpendicular_rectangles(height, 1.0))


@pytest.mark.parametrize(("radius", "apart"), [(1.0, 1.0), (0.4, 1.5)])
def test_coaxial_discs(radius: float, apart: float) -> None:
    above = surfaces(disc(radius, apart, facing_down=True), 1.0)
    _close(*mean_at(above, on_disc(1.0), UP), coaxial_discs(1.0, radius, apart))


def test_a_sphere_over_a_disc() -> None:
    """By reciprocity: the disc's factor to the sphere is the sphere's to the disc by their areas, 4πr² / πR²."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=0.3)
    points = ball.vertices / np.linalg.norm(ball.vertices, axis=1, keepdims=True) * 0.3005 + [0, 1.2, 0]
    factor = sphere_to_disc(0.9, 1.2) * 4 * 0.3**2 / 0.9**2
    _close(*mean_at(surfaces(points[ball.faces], 1.0), on_disc(0.9, 60_000), UP), factor)


def _close(found: float, error: float, wanted: float) -> None:
    assert abs(found - wanted) < 3 * error + 1e-4
    assert found == pytest.approx(wanted, rel=0.01)


def inward_box(size: float = 2.0) -> np.ndarray:
    box = trimesh.creation.box((size, size, size))
    return np.asarray(box.vertices[box.faces][:, ::-1], np.float32)


def at_floor(count: int) -> Starts:
    points = np.random.default_rng(1).uniform(-0.9, 0.9, (count, 3)).astype(np.float32)
    points[:, 1] = -1.0
    return Starts(points, np.tile(UP, (count, 1)))


@pytest.mark.parametrize(("albedo", "bounces"), [(0.5, 24), (0.8, 60), (0.5, 2)])
def test_the_closed_furnace(albedo: float, bounces: int) -> None:
    """Emission E all round and albedo ρ: E/(1 − ρ), and its geometric series up to so many bounces."""
    found = Tracer(surfaces(inward_box(), 1.5, albedo, cells=2)).gather(at_floor(500), range(16), 1, bounces)
    wanted = 1.5 * (1 - albedo ** (bounces + 1)) / (1 - albedo)
    assert found.light.mean() / 16 == pytest.approx(wanted, rel=0.01)
    if bounces > 20:
        assert found.light.mean() / 16 == pytest.approx(1.5 / (1 - albedo), rel=0.01)


def lamp_in_a_room(strength: float = 4.0, group: int = 0) -> list[Surfaces]:
    ball = trimesh.creation.icosphere(subdivisions=2, radius=0.25)
    lamp = surfaces(ball.vertices[ball.faces] + [0.3 - group * 0.6, 0.2, 0.1], strength, 0.3, cells=2, group=group)
    return [surfaces(inward_box(), 0.0, 0.6, cells=4), lamp]


def test_twice_the_emission_gives_twice_the_light() -> None:
    found = []
    for strength in (4.0, 8.0):
        tracer = Tracer(joined(lamp_in_a_room(strength), 1, np.ones(1)))
        found.append(tracer.gather(at_floor(400), range(8), 3, 3).light.astype(np.float64))
    assert np.allclose(found[1], 2 * found[0], rtol=1e-6, atol=1e-9)


def test_groups_add_up_to_the_joint_bake() -> None:
    """Baked apart or as one, the same light: within three standard errors at each of many points."""
    room, first = lamp_in_a_room(4.0, 0)
    second = lamp_in_a_room(9.0, 1)[1]
    apart = Tracer(joined([room, first, second], 2, np.array([4.0, 9.0]))).gather(at_floor(3000), range(64), 1, 3)
    as_one = replace(second, group=np.zeros_like(second.group))
    joint = Tracer(joined([room, first, as_one], 1, np.ones(1))).gather(at_floor(3000), range(64), 2, 3)
    a, b = apart.light.sum(axis=1)[:, 0] / 64, joint.light[:, 0, 0] / 64
    error = sqrt(2) * (a - b).std() / sqrt(len(a))
    assert abs(a.mean() - b.mean()) < 3 * error
    assert a.mean() == pytest.approx(b.mean(), rel=0.01)
    assert (apart.light[:, 0] > 0).any() and (apart.light[:, 1] > 0).any()


def test_the_error_falls_with_the_square_root_of_samples_at_least() -> None:
    """Four times the samples, half the error (the law of large numbers); even places do better, never worse."""
    tracer = Tracer(joined(lamp_in_a_room(), 1, np.ones(1)))
    truth = tracer.gather(at_floor(200), range(2048), 99, 2).light / 2048
    errors = []
    for samples in (8, 32, 128):
        found = tracer.gather(at_floor(200), range(samples), 5, 2).light / samples
        errors.append(float(np.sqrt(np.mean((found - truth) ** 2))))
    assert errors[1] < 0.6 * errors[0] and errors[2] < 0.6 * errors[1]


def test_what_is_masked_lets_its_share_through() -> None:
    above = surfaces(quad((-9, 1, -9), (9, 1, -9), (9, 1, 9), (-9, 1, 9)), 1.0)
    sheet = surfaces(quad((-9, 0.5, -9), (9, 0.5, -9), (9, 0.5, 9), (-9, 0.5, 9)), cover=0.25)
    points = np.zeros((4000, 3))
    whole, _ = mean_at(above, points, UP)
    through, _ = mean_at(joined([above, sheet], 1, np.ones(1)), points, UP)
    assert through == pytest.approx(0.75 * whole, rel=0.03)


def test_an_even_sky_lights_a_plane_wholly_and_the_foot_of_a_wall_by_half() -> None:
    sky = Sky(np.full((16, 32, 3), 2.0, np.float32))
    wall = surfaces(quad((0, -1, -900), (0, 900, -900), (0, 900, 900), (0, -1, 900)))
    starts = Starts(np.tile(np.array([[1e-2, 0, 0]], np.float32), (4000, 1)), np.tile(UP, (4000, 1)))
    open_ = Tracer(surfaces(quad((0, -9, 0), (1, -9, 0), (1, -9, 1), (0, -9, 1))), sky).gather(starts, range(4), 1, 0)
    foot = Tracer(wall, sky).gather(starts, range(4), 1, 0)
    assert open_.light.mean() / 4 == pytest.approx(2.0, rel=1e-5)
    assert foot.light.mean() / 4 == pytest.approx(1.0, rel=0.02)


def test_light_all_round_a_point_is_what_white_surfaces_there_send() -> None:
    """Nine numbers hold an even furnace exactly; near a lamp they meet the traced irradiance by a tenth
    (Ramamoorthi and Hanrahan 2001 give a mean error of a few per cent over environments)."""
    even = Tracer(surfaces(inward_box(), 1.0, 0.5)).gather(Starts(np.zeros((400, 3), np.float32)), range(16), 1, 12)
    held = even.light[:, 0].mean(axis=0) / 16
    assert np.allclose(harmonics.sent_by_white(held, np.eye(3)), 2.0, rtol=0.02)
    tracer = Tracer(joined(lamp_in_a_room(), 1, np.ones(1)))
    place = np.array([-0.4, -0.3, -0.2], np.float32)
    around = tracer.gather(Starts(np.tile(place, (4000, 1))), range(32), 1, 4).light[:, 0].mean(axis=0) / 32
    normals = np.array([[0.8, 0.6, 0.0], [0.0, 1.0, 0.0], [0.6, 0.0, 0.8]], np.float32)
    for normal in normals:
        starts = Starts(np.tile(place, (4000, 1)), np.tile(normal, (4000, 1)))
        straight = tracer.gather(starts, range(16), 1, 4).light[:, 0].mean(axis=0) / 16
        assert np.allclose(harmonics.sent_by_white(around, normal[None])[0], straight, rtol=0.1)


def test_ambient_occlusion_of_a_plane_a_corner_and_a_hemisphere() -> None:
    """1 on a plane; at the foot of an endless wall half of the sky is gone; at a hemisphere's centre all of it."""
    plane = primitive("plane", 8).parts[0].mesh
    assert np.allclose(ambient_occlusion(plane), 1.0)
    floor = [(-500, 0, -500), (-500, 0, 500), (500, 0, 500), (500, 0, -500), (0, 0, 0.0), (0.001, 0, 0), (0, 0, 0.001)]
    wall = [(-1e-4, -1, -900), (-1e-4, 900, -900), (-1e-4, 900, 900), (-1e-4, -1, 900)]
    faces = [(0, 1, 2), (0, 2, 3), (4, 6, 5), (7, 8, 9), (7, 9, 10)]
    corner = mesh_from(floor + wall, faces, np.concatenate([np.tile(UP, (7, 1)), np.tile([1.0, 0, 0], (4, 1))]))
    found = ambient_occlusion(corner, rays=4096)
    assert found[5, 0] == pytest.approx(0.5, abs=0.02)
    dome = trimesh.creation.icosphere(subdivisions=3)
    under = np.concatenate([dome.vertices, [[0, 0.01, 0]]])
    closed = mesh_from(under, dome.faces[:, ::-1], np.concatenate([-dome.vertex_normals, [UP]]))
    assert ambient_occlusion(closed)[-1, 0] == 0.0


def test_thickness_of_a_ball() -> None:
    """Chords from a point of a sphere inward: 2r·cos θ, whose mean by the cosine is 4r/3, beside a side of 2r: 2/3."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=0.7)
    mesh = mesh_from(ball.vertices, ball.faces, ball.vertices / 0.7)
    assert thickness(mesh)[:, 0].mean() == pytest.approx(2 / 3, rel=0.01)


@pytest.mark.parametrize("n", [1, 2, 5])
def test_cells_tile_a_triangle_and_places_find_theirs(n: int) -> None:
    corners = cell_corners(n)
    (a, b, c) = (corners[:, i] for i in range(3))
    areas = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    assert np.allclose(areas, 1 / n**2)  # all alike, and as many as fill it
    three = surfaces([quad((0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0))[0]] * 3, cells=n)
    triangles, places = cell_middles(three.divisions)
    found = three.cell_at(triangles, places[:, 0].astype(np.float32), places[:, 1].astype(np.float32))
    assert np.array_equal(found, np.arange(3 * n * n))


def a_room() -> tuple[Job, Texels]:
    box = trimesh.creation.box((2, 2, 2))
    points, faces = box.vertices.astype(np.float32), box.faces[:, ::-1].astype(np.uint32)
    charts = unfolded([(points, faces)], 6.0)
    texels = texels_of(charts)
    corners = points[faces][texels.triangle]
    u, v = texels.places[:, :1], texels.places[:, 1:]
    at = (corners[:, 0] * (1 - u - v) + corners[:, 1] * u + corners[:, 2] * v).astype(np.float32)
    room, lamp = lamp_in_a_room()
    receiver = Receiver(charts.size, texels, at, room.crossed[0][texels.triangle], 1 / 6)
    probes = np.zeros((3, 3), np.float32)
    return Job(joined([room, lamp], 1, np.ones(1)), {"room": receiver}, probes, samples=10, bounces=2), texels


@pytest.mark.parametrize(
    "mesh",
    [trimesh.creation.box((2, 1, 3)), trimesh.creation.icosphere(subdivisions=3), trimesh.creation.torus(1.0, 0.4)],
    ids=["box", "ball", "ring"],
)
def test_charts_do_not_overlap_and_keep_their_size(mesh: trimesh.Trimesh) -> None:
    """Counted at the middle of every texel; as many are covered as the surface has square texels, by a tenth."""
    charts = unfolded([(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32))] * 2, 20.0)
    texels = texels_of(charts)
    assert texels.doubled == 0
    assert len(np.unique(texels.numbers)) == len(texels.numbers)
    assert texels.covered.sum() == pytest.approx(2 * mesh.area * 20**2, rel=0.1)
    for number in range(2):
        placed = charts.coordinates[number] * charts.size
        sides = np.linalg.norm(placed - np.roll(placed, 1, axis=1), axis=2) / 20
        world = mesh.vertices[mesh.faces]
        assert np.median(sides / np.linalg.norm(world - np.roll(world, 1, axis=1), axis=2)) == pytest.approx(1, rel=0.1)


def test_a_chart_that_ends_meets_the_other_side_of_its_edge() -> None:
    """Each pair of texels is one place of the mesh, within the size of two texels; a ball has seams, a sheet none."""
    ball = trimesh.creation.icosphere(subdivisions=3)
    mesh = ball.vertices.astype(np.float32), ball.faces.astype(np.uint32)
    charts = unfolded([mesh], 20.0)
    texels = texels_of(charts)
    pairs = seams_of(charts, [mesh], texels)
    corners = ball.vertices[ball.faces][texels.triangle]
    u, v = texels.places[:, :1], texels.places[:, 1:]
    at = corners[:, 0] * (1 - u - v) + corners[:, 1] * u + corners[:, 2] * v
    assert len(pairs) > 100
    assert np.linalg.norm(at[pairs[:, 0]] - at[pairs[:, 1]], axis=1).max() < 2 * sqrt(2) / 20
    sheet = primitive("plane", 4).parts[0].mesh
    flat = sheet.positions, sheet.triangles
    charts = unfolded([flat], 8.0)
    assert not len(seams_of(charts, [flat], texels_of(charts)))


def test_charts_laid_over_each_other_are_counted() -> None:
    mesh = trimesh.creation.box((1, 1, 1))
    charts = unfolded([(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32))], 12.0)
    (coordinates,) = charts.coordinates
    twice = replace(charts, coordinates=(coordinates, coordinates + np.float32(0.5 / charts.size[0])))
    assert texels_of(twice).doubled > 100


def test_the_same_light_on_any_number_of_cores_and_by_the_seed() -> None:
    job, _ = a_room()
    found = {}
    for count in (1, 2):
        with Cores(count) as cores:
            found[count] = bake(job, cores)
    assert np.array_equal(found[1].maps["room"], found[2].maps["room"])
    assert np.array_equal(found[1].probes, found[2].probes)
    with Cores(1) as cores:
        other = bake(replace(job, seed=2), cores)
    assert not np.array_equal(found[1].maps["room"], other.maps["room"])
    assert other.maps["room"].mean() == pytest.approx(found[1].maps["room"].mean(), rel=0.05)


def test_a_bake_gets_better_is_held_and_stopped() -> None:
    job, _ = a_room()
    told: list[Lit] = []
    hold, waited = Hold(), 0

    def progress(share: float, words: str) -> None:
        nonlocal waited
        if words.endswith("held"):
            waited += 1
            if waited == 2:
                hold.going.set()
        elif share >= 0.2 and not waited:
            hold.going.clear()

    with Cores(1) as cores:
        done = bake(job, cores, told.append, progress, hold)
    assert waited == 2 and done.finished and done.samples == 10
    assert told[0].samples == 1 and not told[0].finished
    assert done.noise < told[0].noise or told[0].noise < 1e-3  # one sample cannot tell

    def stopped(share: float, words: str) -> None:
        if share > 0:
            raise Cancelled("enough")

    with Cores(2) as cores, pytest.raises(Cancelled):
        bake(job, cores, progress=stopped)


def test_a_core_that_is_gone_is_said() -> None:
    job, _ = a_room()
    with Cores(2) as cores:
        for process in cores._processes:
            process.kill()
        with pytest.raises(LanternError, match="ended from outside"):
            bake(job, cores)


def test_taking_noise_off_keeps_the_light() -> None:
    job, texels = a_room()
    with Cores(1) as cores:
        truth = bake(replace(job, samples=256, denoise=False), cores)
        rough, clean = (bake(replace(job, samples=8, denoise=on), cores) for on in (False, True))
    at = (texels.numbers // truth.maps["room"].shape[1], texels.numbers % truth.maps["room"].shape[1])
    errors = [np.sqrt(np.mean((lit.maps["room"][at] - truth.maps["room"][at]) ** 2)) for lit in (rough, clean)]
    assert errors[1] < 0.8 * errors[0]
    assert clean.maps["room"][at].mean() == pytest.approx(rough.maps["room"][at].mean(), rel=0.03)


def test_meshes_are_unfolded_once() -> None:
    box = trimesh.creation.box((1, 1, 1))
    asked = Meshes(((box.vertices.astype(np.float32), box.faces.astype(np.uint32)),), 7.5)
    with Cores(1) as cores:
        first, second = cores.unfolded([asked, asked], lambda share, words: None)
        assert first[0] is second[0]
        assert cores.unfolded([asked], lambda share, words: None)[0][0] is first[0]
