"""The measures of the benchmark table that need no window: ratios, taken within one run on one machine."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np

from soft_lantern.formats.shaders.glsl_files import FLAVOURS
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Material, Node, changed, node_and_port, node_of
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir import glsl
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.ir.printer import Body
from soft_lantern.measures import light, stage
from soft_lantern.measures.chromium import has_browser
from soft_lantern.measures.deliveries import again, first_picture, kettle_baked, kettle_page
from soft_lantern.measures.frames import frames_against_hands
from soft_lantern.measures.growth import growths
from soft_lantern.measures.other_stage import has_library, stage_beside_library
from soft_lantern.measures.ratio import ratio
from soft_lantern.measures.row import Measure, Row
from soft_lantern.nodes import Role
from soft_lantern.render.measuring import Measuring
from soft_lantern.render.points import flat_card
from soft_lantern.values.colour import linear_to_srgb
from soft_lantern.values.kinds import Value


def measures() -> list[Measure]:
    """Every measure that needs no window."""
    plain: list[Measure] = [_measuring_against_numpy, _glsl_growth, _glsl_against_materialx, frames_against_hands]
    grown = [partial(_grown, what, growth) for what, growth in growths(chain).items()]
    return [*plain, *grown, _stage_against_library, _stage, _light, _baked, _paged]


def _grown(what: str, growth: Callable[[], float]) -> list[Row]:
    return [Row(f"twice {what} / once", growth(), 2.2)]


def _baked() -> list[Row]:
    baked, waited = kettle_baked()
    return [
        Row("the kettle's looks baked for glTF, the first time", baked, 40.0, "s"),
        Row("until that can be stopped, at most", waited, 2.0, "s"),
    ]


def _paged() -> list[Row]:
    return [
        Row("all targets of the demo but baked scenes, once more", again(), 1.5, "s"),
        Row("review page of the kettle", kettle_page(), 5.0, "MB"),
        *([Row("its first picture in chromium, by software", first_picture(), 3.0, "s")] if has_browser() else []),
    ]


def _stage_against_library() -> list[Row]:
    name = "the stage's frame of the kettle / by the pygfx library"
    return [Row(name, stage_beside_library(), 1.0)] if has_library() else []


def _stage() -> list[Row]:
    found = stage.measures()
    return [
        Row("frame of the basin after a tweak / without one", found["tweak"], 1.02),
        Row("programs compiled by tweaks", found["compiled"], 0),
        Row("basin by OpenGL and by NumPy: apart by, mean", found["mean"], 0.5, "/255"),
        Row("basin by OpenGL and by NumPy: apart by, 99.9 %", found["far"], 3, "/255"),
    ]


def _light() -> list[Row]:
    found = light.measures()
    return [
        Row("first light of the night grotto after asking", found["first"], 2.0, "s"),
        Row("rays a second by embree bare / by the tracer", 1 / found["rays"], 2.0),
        Row("error at 256 samples / of an estimator by hand, same time", found["error"], 1.0),
        Row("a layer from a wire, a million vertices / the reader alone", found["fill"], 1.3),
        Row("one step of a brush on a million vertices", found["brush"] * 1000, 16, "ms"),
    ]


def chain(count: int) -> Material:
    """A graph of about `count` nodes: masks of height, multiplied, mixed and clamped in turn.

    Put together without the checks that each edit by hand makes, which a graph of thousands would wait for.
    """
    m = Authoring(f"Chain {count}")
    m.expose("Weight", 0.4, limits=(0, 1))
    nodes = dict(m.material.nodes)
    wires: dict[str, str] = {}

    def put(key: str, ports: dict[str, str], values: dict[str, Value] | None = None) -> str:
        node_id = f"{key}_{len(nodes)}"
        nodes[node_id] = Node(type=key, values=values or {})
        wires.update({f"{node_id}.{port}": out for port, out in ports.items()})
        return f"{node_id}.out"

    apart = put("separate", {"vector": put("position", {})}).removesuffix(".out")
    value, other, weight = f"{apart}.y", f"{apart}.x", "weight.out"
    while len(nodes) < count - 1:
        raised = put("multiply", {"a": put("add", {"a": value}, {"b": 0.1}), "b": weight})
        mixed = put("mix", {"a": raised, "b": put("subtract", {"a": other, "b": value}), "factor": weight})
        value = put("clamp", {"value": mixed})
    put("surface", {"metallic": put("clamp", {"value": value})})
    return changed(m.material, nodes=nodes, wires=wires)


def _measuring_against_numpy() -> list[Row]:
    """All thumbnails and ranges of a 100-node graph at 96 × 96 after one edit, beside the same by hand."""
    material, card = chain(100), flat_card(96)
    lowered = lower(material)
    measuring = Measuring()
    kinds = lowered.kinds

    def ours(weight: float) -> None:
        done = measuring.measure(lowered, uniform_values(lowered, material, {"weight": weight}), card, 0.0)
        for wire in done.values:
            done.thumbnail(wire, kinds[wire])

    stretches = (len(material.nodes) - 5) // 5

    srgb = np.array([linear_to_srgb(step / 4096) for step in range(4097)])
    table = np.floor(srgb * 255 + 0.5).astype(np.uint32)

    def picture_by_hand(value: Array) -> None:
        rows = np.atleast_2d(value)
        held = np.fmin(np.fmax(rows, 0.0), 1.0)
        parts = table[(held * 4096 + 0.5).astype(np.uint16)]
        packed = parts[0] * np.uint32(0x010101) if len(parts) == 1 else parts[0] | parts[1] << 8 | parts[2] << 16
        picture = np.zeros(card.count, "<u4")
        picture[:] = packed | np.uint32(0xFF000000)
        picture.view(np.uint8).reshape(*card.size[::-1], 4)

    def by_hand(weight: float) -> None:
        position = card.inputs["position_world"]
        x, y, w = position[0], position[1], np.array([weight], np.float32)
        made: list[Array] = [position, x, y, position[2], w]
        value = y
        for _ in range(stretches):
            sum_ = value + np.float32(0.1)
            product = sum_ * w
            difference = x - value
            mixed = product * (1 - w) + difference * w
            value = np.minimum(np.maximum(mixed, np.float32(0)), np.float32(1))
            made += [sum_, product, difference, mixed, value]
        made.append(np.minimum(np.maximum(value, np.float32(0)), np.float32(1)))
        for each in made:
            each.min(), each.max(), each.mean()
            picture_by_hand(each)

    return [Row("thumbnails and ranges of 100 nodes / by hand in NumPy", ratio(ours, by_hand), 0.7)]


def _glsl_growth() -> list[Row]:
    """Writing GLSL of 2,000 nodes beside 1,000."""
    texts = []
    for count in (1000, 2000):
        material = chain(count)
        lowered = lower(material)
        leaves = {name: f"u{i}" for i, name in enumerate(lowered.uniforms)}
        texts.append((lowered, leaves))

    def write(which: int) -> Callable[[float], None]:
        lowered, leaves = texts[which]
        return lambda _: _discard(glsl.write(Body(list(lowered.surface.values()), lowered.names, leaves)))

    return [Row("GLSL of 2,000 nodes / of 1,000", ratio(write(1), write(0)), 2.2)]


def _glsl_against_materialx() -> list[Row]:
    """From a graph of 1,000 nodes to GLSL text, beside the MaterialX package's own generator on the same graph."""
    try:
        import MaterialX as mx
        import MaterialX.PyMaterialXGenGlsl as mx_glsl
        import MaterialX.PyMaterialXGenShader as mx_shader
    except ImportError:
        return []
    material = chain(1000)
    standard, path = mx.createDocument(), mx.getDefaultDataSearchPath()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), path, standard)
    document = mx.createDocument()
    document.importLibrary(standard)
    output = document.addOutput("end", "float")
    output.setConnectedNode(_same_in_materialx(document, material.nodes, material.wires))
    generator = mx_glsl.GlslShaderGenerator.create()
    context = mx_shader.GenContext(generator)
    context.registerSourceCodeSearchPath(path)

    def anew() -> Material:
        """The same as a record of its own, of which nothing is known yet."""
        return changed(material, name=material.name)

    def live(_: float) -> None:
        lowered = lower(anew())
        leaves = {name: f"u{i}" for i, name in enumerate(lowered.uniforms)}
        glsl.write(Body(list(lowered.surface.values()), lowered.names, leaves))

    def delivered(_: float) -> None:
        FLAVOURS["glsl"].files(program_of(anew()))

    def theirs(_: float) -> None:
        generator.generate("chain", output, context)

    return [
        Row("GLSL of 1,000 nodes / by the MaterialX package", ratio(live, theirs), 0.6),
        Row("the same as delivered, without needless work / by the package", ratio(delivered, theirs), 1.0),
    ]


