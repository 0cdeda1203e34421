"""What every GLSL program has around its results: how a shader comes by its inputs, and how vertices hand them on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Expr
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.printer import Body
from soft_lantern.ir.surface_inputs import ATTRIBUTES, CARRIED, SLOPES, attribute, read_inputs, vertex

HEADS = {
    "glsl": ["#version 330 core"],
    "glsl-es": ["#version 300 es", "precision highp float;", "precision highp int;", "precision highp sampler2D;"],
}
"""The first lines of a shader for each target."""
TAKEN = frozenset({"view_projection", "depth_picture", *INPUTS, *CARRIED, *ATTRIBUTES, *SLOPES})
"""Identifiers that programs declare by themselves."""
BUILT_IN = {
    "pixel_place": "gl_FragCoord.xy",
    "facing": "gl_FrontFacing ? 1.0 : -1.0",
    "scene_depth": "texelFetch(depth_picture, ivec2(gl_FragCoord.xy), 0).x",
}
"""How a pixel comes by what is built in."""
IN_PLACE = {name: f"({BUILT_IN[name]})" for name in ("pixel_place", "facing")}
"""What of it stands where it is read: a variable costs a software driver up to a fifth of a short shader's time."""


def fragment_inputs(names: Iterable[str]) -> tuple[list[str], list[str]]:
    """What a fragment shader declares to have those surface inputs, and the statements that make the rest of them.

    What is read `IN_PLACE` needs neither.
    """
    declared: dict[str, None] = {}
    made = []
    for name in names:
        carried = bare(name)
        if name == "scene_depth":
            declared["uniform sampler2D depth_picture;"] = None
        if name in IN_PLACE:
            continue
        if name in BUILT_IN:
            made.append(f"{INPUTS[name].type.value} {name} = {BUILT_IN[name]};")
        elif carried in CARRIED:
            declared[f"in {CARRIED[carried].value} {carried};"] = None
            if name != carried:
                change = "dFdx" if name.endswith("_dx") else "dFdy"
                made.append(f"{CARRIED[carried].value} {name} = {change}({carried});")
        else:
            declared[f"uniform {INPUTS[name].type.value} {name};"] = None
    return list(declared), made


def vertex_results(offset: Expr | None, handed_on: Iterable[str]) -> dict[str, Expr]:
    """Where a vertex stands in the world, moved by an offset, under the key "", and what fragments take of it."""
    carried, needed = vertex(offset), {bare(name) for name in handed_on}
    return {"": carried["position_world"], **{name: carried[name] for name in carried if name in needed}}


def vertex_program(
    head: Sequence[str],
    results: Mapping[str, Expr],
    body: Body,
    uniforms: Iterable[str],
) -> str:
    """The shader that computes `vertex_results`, by a body of them. `uniforms`: the lines that declare its leaves."""
    handed_on = [name for name in results if name]
    written = glsl.write(body, TAKEN)
    place, *texts = written.results
    inputs = read_inputs(list(results.values()))
    lines = [
        *head,
        *(f"in {attribute(name).type.value} {name};" for name in inputs if name not in INPUTS),
        *(f"uniform {INPUTS[name].type.value} {name};" for name in inputs if name in INPUTS),
        "uniform mat4 view_projection;",
        *uniforms,
        *(f"out {CARRIED[name].value} {name};" for name in handed_on),
        "",
        *written.functions,
        "void main() {",
        *(f"    {line}" for line in written.statements),
        *(f"    {name} = {text};" for name, text in zip(handed_on, texts, strict=True)),
        f"    gl_Position = view_projection * vec4({place}, 1.0);",
        "}",
        "",
    ]
    return "\n".join(lines)


def bare(name: str) -> str:
    """The input whose change to the next pixel a name says, or the name itself."""
    return name.removesuffix("_dx").removesuffix("_dy")
