"""The height ramp, from the graph to pixels: the fact an author relies on most.

t = clamp((y − origin) / spread, 0, 1); at or below the origin colour A exactly, from origin + spread on colour B
exactly, midway their mean in linear light (common practice).
"""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import pytest

from soft_lantern.formats.saving import save_project
from soft_lantern.formats.shader_package import package, write_package
from soft_lantern.graph.document import Asset, Material, Node, Project, Scene, StageObject, Vector, View, changed
from soft_lantern.graph.edits import choose_setting, type_value
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.parameters.edits import change_parameter
from soft_lantern.ir.expr import Expr
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.render.frame import Frame
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.picking import nearest_hit
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.kinds import components

Reader = Callable[[Material, np.ndarray], np.ndarray]
ROOT = Path(__file__).parents[2]


def _prepared(material: Material, heights: np.ndarray) -> tuple[Expr, dict[str, np.ndarray]]:
    lowered = lower(material)
    leaves = {n: leaf(v) for n, v in uniform_values(lowered, material, {}).items()}
    points = np.stack([np.full(len(heights), 3.0), heights, np.full(len(heights), -7.0)]).astype(np.float32)
    colour = lowered.surface["base_colour"]
    return colour, leaves | {"position_world": points, "position_object": points + 100}


def by_numpy(material: Material, heights: np.ndarray) -> np.ndarray:
    """Base colour at points of those heights, (n, 3)."""
    colour, leaves = _prepared(material, heights)
    return as_rows(evaluate([colour], leaves)[colour], len(heights))


def by_glsl(gl: GlRenderer, material: Material, heights: np.ndarray) -> np.ndarray:
    """The same, run through OpenGL."""
    colour, leaves = _prepared(material, heights)
    return evaluate_on_gpu(gl, {"colour": colour}, leaves, len(heights))["colour"]


def by_probe(folder: Path, material: Material, heights: np.ndarray) -> np.ndarray:
    """The same, asked of the command line."""
    save_project(put_material(Project(name="probe"), material), folder)
    command = [str(ROOT / "lantern"), "probe", str(folder), "--material", material.id, "--json"]
    rows = []
    for height in heights:
        at = ["--at", f"position=3,{height},-7"]
        answer = subprocess.run([*command, *at], capture_output=True, text=True, check=True).stdout
        rows.append(json.loads(answer)["surface"]["base_colour"])
    return np.array(rows)


@pytest.fixture(params=["numpy", "glsl", "probe"])
def read(request: pytest.FixtureRequest, gl: GlRenderer, tmp_path: Path) -> Reader:
    """Each way to ask for the base colour at some heights."""
    ways: dict[str, Reader] = {
        "numpy": by_numpy,
        "glsl": partial(by_glsl, gl),
        "probe": partial(by_probe, tmp_path / "project"),
    }
    return ways[request.param]


def _ends(material: Material) -> tuple[np.ndarray, np.ndarray]:
    low, high = (material.parameter(p) for p in ("low_colour", "high_colour"))
    assert low and high
    return tuple(np.float32(components(p.default)[:3]) for p in (low, high))  # type: ignore[return-value]


def test_colour_is_a_up_to_the_origin_and_b_from_one_spread_above(ramp: Material, read: Reader) -> None:
    low, high = _ends(ramp)  # the demo's origin is −2, its spread 4
    got = read(ramp, np.array([-50.0, -2.0, 0.0, 2.0, 50.0])).astype(np.float32)
    assert (got[:2] == low).all()
    assert (got[3:] == high).all()
    assert got[2] == pytest.approx((low + high) / 2, rel=1e-6)


def test_the_readers_agree_all_the_way_up(ramp: Material, gl: GlRenderer) -> None:
    heights = np.linspace(-4, 4, 801)
    difference = np.abs(by_numpy(ramp, heights) - by_glsl(gl, ramp, heights))
    assert difference.max() <= 1e-5


def _stage(
    material: Material, shape: str, position: Vector, size: tuple[int, int], gauge: float | None = None
) -> Frame:
    """A tall object in the ramp's base colour alone, seen from a little above the level of y = −2."""
    project = put_material(Project(name="stage"), material)
    asset = Asset(id="tall", name="tall", primitive=shape, subdivision=96)  # type: ignore[arg-type]
    thing = StageObject(id="o", name="o", asset="tall", position=position, scale=(1, 5, 1), wears={"": material.id})
    scene = Scene(id="s", name="s", objects=(thing,), gauge=gauge)
    project = changed(project, assets={"tall": asset}, scenes={"s": scene})
    view = View(target=(position[0], -2.0, position[2]), yaw=20, pitch=9, distance=14)
    options = StageOptions(backdrop=False, floor=False, grid=False, tone_map=False, show="base_colour")
    models = {"tall": primitive(shape, 96)}
    return frame_of(project, scene, models, camera_for(view, size), size, options, LoweredMaterials())


