"""The text of the stage's own fragment shaders, around what the GLSL reader prints."""

from __future__ import annotations

from dataclasses import dataclass

from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.render.frame import Paint
from soft_lantern.render.surface_model import DISPLAYED

FRAGMENT_INPUTS = {
    "position_object": "in vec3 position_object;",
    "position_world": "in vec3 position_world;",
    "uv": "in vec2 uv;",
    "vertex_color": "in vec4 vertex_color;",
    "normal_world": "in vec3 surface_normal;",
    "camera_position": "uniform vec3 camera_position;",
    "time": "uniform float time;",
    "pixel_place": "#define pixel_place gl_FragCoord.xy",
}
"""How the stage supplies each surface input."""

_FACING = "vec3 normal_world = normalize(gl_FrontFacing ? surface_normal : -surface_normal);"


@dataclass(frozen=True, slots=True)
class WrittenShader:
    """A fragment shader's text, and the identifier of each uniform in it by the uniform's name."""

    text: str
    uniforms: dict[str, str]


def fragment_shader(paint: Paint) -> WrittenShader:
    """The shader that gives a mesh, the backdrop or the whole picture its paint."""
    order = topological([paint.colour])
    uniforms = numbered_uniforms(order)
    inputs = [str(e.data) for e in order if e.op is Op.INPUT]
    lines = ["#version 330 core", *(FRAGMENT_INPUTS[name] for name in inputs)]
    locals_ = [_FACING] if "normal_world" in inputs else []
    picture = str(DISPLAYED.data)
    if picture in uniforms:
        lines.append("uniform sampler2D picture;")
        locals_.append(f"vec4 {uniforms[picture]} = texelFetch(picture, ivec2(gl_FragCoord.xy), 0);")
    for expr in order:
        if expr.op is Op.UNIFORM and expr.data != picture:
            lines.append(f"uniform {expr.type.value} {uniforms[str(expr.data)]};")
    taken = {"pixel", "picture", "surface_normal", *INPUTS}
    written = glsl.write([paint.colour], paint.names, uniforms, taken)
    body = [*locals_, *written.statements, f"pixel = {written.results[0]};"]
    lines += ["out vec4 pixel;", "void main() {", *(f"    {line}" for line in body), "}", ""]
    return WrittenShader("\n".join(lines), uniforms)


def numbered_uniforms(order: list[Expr]) -> dict[str, str]:
    """Identifiers for uniforms that do not depend on what people call them, so that renaming compiles nothing."""
    names = sorted(str(e.data) for e in order if e.op is Op.UNIFORM)
    return {name: f"u{index}" for index, name in enumerate(names)}
