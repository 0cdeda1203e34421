"""GLSL 4.50 with explicit locations and bindings, its parameters in a std140 block: for OpenGL and for Vulkan."""

from __future__ import annotations

from dataclasses import replace

from soft_lantern.formats.shaders.block import members
from soft_lantern.formats.shaders.outputs import OUTPUTS, packed
from soft_lantern.formats.shaders.surface import Stage, SurfaceProgram, remark
from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Op, in_reading_order
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.surface_inputs import CARRIED

KEY, ENDING = "glsl-450", "450.glsl"
WORDS = "GLSL 4.50, std140 block"
HEAD = "#version 450"


def files(program: SurfaceProgram) -> dict[str, str]:
    """The texts by the names of their files."""
    return {
        f"{program.base}.450.frag.glsl": _pixel(program),
        f"{program.base}.450.vert.glsl": _vertex(program),
    }


def _declared(program: SurfaceProgram, stage: Stage) -> list[str]:
    """The block of parameters and the textures, as far as the stage reads any."""
    read = {program.leaves[str(e.data)] for e in in_reading_order(stage.results.values()) if e.op is Op.UNIFORM}
    lines = []
    if read - program.textures.keys():
        lines = [f"layout(std140, binding = 0) uniform {program.type_name}Parameters {{"]
        for name, slot in members(program.block):
            lines.append(f"    {slot.type.value} {name};{remark(program.words_of(slot.identifier))}")
        lines += ["} parameters;", ""]
    for number, (name, words) in enumerate(program.textures.items()):
        if name in read:
            lines.append(f"layout(binding = {number + 2}) uniform sampler2D {name};{remark(words)}")
    return lines


def _leaves(program: SurfaceProgram, stage: Stage) -> dict[str, str]:
    parameters = {
        name: identifier if identifier in program.textures else f"parameters.{identifier}"
        for name, identifier in program.leaves.items()
    }
    return parameters | {name: f"inputs.{name}" for name in stage.inputs}


def _taken(program: SurfaceProgram) -> set[str]:
    words = {"surface", "inputs", "parameters", "frame", "view_projection", program.base}
    words |= {name for name, _, _ in OUTPUTS}
    return words | set(program.textures) | set(CARRIED) | set(INPUTS)


def _function(program: SurfaceProgram, stage: Stage, result: str, name: str, inputs: str) -> list[str]:
    """The structures of what a function takes and gives, and the function."""
    types = {str(e.data): e.type for e in in_reading_order(stage.results.values()) if e.op is Op.INPUT}
    written = glsl.write(stage.body(_leaves(program, stage)), _taken(program))
    return [
        f"struct {inputs} {{",
        *(f"    {types[each].value} {each};{remark(_words(each))}" for each in stage.inputs),
        *([] if stage.inputs else ["    float unused;"]),
        "};",
        "",
        f"struct {result} {{",
        *(f"    {expr.type.value} {each};" for each, expr in stage.results.items()),
        "};",
        "",
        *written.functions,
        f"{result} {name}({inputs} inputs) {{",
        *(f"    {line}" for line in written.statements),
        f"    {result} surface;",
        *(f"    surface.{each} = {text};" for each, text in zip(stage.results, written.results, strict=True)),
        "    return surface;",
        "}",
        "",
    ]


def _words(name: str) -> str:
    return INPUTS[name].words if name in INPUTS else ""


def _handed_on(program: SurfaceProgram) -> dict[str, str]:
    """What goes from vertices to pixels, by name and type."""
    return {name: CARRIED[name].value for name in program.vertex.results if name}


def _frame(names: list[str], binding: int) -> list[str]:
    """A block of what the object and the frame bring."""
    if not names:
        return []
    lines = [f"layout(std140, binding = {binding}) uniform Frame {{"]
    lines += [f"    {INPUTS[name].type.value} {name};{remark(_words(name))}" for name in names]
    return [*lines, "} frame;", ""]


def _pixel(program: SurfaceProgram) -> str:
    stage, base, capital = program.pixel, program.base, program.type_name
    carried = _handed_on(program)
    made, frame = {}, []
    for name in stage.inputs:
        bare = name.removesuffix("_dx").removesuffix("_dy")
        if name in carried:
            made[name] = f"in_{name}"
        elif name != bare:
            made[name] = f"{'dFdx' if name.endswith('_dx') else 'dFdy'}(in_{bare})"
        elif name == "pixel_place":
            made[name] = "gl_FragCoord.xy"
        elif name == "facing":
            made[name] = "gl_FrontFacing ? 1.0 : -1.0"
        elif name == "scene_depth":
            made[name] = "texelFetch(depth_picture, ivec2(gl_FragCoord.xy), 0).x"
        else:
            made[name] = f"frame.{name}"
            frame.append(name)
    depth = len(program.textures) + 2
    return "\n".join(
        [
            HEAD,
            f"{remark(program.material.name).strip()}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
            f"// Alpha mode {program.alpha_mode}, as in glTF 2.0. Call {base}() with your own values.",
            "",
            *_declared(program, stage),
            *_frame(frame, 1),
            *(f"layout(location = {n}) in {kind} in_{name};" for n, (name, kind) in enumerate(carried.items())),
            *([f"layout(binding = {depth}) uniform sampler2D depth_picture;"] if "scene_depth" in stage.inputs else []),
            *(f"layout(location = {n}) out vec4 {name}; // {words}" for n, (name, words, _) in enumerate(OUTPUTS)),
            "",
            *_function(program, stage, f"{capital}Surface", base, f"{capital}Inputs"),
            "void main() {",
            f"    {capital}Inputs inputs;",
            *(f"    inputs.{name} = {text};" for name, text in made.items()),
            f"    {capital}Surface surface = {base}(inputs);",
            *(["    if (surface.alpha < surface.alpha_cutoff) discard;"] if program.alpha_mode == "mask" else []),
            *(f"    {name} = {packed(stage.results, parts)};" for name, _, parts in OUTPUTS),
            "}",
            "",
        ]
    )


def _vertex(program: SurfaceProgram) -> str:
    base, capital = program.base, program.type_name
    still = program.vertex
    stage = replace(still, results={(k or "position"): v for k, v in still.results.items()})
    types = {str(e.data): e.type for e in in_reading_order(stage.results.values()) if e.op is Op.INPUT}
    attributes = [name for name in stage.inputs if name not in INPUTS]
    frame = [name for name in stage.inputs if name in INPUTS]
    carried = _handed_on(program)
    return "\n".join(
        [
            HEAD,
            f"{remark(program.material.name).strip()}: where its vertices stand, and what they hand on to pixels.",
            "",
            *_declared(program, stage),
            *_frame(frame, 1),
            *(f"layout(location = {n}) in {types[name].value} in_{name};" for n, name in enumerate(attributes)),
            *(f"layout(location = {n}) out {kind} out_{name};" for n, (name, kind) in enumerate(carried.items())),
            f"layout(std140, binding = {len(program.textures) + 3}) uniform View {{",
            "    mat4 view_projection;",
            "} view;",
            "",
            *_function(program, stage, f"{capital}Vertex", f"{base}_vertex", f"{capital}Attributes"),
            "void main() {",
            f"    {capital}Attributes inputs;",
            *(f"    inputs.{name} = in_{name};" for name in attributes),
            *(f"    inputs.{name} = frame.{name};" for name in frame),
            f"    {capital}Vertex surface = {base}_vertex(inputs);",
            *(f"    out_{name} = surface.{name};" for name in carried),
            "    gl_Position = view.view_projection * vec4(surface.position, 1.0);",
            "}",
            "",
        ]
    )
