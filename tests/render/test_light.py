"""Skies, the sun and shadows, against closed forms and sums over the sphere, and each renderer against the other."""

from __future__ import annotations

import functools
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Environment, Project, Scene, StageObject, Sun, View, changed
from soft_lantern.ir.directions import octahedral_uv
from soft_lantern.ir.expr import Expr, Type, const, uniform
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.render import light_cache, surface_model
from soft_lantern.render.frame import Frame, Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.lighting import light_uniforms, lighting_of, octahedral_directions, split_sum
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.skies import SKIES, panorama, panorama_directions, sun_of, toward
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

DIRECTION = uniform("direction", Type.VEC3)
SIZE = (160, 120)
BARE = StageOptions(backdrop=False, floor=False, grid=False, tone_map=False, gauge=False, glow=False)


def sky_leaves(radiance: np.ndarray) -> dict[str, object]:
    lighting = lighting_of(radiance.astype(np.float32))
    return {
        "stage:scattered": lighting.scattered,
        "stage:split_sum": split_sum(),
        "stage:sky_gain": np.ones(1),
        "stage:sky_turn": np.array([[1.0], [0.0]]),
    }


@functools.cache
def even_sky() -> dict[str, object]:
    """A sky of 1 all round."""
    return sky_leaves(np.ones((64, 128, 3)))


def answered(expr: Expr, leaves: dict[str, object], directions: np.ndarray | None = None) -> np.ndarray:
    if directions is not None:
        leaves = leaves | {"direction": directions.T}
    return evaluate([expr], leaves, np.float64)[expr]


def test_irradiance_of_an_even_sky_and_of_a_cosine_sky() -> None:
    """By hand, over pi: an even sky of 1 gives 1. One of radiance max(y, 0) gives ∫cos²/π = 2/3 facing up,
    2/(3π) facing aside (a quarter of ∫|xy| = 8/3 over the sphere) and nothing facing down."""
    directions = panorama_directions(256, 128)
    facing = np.array([[0, 1, 0], [1, 0, 0], [0, 0, -1], [0, -1, 0]], float)
    irradiance = surface_model.sky_irradiance(DIRECTION)
    assert answered(irradiance, even_sky(), facing) == pytest.approx(np.ones((3, 4)), abs=1e-6)
    cosine = np.repeat(np.maximum(directions[..., 1:2], 0), 3, axis=2)
    wanted = [2 / 3, 2 / (3 * np.pi), 2 / (3 * np.pi), 0]
    assert answered(irradiance, sky_leaves(cosine), facing)[0] == pytest.approx(wanted, abs=4e-3)


@pytest.mark.parametrize("roughness", [0.05, 0.3, 0.6, 1.0])
@pytest.mark.parametrize("cosine", [0.2, 0.6, 1.0])
def test_white_furnace_under_the_prefiltered_sky(roughness: float, cosine: float) -> None:
    """An even sky of 1: white metal gives back the directional albedo of GGX, a sum over microfacets of the same BRDF;
    a white dielectric never more than it gets."""
    up, view = const(0, 1, 0), const(float(np.sqrt(1 - cosine**2)), cosine, 0)
    white, black = const(1, 1, 1), const(0, 0, 0)
    one, even = const(1.0), even_sky()
    metal = answered(surface_model.from_sky(black, white, one, const(roughness), up, view), even)[0]
    dielectric = surface_model.from_sky(white, const(0.04, 0.04, 0.04), one, const(roughness), up, view)
    assert 0.85 < float(np.ravel(answered(dielectric, even)[0])[0]) <= 1.001
    # Importance sampling of D (Walter et al. 2007, equations 35 and 36), weighted by the BRDF itself.
    random = np.random.default_rng(1)
    chance, turn = random.uniform(size=(2, 200_000))
    alpha = roughness**2
    cos_half = np.sqrt((1 - chance) / (1 + (alpha**2 - 1) * chance))
    sin_half = np.sqrt(1 - cos_half**2)
    half = np.stack([sin_half * np.cos(2 * np.pi * turn), cos_half, sin_half * np.sin(2 * np.pi * turn)])
    eye = np.array([np.sqrt(1 - cosine**2), cosine, 0])
    v_h = eye @ half
    light = 2 * v_h * half - eye[:, None]
    kept = (light[1] > 0) & (v_h > 0)
    brdf = surface_model.brdf(black, white, const(roughness), up, view, DIRECTION)
    value = evaluate([brdf], {"direction": light[:, kept]}, np.float64)[brdf][0]
    density = (cos_half**2 * (alpha**2 - 1) + 1) ** -2 * alpha**2 / np.pi * cos_half / (4 * v_h)
    albedo = np.sum(value * light[1, kept] / density[kept]) / len(turn)
    assert float(np.ravel(metal)[0]) == pytest.approx(albedo, abs=0.012)