_IN_MATERIALX = {
    "add": ("add", {"a": "in1", "b": "in2"}),
    "subtract": ("subtract", {"a": "in1", "b": "in2"}),
    "multiply": ("multiply", {"a": "in1", "b": "in2"}),
    "mix": ("mix", {"a": "bg", "b": "fg", "factor": "mix"}),
    "clamp": ("clamp", {"value": "in", "low": "low", "high": "high"}),
}


def _same_in_materialx(document: Any, nodes: Mapping[str, Node], wires: Mapping[str, str]) -> Any:
    """The nodes of `chain` in a MaterialX document; the last clamp."""
    made: dict[str, Any] = {}
    for node_id, node in nodes.items():
        if node.type == "position":
            made[node_id] = document.addNode("position", node_id, "vector3")
        elif node.type == "separate":
            for letter, index in zip("xyz", range(3), strict=True):
                made[f"{node_id}.{letter}"] = document.addNode("extract", f"{node_id}_{letter}", "float")
                made[f"{node_id}.{letter}"].setInputValue("index", index)
        elif node.role is Role.PARAMETER:
            made[node_id] = document.addNode("constant", node_id, "float")
            made[node_id].setInputValue("value", 0.4)
        elif node.type in _IN_MATERIALX:
            made[node_id] = document.addNode(_IN_MATERIALX[node.type][0], node_id, "float")
            for port, value in node.values.items():
                made[node_id].setInputValue(_IN_MATERIALX[node.type][1][port], value)
    last = None
    for into, out in wires.items():
        (reader, port), source = node_and_port(into), made.get(out) or made.get(node_of(out))
        if nodes[reader].type == "separate":
            for letter in "xyz":
                made[f"{reader}.{letter}"].setConnectedNode("in", source)
        elif nodes[reader].type in _IN_MATERIALX:
            made[reader].setConnectedNode(_IN_MATERIALX[nodes[reader].type][1][port], source)
        else:
            last = source
    return last


def _discard(_: object) -> None:
    pass
