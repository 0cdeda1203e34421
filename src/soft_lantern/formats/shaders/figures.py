"""What a material's text costs, beside what the standards promise at least."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from soft_lantern.formats.shaders.block import size_of
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.ir.cost import COUNTED, cost
from soft_lantern.ir.expr import topological
from soft_lantern.values.words import counted

UNITS, BLOCK, VARYINGS = 16, 16_384, 60
"""At least: texture units of a fragment shader, bytes of a uniform block, numbers handed on by vertices.

OpenGL 3.3 core, section 6.2: MAX_TEXTURE_IMAGE_UNITS 16, MAX_UNIFORM_BLOCK_SIZE 16384, MAX_VARYING_COMPONENTS 60.
"""


@dataclass(frozen=True)
class Figure:
    """Something measured, in words, and whether it is more than every device has."""

    words: str
    too_much: bool = False


@dataclass(frozen=True)
class Spent:
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


def figures(program: SurfaceProgram) -> list[Figure]:
    """What is known of a material's text."""
    pixel, vertex = cost(program.pixel.results.values()), cost(program.vertex.results.values())
    textures, block = len(program.textures), size_of(program.block)
    handed_on = sum(expr.type.width for name, expr in program.vertex.results.items() if name)
    return [
        Figure(f"{pixel.operations:,} operations a pixel, {vertex.operations:,} a vertex"),
        Figure(f"{counted(pixel.texture_reads, 'texture read')} a pixel"),
        Figure(f"{textures} of {UNITS} texture units", textures > UNITS),
        Figure(f"{block:,} of {BLOCK:,} bytes of parameters", block > BLOCK),
        Figure(f"{handed_on} of {VARYINGS} numbers from vertex to pixel", handed_on > VARYINGS),
    ]
