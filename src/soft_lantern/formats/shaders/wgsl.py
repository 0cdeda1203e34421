"""WGSL, the shading language of WebGPU."""

from __future__ import annotations

from collections.abc import Sequence

from soft_lantern.formats.shaders.block import members
from soft_lantern.formats.shaders.one_file import Shape, functions, heading
from soft_lantern.formats.shaders.surface import SurfaceProgram, remark
from soft_lantern.ir.expr import BITS, Expr, Op, Type
from soft_lantern.ir.printer import (
    COMMON,
    INFIX,
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

KEY, WORDS = "wgsl", "WGSL, for WebGPU"
NAMES = {
    **dict(zip((Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4), ("f32", "vec2f", "vec3f", "vec4f"), strict=True)),
    Type.BOOL: "bool",
    Type.UINT: "u32",
    Type.SAMPLER: "texture_2d<f32>",
}
_WORDS = """
alias array asm as async atomic await become bool break case cast catch class co_await co_return co_yield coherent
column_major common compile compile_fragment concept const const_assert const_cast consteval constexpr constinit
continue continuing crate debugger decltype default delete demote demote_to_helper diagnostic discard do else enable
enum explicit export extends extern external f16 f32 fallthrough false filter final finally fn for friend from fxgroup
get goto groupshared handle highp i32 if impl implements import in inline instanceof interface layout let loop lowp
macro mat2x2 mat3x3 mat4x4 match mediump meta mod module move mut mutable namespace new nil noexcept noinline
nointerpolation non_coherent noncoherent noperspective null nullptr of operator override package packoffset partition
pass patch pixelfragment pointer precise precision premerge priv private protected ptr pub public readonly ref
regardless register require requires resource restrict return sampler self set shared signed sizeof smooth snorm
static static_assert static_cast std struct subroutine super switch target template texture_2d this thread_local throw
trait true try type typedef typeid typename typeof u32 union unless unorm unsafe unsized use using var varying vec2
vec2f vec3 vec3f vec4 vec4f virtual volatile wgsl where while with writeonly yield abs acos all any asin atan atan2
bitcast ceil clamp cos cross degrees determinant distance dot dpdx dpdy exp exp2 floor fma fract fwidth length log
log2 max min mix modf normalize pow radians reflect refract round saturate select sign sin smoothstep sqrt step tan
textureDimensions textureLoad textureSample textureSampleLevel transpose trunc
"""
RESERVED = frozenset(_WORDS.split())
"""Keywords, reserved words and built-in functions (W3C, WGSL, sections 15.1, 15.2 and 17)."""


def _finite(expr: Expr, args: list[Text], scope: Scope) -> Text:
    type_ = expr.args[0].type
    name, whole = scope.named(type_), "u32" if type_ is Type.FLOAT else f"vec{type_.width}u"
    held = f"(bitcast<{whole}>(value) & {whole}(0x7f800000u)) != {whole}(0x7f800000u)"
    test = held if type_ is Type.FLOAT else f"all({held})"
    scope.helpers[f"finite {name}"] = [f"fn finite_{name}(value: {name}) -> bool {{ return {test}; }}"]
    return Text(f"finite_{name}({args[0].text})", PRIMARY)


def _modulo(expr: Expr, args: list[Text], scope: Scope) -> Text:
    name = scope.named(expr.type)
    head = f"fn modulo_{name}(x: {name}, y: {name}) -> {name}"
    scope.helpers[f"modulo {name}"] = [f"{head} {{ return x - y * floor(x / y); }}"]
    return as_called(f"modulo_{name}")(expr, args, scope)


def _apart(expr: Expr, args: list[Text], _scope: Scope) -> Text:
    """Operators that may not stand beside others without brackets (W3C, WGSL, section 8.19)."""
    symbol, strength = INFIX[expr.op]
    return Text(f"{args[0].within(UNARY)} {symbol} {args[1].within(UNARY)}", strength)


RULES: dict[Op, Rule] = {
    **{op: as_called(op.value) for op in Op},
    **COMMON,
    **dict.fromkeys((*BITS, Op.AND, Op.OR), _apart),
    Op.CALL: called_with_samplers,
    Op.SELECT: pattern("select({2}, {1}, {0})"),
    Op.FINITE: _finite,
    Op.MOD: _modulo,
    Op.WHOLE: pattern("u32(i32(floor({0})))"),
    Op.TO_FLOAT: pattern("f32({0})"),
    Op.TEXTURE: pattern("textureSample({0}, {0}_sampler, {1})"),
    Op.TEXTURE_LEVEL: pattern("textureSampleLevel({0}, {0}_sampler, {1}, {2})"),
    Op.TEXEL: pattern("(1.0 / vec2f(textureDimensions({0})))"),
    Op.CHANGE_RIGHT: pattern("dpdx({0})"),
    Op.CHANGE_UP: pattern("(-dpdy({0}))"),  # rows count downwards
}


def _function(result: str, name: str, parameters: Sequence[tuple[str, str]], lines: Sequence[str]) -> list[str]:
    heads = ", ".join(
        f"{p}: {type_}, {p}_sampler: sampler" if type_ == NAMES[Type.SAMPLER] else f"{p}: {type_}"
        for type_, p in parameters
    )
    return [f"fn {name}({heads}) -> {result} {{", *(f"    {line}" for line in lines), "}"]


def _member(name: str, type_: Type, words: str) -> str:
    return f"    {name}: {NAMES[type_]},{words}"


DIALECT = Dialect(NAMES, RULES, lambda _type, name, text: f"let {name} = {text};", _function, RESERVED)
SHAPE = Shape(
    lambda name: f"struct {name} {{",
    "}",
    _member,
    _member,
    lambda result, name, inputs: f"fn {name}(inputs: {inputs}) -> {result} {{",
    lambda result: f"var surface: {result};",
)


def files(program: SurfaceProgram) -> dict[str, str]:
    """The text by the name of its file."""
    base, capital = program.base, program.type_name
    lines = heading(program)
    if program.block:
        lines.append(f"struct {capital}Parameters {{")
        for name, slot in members(program.block):
            lines.append(_member(name, slot.type, remark(program.words_of(slot.identifier))))
        lines += ["}", "", f"@group(0) @binding(0) var<uniform> parameters: {capital}Parameters;"]
    for number, (name, words) in enumerate(program.textures.items()):
        lines.append(f"@group(0) @binding({2 * number + 1}) var {name}: texture_2d<f32>;{remark(words)}")
        lines.append(f"@group(0) @binding({2 * number + 2}) var {name}_sampler: sampler;")
    leaves = {
        uniform: name if name in program.textures else f"parameters.{name}" for uniform, name in program.leaves.items()
    }
    return {f"{base}.wgsl": "\n".join([*lines, "", *functions(program, DIALECT, SHAPE, leaves)])}
