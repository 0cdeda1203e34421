"""Standard nodes that take more than a table to read: images, spaces, noises, matrices, colours, and geometry."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.formats.materialx.expressions import Sampling
from soft_lantern.formats.materialx.graph_reader import (
    MATRICES,
    WIDTHS,
    Given,
    GraphReader,
    Outputs,
    Special,
    first_type,
    setting,
    width_of,
)
from soft_lantern.formats.materialx.read_nodes import SPACES, combined
from soft_lantern.graph.document import port_ref
from soft_lantern.nodes import LIBRARY
from soft_lantern.values.images import Encoding, Wrap


def _some(given: Given | None, width: int = 1) -> Given:
    return given or Given(width, parts=(0.0,) * width)


def _coordinates(reader: GraphReader, index: str = "0") -> Given:
    at = reader.out(reader.add("texture_coordinates", {"set": index if index in ("0", "1") else "0"}), 2)
    return turned(reader, at)


def turned(reader: GraphReader, at: Given) -> Given:
    """Coordinates of textures that run the other way in v."""
    node = reader.nodes.get(at.wire.split(".")[0]) if at.wire else None
    if node is not None and node.settings.get("expression") == _TURNED:
        return Given(2, wire=reader.wires[port_ref(at.wire.split(".")[0], "at")])
    return reader.formula("vec2({at}.x, 1.0 - {at}.y)", 2, at=at)


_TURNED = "vec2(at.x, 1.0 - at.y)"


def _image(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
    file = given.get("file") or Given()
    if file.file:
        file = reader.texture(replace(file, sampling=sampling_of(node, file.sampling.encoding)))
    at = node.getInput("texcoord")
    place = None if at is None else turned(reader, _some(reader.port(at), 2))
    made = reader.add("image", {}, node.getAttribute("uiname"), texture=file if file.wire else None, uv=place)
    width = WIDTHS[node.getType()]
    return (
        reader.as_width(reader.out(made, 4, "colour"), width)
        if width > 1
        else reader.formula("{at}.x", 1, at=reader.out(made, 4, "colour"))
    )


_WRAPS: dict[str, Wrap] = {"periodic": "repeat", "clamp": "clamp", "mirror": "mirror"}


def sampling_of(node: Any, encoding: Encoding) -> Sampling:
    """How an image node reads its file."""
    wrap = _WRAPS.get(setting(node, "uaddressmode"), "repeat")
    return Sampling(encoding, "nearest" if setting(node, "filtertype") == "closest" else "linear", wrap)


def _painted(reader: GraphReader) -> Given:
    return reader.out(reader.add("vertex_colour"), 4, LIBRARY["vertex_colour"].outputs[0].name)


_PROPERTIES: dict[str, Callable[[GraphReader], Given]] = {
    **dict.fromkeys(("uv", "uv0", "st", "st0", "texcoord", "texcoord_0"), _coordinates),
    **dict.fromkeys(("uv1", "st1", "texcoord_1"), lambda reader: _coordinates(reader, "1")),
    **dict.fromkeys(("color", "color_0", "color0", "cd", "displaycolor"), _painted),
}
"""What properties of a geometry are here by the names that programs give them (common practice)."""


def _property(called: str, otherwise: str) -> Special:
    """A property that geometry has here, by the name that one input gives, else what another holds."""

    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
        name, width = setting(node, called), WIDTHS.get(node.getType())
        if width is None:
            return None
        if brought := _PROPERTIES.get(name.lower()):
            return reader.as_width(brought(reader), width)
        if name:
            reader.around.remark(f"{node.getName()} asks for {name}, which no geometry has here; it gives its default")
        return _some(given.get(otherwise), width)

    return made


def _extract(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
    value, index = _some(given.get("in")), int(_some(given.get("index")).parts[0] if given.get("index") else 0)
    return reader.formula("{at}." + "xyzw"[min(max(index, 0), 3)], 1, at=value)


def _space(key: str) -> Special:
    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
        space = SPACES.get(setting(node, "space") or "object", "world")
        known = {s.name for s in LIBRARY[key].settings}
        made = reader.out(reader.add(key, {"space": space} if known else {}, node.getAttribute("uiname")), 3)
        if known or space == "world":
            return made
        chosen = {"source": "world", "target": space, "meaning": "direction"}
        return reader.out(reader.add("convert_space", chosen, vector=made), 3)

    return made


def _transformed(meaning: str) -> Special:
    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
        ends = [SPACES.get(setting(node, each), "world") for each in ("fromspace", "tospace")]
        chosen = {"source": ends[0], "target": ends[1], "meaning": meaning}
        return reader.out(reader.add("convert_space", chosen, vector=given.get("in")), 3)

    return made


def _seen(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
    toward = reader.out(reader.add("view_direction"), 3)
    return reader.out(reader.add("negate", value=toward), 3)


def _separated(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Outputs | None:
    value = _some(given.get("in"), 4)
    if value.wire and first_type(node.getNodeDef()) != "color3":
        return None  # there is a node for it
    names = [each.getName() for each in node.getNodeDef().getActiveOutputs()]
    return {name: reader.formula("{at}." + "xyzw"[n], 1, at=value) for n, name in enumerate(names)}


def _combined(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
    parts = {name: each for name, each in given.items() if each}
    if node.getType() not in ("color3",) and all(each.width == 1 for each in parts.values()):
        return None  # there is a node for it
    text = combined({name: str(each.width) for name, each in parts.items()})
    return reader.formula(text, WIDTHS[node.getType()], **parts)


def _luminance(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
    value, weights = _some(given.get("in"), 3), _some(given.get("lumacoeffs"), 3)
    text = "vec3(dot({at}, {weights}))" if value.width == 3 else "vec4(vec3(dot({at}.rgb, {weights})), {at}.a)"
    return reader.formula(text, value.width, at=value, weights=weights)


_ONE = Given(1, parts=(1.0,))


def _noise(at: str, dimensions: str, elsewhere: tuple[float, ...]) -> Special:
    """One noise, or three that differ; a fourth is one read elsewhere."""

    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
        width, place = WIDTHS[node.getType()], reader.wired(_some(given.get(at), 3))
        key = f"perlin_noise_{dimensions}" if width == 1 else f"three_noises_{dimensions}"
        noises = {"noise": reader.out(reader.add(key, at=place, scale=_ONE), min(width, 3))}
        if width == 4:
            moved = _moved(reader, place, elsewhere)
            noises["more"] = reader.out(reader.add(f"perlin_noise_{dimensions}", at=moved, scale=_ONE), 1)
        text = {1: "{noise}", 2: "{noise}.xy", 3: "{noise}", 4: "vec4({noise}, {more})"}[width]
        if "amplitude" in given:
            text += " * {amplitude} + {pivot}"
        return reader.formula(text, width, **noises, **_only(given, "amplitude", "pivot"))

    return made


def _fractal(at: str, dimensions: str, elsewhere: tuple[float, ...]) -> Special:
    """Layers of one noise, or of three; two are one read at two places, and a fourth is one read elsewhere."""

    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
        octaves, diminish = _some(given.get("octaves")), _some(given.get("diminish"))
        lacunarity = given.get("lacunarity")
        count, weights = _weights(reader, octaves, diminish)
        if octaves.parts and octaves.parts[0] > _MOST:
            reader.around.remark(f"{node.getName()} has {octaves.parts[0]:g} octaves; the {_MOST} coarsest are here")
        chosen = {"octaves": str(count), "normalised": "off"}
        width, place = WIDTHS[node.getType()], reader.wired(_some(given.get(at), 3))

        def layers(key: str, where: Given, wide: int) -> Given:
            made = reader.add(f"{key}_{dimensions}", chosen, at=where, scale=_ONE, lacunarity=lacunarity, **weights)
            return reader.out(made, wide)

        three = width in (3, 4)
        noises = {"noise": layers("three_layered_noises" if three else "layered_noise", place, 3 if three else 1)}
        if width in (2, 4):
            noises["more"] = layers("layered_noise", _moved(reader, place, elsewhere), 1)
        text = f"vec{width}({{noise}}, {{more}})" if "more" in noises else "{noise}"
        return reader.formula(text + " * {amplitude}", width, **noises, **_only(given, "amplitude"))

    return made


_MOST = 8
"""Octaves that a layered noise here has at most."""


def _weights(reader: GraphReader, octaves: Given, diminish: Given) -> tuple[int, dict[str, Given]]:
    """How many octaves are laid over one another, and their weights: what lies beyond a number that is wired has 0."""
    count = min(max(int(octaves.parts[0]), 2), _MOST) if octaves.parts else _MOST
    if octaves.parts and diminish.parts:
        shares = [diminish.parts[0] ** n if n < octaves.parts[0] else 0.0 for n in range(count)]
        return count, {f"weight_{n + 1}": Given(1, parts=(share,)) for n, share in enumerate(shares)}
    texts = [f"{{octaves}} >= {n + 1}.0 ? {' * '.join(['{diminish}'] * n) or '1.0'} : 0.0" for n in range(count)]
    made = [
        reader.formula(text, 1, f"Octave {number}", octaves=octaves, diminish=diminish)
        for number, text in enumerate(texts, 1)
    ]
    return count, {f"weight_{n + 1}": each for n, each in enumerate(made)}


def _moved(reader: GraphReader, place: Given, by: tuple[float, ...]) -> Given:
    return reader.formula("{place} + {by}", len(by), place=place, by=Given(len(by), parts=by))


def _cells(key: str, at: str) -> Special:
    """The distance to the nearest point, or its cell's number where the style is solid; or to the two nearest.

    What a third is, nothing here computes.
    """

    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
        width, solid = WIDTHS[node.getType()], _some(given.get("style"))
        scattered = "distance" in {p.name for p in LIBRARY[key].outputs}
        if width > (2 if scattered else 1) or (width > 1 and solid.parts != (0.0,)):
            return None
        place = reader.wired(_some(given.get(at), 3))
        node_id = reader.add(key, at=place, scale=_ONE, **_only(given, "jitter"))
        first = reader.out(node_id, 1, LIBRARY[key].outputs[0].name)
        if width > 1:
            return reader.formula("vec2({first}, {second})", 2, first=first, second=reader.out(node_id, 1, "second"))
        if not scattered or solid.parts == (0.0,):
            return first
        number = reader.out(node_id, 1, "number")
        return reader.formula("{solid} == 1.0 ? {number} : {first}", 1, solid=solid, number=number, first=first)

    return made


def _by_matrix(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
    """A vector times a matrix that is known: the sum of the matrix's columns, each times a component."""
    matrix, vector = given.get("mat"), _some(given.get("in"), 3)
    if matrix is None or len(matrix.parts) not in MATRICES.values():
        return None
    side, width = math.isqrt(len(matrix.parts)), WIDTHS[node.getType()]
    columns = [Given(width, parts=matrix.parts[at : at + width]) for at in range(0, side * side, side)]
    names = {f"column_{n}": column for n, column in enumerate(columns)}
    terms = [f"{{at}}.{'xyzw'[n]} * {{column_{n}}}" if n < vector.width else f"{{column_{n}}}" for n in range(side)]
    return reader.formula(" + ".join(terms), width, at=vector, **names)


