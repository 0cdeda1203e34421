"""A material as a package of GLSL 3.30 or GLSL ES 3.00: vertex and fragment shader, and a table of its parameters.

Typed constants are folded in; parameters stay uniforms under the author's identifiers. Gradients are rows of an atlas
beside the shader, or written into it exactly.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from soft_lantern.formats.atlas import write_atlas
from soft_lantern.formats.places import write_whole
from soft_lantern.formats.shader_gradients import (
    ATLAS,
    Form,
    Shipped,
    gradient_rows,
    known_rows,
    shipped,
)
from soft_lantern.formats.shaders.block import members, size_of
from soft_lantern.formats.shaders.outputs import OUTPUTS, packed
from soft_lantern.formats.shaders.surface import Stage, SurfaceProgram, program_of, remark
from soft_lantern.graph.document import Material, Parameter, Project
from soft_lantern.graph.lowering import uniform_type
from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Op, in_reading_order
from soft_lantern.ir.glsl_program import HEADS, TAKEN, fragment_inputs, vertex_program
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, components


def package(material: Material, target: str = "glsl", sent: Shipped | None = None) -> dict[str, str]:
    """The text files of the package by name. `sent`: the gradients that go with it, or else samplers stand for them.

    Raises BadValue where a parameter cannot be written.
    """
    sent = sent or Shipped()
    program = program_of(material, sent)
    return files(program, target) | {f"{program.base}.parameters.json": parameter_table(program, sent)}


def files(program: SurfaceProgram, target: str = "glsl") -> dict[str, str]:
    """The shaders by the names of their files: for the target "glsl" or "glsl-es"."""
    return {
        f"{program.base}.frag.glsl": _fragment(program, target),
        f"{program.base}.vert.glsl": _vertex(program, target),
    }


def parameter_table(program: SurfaceProgram, sent: Shipped) -> str:
    """The table of a material's parameters, as JSON: what each is, and where it lies in the block of memory."""
    block = [
        {"identifier": name, "type": slot.type.value, "offset": slot.offset} for name, slot in members(program.block)
    ]
    table: dict[str, Any] = {
        "material": program.material.name,
        "parameters": [_row(p, p in program.used, sent) for p in program.material.parameters],
        "surface_inputs": [{"name": n, "type": INPUTS[n].type.value, "unit": INPUTS[n].unit} for n in program.reads],
        "block": {"bytes": size_of(program.block), "members": block},
        "textures": list(program.textures),
    }
    if sent.gradients:
        table["gradients"] = {"form": sent.form, "listed": gradient_rows(sent)}
        if sent.atlas:
            table["gradients"] |= {"texture": f"{program.base}.gradients.png", "sampler": ATLAS}
    return json.dumps(table, indent=2, ensure_ascii=False) + "\n"


def c_header(program: SurfaceProgram) -> str:
    """The block of parameters as a structure of C, whose offsets a compiler checks."""
    name = f"{program.type_name}Parameters"
    guard = f"SOFT_LANTERN_{program.base.upper()}_PARAMETERS_H"
    fields, checks = [], []
    for identifier, slot in members(program.block):
        size = f"[{slot.width}]" if slot.width > 1 else ""
        fields.append(f"    float {identifier}{size};{_slash_star(program.words_of(slot.identifier))}")
        checks.append(f'_Static_assert(offsetof({name}, {identifier}) == {slot.offset}, "{identifier}");')
    return "\n".join(
        [
            f"{_slash_star(f'{program.material.name}: its parameters, {size_of(program.block)} bytes').strip()}",
            *(f"#ifndef {guard}", f"#define {guard}", "#include <stddef.h>", ""),
            *("typedef struct {", *(fields or ["    float unused;"]), f"}} {name};", ""),
            *checks,
            *("", "#endif", ""),
        ]
    )


def _slash_star(words: str) -> str:
    """Words as a comment of C that nothing in them can end."""
    return f" /*{remark(words)[3:].replace('*', '+')} */" if words else ""


