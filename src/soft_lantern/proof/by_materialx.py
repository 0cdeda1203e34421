"""A MaterialX document through that package's own GLSL generator, run by the OpenGL driver of the machine."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import numpy as np

from soft_lantern.errors import LanternError
from soft_lantern.formats.materialx.document import Named, Written, surface_outputs, written
from soft_lantern.formats.materialx.expressions import INPUTS_AS, Sampling
from soft_lantern.formats.materialx.graph_writer import file_input
from soft_lantern.formats.materialx.library import library, package
from soft_lantern.formats.materialx.pictures import PictureFile
from soft_lantern.graph.document import Material
from soft_lantern.graph.lowering import lower, read_ids, uniform_values
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import BEHIND, INPUTS, surface_input
from soft_lantern.ir.rewrite import replace
from soft_lantern.ir.simplify import simplified
from soft_lantern.proof import glsl_points
from soft_lantern.proof.by_opengl import OpenGl
from soft_lantern.proof.points import PICTURE, Points, Rows, points_for
from soft_lantern.values.images import Image

SIX_DIGITS = 2e-5
"""The limit where a generator writes constants with six digits behind the point."""
_VERTEX = """#version 400
void main() {
    gl_Position = vec4(vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 4.0 - 1.0, 0.0, 1.0);
}
"""
_BROUGHT = {
    "vd.positionWorld": "position_world",
    "vd.positionObject": "position_object",
    "vd.normalWorld": "normal_world",
    "vd.tangentWorld": "tangent_world",
    "vd.bitangentWorld": "bitangent_world",
    "vd.color_0": "vertex_color",
    "u_viewPosition": "camera_position",
    "u_time": "time",
}
"""What the generator's text reads, and the surface inputs that it is."""


def outcomes(material: Material) -> dict[str, Expr]:
    """What a document's graph gives for a material, by the name of its output, where no next pixel is asked for."""
    lowered = lower(material)
    exact = {surface_input(name): expr for name, expr in INPUTS_AS.items() if expr.op is Op.CONST}
    named = {name: expr for name, (_, expr) in surface_outputs(lowered).items()}
    if lowered.unlit:
        named.pop("alpha_cutoff", None)  # the shader is given what comes of it
    given = replace(list(named.values()), exact)
    plain_ones = simplified([given[expr] for expr in named.values()])
    found = {name: plain_ones[given[expr]] for name, expr in named.items()}
    plain = surface_input("normal_world")
    return {name: e for name, e in found.items() if e is not plain and not _asks_neighbours(e)}


def _asks_neighbours(expr: Expr) -> bool:
    return any(e.op is Op.INPUT and str(e.data).endswith(("_dx", "_dy")) for e in topological([expr]))


def points_of(material: Material, count: int, seed: int) -> Points:
    """A material at so many points by chance."""
    lowered, results = lower(material), outcomes(material)
    identifiers = {f"parameter:{each.id}": each.identifier for each in material.parameters}
    held = read_ids(lowered, material)
    values = {
        name: parts
        for name, parts in uniform_values(lowered, material, {}).items()
        if not lowered.uniforms[name].parameter and not isinstance(parts, Image)
    }
    identifiers |= {name: held.get(name, name) for name in lowered.uniforms if name not in identifiers}
    read = {str(e.data) for e in topological(results.values()) if e.op is Op.INPUT}
    used = {str(e.data) for e in topological(results.values()) if e.op is Op.UNIFORM}
    parameters = [each for each in material.parameters if f"parameter:{each.id}" in used]
    return points_for(results, sorted(read), parameters, identifiers, count, seed, values)


class ByGenerator:
    """The package, and a context to run its text in."""

    def __init__(self, opengl: OpenGl) -> None:
        self._opengl = opengl
        self.name = f"MaterialX's GLSL generator on {opengl.name}"

    def run(self, material: Material, base: str, tried: Points) -> dict[str, Rows]:
        """What a material comes to at points by its document. Raises LanternError where that is not sound."""
        sampling = Sampling("data", "nearest", "repeat")
        known = {key: PictureFile(f"{key}.png", sampling, *PICTURE[::-1]) for key in _read_by(material)}
        blank = PictureFile("", sampling)
        done = written(material, base, [Named(material.name, {})], lambda key: known.get(key, blank))
        text, constants = _generated(done, base)
        shader = _around(text, base, tried)
        upright = {}
        for name, image in tried.pictures.items():
            texels = image.texels if name == BEHIND.data else image.texels[::-1]
            for sampler in (name, file_input(name, known.get(name, blank))):
                upright[sampler] = np.ascontiguousarray(texels)
        given, count = glsl_points.given(tried), len(tried.wanted)
        table = self._opengl.computed(_VERTEX, shader, given, count, upright, tried.values)
        found = glsl_points.found(tried, table)
        return {name: np.broadcast_to(constants.get(name, rows), rows.shape) for name, rows in found.items()}


def _read_by(material: Material) -> set[str]:
    """The ids of all that a material reads at a place."""
    return set(read_ids(lower(material), material).values())


