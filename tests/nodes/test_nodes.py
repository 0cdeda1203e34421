"""Every node of the library: the two readers against each other, bounds against values, and outside definitions."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

import colour
import numpy as np
import pytest

from node_cases import Case, cases, extreme, image, ordinary
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir import colours, interval, noise
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Op, Type, const, join, topological, uniform
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.nodes import LIBRARY
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu

ALL = cases()
COUNT = 200


def _count(leaves: dict[str, Any]) -> int:
    return max([v.shape[-1] for v in leaves.values() if isinstance(v, np.ndarray)], default=1)


@pytest.mark.parametrize("key", sorted({case.key for case in ALL}))
def test_numpy_and_opengl_compute_the_same(key: str, gl: GlRenderer) -> None:
    """Relative to the larger of the result and 1; with extreme values, to the largest number on the way to it, beside
    four times what single precision itself is off there.

    Where the NumPy reader gives infinity or NaN, GLSL leaves the result open (3.30, section 4.1.4).
    """
    for case in (c for c in ALL if c.key == key):
        for leaves, strict in ((ordinary(case, COUNT), True), (extreme(case), False)):
            count = _count(leaves)
            values = evaluate(case.results.values(), leaves)
            exact = values if strict else evaluate(case.results.values(), leaves, np.float64)
            by_gl = evaluate_on_gpu(gl, case.results, leaves, count)
            largest = np.ones(count) if strict else _largest_on_the_way(values, count)
            for port, expr in case.results.items():
                expected, got = as_rows(values[expr], count).astype(float), by_gl[port].astype(float)
                told = np.isfinite(expected).all(axis=1)
                assert told.any() or not strict, (case.label, port)
                size = np.maximum(np.abs(expected[told]).max(axis=1), largest[told])[:, None]
                rounded = np.nan_to_num(np.abs(as_rows(exact[expr], count)[told] - expected[told]), posinf=0)
                assert (np.abs(expected[told] - got[told]) <= 1e-5 * size + 4 * rounded).all(), (case.label, port)


def _largest_on_the_way(values: dict[Expr, Any], count: int) -> np.ndarray:
    largest = np.ones(count)
    for expr, value in values.items():
        if expr.type.value.startswith(("float", "vec")):
            size = np.abs(as_rows(value, count).astype(float)).max(axis=1)
            largest = np.maximum(largest, np.where(np.isfinite(size), size, 1))
    return largest


@pytest.mark.parametrize("key", sorted({case.key for case in ALL}))
def test_bounds_hold_every_value(key: str) -> None:
    for case in (c for c in ALL if c.key == key):
        for leaves in (ordinary(case, COUNT), extreme(case)):
            limits = {n: _span(v) for n, v in leaves.items() if n.startswith(("in:", "stage:"))}
            bound = interval.bounds(case.results.values(), limits)
            values = evaluate(case.results.values(), {**leaves, **_within_limits(case)})
            for port, expr in case.results.items():
                value, known = np.atleast_2d(values[expr]), bound[expr]
                for row, low, high in zip(value, known.low, known.high, strict=True):
                    assert known.may_be_nan or not np.isnan(row).any(), (case.label, port)
                    numbers = row[~np.isnan(row)]
                    assert (numbers >= low).all() and (numbers <= high).all(), (case.label, port, low, high)


def _span(value: Any) -> interval.Interval:
    if not isinstance(value, np.ndarray):
        return interval.Interval((0.0,) * 4, (1.0,) * 4)
    rows = np.atleast_2d(value)
    return interval.Interval(tuple(map(float, rows.min(axis=1))), tuple(map(float, rows.max(axis=1))))


def _within_limits(case: Case) -> dict[str, Any]:
    """Surface inputs that keep to the limits their bound is taken from."""
    found = {}
    for expr in topological(case.results.values()):
        name = str(expr.data)
        if expr.op is Op.INPUT and not np.isinf(INPUTS[name].limits[1]):
            drawn = np.random.default_rng(1).uniform(*INPUTS[name].limits, (expr.type.width, 1))
            found[name] = (drawn if expr.type.width > 1 else drawn[0]).astype(np.float32)
    return found


def value(key: str, settings: dict[str, str] | None = None, **inputs: Any) -> dict[str, np.ndarray]:
    """What a node gives in double precision: inputs are rows (count, k) or single values; settings by name."""
    node_type = LIBRARY[key].shaped(settings or {})
    exprs, leaves = {}, {}
    for port in node_type.inputs:
        given = inputs.get(port.name, port.default)
        if port.name not in inputs and port.implied is not None:
            exprs[port.name] = port.implied
            continue
        if not isinstance(given, (np.ndarray, float, int, tuple)):
            exprs[port.name], leaves[port.name] = uniform(port.name, Type.SAMPLER), given or image()
            continue
        rows = (
            np.atleast_2d(np.asarray(given, float)) if isinstance(given, (tuple, np.ndarray)) else np.array([[given]])
        )
        if isinstance(given, np.ndarray) and given.ndim == 1:
            rows = given[:, None]
        width = rows.shape[1]
        exprs[port.name] = uniform(port.name, [Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4][width - 1])
        leaves[port.name] = rows.T if width > 1 else rows[:, 0]
    chosen = {s.name: (settings or {}).get(s.name, s.default) for s in node_type.settings}
    results = node_type.apply(exprs, chosen)
    values = evaluate(results.values(), leaves, np.float64)
    return {name: as_rows(values[expr], _count(leaves)) for name, expr in results.items()}


RGB = np.random.default_rng(5).uniform(0, 1, (60, 3))
RGBA = np.column_stack([RGB, np.linspace(0, 1, 60)])


def test_srgb_nodes_are_the_standards_curve() -> None:
    """IEC 61966-2-1, as colour-science computes it."""
    assert value("srgb_to_linear", colour=RGBA)["out"][:, :3] == pytest.approx(colour.models.eotf_sRGB(RGB), abs=1e-7)
    encoded = value("linear_to_srgb", colour=RGBA)["out"]
    assert encoded[:, :3] == pytest.approx(colour.models.eotf_inverse_sRGB(RGB), abs=1e-7)
    assert (encoded[:, 3] == RGBA[:, 3]).all()


def test_oklab_is_the_published_one() -> None:
    """CSS Color 4, section 9.4, through colour-science; and Ottosson's own table: XYZ (0.95, 1, 1.089) → (1, 0, 0)."""
    theirs = colour.XYZ_to_Oklab(colour.RGB_to_XYZ(RGB, "sRGB", apply_cctf_decoding=False))
    symbol = uniform("c", Type.VEC3)
    expr = colours.oklab_from_linear(symbol)
    ours = evaluate([expr], {"c": RGB.T}, np.float64)[expr].T
    assert ours == pytest.approx(theirs, abs=2e-3)
    back = colours.linear_from_oklab(expr)
    assert pytest.approx(RGB, abs=1e-6) == evaluate([back], {"c": RGB.T}, np.float64)[back].T
    white = evaluate([expr], {"c": np.ones((3, 1))}, np.float64)[expr][:, 0]
    assert white == pytest.approx([1, 0, 0], abs=1e-3)