@pytest.mark.parametrize("band", [2, 4, 7])
def test_the_prefiltered_sky_is_the_weighted_mean_over_ggx(band: int) -> None:
    """Against a sum of random microfacets with the view along the normal (Karis 2013), on a sky with a lamp in it."""
    directions = panorama_directions(256, 128)
    lamp = np.array([0.48, 0.6, 0.64])
    radiance = np.repeat(0.2 + 3 * np.exp(8 * (directions @ lamp - 1))[..., None], 3, axis=2)
    toward_sky = np.array([[0.3, 0.9, 0.2], [0.6, 0.1, 0.7], [-0.5, 0.5, 0.5]])
    toward_sky /= np.linalg.norm(toward_sky, axis=1, keepdims=True)
    map_ = surface_model._scattered(DIRECTION, const(float(band)))
    found = answered(map_, sky_leaves(radiance), toward_sky)[0]
    random = np.random.default_rng(2)
    alpha = (band / (surface_model.SCATTERED_BANDS - 1)) ** 2
    chance, turn = random.uniform(size=(2, 400_000))
    cos_half = np.sqrt((1 - chance) / (1 + (alpha**2 - 1) * chance))
    cos_light = 2 * cos_half**2 - 1
    sin_light = np.sqrt(np.maximum(1 - cos_light**2, 0))
    for number, normal in enumerate(toward_sky):
        side = np.cross(normal, [0.0, 0.0, 1.0] if abs(normal[2]) < 0.9 else [1.0, 0.0, 0.0])
        side /= np.linalg.norm(side)
        other = np.cross(normal, side)
        light = cos_light[:, None] * normal + sin_light[:, None] * (
            np.cos(2 * np.pi * turn)[:, None] * side + np.sin(2 * np.pi * turn)[:, None] * other
        )
        weight = np.maximum(cos_light, 0)
        mean = np.sum(weight * (0.2 + 3 * np.exp(8 * (light @ lamp - 1)))) / weight.sum()
        assert found[number] == pytest.approx(mean, rel=0.01)


def test_octahedral_places_and_directions_belong_together() -> None:
    size = 32
    directions = octahedral_directions(size)[1:-1, 1:-1].reshape(-1, 3)
    place = octahedral_uv(DIRECTION)
    found = evaluate([place], {"direction": directions.T}, np.float64)[place]
    steps = (np.arange(size - 2) + 0.5) / (size - 2)
    u, v = np.meshgrid(steps, steps)
    assert found == pytest.approx(np.stack([u.ravel(), v.ravel()]), abs=1e-9)