def _generated(done: Written, base: str) -> tuple[str, dict[str, Rows]]:
    """The fragment shader of a document's graph, and what the surface is given that is the same everywhere."""
    mx = package()
    import MaterialX.PyMaterialXGenGlsl as mx_glsl
    import MaterialX.PyMaterialXGenShader as mx_shader

    document = mx.createDocument()
    mx.readFromXmlString(document, done.text)
    document.setDataLibrary(library())
    sound, words = document.validate()
    if not sound:
        raise LanternError(f"the MaterialX package finds the document wrong: {words.strip().splitlines()[0]}")
    (node,) = (each for each in document.getNodes() if each.getName().endswith("_values"))
    first, *more = node.getNodeDef().getActiveOutputs()
    chosen = document.addOutput("chosen", first.getType())
    chosen.setConnectedNode(node)
    if more:
        chosen.setOutputString(first.getName())
    generator = mx_glsl.GlslShaderGenerator.create()
    context, path = mx_shader.GenContext(generator), mx.getDefaultDataSearchPath()
    with tempfile.TemporaryDirectory() as home:
        Path(home, f"{base}.functions.glsl").write_text(done.functions)
        path.append(mx.FilePath(home))
        context.registerSourceCodeSearchPath(path)
        context.getOptions().shaderInterfaceType = mx_shader.ShaderInterfaceType.SHADER_INTERFACE_COMPLETE
        try:
            shader = generator.generate("chosen", chosen, context)
        except Exception as error:  # the binding's own, of no class that it names
            raise LanternError(f"the MaterialX package writes no GLSL for the document: {error}") from error
    (surface,) = (each for each in document.getNodes() if each.getType() == "surfaceshader")
    typed = {each.getName(): each.getValueString() for each in surface.getInputs() if each.getValueString()}
    constants = {name: np.array([float(part) for part in text.split(",")], np.float32) for name, text in typed.items()}
    return shader.getSourceCode("pixel"), constants


def _around(text: str, base: str, tried: Points) -> str:
    """The generator's text with its graph's function called at points that are given."""
    head = re.search(rf"void NG_lantern_{base}\(([^)]*)\)", text)
    if head is None:
        raise LanternError("the MaterialX package writes no function for the document")
    body = text[: text.index("void main()")]
    body = re.sub(r"in VertexData\s*(\{[^}]*\}) vd;", r"struct VertexData\1; VertexData vd;", body)
    body = re.sub(r"uniform (\w+) (u_\w+)[^;]*;", r"\1 \2;", body)
    body = re.sub(r"^out vec4 \w+;", "out vec4 pixel;", body, flags=re.MULTILINE)
    declared, before, arguments, after = [], [], [], []
    rows = list(tried.inputs)

    def read(name: str) -> str:
        letters = "xyzw"[: tried.inputs[name].shape[1]]
        return f"texelFetch({glsl_points.DATA}, ivec2(int(gl_FragCoord.x), {rows.index(name)}), 0).{letters}"

    for theirs, ours in _BROUGHT.items():
        if ours in tried.inputs and re.search(rf"\b{theirs.removeprefix('vd.')}\b", body):
            before.append(f"{theirs} = {read(ours)};")
    for index, name in enumerate(("uv", "uv1")):
        if name in tried.inputs and f"texcoord_{index};" in body:
            before.append(f"vd.texcoord_{index} = vec2({read(name)}.x, 1.0 - {read(name)}.y);")
    if "mat4 u_worldMatrix;" in body:
        axes = [f"vec4({read(f'object_{a}')}, 0.0)" if f"object_{a}" in rows else _AXES[a] for a in "xyz"]
        place = f"vec4({read('object_position')}, 1.0)" if "object_position" in rows else "vec4(0.0, 0.0, 0.0, 1.0)"
        before.append(f"u_worldMatrix = mat4({', '.join([*axes, place])});")
    for taken in head[1].split(","):
        *way, type_, name = taken.split()
        if way == ["out"]:
            before.append(f"{type_} {name};")
            arguments.append(name)
            if name.removesuffix("_out") in tried.wanted:
                row = list(tried.wanted).index(name.removesuffix("_out"))
                letters = "xyzw"[: tried.wanted[name.removesuffix("_out")].shape[1]]
                after.append(f"if (int(gl_FragCoord.y) == {row}) pixel.{letters} = {name};")
        elif name in tried.inputs:
            arguments.append(read(name))
        elif name.endswith("_texel"):
            arguments.append(f"vec2({1 / PICTURE[1]}, {1 / PICTURE[0]})")
        elif name in INPUTS:
            arguments.append(f"{type_}(0.0)")
        else:
            declared.append(f"uniform {type_} {name};")
            arguments.append(name)
    calls = [*before, f"NG_lantern_{base}({', '.join(arguments)});", "pixel = vec4(0.0);", *after]
    lines = [f"uniform sampler2D {glsl_points.DATA};", *declared, "void main() {", *calls, "}", ""]
    return body + "\n".join(lines)


_AXES = {"x": "vec4(1, 0, 0, 0)", "y": "vec4(0, 1, 0, 0)", "z": "vec4(0, 0, 1, 0)"}