def test_hsv_is_foley_and_van_dams() -> None:
    """As colour-science computes it."""
    assert value("rgb_to_hsv", colour=RGBA)["out"] == pytest.approx(colour.RGB_to_HSV(RGB), abs=1e-9)
    assert value("hsv_to_rgb", hsv=RGB)["out"][:, :3] == pytest.approx(colour.HSV_to_RGB(RGB), abs=1e-9)


@pytest.mark.parametrize("kelvin", [4000.0, 5003.0, 6504.0, 9000.0, 20000.0])
def test_temperature_is_cie_daylight_by_bradford(kelvin: float) -> None:
    """Against colour-science: the CIE D series and Bradford's adaptation from D65."""
    here = colour.temperature.CCT_to_xy_CIE_D(kelvin)
    xyz = colour.RGB_to_XYZ(RGB, "sRGB", apply_cctf_decoding=False)
    white = colour.xy_to_XYZ((0.3127, 0.3290))
    adapted = colour.adaptation.chromatic_adaptation_VonKries(xyz, white, colour.xy_to_XYZ(here), transform="Bradford")
    matrix = np.linalg.inv(colour.RGB_COLOURSPACES["sRGB"].matrix_RGB_to_XYZ)
    ours = value("temperature_tint", colour=RGBA, temperature=kelvin)["out"][:, :3]
    assert ours == pytest.approx(adapted @ matrix.T, abs=2e-3)


def test_daylight_of_6504_kelvin_changes_nothing() -> None:
    assert value("temperature_tint", colour=RGBA, temperature=6504.0)["out"] == pytest.approx(RGBA, abs=2e-3)


