"""A material as a package of GLSL 3.30 or GLSL ES 3.00: vertex and fragment shader, and a table of its parameters.

Typed constants are folded in; parameters stay uniforms under the author's identifiers. Gradients are rows of an atlas
beside the shader, or written into it exactly.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from soft_lantern.errors import BadValue
from soft_lantern.formats.atlas import write_atlas
from soft_lantern.formats.places import write_whole
from soft_lantern.formats.shader_gradients import (
    ATLAS,
    Form,
    Shipped,
    gradient_rows,
    known_rows,
    shipped,
    with_gradients,
)
from soft_lantern.graph.document import Material, Parameter, Project
from soft_lantern.graph.lowering import Lowered, lower, parameter_uniform, uniform_type, uniform_values
from soft_lantern.graph.parameters.edits import trouble_with_parameter
from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Expr, Op, const, topological, uniform, vector_type
from soft_lantern.ir.glsl_program import TAKEN, fragment_inputs, vertex_program, vertex_results
from soft_lantern.ir.glsl_words import Identifiers, as_identifier
from soft_lantern.ir.inputs import BEHIND, INPUTS
from soft_lantern.ir.rewrite import replace
from soft_lantern.ir.simplify import simplified
from soft_lantern.ir.surface_inputs import at_pixel, derived_inputs, read_inputs
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Kind, components

TARGETS = (
    ("surface_light", "base colour, alpha", ("base_colour", "alpha")),
    ("surface_values", "metallic, roughness, occlusion, specular", ("metallic", "roughness", "occlusion", "specular")),
    ("surface_emission", "emissive", ("emissive",)),
    ("surface_normal", "unit normal in world space", ("normal",)),
    ("surface_specular", "specular colour", ("specular_colour",)),
)
"""What the fragment shader writes, one after another: name, words, and the surface's values in it."""


HEADS = {
    "glsl": ["#version 330 core"],
    "glsl-es": ["#version 300 es", "precision highp float;", "precision highp int;", "precision highp sampler2D;"],
}
"""The first lines of a shader for each target."""


def package(material: Material, target: str = "glsl", sent: Shipped | None = None) -> dict[str, str]:
    """The text files of the package by name. `sent`: the gradients that go with it, or else samplers stand for them.

    Raises BadValue where a parameter cannot be written.
    """
    sent = sent or Shipped()
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            raise BadValue(f"{material.name} cannot be exported: {trouble}")
    lowered = lower(material)
    surface, offset, names, row_parameters = _folded(material, lowered, sent)
    taken = {*INPUTS, *(p.identifier for p in material.parameters)}
    base = as_identifier(material.name, taken, fallback="material")
    reached = [*surface.values(), *([lowered.offset] if lowered.offset is not None else [])]
    used = _used_parameters(material, reached, row_parameters)
    table: dict[str, Any] = {
        "material": material.name,
        "parameters": [_row(p, p in used, sent) for p in material.parameters],
        "surface_inputs": [
            {"name": n, "type": INPUTS[n].type.value, "unit": INPUTS[n].unit} for n in read_inputs(reached)
        ],
    }
    if sent.gradients:
        table["gradients"] = {"form": sent.form, "listed": gradient_rows(sent)}
        if sent.atlas:
            table["gradients"] |= {"texture": f"{base}.gradients.png", "sampler": ATLAS}
    return {
        f"{base}.frag.glsl": _fragment(material, surface, names, used, base, lowered.alpha_mode, target),
        f"{base}.vert.glsl": _vertex(surface, offset, used, target),
        f"{base}.parameters.json": json.dumps(table, indent=2, ensure_ascii=False) + "\n",
    }


def write_package(
    material: Material, folder: Path, target: str = "glsl", project: Project | None = None, form: Form = "row"
) -> list[Path]:
    """Write the package into a folder, with the gradients of its project. Raises BadFile where the disk refuses."""
    sent = shipped(project, material, form) if project else Shipped()
    files = package(material, target, sent)
    for name, text in files.items():
        write_whole(folder / name, text)
    written = [folder / name for name in files]
    if sent.atlas:
        base = next(iter(files)).partition(".")[0]
        written += write_atlas(sent.atlas, folder / f"{base}.gradients.png")
    return written


def _folded(
    material: Material, lowered: Lowered, sent: Shipped
) -> tuple[dict[str, Expr], Expr | None, dict[Expr, str], dict[str, str]]:
    values = uniform_values(lowered, material, {})
    known = {
        uniform(name, vector_type(source.kind.width)): const(*value)
        for name, source in lowered.uniforms.items()
        if not source.parameter and not isinstance(value := values[name], Image)
    }
    roots = [*lowered.surface.values(), *([lowered.offset] if lowered.offset is not None else [])]
    shown, rows = with_gradients(roots, material, lowered, sent)
    folded = replace([shown[root] for root in roots], known)
    plain = simplified([folded[shown[root]] for root in roots])
    done = {old: plain[folded[new]] for old, new in shown.items() if folded.get(new) in plain}
    names = {done[old]: name for old, name in lowered.names.items() if old in done}
    offset = done[lowered.offset] if lowered.offset is not None else None
    return {port: done[expr] for port, expr in lowered.surface.items()}, offset, names, rows


