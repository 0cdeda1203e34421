"""Nodes that MaterialX 1.39 defines, against what that package's own GLSL generator draws from random inputs."""

from __future__ import annotations

import re
from typing import Any

import MaterialX as mx
import MaterialX.PyMaterialXGenGlsl as mx_glsl
import MaterialX.PyMaterialXGenShader as mx_shader
import numpy as np
import pytest
from msgspec import Struct, field

from materialx_drawing import COUNT, drawn, units
from soft_lantern.ir.expr import uniform, vector_type
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.nodes import LIBRARY
from soft_lantern.render.gl import GlRenderer

_TYPES = {"float": 1, "vector2": 2, "vector3": 3, "vector4": 4, "color3": 3, "color4": 4}


class Pair(Struct, frozen=True):
    """One of ours and the MaterialX node definition it must equal; ports by name, ours to theirs.

    `low`, `high`: where random inputs lie, or `spans` for single ports. `fixed`: their inputs that we have no port for;
    `kept`: ours that they have no port for.
    """

    key: str
    nodedef: str
    ports: dict[str, str]
    output: str = "out"
    low: float = -3.0
    high: float = 3.0
    spans: dict[str, tuple[float, float]] = field(default_factory=dict)
    settings: dict[str, str] = field(default_factory=dict)
    fixed: dict[str, str] = field(default_factory=dict)
    kept: dict[str, tuple[float, ...]] = field(default_factory=dict)
    tolerance: float = 1e-5
    components: int = 0


_AB, _V = {"a": "in1", "b": "in2"}, {"value": "in"}
_REC709 = {"lumacoeffs": "0.2126, 0.7152, 0.0722"}
_POSITIVE = {"low": 0.01, "high": 4.0}


def _each(key: str, node: str, ports: dict[str, str], **more: Any) -> list[Pair]:
    return [Pair(key, f"ND_{node}_{kind}", ports, **more) for kind in ("float", "vector3", "color4")]


