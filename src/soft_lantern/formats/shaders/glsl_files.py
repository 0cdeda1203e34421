"""GLSL 3.30, 4.50 and ES 3.00: whole shaders round one function of the surface, its parameters in a std140 block.

4.50 says every location and binding, as OpenGL and Vulkan take them; the others match by name.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.formats.shaders.block import Slot, laid_out, members
from soft_lantern.formats.shaders.outputs import OUTPUTS, packed
from soft_lantern.formats.shaders.surface import Stage, SurfaceProgram, remark
from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Op
from soft_lantern.ir.glsl_program import BUILT_IN, HEADS, bare
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.surface_inputs import CARRIED


class Flavour(Struct, frozen=True):
    """A version of GLSL: what it is, the word in its files' names, its first lines, and whether it numbers all."""

    words: str
    ending: str
    head: tuple[str, ...]
    numbered: bool = False

    def files(self, program: SurfaceProgram) -> dict[str, str]:
        """The texts by the names of their files."""
        return {
            f"{program.base}{self.ending}.frag.glsl": _pixel(self, program),
            f"{program.base}{self.ending}.vert.glsl": _vertex(self, program),
        }

    def located(self, number: int) -> str:
        """What stands before something that is handed from shader to shader, by its number."""
        return f"layout(location = {number}) " if self.numbered else ""

    def bound(self, number: int) -> str:
        """What stands before a texture, by its number."""
        return f"layout(binding = {number}) " if self.numbered else ""

    def block(self, number: int) -> str:
        """What stands before a block, by its number."""
        return f"layout(std140, binding = {number}) " if self.numbered else "layout(std140) "


FLAVOURS = {
    "glsl": Flavour("GLSL 3.30 core", "", tuple(HEADS["glsl"])),
    "glsl-es": Flavour("GLSL ES 3.00", ".es", tuple(HEADS["glsl-es"])),
    "glsl-450": Flavour("GLSL 4.50, std140 block", ".450", ("#version 450",), numbered=True),
}
"""By targets."""


def stage_of(name: str) -> str:
    """What glslang calls the stage that a file is of, by the file's name."""
    return "vert" if ".vert." in name else "frag"


def frame_block(program: SurfaceProgram) -> list[Slot]:
    """Where what the object and the frame bring lies in the block `Frame`, which both shaders share."""
    names = {name for stage in (program.pixel, program.vertex) for name in stage.inputs if _is_of_frame(program, name)}
    return laid_out((name, INPUTS[name].type.width) for name in sorted(names))


def _is_of_frame(program: SurfaceProgram, name: str) -> bool:
    return name in INPUTS and name not in _handed_on(program) and name not in BUILT_IN and bare(name) == name


def _declared(flavour: Flavour, program: SurfaceProgram, stage: Stage) -> list[str]:
    """The block of parameters and the textures, as far as the stage reads any."""
    read = {program.leaves[str(e.data)] for e in stage.order if e.op is Op.UNIFORM}
    lines = []
    if read - program.textures.keys():
        lines = [f"{flavour.block(0)}uniform {program.type_name}Parameters {{"]
        for name, slot in members(program.block):
            lines.append(f"    {slot.type.value} {name};{remark(program.words_of(slot.identifier))}")
        lines += ["} parameters;", ""]
    for number, (name, words) in enumerate(program.textures.items()):
        if name in read:
            lines.append(f"{flavour.bound(number + 2)}uniform sampler2D {name};{remark(words)}")
    return lines


def _leaves(program: SurfaceProgram, stage: Stage) -> dict[str, str]:
    parameters = {
        name: identifier if identifier in program.textures else f"parameters.{identifier}"
        for name, identifier in program.leaves.items()
    }
    return parameters | {name: f"inputs.{name}" for name in stage.inputs}


def _taken(program: SurfaceProgram) -> set[str]:
    words = {"surface", "inputs", "parameters", "frame", "view", "view_projection", program.base}
    words |= {name for name, _, _ in OUTPUTS}
    return words | set(program.textures) | set(CARRIED) | set(INPUTS)


def _function(program: SurfaceProgram, stage: Stage, result: str, name: str, inputs: str) -> list[str]:
    """The structures of what a function takes and gives, and the function."""
    types = {str(e.data): e.type for e in stage.order if e.op is Op.INPUT}
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


