"""Delivered text of WGSL, HLSL and GLSL 4.50 with a fragment stage of its own that calls the surface at given points.

The function stays as it is, and what that calls. Each draws a picture with a column for each point and a row for each
of the surface's values, and reads inputs from a buffer of floats, point after point.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct

from soft_lantern.errors import LanternError
from soft_lantern.formats.shaders import hlsl, wgsl
from soft_lantern.formats.shaders.glsl_files import FLAVOURS
from soft_lantern.ir.expr import Type, vector_type
from soft_lantern.proof.absent import Absent
from soft_lantern.proof.by_glslang import COMPILER, SECONDS
from soft_lantern.proof.glsl_points import function_alone
from soft_lantern.proof.points import Trial

Spot = tuple[int, int]
"""A group and a binding in it."""
GIVEN, SAMPLER = (1, 0), (1, 1)
TEXTURES, SAMPLERS = 16, 48
"""Where glslang is to put the first texture and sampler of HLSL, whose registers are counted apart."""


class Stage(Struct, frozen=True):
    """A fragment stage: its text or SPIR-V, its entry point, and where its textures and samplers are bound, by name."""

    code: str | bytes
    entry: str
    textures: dict[str, Spot]
    samplers: dict[str, Spot]


def _columns(tried: Trial) -> list[tuple[str, int, int]]:
    """Each input with the place of its first part in a point's floats, and how many it has."""
    found, at = [], 0
    for name, rows in tried.inputs.items():
        found.append((name, at, rows.shape[1]))
        at += rows.shape[1]
    return found


def _given(tried: Trial, types: Callable[[Type], str], one: str) -> list[str]:
    """Lines that fill a point's inputs. `types`: what a language calls them; `one`: how it reads a float of a row."""
    lines = []
    for name, at, width in _columns(tried):
        parts = ", ".join(one.format(f"row + {at + part}u") for part in range(width))
        lines.append(f"    inputs.{name} = {types(vector_type(width))}({parts});")
    return lines


def stride(tried: Trial) -> int:
    """Floats of one point in the buffer of inputs."""
    return max(sum(width for _, _, width in _columns(tried)), 1)


def of_wgsl(tried: Trial) -> Stage:
    """The stage in WGSL."""
    program = tried.program
    (text,) = wgsl.files(program).values()
    lines = [f"    let row = u32(place.x) * {stride(tried)}u;", f"    var inputs: {program.type_name}Inputs;"]
    lines += _given(tried, wgsl.NAMES.__getitem__, "given[{}]")
    lines += [f"    let surface = {program.base}(inputs);", "    var pixel = vec4f();"]
    for row, (name, wanted) in enumerate(tried.wanted.items()):
        filling = ", 0.0" * (4 - wanted.shape[1])
        lines.append(f"    if (u32(place.y) == {row}u) {{ pixel = vec4f(surface.{name}{filling}); }}")
    head = [
        f"@group({GIVEN[0]}) @binding({GIVEN[1]}) var<storage, read> given: array<f32>;",
        "@fragment fn prove(@builtin(position) place: vec4f) -> @location(0) vec4f {",
    ]
    code = "\n".join([text, *head, *lines, "    return pixel;", "}", ""])
    names = list(program.textures)
    textures = {name: (0, 2 * n + 1) for n, name in enumerate(names)}
    return Stage(code, "prove", textures, {f"{name}_sampler": (0, 2 * n + 2) for n, name in enumerate(names)})