PAIRS = [
    *_each("add", "add", _AB),
    *_each("subtract", "subtract", _AB),
    *_each("multiply", "multiply", _AB),
    *_each("divide", "divide", _AB, **_POSITIVE),
    *_each("modulo", "modulo", _AB, spans={"b": (0.2, 2.0)}),
    *_each("complement", "invert", _V),
    *_each("absolute", "absval", _V),
    *_each("sign", "sign", _V),
    *_each("minimum", "min", _AB),
    *_each("maximum", "max", _AB),
    *_each("floor", "floor", _V),
    *_each("ceiling", "ceil", _V),
    *_each("fraction", "fract", _V),
    *_each("round", "round", _V),
    *_each("power", "power", {"base": "in1", "exponent": "in2"}, **_POSITIVE),
    *_each("signed_power", "safepower", {"base": "in1", "exponent": "in2"}, spans={"exponent": (0.5, 3.0)}),
    *_each(
        "clamp", "clamp", {"value": "in", "low": "low", "high": "high"}, spans={"low": (-2, -0.1), "high": (0.1, 2)}
    ),
    *_each("saturate", "clamp", _V),
    *_each("mix", "mix", {"a": "bg", "b": "fg", "factor": "mix"}, spans={"factor": (0, 1)}),
    *_each(
        "remap",
        "remap",
        {"value": "in", "low": "inlow", "high": "inhigh", "new_low": "outlow", "new_high": "outhigh"},
        spans={"low": (-2, -0.5), "high": (0.5, 2)},
    ),
    *_each(
        "levels",
        "range",
        {
            "value": "in",
            "low": "inlow",
            "high": "inhigh",
            "gamma": "gamma",
            "new_low": "outlow",
            "new_high": "outhigh",
        },
        spans={"low": (-2, -0.5), "high": (0.5, 2), "gamma": (0.5, 2), "new_low": (-1, 0), "new_high": (0.1, 1)},
        fixed={"doclamp": "true"},
        tolerance=2e-5,
    ),
    Pair("square_root", "ND_sqrt_float", _V, **_POSITIVE),
    Pair("exponential", "ND_exp_float", _V),
    Pair("logarithm", "ND_ln_float", _V, **_POSITIVE),
    Pair("sine", "ND_sin_float", {"angle": "in"}),
    Pair("cosine", "ND_cos_float", {"angle": "in"}),
    Pair("tangent_of_angle", "ND_tan_float", {"angle": "in"}, low=-1.4, high=1.4, tolerance=3e-5),
    # The driver's own inverse functions are only this good; ours are held to NumPy's in another test.
    Pair("arcsine", "ND_asin_float", _V, low=-1, high=1, tolerance=5e-4),
    Pair("arccosine", "ND_acos_float", _V, low=-1, high=1, tolerance=2e-4),
    Pair("arctangent", "ND_atan2_float", {"y": "iny", "x": "inx"}, tolerance=2e-4),
    Pair(
        "smoothstep",
        "ND_smoothstep_float",
        {"value": "in", "low": "low", "high": "high"},
        spans={"low": (-2, 0), "high": (0.1, 2)},
    ),
    Pair("triangle_wave", "ND_trianglewave_float", _V),
    Pair("choose", "ND_ifgreater_vector3", {"a": "value1", "b": "value2", "when_greater": "in1", "otherwise": "in2"}),
    Pair(
        "switch",
        "ND_switch_float",
        {"which": "which", "option_1": "in1", "option_2": "in2", "option_3": "in3"},
        settings={"count": "3"},
        spans={"which": (-0.9, 4)},
    ),
    Pair("dot_product", "ND_dotproduct_vector3", _AB),
    Pair("cross_product", "ND_crossproduct_vector3", _AB),
    Pair("length", "ND_magnitude_vector3", {"vector": "in"}),
    Pair("distance", "ND_distance_vector3", _AB),
    Pair("normalise", "ND_normalize_vector3", {"vector": "in"}),
    Pair("reflect", "ND_reflect_vector3", {"incident": "in", "normal": "normal"}),
    Pair(
        "refract",
        "ND_refract_vector3",
        {"incident": "in", "normal": "normal", "ratio": "ior"},
        low=-0.6,
        high=0.6,
        spans={"ratio": (0.3, 0.9)},
    ),
    Pair("rotate_2d", "ND_rotate2d_vector2", {"vector": "in", "angle": "amount"}, spans={"angle": (-180, 180)}),
    Pair(
        "rotate_3d",
        "ND_rotate3d_vector3",
        {"vector": "in", "angle": "amount", "axis": "axis"},
        spans={"angle": (-180, 180)},
    ),
    Pair("combine", "ND_combine3_vector3", {"x": "in1", "y": "in2", "z": "in3"}),
    Pair("combine_2", "ND_combine2_vector2", {"x": "in1", "y": "in2"}),
    Pair("combine_4", "ND_combine4_vector4", {"x": "in1", "y": "in2", "z": "in3", "w": "in4"}),
    Pair("combine_colour", "ND_combine4_color4", {"r": "in1", "g": "in2", "b": "in3", "a": "in4"}),
    *(Pair("separate", "ND_separate3_vector3", {"vector": "in"}, output=p) for p in "xyz"),
    *(Pair("separate_2", "ND_separate2_vector2", {"vector": "in"}, output=p) for p in "xy"),
    *(Pair("separate_4", "ND_separate4_vector4", {"vector": "in"}, output=p) for p in "xyzw"),
    *(Pair("separate_colour", "ND_separate4_color4", {"colour": "in"}, output=p) for p in "rgba"),
    *(
        Pair("channel", "ND_extract_color4", {"colour": "in"}, settings={"channel": name}, fixed={"index": str(i)})
        for i, name in enumerate(("red", "green", "blue", "alpha"))
    ),
    Pair("convert", "ND_convert_float_vector3", _V, settings={"kind": "vector3"}),
    Pair(
        "saturation_amount", "ND_saturate_color3", {"colour": "in", "amount": "1-amount"}, fixed=_REC709, components=3
    ),
    Pair("luminance", "ND_luminance_color3", {"colour": "in"}, fixed=_REC709, components=1),
    Pair("contrast", "ND_contrast_color3", {"colour": "in", "amount": "amount*3", "pivot": "pivot*3"}, components=3),
    Pair("invert", "ND_invert_color3", {"colour": "in"}, components=3),
    Pair("rgb_to_hsv", "ND_rgbtohsv_color3", {"colour": "in"}, low=0.0, high=2.0),
    Pair("hsv_to_rgb", "ND_hsvtorgb_color3", {"hsv": "in"}, low=0.0, high=2.0, components=3),
    Pair(
        "hsv_adjust",
        "ND_hsvadjust_color3",
        {"colour": "in", "hue,saturation,value": "amount"},
        low=0.05,
        high=1.5,
        components=3,
        tolerance=3e-5,
    ),
    Pair("perlin_noise_2d", "ND_noise2d_float", {"at": "texcoord"}, low=-40, high=40, kept={"scale": (1.0,)}),
    Pair("perlin_noise_3d", "ND_noise3d_float", {"at": "position"}, low=-40, high=40, kept={"scale": (1.0,)}),
    Pair(
        "cell_noise_2d",
        "ND_cellnoise2d_float",
        {"at": "texcoord"},
        output="number",
        low=-40,
        high=40,
        kept={"scale": (1.0,)},
        tolerance=0,
    ),
    Pair(
        "cell_noise_3d",
        "ND_cellnoise3d_float",
        {"at": "position"},
        output="number",
        low=-40,
        high=40,
        kept={"scale": (1.0,)},
        tolerance=0,
    ),
    Pair(
        "cells_2d",
        "ND_worleynoise2d_float",
        {"at": "texcoord", "jitter": "jitter"},
        output="distance",
        low=-40,
        high=40,
        spans={"jitter": (0, 1)},
        kept={"scale": (1.0,)},
    ),
    Pair(
        "cells_3d",
        "ND_worleynoise3d_float",
        {"at": "position", "jitter": "jitter"},
        output="distance",
        low=-9,
        high=9,
        spans={"jitter": (0, 1)},
        kept={"scale": (1.0,)},
    ),
    Pair(
        "layered_noise_2d",
        "ND_fractal2d_float",
        {"at": "texcoord"},
        settings={"octaves": "3", "normalised": "off"},
        kept={"scale": (1.0,), "lacunarity": (2.0,), "weight_1": (1.0,), "weight_2": (0.5,), "weight_3": (0.25,)},
        low=-20,
        high=20,
    ),
    Pair(
        "layered_noise_3d",
        "ND_fractal3d_float",
        {"at": "position"},
        settings={"octaves": "4", "normalised": "off"},
        fixed={"octaves": "4", "diminish": "0.7"},
        kept={"scale": (1.0,), "lacunarity": (2.0,), **{f"weight_{i + 1}": (0.7**i,) for i in range(4)}},
        low=-9,
        high=9,
    ),
    Pair("three_noises_2d", "ND_noise2d_vector3", {"at": "texcoord"}, low=-40, high=40, kept={"scale": (1.0,)}),
    Pair("three_noises_3d", "ND_noise3d_vector3", {"at": "position"}, low=-40, high=40, kept={"scale": (1.0,)}),
    Pair(
        "three_layered_noises_3d",
        "ND_fractal3d_vector3",
        {"at": "position"},
        settings={"octaves": "3", "normalised": "off"},
        kept={"scale": (1.0,), "lacunarity": (2.0,), "weight_1": (1.0,), "weight_2": (0.5,), "weight_3": (0.25,)},
        low=-9,
        high=9,
    ),
    Pair(
        "three_layered_noises_2d",
        "ND_fractal2d_vector3",
        {"at": "texcoord"},
        settings={"octaves": "3", "normalised": "off"},
        kept={"scale": (1.0,), "lacunarity": (2.0,), "weight_1": (1.0,), "weight_2": (0.5,), "weight_3": (0.25,)},
        low=-20,
        high=20,
    ),
    Pair(
        "checker",
        "ND_checkerboard_color3",
        {"uv": "texcoord"},
        kept={"tiling": (8.0, 8.0), "offset": (0.0, 0.0)},
        components=1,
    ),
    Pair(
        "grid",
        "ND_grid_color3",
        {"uv": "texcoord", "thickness": "thickness"},
        kept={"tiling": (1.0, 1.0), "offset": (0.0, 0.0)},
        spans={"thickness": (0.02, 0.5)},
        components=1,
    ),
    Pair(
        "circle",
        "ND_circle_float",
        {"uv": "texcoord", "centre": "center", "radius": "radius"},
        spans={"radius": (0.2, 3)},
    ),
    Pair(
        "ramp", "ND_ramplr_float", {"uv": "texcoord"}, fixed={"valuel": "0.0", "valuer": "1.0"}, kept={"angle": (0.0,)}
    ),
    Pair(
        "rotate_coordinates",
        "ND_place2d_vector2",
        {"uv": "texcoord", "pivot": "pivot", "scale": "scale", "angle": "rotate", "offset": "offset"},
        spans={"scale": (0.3, 3), "angle": (-180, 180)},
    ),
    Pair("srgb_to_linear", "ND_srgb_texture_to_lin_rec709_color3", {"colour": "in"}, low=0, high=1, components=3),
]


