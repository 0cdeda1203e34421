"""The text of the stage's own shaders, around what the GLSL reader prints."""

from __future__ import annotations

import functools
from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.ir import functions as f
from soft_lantern.ir import glsl, surface_inputs
from soft_lantern.ir.expr import Expr, Op, join, swizzle, topological
from soft_lantern.ir.glsl_program import HEADS, IN_PLACE, TAKEN, fragment_inputs, vertex_program, vertex_results
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.printer import Body
from soft_lantern.render import shadow
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


def _wall_behind() -> Expr:
    """1 for a wall behind the surface that leads out of a volume, −1 for one that leads in, 0 in front of it."""
    behind = surface_input("surface_depth") > surface_input("scene_depth")
    return join(f.select(behind, -surface_input("facing"), 0.0), 0.0, 0.0, 1.0)


WALLS = _wall_behind()
"""What a picture of walls adds up."""
DEPTH = join(surface_input("surface_depth"), 0.0, 0.0, 1.0)
"""What a picture of depths keeps of a surface."""
SHADOW = shadow.drawn_depth()
"""What the sun's map keeps of a surface."""
_TAKEN = TAKEN | {"pixel", "surface_metres", "picture", "walls_picture"}


class WrittenShader(Struct, frozen=True):
    """A shader's text, the identifier of each uniform in it by the uniform's name, and the inputs it takes."""

    text: str
    uniforms: dict[str, str]
    inputs: tuple[str, ...] = ()


def fragment_shader(paint: Paint, *, outside: bool = False, deep: bool = False, target: str = "glsl") -> WrittenShader:
    """The shader that gives a mesh, the backdrop or the whole picture its paint, for one of `glsl_program.HEADS`.

    `outside`: pixels that a picture of walls says are inside a cut-out are left out. `deep`: `DEPTH` comes out as well,
    for a second picture that is drawn into at the same time; where there is none it is lost, and costs nothing.
    """
    results = surface_inputs.at_pixel([paint.colour, DEPTH] if deep else [paint.colour])
    order = topological(results)
    uniforms = numbered_uniforms(order)
    inputs = surface_inputs.read_inputs(results)
    declared, locals_ = fragment_inputs(inputs)
    picture = str(DISPLAYED.data)
    if picture in uniforms:
        declared.append("uniform sampler2D picture;")
        locals_.append(f"vec4 {uniforms[picture]} = texelFetch(picture, ivec2(gl_FragCoord.xy), 0);")
    declared += _declared(order, {name: written for name, written in uniforms.items() if name != picture})
    written = glsl.write(Body(results, paint.names, uniforms | IN_PLACE), _TAKEN)
    body = [*locals_, *written.statements, f"pixel = {written.results[0]};"]
    if deep:
        body.append(f"surface_metres = {written.results[1]};")
    if paint.masked:
        body.append("if (pixel.w < 0.5) discard;")
    if outside:
        declared.append("uniform sampler2D walls_picture;")
        body.append("if (texelFetch(walls_picture, ivec2(gl_FragCoord.xy), 0).x > 0.5) discard;")
    out = [f"layout(location = {at}) out vec4 {name};" for at, name in enumerate(("pixel", "surface_metres"))]
    lines = [*HEADS[target], *declared, *out[: len(results)], *written.functions]
    lines += ["void main() {", *(f"    {line}" for line in body), "}", ""]
    return WrittenShader("\n".join(lines), uniforms, tuple(inputs))


def vertex_shader(offset: Expr | None, handed_on: tuple[str, ...], target: str = "glsl") -> WrittenShader:
    """The shader that places vertices, moved by a world-space offset, and hands on what a fragment shader takes."""
    results = vertex_results(offset, handed_on)
    order = topological(results.values())
    uniforms = numbered_uniforms(order, "v")  # both shaders of a program share the names of uniforms
    text = vertex_program(
        HEADS[target], results, Body(list(results.values()), {}, uniforms), _declared(order, uniforms)
    )
    return WrittenShader(text, uniforms, tuple(surface_inputs.read_inputs(list(results.values()))))


def keeping_holes(paint: Paint, colour: Expr) -> Paint:
    """A paint of another colour that leaves out the same pixels."""
    return replace(paint, colour=_with_alpha(colour, paint.colour) if paint.masked else colour)


@functools.lru_cache(maxsize=512)
def _with_alpha(colour: Expr, of: Expr) -> Expr:
    return join(swizzle(colour, "xyz"), swizzle(of, "w"))


def numbered_uniforms(order: list[Expr], letter: str = "u") -> dict[str, str]:
    """Identifiers for uniforms that do not depend on what people call them, so that renaming compiles nothing."""
    names = sorted(str(e.data) for e in order if e.op is Op.UNIFORM)
    return {name: f"{letter}{index}" for index, name in enumerate(names)}


def _declared(order: list[Expr], uniforms: Mapping[str, str]) -> list[str]:
    of = {str(e.data): e.type.value for e in order if e.op is Op.UNIFORM}
    return [f"uniform {of[name]} {written};" for name, written in uniforms.items()]