def write_package(
    material: Material, folder: Path, target: str = "glsl", project: Project | None = None, form: Form = "row"
) -> list[Path]:
    """Write the package into a folder, with the gradients of its project. Raises BadFile where the disk refuses."""
    sent = shipped(project, material, form) if project else Shipped()
    made = package(material, target, sent)
    for name, text in made.items():
        write_whole(folder / name, text)
    written = [folder / name for name in made]
    if sent.atlas:
        base = next(iter(made)).partition(".")[0]
        written += write_atlas(sent.atlas, folder / f"{base}.gradients.png")
    return written


def _declared(program: SurfaceProgram, stage: Stage) -> list[str]:
    """The lines that declare the uniforms a stage reads, in the order it comes to them."""
    found = dict.fromkeys(
        (program.leaves[str(expr.data)], expr.type)
        for expr in in_reading_order(stage.results.values())
        if expr.op is Op.UNIFORM
    )
    return [
        f"uniform {type_.value} {name};{remark(program.textures.get(name) or program.words_of(name))}"
        for name, type_ in found
    ]


def _fragment(program: SurfaceProgram, target: str) -> str:
    base, stage, surface = program.base, program.pixel, program.pixel.results
    type_name = f"{program.type_name}Surface"
    taken = TAKEN | {"surface", base, type_name, *(name for name, _, _ in OUTPUTS)}
    written = glsl.write(stage.body(program.leaves), taken)
    uniforms = _declared(program, stage)
    fields = [f"    {expr.type.value} {name};" for name, expr in surface.items()]
    assigned = [f"    surface.{n} = {text};" for n, text in zip(surface, written.results, strict=True)]
    declared, locals_ = fragment_inputs(stage.inputs, remark)
    cut = ["    if (surface.alpha < surface.alpha_cutoff) discard;"] if program.alpha_mode == "mask" else []
    outputs = [f"layout(location = {i}) out vec4 {name}; // {words}" for i, (name, words, _) in enumerate(OUTPUTS)]
    return "\n".join(
        [
            *HEADS[target],
            f"{remark(program.material.name).strip()}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
            f"// Alpha mode {program.alpha_mode}, as in glTF 2.0.",
            "",
            *declared,
            "",
            *uniforms,
            *([""] if uniforms else []),
            *outputs,
            "",
            f"struct {type_name} {{",
            *fields,
            "};",
            "",
            *written.functions,
            f"{type_name} {base}() {{",
            *(f"    {line}" for line in [*locals_, *written.statements]),
            f"    {type_name} surface;",
            *assigned,
            "    return surface;",
            "}",
            "",
            "void main() {",
            f"    {type_name} surface = {base}();",
            *cut,
            *(f"    {name} = {packed(surface, parts)};" for name, _, parts in OUTPUTS),
            "}",
            "",
        ]
    )


def _vertex(program: SurfaceProgram, target: str) -> str:
    stage = program.vertex
    declared = _declared(program, stage)
    return vertex_program(HEADS[target], stage.results, stage.body(program.leaves), declared)


def _row(parameter: Parameter, used: bool, sent: Shipped) -> dict[str, Any]:
    row: dict[str, Any] = {
        "identifier": parameter.identifier,
        "label": parameter.label,
        "group": parameter.group,
        "kind": str(parameter.kind),
        "type": uniform_type(parameter.kind).value,
        "default": list(components(parameter.default)),
        "low": parameter.low,
        "high": parameter.high,
        "step": parameter.step,
        "unit": parameter.unit,
        "control": parameter.control,
        "choices": list(parameter.choices),
        "tooltip": parameter.tooltip,
        "used": used,
    }
    if parameter.kind is Kind.GRADIENT and sent.gradients:
        written_in = {"type": "", "used": False, "written_in": True}
        as_row = {"type": "float", "rows": known_rows(sent)} if sent.atlas else written_in
        row |= as_row | {"default": [sent.row(str(parameter.default))] if sent.atlas else []}
    if parameter.kind is Kind.COLOUR:
        row["default_srgb"] = colour_to_hex(components(parameter.default))
    return row