def of_hlsl(tried: Trial) -> Stage:
    """The stage in SPIR-V that glslang makes of HLSL.

    Raises Absent where glslang is not there, LanternError where it refuses.
    """
    program = tried.program
    (text,) = hlsl.files(program).values()
    lines = [f"    uint row = uint(place.x) * {stride(tried)}u;", f"    {program.type_name}Inputs inputs;"]
    lines += _given(tried, hlsl.NAMES.__getitem__, "asfloat(given.Load(({}) * 4u))")
    lines += _called(tried, "float4")
    head = [
        f"ByteAddressBuffer given : register(t0, space{GIVEN[0]});",
        "float4 prove(float4 place : SV_Position) : SV_Target0 {",
    ]
    code = "\n".join([text, *head, *lines, "    return pixel;", "}", ""])
    shifts = [f"--shift-texture-binding frag {TEXTURES} 0", f"--shift-sampler-binding frag {SAMPLERS} 0"]
    made = _compiled(code, ["-D", "-V", "-e", "prove", *" ".join(shifts).split()])
    names = list(program.textures)
    textures = {name: (0, TEXTURES + n) for n, name in enumerate(names)}
    return Stage(made, "prove", textures, {f"{name}_sampler": (0, SAMPLERS + n) for n, name in enumerate(names)})


def of_spirv(tried: Trial) -> Stage:
    """The stage in SPIR-V that glslang makes of GLSL 4.50, its textures and their sampler apart.

    Raises Absent where glslang is not there, LanternError where it refuses.
    """
    program = tried.program
    body = function_alone(program, "glsl-450")
    bindings = {name: int(at) for at, name in re.findall(r"binding = (\d+)\) uniform sampler2D (\w+);", body)}
    # naga takes textures and samplers apart only.
    body = re.sub(r"\b(texture|textureLod)\((\w+), ", r"\1(sampler2D(\2, one_sampler), ", body)
    body = body.replace("sampler2D ", "texture2D ")
    lines = [f"    uint row = uint(gl_FragCoord.x) * {stride(tried)}u;", f"    {program.type_name}Inputs inputs;"]
    lines += _given(tried, lambda kind: kind.value, "given[{}]")
    head = [
        *FLAVOURS["glsl-450"].head,
        "#extension GL_EXT_samplerless_texture_functions : require",
        f"layout(set = {GIVEN[0]}, binding = {GIVEN[1]}) readonly buffer Given {{ float given[]; }};",
        f"layout(set = {SAMPLER[0]}, binding = {SAMPLER[1]}) uniform sampler one_sampler;",
        "layout(location = 0) out vec4 drawn;",
    ]
    code = "\n".join([*head, body, "void main() {", *lines, *_called(tried, "vec4"), "    drawn = pixel;", "}", ""])
    samplers = {"one_sampler": SAMPLER} if "one_sampler)" in body else {}
    return Stage(_compiled(code, ["-V"]), "main", {name: (0, at) for name, at in bindings.items()}, samplers)


def _called(tried: Trial, vector: str) -> list[str]:
    """The surface at a point, and the one of its values that this row is for."""
    program = tried.program
    place = "gl_FragCoord" if vector == "vec4" else "place"
    lines = [f"    {program.type_name}Surface surface = {program.base}(inputs);"]
    lines.append(f"    {vector} pixel = {vector}(0.0, 0.0, 0.0, 0.0);")
    for row, (name, wanted) in enumerate(tried.wanted.items()):
        letters = "xyzw"[: wanted.shape[1]]
        lines.append(f"    if (uint({place}.y) == {row}u) {{ pixel.{letters} = surface.{name}; }}")
    return lines


def _compiled(text: str, how: list[str]) -> bytes:
    compiler = shutil.which(COMPILER)
    if compiler is None:
        raise Absent(f"it is compiled by {COMPILER}, of Debian's glslang-tools")
    with tempfile.TemporaryDirectory() as home:
        source, made = Path(home) / "prove.frag", Path(home) / "made.spv"
        source.write_text(text)
        asked = [compiler, *how, "-S", "frag", str(source), "-o", str(made)]
        done = subprocess.run(asked, capture_output=True, text=True, timeout=SECONDS)
        if done.returncode or not made.exists():
            raise LanternError((done.stdout + done.stderr).strip().replace("\n", "; ") or f"{COMPILER} failed")
        return made.read_bytes()


STAGES: dict[str, Callable[[Trial], Stage]] = {"wgsl": of_wgsl, "hlsl": of_hlsl, "spirv": of_spirv}
"""By target."""
