"""A material as a package of GLSL: vertex and fragment shader, and a table of its parameters.

Typed constants are folded in; parameters lie in a block under the author's identifiers. Gradients are rows of an atlas
beside the shader, or written into it exactly.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
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
from soft_lantern.formats.shaders.block import Slot, members, size_of
from soft_lantern.formats.shaders.glsl_files import FLAVOURS, frame_block
from soft_lantern.formats.shaders.surface import SurfaceProgram, program_of, remark
from soft_lantern.graph.document import Material, Parameter, Project
from soft_lantern.graph.lowering import uniform_type
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, components


def package(material: Material, target: str = "glsl", sent: Shipped | None = None) -> dict[str, str]:
    """The text files of the package by name. `sent`: the gradients that go with it, or else samplers stand for them.

    Raises BadValue where a parameter cannot be written.
    """
    sent = sent or Shipped()
    program = program_of(material, sent)
    return FLAVOURS[target].files(program) | {f"{program.base}.parameters.json": parameter_table(program, sent)}


def parameter_table(program: SurfaceProgram, sent: Shipped) -> str:
    """The table of a material's parameters, as JSON: what each is, and where it lies in the block of memory."""
    table: dict[str, Any] = {
        "material": program.material.name,
        "parameters": [_row(p, p in program.used, sent) for p in program.material.parameters],
        "surface_inputs": [{"name": n, "type": INPUTS[n].type.value, "unit": INPUTS[n].unit} for n in program.reads],
        "block": {"name": f"{program.type_name}Parameters"} | _block(program.block),
        "frame": _block(frame_block(program)),
        "textures": list(program.textures),
    }
    if sent.gradients:
        table["gradients"] = {"form": sent.form, "listed": gradient_rows(sent)}
        if sent.atlas:
            table["gradients"] |= {"texture": f"{program.base}.gradients.png", "sampler": ATLAS}
    return json.dumps(table, indent=2, ensure_ascii=False) + "\n"


def _block(slots: Sequence[Slot]) -> dict[str, Any]:
    listed = [{"identifier": name, "type": slot.type.value, "offset": slot.offset} for name, slot in members(slots)]
    return {"bytes": size_of(slots), "members": listed}


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