def _angle(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
    """Of vectors, the angle of each pair of components."""
    width, ends = WIDTHS[node.getType()], (_some(given.get("iny")), _some(given.get("inx")))
    if width == 1:
        return None  # there is a node for it
    parts = {}
    for letter in "xyzw"[:width]:
        y, x = (reader.formula(f"{{at}}.{letter}", 1, at=reader.as_width(each, width)) for each in ends)
        parts[letter] = reader.out(reader.add("arctangent", y=y, x=x), 1)
    return reader.formula(f"vec{width}({', '.join(f'{{{letter}}}' for letter in parts)})", width, **parts)


def _of_matrix(work: Callable[[npt.NDArray[np.float64]], npt.ArrayLike]) -> Special:
    """What is worked out of a matrix that is known, as far as it can be."""

    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
        matrix = given.get("in")
        if matrix is None or len(matrix.parts) not in MATRICES.values():
            return None
        side = math.isqrt(len(matrix.parts))
        try:
            found = np.ravel(work(np.reshape(matrix.parts, (side, side))))
        except np.linalg.LinAlgError:
            return None
        return Given(len(found), parts=tuple(map(float, found)))

    return made


def _only(given: Mapping[str, Given | None], *names: str) -> dict[str, Given]:
    return {name: each for name in names if (each := given.get(name)) is not None}


def _normal_map(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given | None:
    scale = given.get("scale")
    if scale is None:
        return None
    coded = reader.wired(_some(given.get("in"), 3))
    if scale.width == 1:
        normal = reader.out(reader.add("decode_normal", {}, "", colour=coded, scale=scale), 3)
    else:
        decoded = "dot({coded}, {coded}) == 0.0 ? vec3(0.0, 0.0, 1.0) : {coded} * 2.0 - 1.0"
        normal = reader.formula(f"({decoded}) * vec3({{scale}}, 1.0)", 3, coded=coded, scale=scale)
    if not any(node.getInput(each) for each in _FRAME):
        return reader.out(reader.add("normal_to_world", normal=normal), 3)
    frame = {each: given.get(each) or BROUGHT[usual](reader) for each, usual in _FRAME.items()}
    turned = "{tangent} * {by}.x + {bitangent} * {by}.y + {normal} * {by}.z"
    return reader.formula(f"normalize({turned})", 3, by=normal, **frame)


def _relief(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
    at = reader.wired(given.get("texcoord") or _coordinates(reader))
    made = reader.add("height_to_tangent_normal", height=given.get("in"), uv=at, scale=given.get("scale"))
    return reader.formula("{normal} * 0.5 + 0.5", 3, normal=reader.out(made, 3))


_FRAME = {"tangent": "Tworld", "bitangent": "Bworld", "normal": "Nworld"}


def _hsv(key: str) -> Special:
    def made(reader: GraphReader, node: Any, given: Mapping[str, Given | None]) -> Given:
        value = reader.wired(_some(given.get("in"), 3))
        first, output = LIBRARY[key].inputs[0], LIBRARY[key].outputs[0]
        node_id = reader.add(key, **{first.name: reader.as_width(value, 3)})
        found = reader.out(node_id, width_of(output, 3), output.name)
        rgb = reader.as_width(found, 3)
        return rgb if value.width == 3 else reader.formula("vec4({rgb}, {at}.a)", 4, rgb=rgb, at=value)

    return made


SPECIAL: dict[str, Special] = {
    "constant": lambda reader, node, given: given.get("value"),
    "dot": lambda reader, node, given: given.get("in"),
    "image": _image,
    "texcoord": lambda reader, node, given: _coordinates(reader, setting(node, "index")),
    "position": _space("position"),
    "normal": _space("normal"),
    "tangent": _space("tangent"),
    "bitangent": _space("bitangent"),
    "geomcolor": lambda reader, node, given: reader.as_width(_painted(reader), WIDTHS[node.getType()]),
    "geompropvalue": _property("geomprop", "default"),
    "UsdPrimvarReader": _property("varname", "fallback"),
    "heighttonormal": _relief,
    "time": lambda reader, node, given: reader.out(reader.add("time"), 1, LIBRARY["time"].outputs[0].name),
    "viewdirection": _seen,
    "transformpoint": _transformed("point"),
    "transformvector": _transformed("direction"),
    "transformnormal": _transformed("normal"),
    "extract": _extract,
    "separate2": _separated,
    "separate3": _separated,
    "separate4": _separated,
    "combine2": _combined,
    "combine3": _combined,
    "combine4": _combined,
    "convert": lambda reader, node, given: reader.as_width(_some(given.get("in")), WIDTHS[node.getType()]),
    "luminance": _luminance,
    "noise2d": _noise("texcoord", "2d", (19.0, 73.0)),
    "noise3d": _noise("position", "3d", (19.0, 73.0, 29.0)),
    "fractal2d": _fractal("texcoord", "2d", (19.0, 193.0)),
    "fractal3d": _fractal("position", "3d", (19.0, 193.0, 17.0)),
    "atan2": _angle,
    "transformmatrix": _by_matrix,
    "transpose": _of_matrix(np.transpose),
    "invertmatrix": _of_matrix(np.linalg.inv),
    "determinant": _of_matrix(np.linalg.det),
    "cellnoise2d": _cells("cell_noise_2d", "texcoord"),
    "cellnoise3d": _cells("cell_noise_3d", "position"),
    "worleynoise2d": _cells("cells_2d", "texcoord"),
    "worleynoise3d": _cells("cells_3d", "position"),
    "normalmap": _normal_map,
    "hsvtorgb": _hsv("hsv_to_rgb"),
    "rgbtohsv": _hsv("rgb_to_hsv"),
}
"""Standard nodes that take more than a table to read."""
BROUGHT: dict[str, Callable[[GraphReader], Given]] = {
    "UV0": lambda reader: _coordinates(reader),
    "UV1": lambda reader: _coordinates(reader, "1"),
    "Nworld": lambda reader: reader.out(reader.add("normal", {"space": "world"}), 3),
    "Nobject": lambda reader: reader.out(reader.add("normal", {"space": "object"}), 3),
    "Tworld": lambda reader: reader.out(reader.add("tangent"), 3),
    "Bworld": lambda reader: reader.out(reader.add("bitangent"), 3),
    "Pobject": lambda reader: reader.out(reader.add("position", {"space": "object"}), 3),
    "Pworld": lambda reader: reader.out(reader.add("position", {"space": "world"}), 3),
    "Vworld": lambda reader: _seen(reader, None, {}),
}
"""What inputs of definitions are given by the geometry."""