CHAINS = {"normal_map", "facing_ratio", "height_to_tangent_normal"}
"""Nodes compared in tests of their own: below, and the last, which asks for the next pixel, as documents are read."""


@pytest.fixture(scope="module")
def library() -> tuple[Any, Any]:
    document, path = mx.createDocument(), mx.getDefaultDataSearchPath()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), path, document)
    return document, path


@pytest.mark.parametrize("pair", PAIRS, ids=lambda p: f"{p.key}-{p.nodedef[3:]}-{p.output}")
def test_a_node_equals_the_standards(pair: Pair, library: tuple[Any, Any], gl: GlRenderer) -> None:
    random = np.random.default_rng(17)
    document, _ = library
    nodedef = document.getNodeDef(pair.nodedef)
    assert nodedef is not None
    node_type = LIBRARY[pair.key].shaped(pair.settings)
    theirs: dict[str, np.ndarray] = {}
    ours: dict[str, np.ndarray] = {name: np.tile(np.float32(v), (COUNT, 1)) for name, v in pair.kept.items()}
    for mine, their in pair.ports.items():
        name = re.sub(r"^1-|\*3$", "", their)
        width = _TYPES[nodedef.getActiveInput(name).getType()]
        low, high = pair.spans.get(mine, (pair.low, pair.high))
        chosen = random.uniform(low, high, (COUNT, 1 if their.endswith("*3") else width)).astype(np.float32)
        theirs[name] = (
            np.tile(chosen, (1, 3)) if their.endswith("*3") else 1 - chosen if their.startswith("1-") else chosen
        )
        for place, part in enumerate(mine.split(",")):
            ours[part] = chosen[:, place : place + 1] if "," in mine else chosen
    if pair.key in ("reflect", "refract"):
        theirs["normal"] = ours["normal"] = units(ours["normal"])
        theirs["in"] = ours["incident"] = units(ours["incident"])
    several = f"out{pair.output}" if nodedef.getType() == "multioutput" else ""
    expected = drawn(gl, _generated(nodedef, library, pair.fixed, several), theirs)
    got = _computed(node_type, pair.settings, ours, pair.output)
    width = pair.components or got.shape[1]
    expected, got = expected[:, :width], got[:, :width]
    assert expected.std() > 0.01, "the inputs do not tell anything"
    size = np.maximum(np.abs(expected), 1)
    far = np.abs(expected - got) > pair.tolerance * size
    # Where a value jumps (cells' edges, whole numbers), rounding decides on which side a point lies.
    assert far.mean() <= 0.002, (expected[far.any(axis=1)][:4], got[far.any(axis=1)][:4])