def _w3c(mode: str, cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    """Blend functions as printed in W3C Compositing and Blending Level 1, sections 10.1 and 10.2, for one pixel."""

    def lum(c: np.ndarray) -> float:
        return float(0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2])

    def clip(c: np.ndarray) -> np.ndarray:
        l_, n, x = lum(c), min(c), max(c)
        if n < 0:
            c = l_ + (c - l_) * l_ / (l_ - n)
        if x > 1:
            c = l_ + (c - l_) * (1 - l_) / (x - l_)
        return c

    def set_lum(c: np.ndarray, l_: float) -> np.ndarray:
        return clip(c + (l_ - lum(c)))

    def sat(c: np.ndarray) -> float:
        return float(max(c) - min(c))

    def set_sat(c: np.ndarray, s: float) -> np.ndarray:
        order, made = np.argsort(c), np.zeros(3)
        if c[order[2]] > c[order[0]]:
            made[order[1]] = (c[order[1]] - c[order[0]]) * s / (c[order[2]] - c[order[0]])
            made[order[2]] = s
        return made

    def one(b: float, s: float) -> float:
        if mode == "overlay":
            return _w3c_hard(s, b)
        if mode == "hard-light":
            return _w3c_hard(b, s)
        if mode == "color-dodge":
            return 0 if b == 0 else 1 if s == 1 else min(1, b / (1 - s))
        if mode == "color-burn":
            return 1 if b == 1 else 0 if s == 0 else 1 - min(1, (1 - b) / s)
        if mode == "soft-light":
            d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else b**0.5
            return b - (1 - 2 * s) * b * (1 - b) if s <= 0.5 else b + (2 * s - 1) * (d - b)
        simple = {"normal": s, "multiply": b * s, "screen": b + s - b * s, "darken": min(b, s), "lighten": max(b, s)}
        return (simple | {"difference": abs(b - s), "exclusion": b + s - 2 * b * s})[mode]

    whole = {
        "hue": lambda: set_lum(set_sat(cs, sat(cb)), lum(cb)),
        "saturation": lambda: set_lum(set_sat(cb, sat(cs)), lum(cb)),
        "color": lambda: set_lum(cs, lum(cb)),
        "luminosity": lambda: set_lum(cb, lum(cs)),
    }
    return whole[mode]() if mode in whole else np.array([one(b, s) for b, s in zip(cb, cs, strict=True)])


def _w3c_hard(b: float, s: float) -> float:
    return b * 2 * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


@pytest.mark.parametrize("mode", colours.BLEND_MODES)
def test_blend_modes_are_the_w3cs(mode: str) -> None:
    """With alpha by section 5.1: Cs' = (1 − αb)·Cs + αb·B(Cb, Cs), then source over."""
    backdrop, source = RGBA, RGBA[::-1]
    got = value("blend", {"mode": mode}, backdrop=backdrop, source=source)["out"]
    for b, s, ours in zip(backdrop, source, got, strict=True):
        mixed = (1 - b[3]) * s[:3] + b[3] * _w3c(mode, b[:3], s[:3])
        alpha = s[3] + b[3] * (1 - s[3])
        over = (s[3] * mixed + (1 - s[3]) * b[3] * b[:3]) / alpha
        assert ours == pytest.approx([*over, alpha], abs=1e-6)


def test_saturation_amount() -> None:
    """Common practice: 0 leaves the colour, 1 is its Rec. 709 grey, below 0 more vivid, above 1 the chroma inverted."""
    assert value("saturation_amount", colour=RGBA, amount=0.0)["out"] == pytest.approx(RGBA)
    luminance = RGB @ [0.2126, 0.7152, 0.0722]
    grey = value("saturation_amount", colour=RGBA, amount=1.0)["out"][:, :3]
    assert grey == pytest.approx(np.stack([luminance] * 3, axis=1))
    away, beyond = (value("saturation_amount", colour=RGBA, amount=a)["out"][:, :3] - grey for a in (-0.5, 1.5))
    assert away == pytest.approx((RGB - grey) * 1.5) and beyond == pytest.approx((grey - RGB) * 0.5)


def test_palette_cells() -> None:
    """Common practice: index i of N is i / (N − 1), as 8 bits round(255·i/(N−1)): N = 4 → 0, 85, 170, 255."""
    texels = np.zeros((4, 4, 4), np.uint8)
    texels[..., 0], texels[..., 1], texels[..., 3] = np.arange(4) * 60, (np.arange(4) * 50)[:, None], 255
    palette = image()
    palette = type(palette)(texels, "data", "nearest", "clamp")
    for column, code in enumerate((0, 85, 170, 255)):
        found = value("palette_lookup", index=(code / 255, 170 / 255, 0.0, 1.0), palette=palette)["out"][0]
        assert found * 255 == pytest.approx([column * 60, 100, 0, 255], abs=1e-3)