def _used_parameters(material: Material, values: Iterable[Expr], rows: Mapping[str, str]) -> list[Parameter]:
    reached = set(topological(values))
    by_row = {rows.get(str(expr.data)) for expr in reached if expr.op is Op.UNIFORM}
    return [p for p in material.parameters if parameter_uniform(p) in reached or p.id in by_row]


def _identifiers(results: Sequence[Expr], used: list[Parameter]) -> tuple[dict[str, str], list[str]]:
    """The identifier of every uniform the results read, and the lines that declare them."""
    leaves, lines = {}, []
    textures = Identifiers({p.identifier for p in used} | {ATLAS, "scene_colour"})
    known = {str(parameter_uniform(p).data): p for p in used} | {f"row:{p.id}": p for p in used}
    for expr in topological(results):
        name = str(expr.data)
        if expr.op is not Op.UNIFORM:
            continue
        if name in known:
            leaves[name] = known[name].identifier
            lines.append(f"uniform {expr.type.value} {leaves[name]};{_comment(_described(known[name]))}")
        elif expr is BEHIND:
            leaves[name] = "scene_colour"
            words = "linear colour of all that is opaque, first row lowest, clamped, with mipmaps"
            lines.append(f"uniform sampler2D scene_colour; // {words}")
        elif name == ATLAS:
            leaves[name] = ATLAS
            lines.append(f"uniform sampler2D {ATLAS}; // a gradient in each row, clamped")
        else:  # a texture chosen on its node
            leaves[name] = textures.take(name.removeprefix("typed:").replace(".", " "))
            lines.append(f"uniform {expr.type.value} {leaves[name]};")
    return leaves, lines


def _fragment(
    material: Material,
    surface: dict[str, Expr],
    names: dict[Expr, str],
    used: list[Parameter],
    base: str,
    alpha_mode: str,
    target: str,
) -> str:
    whole = at_pixel(list(surface.values()))
    plain = simplified(whole)
    results = [plain[value] for value in whole]
    named = {expr: name for name, expr in derived_inputs().items()} | names
    named = {plain[expr]: name for expr, name in named.items() if expr in plain}
    leaves, uniforms = _identifiers(results, used)
    type_name = "".join(word.capitalize() for word in base.split("_")) + "Surface"
    taken = TAKEN | {"surface", base, type_name, *(name for name, _, _ in TARGETS)}
    written = glsl.write(results, named, leaves, taken)
    inputs = read_inputs(results)
    fields = [f"    {expr.type.value} {name};" for name, expr in surface.items()]
    assigned = [f"    surface.{n} = {text};" for n, text in zip(surface, written.results, strict=True)]
    declared, locals_ = fragment_inputs(inputs, _comment)
    cut = ["    if (surface.alpha < surface.alpha_cutoff) discard;"] if alpha_mode == "mask" else []
    outputs = [f"layout(location = {i}) out vec4 {name}; // {words}" for i, (name, words, _) in enumerate(TARGETS)]
    return "\n".join(
        [
            *HEADS[target],
            f"// {_plain(material.name)}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
            f"// Alpha mode {alpha_mode}, as in glTF 2.0.",
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
            *(f"    {name} = {_packed(surface, parts)};" for name, _, parts in TARGETS),
            "}",
            "",
        ]
    )


def _packed(surface: dict[str, Expr], parts: tuple[str, ...]) -> str:
    width = sum(surface[part].type.width for part in parts)
    filling = ["0.0"] * (3 - width) + ["1.0"] * (width < 4)
    return f"vec4({', '.join([*(f'surface.{part}' for part in parts), *filling])})"


def _vertex(surface: dict[str, Expr], offset: Expr | None, used: list[Parameter], target: str) -> str:
    whole = vertex_results(offset, read_inputs(at_pixel(list(surface.values()))))
    plain = simplified(list(whole.values()))
    results = {name: plain[value] for name, value in whole.items()}
    leaves, uniforms = _identifiers(list(results.values()), used)
    return vertex_program(HEADS[target], results, leaves, uniforms)


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


def _described(parameter: Parameter) -> str:
    text = parameter.label
    if parameter.low is not None or parameter.high is not None:
        low = "" if parameter.low is None else f"{parameter.low:g}"
        high = "" if parameter.high is None else f"{parameter.high:g}"
        text += f", {low} to {high}"
    text += f" {parameter.unit}" if parameter.unit else ""
    if parameter.kind.is_read:
        return f"{text}; the middle of its row" if parameter.kind is Kind.GRADIENT else text
    default = components(parameter.default)
    shown = colour_to_hex(default) if parameter.kind is Kind.COLOUR else ", ".join(f"{p:g}" for p in default)
    return f"{text}; default {shown}"


def _comment(text: str) -> str:
    return f" // {_plain(text)}"


def _plain(text: str) -> str:
    """Text that cannot end a comment line early or continue it: printable ASCII, no backslash."""
    return "".join(c if 32 <= ord(c) < 127 and c != "\\" else "?" for c in text)