def _computed(node_type: Any, settings: dict[str, str], ours: dict[str, np.ndarray], output: str) -> np.ndarray:
    exprs, leaves = {}, {}
    for port in node_type.inputs:
        if port.name in ours:
            rows = ours[port.name]
            wanted = port.carries.kind.width if port.carries.kind else rows.shape[1]
            if rows.shape[1] == 3 and wanted == 4:
                rows = np.column_stack([rows, np.ones(COUNT, np.float32)])
            exprs[port.name] = uniform(port.name, vector_type(rows.shape[1]))
            leaves[port.name] = rows.T if rows.shape[1] > 1 else rows[:, 0]
        elif port.implied is not None:
            exprs[port.name] = port.implied
        else:
            parts = np.float32(port.default if isinstance(port.default, tuple) else [port.default])
            exprs[port.name] = uniform(port.name, vector_type(len(parts)))
            leaves[port.name] = parts[:, None] if len(parts) > 1 else parts
    chosen = {s.name: settings.get(s.name, s.default) for s in node_type.settings}
    expr = node_type.apply(exprs, chosen)[output]
    return as_rows(evaluate([expr], leaves)[expr], COUNT)


def _generated(nodedef: Any, library: tuple[Any, Any], fixed: dict[str, str], output: str) -> str:
    """The fragment shader that MaterialX writes for one node, every input a uniform; `output` picks one of several."""
    standard, path = library
    document = mx.createDocument()
    document.importLibrary(standard)
    node = document.addNodeInstance(nodedef, "node")
    for given in nodedef.getActiveInputs():
        node.addInputFromNodeDef(given.getName())
    for name, text in fixed.items():
        node.getInput(name).setValueString(text)
    element = node
    if output:
        element = document.addOutput("chosen", "float")
        element.setConnectedNode(node)
        element.setOutputString(output)
    generator = mx_glsl.GlslShaderGenerator.create()
    context = mx_shader.GenContext(generator)
    context.registerSourceCodeSearchPath(path)
    context.getOptions().shaderInterfaceType = mx_shader.ShaderInterfaceType.SHADER_INTERFACE_COMPLETE
    return str(generator.generate("node", element, context).getSourceCode("pixel"))