def _frame(flavour: Flavour, program: SurfaceProgram, stage: Stage) -> list[str]:
    """A block of what the object and the frame bring, where the stage reads any of it."""
    if not any(_is_of_frame(program, name) for name in stage.inputs):
        return []
    lines = [f"{flavour.block(1)}uniform Frame {{"]
    for name, slot in members(frame_block(program)):
        lines.append(f"    {slot.type.value} {name};{remark(_words(name))}")
    return [*lines, "} frame;", ""]


def _given(program: SurfaceProgram) -> Mapping[str, str]:
    """How a pixel comes by each of its inputs."""
    carried, made = _handed_on(program), {}
    for name in program.pixel.inputs:
        if name in carried:
            made[name] = f"handed_{name}"
        elif bare(name) != name:
            made[name] = f"{'dFdx' if name.endswith('_dx') else 'dFdy'}(handed_{bare(name)})"
        else:
            made[name] = BUILT_IN.get(name, f"frame.{name}")
    return made


def _pixel(flavour: Flavour, program: SurfaceProgram) -> str:
    stage, base, capital = program.pixel, program.base, program.type_name
    handed_on, depth = enumerate(_handed_on(program).items()), len(program.textures) + 2
    deep = [f"{flavour.bound(depth)}uniform sampler2D depth_picture; // x: metres along the camera's forward axis"]
    return "\n".join(
        [
            *flavour.head,
            f"{remark(program.material.name).strip()}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
            f"// Alpha mode {program.alpha_mode}, as in glTF 2.0. Call {base}() with your own values.",
            "",
            *_declared(flavour, program, stage),
            *_frame(flavour, program, stage),
            *(f"{flavour.located(number)}in {kind} handed_{name};" for number, (name, kind) in handed_on),
            *(deep if "scene_depth" in stage.inputs else []),
            *(f"layout(location = {n}) out vec4 {name}; // {words}" for n, (name, words, _) in enumerate(OUTPUTS)),
            "",
            *_function(program, stage, f"{capital}Surface", base, f"{capital}Inputs"),
            "void main() {",
            f"    {capital}Inputs inputs;",
            *(f"    inputs.{name} = {text};" for name, text in _given(program).items()),
            f"    {capital}Surface surface = {base}(inputs);",
            *(["    if (surface.alpha < surface.alpha_cutoff) discard;"] if program.alpha_mode == "mask" else []),
            *(f"    {name} = {packed(stage.results, parts)};" for name, _, parts in OUTPUTS),
            "}",
            "",
        ]
    )


def _vertex(flavour: Flavour, program: SurfaceProgram) -> str:
    base, capital = program.base, program.type_name
    still = program.vertex
    stage = replace(still, results={(k or "position"): v for k, v in still.results.items()})
    types = {str(e.data): e.type for e in stage.order if e.op is Op.INPUT}
    attributes = [name for name in stage.inputs if name not in INPUTS]
    frame = [name for name in stage.inputs if name in INPUTS]
    carried = _handed_on(program)
    handed_on = enumerate(carried.items())
    return "\n".join(
        [
            *flavour.head,
            f"{remark(program.material.name).strip()}: where its vertices stand, and what they hand on to pixels.",
            "",
            *_declared(flavour, program, stage),
            *_frame(flavour, program, stage),
            *(f"layout(location = {n}) in {types[name].value} in_{name};" for n, name in enumerate(attributes)),
            *(f"{flavour.located(number)}out {kind} handed_{name};" for number, (name, kind) in handed_on),
            f"{flavour.block(len(program.textures) + 3)}uniform View {{",
            "    mat4 view_projection;",
            "} view;",
            "",
            *_function(program, stage, f"{capital}Vertex", f"{base}_vertex", f"{capital}Attributes"),
            "void main() {",
            f"    {capital}Attributes inputs;",
            *(f"    inputs.{name} = in_{name};" for name in attributes),
            *(f"    inputs.{name} = frame.{name};" for name in frame),
            f"    {capital}Vertex surface = {base}_vertex(inputs);",
            *(f"    handed_{name} = surface.{name};" for name in carried),
            "    gl_Position = view.view_projection * vec4(surface.position, 1.0);",
            "}",
            "",
        ]
    )
