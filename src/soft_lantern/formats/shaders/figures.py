"""What a material's text costs, beside what the standards of each target promise at least."""

from __future__ import annotations

from collections import Counter

from msgspec import Struct

from soft_lantern.formats.shaders.block import size_of
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.ir.cost import COUNTED, cost
from soft_lantern.ir.expr import topological
from soft_lantern.values.words import counted


class Limits(Struct, frozen=True):
    """At least: texture units of a fragment shader, bytes of parameters, numbers handed on by vertices; and by what."""

    units: int
    parameters: int
    varyings: int
    source: str


LIMITS = {
    "glsl": Limits(16, 16_384, 60, "OpenGL 3.3 core, 6.2: 16 image units, blocks of 16,384 bytes, 60 varying ones"),
    "glsl-es": Limits(16, 16_384, 60, "OpenGL ES 3.0, 6.2: 16 image units, blocks of 16,384 bytes, 60 varying ones"),
    "glsl-450": Limits(16, 16_384, 60, "OpenGL 4.5 core, 23: 16 image units, blocks of 16,384 bytes, 60 varying ones"),
    "hlsl": Limits(16, 65_536, 128, "Direct3D 11: 16 samplers, constant buffers of 4,096 vectors, 32 registers"),
    "msl": Limits(16, 65_536, 60, "Metal feature sets: 16 samplers, constants of 64 KB, 60 scalars to a fragment"),
    "wgsl": Limits(
        16, 65_536, 60, "WebGPU, 3.6.2: 16 sampled textures, uniform bindings of 65,536 bytes, 60 components"
    ),
    "spirv": Limits(
        16, 16_384, 64, "Vulkan 1.0, 31.2: 16 sampled images, uniform ranges of 16,384 bytes, 64 components"
    ),
}
"""By targets; from memory."""


class Figure(Struct, frozen=True):
    """Something measured, in words, and whether it is more than every device has."""

    words: str
    too_much: bool = False


class Spent(Struct, frozen=True):
    """What a node of the graph costs for a pixel."""

    node: str
    operations: int
    texture_reads: int


def spenders(program: SurfaceProgram) -> list[Spent]:
    """What each node of a material's graph costs for a pixel, the dearest first; "" is what belongs to no node."""
    stage = program.pixel
    operations: Counter[str] = Counter()
    reads: Counter[str] = Counter()
    for expr in topological(stage.results.values()):
        more, read = COUNTED[expr.op](expr)
        node = stage.origins.get(expr, "")
        operations[node] += more
        reads[node] += read
    found = [Spent(node, operations[node], reads[node]) for node in operations]
    return sorted(found, key=lambda each: (-each.operations, -each.texture_reads, each.node))


def figures(program: SurfaceProgram, target: str = "glsl") -> list[Figure]:
    """What is known of a material's text for a target."""
    least = LIMITS.get(target, LIMITS["glsl"])
    pixel, vertex = cost(program.pixel.results.values()), cost(program.vertex.results.values())
    textures, block = len(program.textures), size_of(program.block)
    handed_on = sum(expr.type.width for name, expr in program.vertex.results.items() if name)
    return [
        Figure(f"{pixel.operations:,} operations a pixel, {vertex.operations:,} a vertex"),
        Figure(f"{counted(pixel.texture_reads, 'texture read')} a pixel"),
        Figure(f"{textures} of {least.units} texture units", textures > least.units),
        Figure(f"{block:,} of {least.parameters:,} bytes of parameters", block > least.parameters),
        Figure(f"{handed_on} of {least.varyings} numbers from vertex to pixel", handed_on > least.varyings),
    ]