def test_a_decoded_normal_in_world_space_is_the_standards_normal_map(library: tuple[Any, Any], gl: GlRenderer) -> None:
    """What Normal map makes of a texel, taken apart: decode, then to world space."""
    random = np.random.default_rng(3)
    texel = random.uniform(0.1, 1, (COUNT, 3)).astype(np.float32)
    scale = random.uniform(0.2, 2, (COUNT, 1)).astype(np.float32)
    frame = {n: units(random.normal(size=(COUNT, 3))) for n in ("normal", "tangent", "bitangent")}
    nodedef = library[0].getNodeDef("ND_normalmap_float")
    theirs = drawn(gl, _generated(nodedef, library, {}, ""), {"in": texel, "scale": scale, **frame})
    colour, amount = uniform("colour", vector_type(4)), uniform("amount", vector_type(1))
    decoded = LIBRARY["decode_normal"].apply({"colour": colour, "scale": amount}, {})["out"]
    expr = LIBRARY["normal_to_world"].apply({"normal": decoded}, {})["out"]
    leaves = {"colour": np.column_stack([texel, np.ones(COUNT, np.float32)]).T, "amount": scale[:, 0]}
    leaves |= {f"{name}_world": rows.T for name, rows in frame.items()}
    assert as_rows(evaluate([expr], leaves)[expr], COUNT) == pytest.approx(theirs[:, :3], abs=2e-5)


def test_facing_ratio_is_the_standards(library: tuple[Any, Any], gl: GlRenderer) -> None:
    random = np.random.default_rng(3)
    normal, toward = (units(random.normal(size=(COUNT, 3))) for _ in range(2))
    nodedef = library[0].getNodeDef("ND_facingratio_float")
    theirs = drawn(gl, _generated(nodedef, library, {}, ""), {"viewdirection": -toward, "normal": normal})
    symbol = uniform("normal", vector_type(3))
    expr = LIBRARY["facing_ratio"].apply({"normal": symbol}, {})["out"]
    leaves = {"normal": normal.T, "camera_position": toward.T * 3, "position_world": np.zeros((3, 1), np.float32)}
    assert as_rows(evaluate([expr], leaves)[expr], COUNT) == pytest.approx(theirs[:, :1], abs=1e-5)
