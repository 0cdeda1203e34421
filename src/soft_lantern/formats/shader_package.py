"""A material as a GLSL 3.30 package: vertex and fragment shader, and a table of its parameters.

Typed constants are folded in; parameters stay uniforms under the author's identifiers.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.graph.document import Material, Parameter
from soft_lantern.graph.lowering import Lowered, lower, parameter_uniform, uniform_values
from soft_lantern.graph.parameters import trouble_with_parameter
from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Expr, Op, const, topological, uniform, vector_type
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.rewrite import replace
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, components

SURFACE_TYPES = {"base_colour": "vec3", "metallic": "float", "roughness": "float", "emissive": "vec3", "alpha": "float"}

_VERTEX_SOURCE = {
    "position_world": ("vec3", "(model * vec4(in_position, 1.0)).xyz"),
    "position_object": ("vec3", "in_position"),
    "normal_world": ("vec3", "normal_matrix * in_normal"),
    "uv": ("vec2", "in_uv"),
    "vertex_color": ("vec4", "in_color"),
}


def package(material: Material) -> dict[str, str]:
    """The files of the package by name. Raises BadValue where a parameter cannot be written."""
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            raise BadValue(f"{material.name} cannot be exported: {trouble}")
    lowered = lower(material)
    surface, names = _folded(material, lowered)
    base = as_identifier(material.name, fallback="material")
    used = _used_parameters(material, surface)
    table = {
        "material": material.name,
        "parameters": [_row(p, p in used) for p in material.parameters],
        "surface_inputs": [{"name": n, "type": INPUTS[n].type.value, "unit": INPUTS[n].unit} for n in _read(surface)],
    }
    return {
        f"{base}.frag.glsl": _fragment(material, surface, names, used, base),
        f"{base}.vert.glsl": _vertex(surface),
        f"{base}.parameters.json": json.dumps(table, indent=2, ensure_ascii=False) + "\n",
    }


def write_package(material: Material, folder: Path) -> list[Path]:
    """Write the package into a folder. Raises BadFile where the disk refuses."""
    files = package(material)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, text in files.items():
            (folder / name).write_text(text, "utf-8")
    except OSError as error:
        raise BadFile(f"{folder} cannot be written: {error.strerror}") from error
    return [folder / name for name in files]


def _folded(material: Material, lowered: Lowered) -> tuple[dict[str, Expr], dict[Expr, str]]:
    values = uniform_values(lowered, material, {})
    known = {
        uniform(name, vector_type(source.kind.width)): const(*values[name])
        for name, source in lowered.uniforms.items()
        if not source.parameter
    }
    done = replace(list(lowered.surface.values()), known)
    names = {done[old]: name for old, name in lowered.names.items() if old in done}
    return {port: done[expr] for port, expr in lowered.surface.items()}, names


def _used_parameters(material: Material, surface: dict[str, Expr]) -> list[Parameter]:
    reached = set(topological(surface.values()))
    return [p for p in material.parameters if parameter_uniform(p) in reached]


def _read(surface: dict[str, Expr]) -> list[str]:
    return sorted({str(e.data) for e in topological(surface.values()) if e.op is Op.INPUT})


def _fragment(
    material: Material, surface: dict[str, Expr], names: dict[Expr, str], used: list[Parameter], base: str
) -> str:
    leaves = {str(parameter_uniform(p).data): p.identifier for p in used}
    type_name = "".join(word.capitalize() for word in base.split("_")) + "Surface"
    taken = {"surface", "surface_values", "surface_light", "surface_emission", base, type_name}
    written = glsl.write(list(surface.values()), names, leaves, taken)
    fields = [f"    {SURFACE_TYPES[name]} {name};" for name in surface]
    assigned = [f"    surface.{n} = {text};" for n, text in zip(surface, written.results, strict=True)]
    inputs = [_declared(name) for name in _read(surface)]
    uniforms = [f"uniform {vector_type(p.kind.width).value} {p.identifier};{_comment(_described(p))}" for p in used]
    return "\n".join(
        [
            "#version 330 core",
            f"// {_plain(material.name)}: a surface made with Soft Lantern. Linear colour, metres, Y up.",
            "",
            *inputs,
            "",
            *uniforms,
            *([""] if uniforms else []),
            "layout(location = 0) out vec4 surface_light;    // base colour, alpha",
            "layout(location = 1) out vec4 surface_values;   // metallic, roughness",
            "layout(location = 2) out vec4 surface_emission; // emissive",
            "",
            f"struct {type_name} {{",
            *fields,
            "};",
            "",
            f"{type_name} {base}() {{",
            *(f"    {line}" for line in written.statements),
            f"    {type_name} surface;",
            *assigned,
            "    return surface;",
            "}",
            "",
            "void main() {",
            f"    {type_name} surface = {base}();",
            "    surface_light = vec4(surface.base_colour, surface.alpha);",
            "    surface_values = vec4(surface.metallic, surface.roughness, 0.0, 1.0);",
            "    surface_emission = vec4(surface.emissive, 1.0);",
            "}",
            "",
        ]
    )


def _vertex(surface: dict[str, Expr]) -> str:
    passed = [name for name in _read(surface) if name in _VERTEX_SOURCE]
    attributes = {"normal_world": "in vec3 in_normal;", "uv": "in vec2 in_uv;", "vertex_color": "in vec4 in_color;"}
    return "\n".join(
        [
            "#version 330 core",
            "in vec3 in_position;",
            *(attributes[name] for name in passed if name in attributes),
            "uniform mat4 model;",
            "uniform mat3 normal_matrix;",
            "uniform mat4 view_projection;",
            *(f"out {_VERTEX_SOURCE[name][0]} {name};" for name in passed),
            "",
            "void main() {",
            *(f"    {name} = {_VERTEX_SOURCE[name][1]};" for name in passed),
            "    gl_Position = view_projection * model * vec4(in_position, 1.0);",
            "}",
            "",
        ]
    )


def _declared(name: str) -> str:
    how = "in" if name in _VERTEX_SOURCE else "uniform"
    return f"{how} {INPUTS[name].type.value} {name};{_comment(INPUTS[name].words)}"


def _row(parameter: Parameter, used: bool) -> dict[str, Any]:
    row: dict[str, Any] = {
        "identifier": parameter.identifier,
        "label": parameter.label,
        "group": parameter.group,
        "kind": str(parameter.kind),
        "type": vector_type(parameter.kind.width).value,
        "default": list(components(parameter.default)),
        "low": parameter.low,
        "high": parameter.high,
        "step": parameter.step,
        "unit": parameter.unit,
        "control": parameter.control,
        "tooltip": parameter.tooltip,
        "used": used,
    }
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
    default = components(parameter.default)
    shown = colour_to_hex(default) if parameter.kind is Kind.COLOUR else ", ".join(f"{p:g}" for p in default)
    return f"{text}; default {shown}"


def _comment(text: str) -> str:
    return f" // {_plain(text)}"


def _plain(text: str) -> str:
    """Text that cannot end a comment line early or continue it: printable ASCII, no backslash."""
    return "".join(c if 32 <= ord(c) < 127 and c != "\\" else "?" for c in text)