def test_inverse_angles_are_exact() -> None:
    """Against NumPy's, which are the C library's; in single precision, as on a GPU."""
    x, y = np.linspace(-1, 1, 2001).astype(np.float32), np.linspace(3, -2, 2001).astype(np.float32)
    a, b = uniform("a", Type.FLOAT), uniform("b", Type.FLOAT)
    wanted = {f.asin(a): np.arcsin(x), f.acos(a): np.arccos(x), f.atan2(b, a): np.arctan2(y, x)}
    got = evaluate(wanted, {"a": x, "b": y})
    for expr, exact in wanted.items():
        assert np.abs(got[expr] - exact).max() < 6e-7


def test_bands_never_overlap_and_sum_to_one_with_the_rest() -> None:
    """Common practice: each layer is step(threshold) less the layers before it."""
    got = value("bands", {"count": "3"}, value=np.linspace(-0.2, 1.2, 400))
    stacked = np.stack([row[:, 0] for row in got.values()])
    assert list(got) == ["layer_1", "layer_2", "layer_3", "rest"]
    assert (stacked.sum(axis=0) == 1).all() and (np.sort(stacked, axis=0)[:-1] == 0).all()


def test_masks_by_common_practice() -> None:
    heights = np.array([-3.0, -2.0, -1.0, 0.0, 5.0])
    assert value("height_mask", height=heights, origin=-2.0, spread=2.0)["out"][:, 0].tolist() == [0, 0, 0.5, 1, 1]
    times = np.linspace(0, 4, 401)
    glow = value("pulse", time=times, period=2.0, floor=0.25)["out"][:, 0]
    assert glow.min() == 0.25 and glow.max() == pytest.approx(1, abs=1e-4)
    assert glow[times == 0.5] == pytest.approx(1) and glow[times == 1.5] == 0.25
    half = value("combine_masks", {"together": "subtract"}, a=np.array([1.0, 1.0, 0.0]), b=np.array([0.0, 1.0, 1.0]))
    assert half["out"][:, 0].tolist() == [1, 0, 0]


