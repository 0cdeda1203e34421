"""HLSL for shader models 5 and 6."""

from __future__ import annotations

from collections.abc import Sequence

from soft_lantern.formats.shaders.block import members
from soft_lantern.formats.shaders.one_file import Shape, functions, heading
from soft_lantern.formats.shaders.surface import SurfaceProgram, remark
from soft_lantern.ir.expr import Expr, Op, Type
from soft_lantern.ir.glsl_words import HLSL_WORDS
from soft_lantern.ir.printer import (
    COMMON,
    PRIMARY,
    UNARY,
    Dialect,
    Rule,
    Scope,
    Text,
    as_called,
    called_with_samplers,
    pattern,
)

KEY, WORDS = "hlsl", "HLSL, shader models 5 and 6"
NAMES = {
    **dict(zip((Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4), ("float", "float2", "float3", "float4"), strict=True)),
    Type.BOOL: "bool",
    Type.UINT: "uint",
    Type.SAMPLER: "Texture2D",
}
TEXEL_OF = [
    "float2 texel_of(Texture2D picture) {",
    "    float2 size;",
    "    picture.GetDimensions(size.x, size.y);",
    "    return 1.0 / size;",
    "}",
]


def _finite(expr: Expr, args: list[Text], _scope: Scope) -> Text:
    return Text(f"!(any(isnan({args[0].text})) || any(isinf({args[0].text})))", UNARY)


def _modulo(expr: Expr, args: list[Text], scope: Scope) -> Text:
    name = scope.named(expr.type)
    scope.helpers[f"modulo {name}"] = [f"{name} modulo({name} x, {name} y) {{ return x - y * floor(x / y); }}"]
    return as_called("modulo")(expr, args, scope)


def _texel(expr: Expr, args: list[Text], scope: Scope) -> Text:
    scope.helpers["texel_of"] = TEXEL_OF
    return Text(f"texel_of({args[0].text})", PRIMARY)


RULES: dict[Op, Rule] = {
    **{op: as_called(op.value) for op in Op},
    **COMMON,
    Op.CALL: called_with_samplers,
    Op.FINITE: _finite,
    Op.MOD: _modulo,
    Op.FRACT: as_called("frac"),
    Op.MIX: as_called("lerp"),
    Op.WHOLE: pattern("uint(int(floor({0})))"),
    Op.TO_FLOAT: pattern("float({0})"),
    Op.TEXTURE: pattern("{0}.Sample({0}_sampler, {1})"),
    Op.TEXTURE_LEVEL: pattern("{0}.SampleLevel({0}_sampler, {1}, {2})"),
    Op.TEXEL: _texel,
    Op.CHANGE_RIGHT: pattern("ddx({0})"),
    Op.CHANGE_UP: pattern("(-ddy({0}))"),  # rows count downwards
}


def _function(result: str, name: str, parameters: Sequence[tuple[str, str]], lines: Sequence[str]) -> list[str]:
    heads = ", ".join(
        f"{type_} {p}, SamplerState {p}_sampler" if type_ == NAMES[Type.SAMPLER] else f"{type_} {p}"
        for type_, p in parameters
    )
    return [f"{result} {name}({heads}) {{", *(f"    {line}" for line in lines), "}"]


DIALECT = Dialect(
    NAMES,
    RULES,
    lambda type_, name, text: f"{type_} {name} = {text};",
    _function,
    HLSL_WORDS | {"modulo", "texel_of"},
    lambda type_, text: f"(({type_}){text if text.isidentifier() else f'({text})'})",
)
SHAPE = Shape(
    lambda name: f"struct {name} {{",
    "};",
    lambda name, type_, words: f"    {NAMES[type_]} {name} : {name.upper()};{words}",
    lambda name, type_, words: f"    {NAMES[type_]} {name};{words}",
    lambda result, name, inputs: f"{result} {name}({inputs} inputs) {{",
    lambda result: f"{result} surface;",
)


def files(program: SurfaceProgram) -> dict[str, str]:
    """The text by the name of its file."""
    base, capital = program.base, program.type_name
    lines = heading(program)
    if program.block:
        lines.append(f"cbuffer {capital}Parameters : register(b0) {{")
        for name, slot in members(program.block):
            place = f"c{slot.offset // 16}" + (f".{'xyzw'[slot.offset % 16 // 4]}" if slot.offset % 16 else "")
            words = remark(program.words_of(slot.identifier))
            lines.append(f"    {NAMES[slot.type]} {name} : packoffset({place});{words}")
        lines += ["};", ""]
    for number, (name, words) in enumerate(program.textures.items()):
        lines.append(f"Texture2D {name} : register(t{number});{remark(words)}")
        lines.append(f"SamplerState {name}_sampler : register(s{number});")
    lines += [*([""] if program.textures else []), *functions(program, DIALECT, SHAPE, program.leaves)]
    lines += [
        f"float4 pixel_main({capital}Inputs inputs) : SV_Target0 {{",
        f"    {capital}Surface surface = {base}(inputs);",
        *(["    clip(surface.alpha - surface.alpha_cutoff);"] if program.alpha_mode == "mask" else []),
        "    return float4(surface.base_colour + surface.emissive, surface.alpha);",
        "}",
        "",
    ]
    return {f"{base}.hlsl": "\n".join(lines)}
