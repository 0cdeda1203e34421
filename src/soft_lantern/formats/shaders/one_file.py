"""What languages have in common that hold surface and vertices in one text: two functions and what they call."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.formats.shaders.surface import SurfaceProgram, remark
from soft_lantern.ir.expr import Op, Type, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.printer import Dialect, write

Field = Callable[[str, Type, str], str]
"""The line of a structure for a member by its name and type, with words about it."""


class Shape(Struct, frozen=True, eq=False):
    """How a language writes what stands around: a structure's head and end, its members, a function's head and local.

    `given`: what every function takes beside its inputs, declared, and `result` how a result is declared and returned.
    """

    open: Callable[[str], str]
    close: str
    taken: Field
    made: Field
    head: Callable[[str, str, str], str]
    """The first line of a function that gives a type, by its name, and takes inputs of a type."""
    declare: Callable[[str], str]
    """The line that declares `surface` of a type."""


def functions(program: SurfaceProgram, dialect: Dialect, shape: Shape, leaves: Mapping[str, str]) -> list[str]:
    """The structures, the functions that are called, and the two that engines call."""
    capital, base = program.type_name, program.base
    still = program.vertex
    moved = replace(still, results={(k or "position"): v for k, v in still.results.items()})
    stages = (
        (program.pixel, f"{capital}Inputs", f"{capital}Surface", base),
        (moved, f"{capital}Attributes", f"{capital}Vertex", f"{base}_vertex"),
    )
    bodies = [stage.body({**leaves, **{name: f"inputs.{name}" for name in stage.inputs}}) for stage, _, _, _ in stages]
    taken = {"surface", "inputs", "parameters", base, f"{base}_vertex", *program.textures}
    taken |= {f"{name}_sampler" for name in program.textures} | {slot.identifier for slot in program.block}
    definitions, texts = write(dialect, bodies, taken)
    lines: list[str] = []
    for stage, inputs, result, _ in stages:
        types = {str(e.data): e.type for e in topological(stage.results.values()) if e.op is Op.INPUT}
        fields = [shape.taken(each, types[each], _words(each)) for each in stage.inputs]
        lines += [shape.open(inputs), *(fields or [shape.taken("unused", Type.FLOAT, "")]), shape.close, ""]
        made = [shape.made(each, expr.type, "") for each, expr in stage.results.items()]
        lines += [shape.open(result), *made, shape.close, ""]
    lines += [*definitions, *([""] if definitions else [])]
    for (stage, inputs, result, name), written in zip(stages, texts, strict=True):
        lines += [
            shape.head(result, name, inputs),
            *(f"    {line}" for line in written.statements),
            f"    {shape.declare(result)}",
            *(f"    surface.{each} = {text};" for each, text in zip(stage.results, written.results, strict=True)),
            "    return surface;",
            "}",
            "",
        ]
    return lines


def heading(program: SurfaceProgram) -> list[str]:
    """The first lines of a text, as comments."""
    base = program.base
    return [
        f"{remark(program.material.name).strip()}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
        f"// Alpha mode {program.alpha_mode} of glTF 2.0. {base}() is the surface, {base}_vertex() places a vertex.",
        "",
    ]


def _words(name: str) -> str:
    return remark(INPUTS[name].words if name in INPUTS else "")