def test_solid_patterns_fill_the_share_of_space_that_geometry_says() -> None:
    """Counted on a fine lattice of a two-metre cube: a ball fills 4/3 πr³; walls leave (1 − t)³ of every cell."""
    steps = (np.arange(80) + 0.5) / 40 - 1
    space = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    assert value("ball", at=space, radius=0.8)["out"].mean() * 8 == pytest.approx(4 / 3 * np.pi * 0.8**3, rel=5e-3)
    walls = value("grid_3d", at=space, tiling=(1.0, 2.0, 1.0), thickness=0.2)["out"]
    assert 1 - walls.mean() == pytest.approx(0.8**3, rel=1e-9)
    assert value("stripes_3d", at=space, count=2.5, width=0.25)["out"].mean() == 0.25
    cells = np.stack(np.meshgrid(*[np.arange(-2, 3)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    parity = value("checker_3d", at=cells + 0.5, tiling=(1.0, 1.0, 1.0))["out"][:, 0]
    assert parity.tolist() == [sum(cell) % 2 for cell in cells.tolist()]
    along = value("ramp_3d", at=cells * 1.0, direction=(0.0, 0.0, 1.0), start=-1.0, spread=2.0)["out"][:, 0]
    assert along.tolist() == [min(max((z + 1) / 2, 0), 1) for _, _, z in cells.tolist()]


def test_normals_decode_and_scale_as_in_gltf() -> None:
    """glTF 2.0, section 3.9.3: normalize((sampled · 2 − 1) · vec3(scale, scale, 1)); (128, 128, 255) is flat."""
    flat = value("decode_normal", colour=(128 / 255, 128 / 255, 1.0, 1.0))["out"][0]
    assert flat == pytest.approx([0, 0, 1], abs=6e-3)
    sampled = RGBA[RGB[:, 2] > 0.6]
    by_hand = (sampled[:, :3] * 2 - 1) * [0.4, 0.4, 1.0]
    by_hand /= np.linalg.norm(by_hand, axis=1, keepdims=True)
    assert value("decode_normal", colour=sampled, scale=0.4)["out"] == pytest.approx(by_hand)


def test_reoriented_normals_keep_a_flat_base_and_a_flat_detail() -> None:
    """Barré-Brisebois and Hill (2012): a flat base gives the detail, a flat detail the base."""
    unit = np.column_stack([RGB[:, :2] - 0.5, np.ones(60)])
    unit /= np.linalg.norm(unit, axis=1, keepdims=True)
    flat = (0.0, 0.0, 1.0)
    assert value("mix_normals", base=flat, detail=unit)["out"] == pytest.approx(unit)
    assert value("mix_normals", base=unit, detail=flat)["out"] == pytest.approx(unit)


def test_a_gradient_is_read_from_its_first_texel_to_its_last() -> None:
    texels = np.zeros((1, 5, 4), np.uint8)
    texels[0, :, 0], texels[..., 3] = [0, 50, 100, 150, 200], 255
    row = type(image())(texels, "data", "linear", "clamp")
    got = value("gradient_lookup", gradient=row, at=np.array([-1.0, 0.0, 0.25, 0.6, 1.0]))["out"][:, 0]
    assert got * 255 == pytest.approx([0, 0, 50, 120, 200])


def test_a_height_becomes_the_normal_of_the_raised_surface() -> None:
    """Against the analytic normal of y = 0.2·sin(3x) over a plane: (−0.6·cos(3x), 1, 0), normalised."""
    x = np.linspace(-2, 2, 50)
    node_type = LIBRARY["height_to_normal"]
    from soft_lantern.ir.inputs import surface_input

    height = f.sin(surface_input("position_world").x * 3.0) * 0.2
    expr = node_type.apply({"height": height, "scale": const(1.0)}, {})["out"]
    leaves: dict[str, Any] = {
        "position_world": np.stack([x, x * 0, x * 0]),
        "normal_world": leaf([0, 1, 0]),
        "position_world_dx": leaf([0.01, 0, 0.002]),
        "position_world_dy": leaf([0.001, 0, -0.01]),
    }
    slope = 0.6 * np.cos(3 * x)
    by_hand = np.stack([-slope, np.ones_like(x), x * 0]) / np.sqrt(1 + slope**2)
    assert evaluate([expr], leaves, np.float64)[expr] == pytest.approx(by_hand, abs=1e-6)


def test_noise_hash_is_exact_on_both_readers(gl: GlRenderer) -> None:
    at = uniform("at", Type.VEC3)
    results = {"cell": noise.cell_3d(at)}
    leaves = {"at": np.random.default_rng(2).uniform(-1e6, 1e6, (3, 4000)).astype(np.float32)}
    assert (
        evaluate(results.values(), leaves)[results["cell"]] == evaluate_on_gpu(gl, results, leaves, 4000)["cell"][:, 0]
    ).all()


def test_transforms_undo_each_other() -> None:
    leaves = {n: np.asarray(leaf(i.default), float) for n, i in INPUTS.items()}
    turned = {"object_x": [0, 0, -2.0], "object_y": [0.5, 1, 0], "object_z": [3.0, 0, 0], "object_position": [1, 2, 3]}
    leaves |= {n: leaf(v, np.float64) for n, v in turned.items()}
    v = join(0.3, -0.7, 1.9)
    for meaning in ("direction", "point"):
        for space in ("object", "view", "tangent"):
            there = LIBRARY["convert_space"].apply(
                {"vector": v}, {"source": space, "target": "world", "meaning": meaning}
            )
            back = LIBRARY["convert_space"].apply(
                {"vector": there["out"]}, {"source": "world", "target": space, "meaning": meaning}
            )["out"]
            assert evaluate([back], leaves, np.float64)[back].ravel() == pytest.approx([0.3, -0.7, 1.9])


def test_generated_shaders_of_every_node_are_sound(tmp_path: Path) -> None:
    """Each node in a material of its own, exported, through the Khronos reference compiler."""
    from soft_lantern.formats.shader_package import package
    from soft_lantern.ir.glsl_program import HEADS

    files = []
    for key, node_type in LIBRARY.items():
        if node_type.family == "outputs" or key in (
            "parameter",
            "snippet_output",
            "snippet_input",
            "texture",
            "gradient",
            "palette",
        ):
            continue
        m = Authoring(node_type.title)
        made = m.add(key)
        colour_like = made if node_type.outputs[0].carries.kind is None else made.into("convert", kind="colour")
        m.add("surface", base_colour=colour_like if key != "convert" else made.into("convert", kind="colour"))
        assert not [n for n in lower(m.material).notices if n.kind != "missing-wire"], key
        assert uniform_values(lower(m.material), m.material, {}) is not None
        for target in HEADS:
            for name, text in package(m.material, target).items():
                if name.endswith(".glsl"):
                    path = tmp_path / f"{key}-{target}.{name.split('.')[-2]}"
                    path.write_text(text)
                    files.append(path)
    done = subprocess.run(["glslangValidator", *map(str, files)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, [line for line in done.stdout.splitlines() if "ERROR" in line]
