"""The text of the stage's own shaders, around what the GLSL reader prints."""

from __future__ import annotations

from dataclasses import dataclass

from soft_lantern.ir import glsl
from soft_lantern.ir import surface_inputs as supply
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.render.frame import Paint
from soft_lantern.render.surface_model import DISPLAYED

WHOLE_PICTURE_VERTEX = """#version 330 core
uniform mat4 clip_to_world;
out vec3 position_world;
void main() {
    vec2 corner = vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 4.0 - 1.0;
    vec4 far = clip_to_world * vec4(corner, 1.0, 1.0);
    position_world = far.xyz / far.w;
    gl_Position = vec4(corner, 1.0, 1.0);
}
"""

_BUILT_IN = {
    "pixel_place": "vec2 pixel_place = gl_FragCoord.xy;",
    "front_facing": "float front_facing = gl_FrontFacing ? 1.0 : 0.0;",
    "scene_depth": "float scene_depth = texelFetch(depth_picture, ivec2(gl_FragCoord.xy), 0).x;",
}
_TAKEN = {
    "pixel",
    "picture",
    "depth_picture",
    "walls_picture",
    "view_projection",
    *INPUTS,
    *supply.ATTRIBUTES,
    *supply.SLOPES,
}


@dataclass(frozen=True, slots=True)
class WrittenShader:
    """A shader's text, the identifier of each uniform in it by the uniform's name, and the inputs it takes."""

    text: str
    uniforms: dict[str, str]
    inputs: tuple[str, ...] = ()


def fragment_shader(paint: Paint, *, outside: bool = False) -> WrittenShader:
    """The shader that gives a mesh, the backdrop or the whole picture its paint.

    `outside`: pixels that a picture of walls says are inside a cut-out are left out.
    """
    (colour,) = supply.at_pixel([paint.colour])
    order = topological([colour])
    uniforms = numbered_uniforms(order)
    inputs = supply.read_inputs([colour])
    declared, locals_ = [], []
    for name in inputs:
        carried = name.removesuffix("_dx").removesuffix("_dy")
        if name in _BUILT_IN:
            locals_.append(_BUILT_IN[name])
        elif name in supply.CARRIED:
            declared.append(f"in {supply.CARRIED[name].value} {name};")
        elif carried in supply.CARRIED:
            if carried not in inputs:
                declared.append(f"in {supply.CARRIED[carried].value} {carried};")
            derivative = "dFdx" if name.endswith("_dx") else "dFdy"
            locals_.append(f"{supply.CARRIED[carried].value} {name} = {derivative}({carried});")
        else:
            declared.append(f"uniform {INPUTS[name].type.value} {name};")
    if "scene_depth" in inputs:
        declared.append("uniform sampler2D depth_picture;")
    picture = str(DISPLAYED.data)
    if picture in uniforms:
        declared.append("uniform sampler2D picture;")
        locals_.append(f"vec4 {uniforms[picture]} = texelFetch(picture, ivec2(gl_FragCoord.xy), 0);")
    declared += [f"uniform {e.type.value} {uniforms[str(e.data)]};" for e in _uniforms(order) if e.data != picture]
    written = glsl.write([colour], paint.names, uniforms, _TAKEN)
    body = [*locals_, *written.statements, f"pixel = {written.results[0]};"]
    if paint.masked:
        body.append("if (pixel.w < 0.5) discard;")
    if outside:
        declared.append("uniform sampler2D walls_picture;")
        body.append("if (texelFetch(walls_picture, ivec2(gl_FragCoord.xy), 0).x > 0.5) discard;")
    lines = ["#version 330 core", *dict.fromkeys(declared), "out vec4 pixel;", *written.functions]
    lines += ["void main() {", *(f"    {line}" for line in body), "}", ""]
    return WrittenShader("\n".join(lines), uniforms, tuple(inputs))


def vertex_shader(offset: Expr | None, handed_on: tuple[str, ...]) -> WrittenShader:
    """The shader that places vertices, moved by a world-space offset, and hands on what a fragment shader takes."""
    carried = supply.vertex(offset)
    bare = {name.removesuffix("_dx").removesuffix("_dy") for name in handed_on}
    wanted = [name for name in carried if name in bare]
    results = [carried["position_world"], *(carried[name] for name in wanted)]
    order = topological(results)
    uniforms = numbered_uniforms(order, "v")  # both shaders of a program share the names of uniforms
    lines = ["#version 330 core", "uniform mat4 view_projection;"]
    for name in supply.read_inputs(results):
        if name in INPUTS:
            lines.append(f"uniform {INPUTS[name].type.value} {name};")
        else:
            lines.append(f"in {supply.attribute(name).type.value} {name};")
    lines += [f"uniform {e.type.value} {uniforms[str(e.data)]};" for e in _uniforms(order)]
    lines += [f"out {supply.CARRIED[name].value} {name};" for name in wanted]
    written = glsl.write(results, {}, uniforms, _TAKEN)
    body = [*written.statements, f"gl_Position = view_projection * vec4({written.results[0]}, 1.0);"]
    body += [f"{name} = {text};" for name, text in zip(wanted, written.results[1:], strict=True)]
    lines += [*written.functions, "void main() {", *(f"    {line}" for line in body), "}", ""]
    return WrittenShader("\n".join(lines), uniforms, tuple(supply.read_inputs(results)))


def numbered_uniforms(order: list[Expr], letter: str = "u") -> dict[str, str]:
    """Identifiers for uniforms that do not depend on what people call them, so that renaming compiles nothing."""
    names = sorted(str(e.data) for e in order if e.op is Op.UNIFORM)
    return {name: f"{letter}{index}" for index, name in enumerate(names)}


def _uniforms(order: list[Expr]) -> list[Expr]:
    return [e for e in order if e.op is Op.UNIFORM]