def test_the_overcast_sky_is_three_times_as_bright_overhead() -> None:
    """The CIE standard overcast sky (Moon and Spencer 1942): L(θ) = L_zenith·(1 + 2 cos θ)/3."""
    sky = panorama("overcast")[:, 0, 1]
    assert sky[0] / sky[len(sky) // 2 - 16] == pytest.approx(3 / (1 + 2 * np.sin(np.pi * 15.5 / 512)), rel=1e-3)


def test_turning_a_sky_turns_its_light_and_its_sun() -> None:
    """A lamp in the north, turned a quarter about Y, lights what faces where it has come to."""
    directions = panorama_directions(64, 32)
    lamp = Image(np.dstack([np.exp(20 * (directions @ toward(0, 0) - 1))] * 4).astype(np.float32), "data")
    seen = surface_model.sky_radiance(DIRECTION)
    values = light_uniforms(Environment(sky="lamp", rotation=90, exposure=1), {"lamp": lamp})
    leaves = {name: leaf(value, np.float64) for name, value in values.items()}
    leaves["direction"] = np.stack([toward(90, 0), toward(0, 0), toward(-90, 0)], axis=1)
    east, north, west = evaluate([seen], leaves, np.float64)[seen][0]
    assert east == pytest.approx(2.0, rel=0.05)  # one stop brighter
    assert max(north, west) < 0.01
    noon = sun_of(Environment(sky="clear noon", rotation=90))
    own = SKIES["clear noon"].sun
    assert noon and own and noon.azimuth == own.azimuth + 90
    assert sun_of(Environment(sky="overcast")) is None


def box_over_ground(**fields: object) -> tuple[Project, Scene, dict[str, object]]:
    m = Authoring("plain")
    m.add("surface", base_colour="#ffffff", specular=0.0, roughness=1.0)
    project = m.into_project(Project(name="shade"))
    assets = {name: Asset(id=name, name=name, primitive=name) for name in ("cube", "plane")}
    ground = StageObject(id="ground", name="ground", asset="plane", scale=(4, 1, 4), wears={"": "plain"})
    box = StageObject(
        id="box", name="box", asset="cube", position=(0, 2, 0), scale=(0.5, 0.5, 0.5), wears={"": "plain"}
    )
    sun = Sun(azimuth=90, elevation=45, strength=1.0)
    scene = Scene(
        id="s",
        name="s",
        objects=(ground, changed(box, **fields)),
        view=View(target=(0, 0, 0), yaw=0, pitch=80, distance=14),
        environment=Environment(sky="neutral grey", exposure=-30, sun=changed(sun, strength=2.0**30)),
    )
    return changed(project, assets=assets), scene, {name: primitive(name, 16) for name in assets}


def framed(project: Project, scene: Scene, models: dict, options: StageOptions = BARE) -> Frame:
    return frame_of(project, scene, models, camera_for(scene.view, SIZE), SIZE, options, LoweredMaterials())


def at(frame: Frame, linear: np.ndarray, *point: float) -> np.ndarray:
    x, y, _ = frame.camera.project(np.array([point]), SIZE)[0]
    return linear[int(y), int(x), :3]


def test_the_sun_throws_a_shadow_where_geometry_says(renderer: Renderer) -> None:
    """Sun from +x at 45°: a box 2 m up shades the ground 2 m toward −x, and nothing under itself.
    Lit ground: cos 45° of its white, by Lambert."""
    project, scene, models = box_over_ground()
    frame = framed(project, scene, models)
    linear = renderer.render(frame).linear
    assert at(frame, linear, -2.0, 0, 0) == pytest.approx([0, 0, 0], abs=1e-6)
    for x in (-3.3, 1.2):
        assert at(frame, linear, x, 0, 0) == pytest.approx([np.sqrt(0.5)] * 3, rel=1e-4)
    for options, fields in ((changed_options(shadow=False), {}), (BARE, {"casts_shadow": False})):
        frame = framed(*_with_box(project, scene, models, **fields), options)
        assert at(frame, renderer.render(frame).linear, -2.0, 0, 0)[0] == pytest.approx(np.sqrt(0.5), rel=1e-4)


def changed_options(**fields: object) -> StageOptions:
    return replace(BARE, **fields)


def _with_box(project: Project, scene: Scene, models: dict, **fields: object) -> tuple[Project, Scene, dict]:
    ground, box = scene.objects
    return project, changed(scene, objects=(ground, changed(box, **fields))), models


def test_the_ground_may_refuse_shadows_and_a_moved_box_moves_its_shadow(gl: GlRenderer) -> None:
    project, scene, models = box_over_ground()
    ground, box = scene.objects
    refusing = changed(scene, objects=(changed(ground, receives_shadow=False), box))
    frame = framed(project, refusing, models)
    assert at(frame, gl.render(frame).linear, -2.0, 0, 0)[0] > 0.7
    for z in (0.0, 2.0):
        moved = framed(*_with_box(project, scene, models, position=(0, 2, z)))
        linear = gl.render(moved).linear
        assert (at(moved, linear, -2.0, 0, 0)[0] < 0.01) == (z == 0.0)


def test_glow_spreads_only_what_is_brighter_than_white(gl: GlRenderer) -> None:
    """Light that spreads leaves the linear picture as it is, and a scene without anything over white alone."""
    m = Authoring("lamp")
    m.add("unlit_surface", colour=(6.0, 4.0, 2.0, 1.0))
    project, scene, models = box_over_ground()
    project = m.into_project(project)
    dull = framed(project, scene, models)
    assert (gl.render(dull).pixels == gl.render(_glowing(dull)).pixels).all()
    bright = framed(*_with_box(project, scene, models, wears={"": "lamp"}))
    plain, glowing = gl.render(bright), gl.render(_glowing(bright))
    assert (plain.linear == glowing.linear).all()
    gained = glowing.pixels.astype(int) - plain.pixels
    assert gained.min() >= 0 and (gained[..., 0] > 3).sum() > 400


def _glowing(frame: Frame) -> Frame:
    return replace(frame, glow=0.35)


def test_shadows_and_depth_follow_a_vertex_offset(renderer: Renderer) -> None:
    """Lifted by 1 m, the box's shadow is 1 m further from the sun: from −2 to −3 m, with the sun at 45°."""
    project, scene, models = box_over_ground()
    m = Authoring("lifted")
    m.add("vertex_offset", offset=(0.0, 1.0, 0.0), space="world")
    m.add("surface", base_colour="#ffffff", specular=0.0, roughness=1.0)
    project = m.into_project(project)
    frame = framed(*_with_box(project, scene, models, wears={"": "lifted"}))
    linear = renderer.render(frame).linear
    assert at(frame, linear, -3.0, 0, 0)[0] < 0.01
    assert at(frame, linear, -1.5, 0, 0)[0] == pytest.approx(np.sqrt(0.5), rel=1e-3)


def test_a_sky_is_worked_out_once_and_read_to_the_bit_after(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    asked = []

    def work() -> light_cache.Arrays:
        asked.append(1)
        chance = np.random.default_rng(1)
        return chance.normal(size=(3, 4, 3)).astype(np.float32), np.float32([[np.inf, -0.0]])

    def kept() -> light_cache.Arrays:
        return light_cache.kept("sky", (light_cache,), work)

    first, again = kept(), kept()
    assert len(asked) == 1 and all(np.array_equal(a, b) for a, b in zip(first, again, strict=True))
    (place,) = (tmp_path / "soft-lantern" / "light").iterdir()
    for broken in (b"", place.read_bytes()[:-9], b"not an array at all", bytes(500)):
        place.write_bytes(broken)
        assert all(np.array_equal(a, b) for a, b in zip(first, kept(), strict=True))
        assert [each.name for each in place.parent.iterdir()] == [place.name]  # mended, and nothing beside it
    assert len(asked) == 5
    (place.parent / "sky.0123456789abcdef.npy").write_bytes(b"of an older version")
    place.unlink()
    kept()
    assert [each.name for each in place.parent.iterdir()] == [place.name]
    monkeypatch.setenv("XDG_CACHE_HOME", "/proc/nowhere")
    assert all(np.array_equal(a, b) for a, b in zip(first, kept(), strict=True))  # no disk is no trouble