@pytest.mark.parametrize("renderer", ["gl", "soft"])
@pytest.mark.parametrize("position", [(0.0, 0.0, 0.0), (4.0, 1.7, -3.0)])
def test_the_gauge_at_minus_two_meets_origin_minus_two_to_the_pixel(
    ramp: Material, gl: GlRenderer, soft: SoftRenderer, renderer: str, position: tuple[float, float, float]
) -> None:
    """Wherever the object is moved: the ramp begins in the very row of pixels where the gauge cuts the object."""
    draw = gl if renderer == "gl" else soft
    sharp = change_parameter(ramp, "spread", default=0.1, low=0.1)
    size = (240, 320)
    plain = _stage(sharp, "cylinder", position, size)
    middle = size[0] // 2
    column = draw.render(plain).linear[:, middle, :3]
    low, _ = _ends(ramp)
    at_low = (column == low).all(axis=1)
    on_object = ~np.isclose(column, 0.18, atol=1e-6).all(axis=1)
    first_low = int(np.flatnonzero(at_low & on_object)[0])
    height = _height_under(plain, middle, first_low)
    assert height <= -2.0 < _height_under(plain, middle, first_low - 1)
    gauged = _stage(sharp, "cylinder", position, size, gauge=-2.0)
    tinted = np.abs(draw.render(gauged).linear[:, middle, :3] - column).max(axis=1) > 1e-3
    on_wall = on_object & (np.arange(size[1]) > first_low - 20)
    assert int(np.flatnonzero(tinted & on_wall)[0]) == first_low


def _height_under(frame: Frame, x: int, y: int) -> float:
    """World height of the object's surface under the middle of a pixel, by the ray through it."""
    start, direction = frame.camera.ray((x + 0.5, y + 0.5), frame.size)
    hit = nearest_hit(start, direction, [("o", i.mesh, i.matrix) for i in frame.items])
    assert hit
    return float(hit.point[1])


@pytest.mark.parametrize(("space", "moves"), [("world", True), ("object", False)])
def test_a_world_ramp_stays_put_and_an_object_ramp_travels(
    ramp: Material, gl: GlRenderer, space: str, moves: bool
) -> None:
    position = next(i for i, n in ramp.nodes.items() if n.type == "position")
    material = choose_setting(ramp, position, "space", space)
    frames = [_stage(material, "cylinder", (0.0, y, 0.0), (120, 160)) for y in (0.0, 1.5)]
    stayed, moved = (_red_by_own_height(frame, gl.render(frame).linear) for frame in frames)
    shared = set(stayed) & set(moved)
    assert len(shared) > 20
    assert any(abs(stayed[height] - moved[height]) > 0.03 for height in shared) is moves


def _red_by_own_height(frame: Frame, pixels: np.ndarray) -> dict[float, float]:
    """Red on the middle column by the height above the object's own origin, in steps of 0.1 m."""
    middle, found = frame.size[0] // 2, {}
    for y in range(frame.size[1]):
        start, direction = frame.camera.ray((middle + 0.5, y + 0.5), frame.size)
        if hit := nearest_hit(start, direction, [("o", i.mesh, i.matrix) for i in frame.items]):
            found[round(float(hit.point[1] - frame.items[0].matrix[1, 3]), 1)] = float(pixels[y, middle, 0])
    return found


def test_a_changed_value_compiles_nothing_and_shows_in_the_next_frame(ramp: Material, gl: GlRenderer) -> None:
    size = (96, 96)
    first = gl.render(_stage(ramp, "sphere", (0, 0, 0), size)).pixels
    compiled = gl.compiled
    other_parameter = change_parameter(ramp, "origin", default=1.0)
    clamp = next(i for i, n in ramp.nodes.items() if n.type == "clamp")
    other_constant = type_value(ramp, clamp, "high", 0.25)
    renamed = change_parameter(ramp, "origin", identifier="foot_of_the_ramp")
    for material, differs in ((other_parameter, True), (other_constant, True), (renamed, False)):
        picture = gl.render(_stage(material, "sphere", (0, 0, 0), size)).pixels
        assert (picture != first).any() == differs
    assert gl.compiled == compiled


def test_exported_glsl_compiles_reads_well_and_tells_its_parameters(ramp: Material, tmp_path: Path) -> None:
    unused = Node(type="divide", name="Forgotten")
    ramp = changed(ramp, nodes={**ramp.nodes, "forgotten": unused})
    paths = write_package(ramp, tmp_path / "out")
    for path in paths[:2]:
        stage = path.name.split(".")[1]
        done = subprocess.run(["glslangValidator", "-S", stage, str(path)], capture_output=True, text=True)
        assert done.returncode == 0, done.stdout
    fragment = paths[0].read_text()
    body = [line.strip() for line in fragment.splitlines()]
    assert "float rise = inputs.position_world.y - parameters.origin;" in body
    assert "float height_mask = clamp(divide, 0.0, 1.0);" in body
    assert "vec4 ramp_colour = mix(parameters.low_colour, parameters.high_colour, height_mask);" in body
    assert "forgotten" not in fragment.lower()
    table = {row["identifier"]: row for row in json.loads(paths[2].read_text())["parameters"]}
    for name, row in table.items():
        assert f"    {row['type']} {name};" in fragment
    spread = table["spread"]
    assert (spread["low"], spread["high"], spread["default"], spread["unit"]) == (0.1, 10, [4.0], "m")
    assert table["low_colour"]["default_srgb"] == "#2a4d5e"


def test_labels_cannot_break_out_of_a_comment(ramp: Material) -> None:
    nasty = change_parameter(ramp, "origin", label="Origin */\n#error \\", tooltip="\n}")
    fragment = next(iter(package(nasty).values()))
    assert not any(line.lstrip().startswith(("#error", "}\n")) for line in fragment.splitlines())
    done = subprocess.run(["glslangValidator", "--stdin", "-S", "frag"], input=fragment, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout
