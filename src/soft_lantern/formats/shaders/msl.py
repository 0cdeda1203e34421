"""Metal Shading Language 2.0 and later."""

from __future__ import annotations

from collections.abc import Sequence

from soft_lantern.formats.shaders.block import members
from soft_lantern.formats.shaders.one_file import Shape, functions, heading
from soft_lantern.formats.shaders.surface import SurfaceProgram, remark
from soft_lantern.ir.expr import Expr, Op, Type
from soft_lantern.ir.printer import (
    COMMON,
    UNARY,
    Dialect,
    Rule,
    Scope,
    Text,
    as_called,
    called_with_samplers,
    pattern,
)

KEY, WORDS = "msl", "Metal Shading Language 2.0"
NAMES = {
    **dict(zip((Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4), ("float", "float2", "float3", "float4"), strict=True)),
    Type.BOOL: "bool",
    Type.UINT: "uint",
    Type.SAMPLER: "texture2d<float>",
}
_WORDS = """
alignas alignof and and_eq asm auto bitand bitor bool break case catch char class compl const const_cast constant
constexpr continue decltype default delete device do double dynamic_cast else enum explicit export extern false float
for fragment friend goto half if inline int kernel level long mutable namespace new noexcept not not_eq nullptr
operator or or_eq patch private protected public register reinterpret_cast return sampler short signed sizeof static
static_assert static_cast struct switch template texture2d this thread thread_local threadgroup throw true try typedef
typeid typename uint union unsigned using vertex virtual void volatile wchar_t while xor xor_eq metal main modulo
"""
RESERVED = frozenset(_WORDS.split())
"""Keywords of C++14 and of Metal (Metal Shading Language Specification, sections 1.4 and 4)."""


def _finite(expr: Expr, args: list[Text], _scope: Scope) -> Text:
    return Text(f"all(isfinite({args[0].text}))", UNARY)


def _modulo(expr: Expr, args: list[Text], scope: Scope) -> Text:
    name = scope.named(expr.type)
    scope.helpers[f"modulo {name}"] = [f"static {name} modulo({name} x, {name} y) {{ return x - y * floor(x / y); }}"]
    return as_called("modulo")(expr, args, scope)


RULES: dict[Op, Rule] = {
    **{op: as_called(op.value) for op in Op},
    **COMMON,
    Op.CALL: called_with_samplers,
    Op.FINITE: _finite,
    Op.MOD: _modulo,
    Op.WHOLE: pattern("uint(int(floor({0})))"),
    Op.TO_FLOAT: pattern("float({0})"),
    Op.TEXTURE: pattern("{0}.sample({0}_sampler, {1})"),
    Op.TEXTURE_LEVEL: pattern("{0}.sample({0}_sampler, {1}, level({2}))"),
    Op.TEXEL: pattern("(1.0 / float2({0}.get_width(), {0}.get_height()))"),
    Op.CHANGE_RIGHT: pattern("dfdx({0})"),
    Op.CHANGE_UP: pattern("(-dfdy({0}))"),  # rows count downwards
}


def _texture(name: str) -> str:
    return f"{NAMES[Type.SAMPLER]} {name}, sampler {name}_sampler"


def _function(result: str, name: str, parameters: Sequence[tuple[str, str]], lines: Sequence[str]) -> list[str]:
    heads = ", ".join(_texture(p) if type_ == NAMES[Type.SAMPLER] else f"{type_} {p}" for type_, p in parameters)
    return [f"static {result} {name}({heads}) {{", *(f"    {line}" for line in lines), "}"]


DIALECT = Dialect(NAMES, RULES, lambda type_, name, text: f"{type_} {name} = {text};", _function, RESERVED)


def files(program: SurfaceProgram) -> dict[str, str]:
    """The text by the name of its file."""
    base, capital = program.base, program.type_name
    lines = ["#include <metal_stdlib>", "using namespace metal;", *heading(program)]
    widths = {slot.identifier: slot.width for slot in program.block}
    if program.block:
        lines.append(f"struct {capital}Parameters {{")
        for name, slot in members(program.block):
            kind = "packed_float3" if slot.width == 3 else NAMES[slot.type]
            lines.append(f"    {kind} {name};{remark(program.words_of(slot.identifier))}")
        lines += ["};", ""]
    given = [f"constant {capital}Parameters& parameters"] if program.block else []
    given += [_texture(name) for name in program.textures]

    def read(name: str) -> str:
        if name in program.textures:
            return name
        return f"float3(parameters.{name})" if widths[name] == 3 else f"parameters.{name}"

    leaves = {uniform: read(name) for uniform, name in program.leaves.items()}

    def member(name: str, type_: Type, words: str) -> str:
        return f"    {NAMES[type_]} {name};{words}"

    shape = Shape(
        lambda name: f"struct {name} {{",
        "};",
        member,
        member,
        lambda result, name, inputs: f"{result} {name}({', '.join([f'{inputs} inputs', *given])}) {{",
        lambda result: f"{result} surface;",
    )
    return {f"{base}.metal": "\n".join([*lines, *functions(program, DIALECT, shape, leaves)])}
