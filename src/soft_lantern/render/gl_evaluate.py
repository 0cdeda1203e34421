"""Expressions computed on the GPU at single points: the other reader to hold the NumPy reader against."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from soft_lantern.ir import glsl
from soft_lantern.ir.expr import Expr, Op, Type, topological
from soft_lantern.ir.numpy_reader import as_rows
from soft_lantern.ir.printer import Body
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_resources import write_uniform
from soft_lantern.render.gl_text import WHOLE_PICTURE_VERTEX

Rows = npt.NDArray[np.float32]


def evaluate_on_gpu(
    renderer: GlRenderer, results: Mapping[str, Expr], leaves: Mapping[str, npt.NDArray[Any]], count: int
) -> dict[str, Rows]:
    """The results at `count` points (at most 8,192), each an array (count, components) in single precision.

    `leaves` gives inputs and uniforms by name in the NumPy reader's layout. Raises KeyError where one is missing.
    """
    renderer.context.__enter__()  # type: ignore[no-untyped-call]
    order = topological(results.values())
    read = [e for e in order if e.op in (Op.INPUT, Op.UNIFORM) and e.type is not Type.SAMPLER]
    sampled = [str(e.data) for e in order if e.type is Type.SAMPLER]
    by_level = {str(e.args[0].data) for e in order if e.op is Op.TEXTURE_LEVEL}
    names = {str(e.data): f"leaf_{row}" for row, e in enumerate(read)}
    names |= {name: f"image_{index}" for index, name in enumerate(sampled)}
    text = _fragment(results, read, names, len(sampled))
    table = np.zeros((max(len(read), 1), count, 4), np.float32)
    for row, leaf in enumerate(read):
        table[row, :, : leaf.type.width] = as_rows(np.asarray(leaves[str(leaf.data)], np.float32), count)
    context = renderer.context
    points = context.texture((count, len(table)), 4, table.tobytes(), dtype="f4")
    points.filter = (moderngl.NEAREST, moderngl.NEAREST)
    computed = context.texture((count, len(results)), 4, dtype="f4")
    target = context.framebuffer([computed])
    program = renderer.resources.program(WHOLE_PICTURE_VERTEX, text)
    array = context.vertex_array(program, [])
    try:
        context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        target.use()
        points.use(0)
        for index, name in enumerate(sampled):
            levels = name in by_level
            renderer.resources.bind(program, names[name], leaves[name], index + 1, levels=levels)  # type: ignore[arg-type]
        write_uniform(program, "clip_to_world", np.eye(4))
        array.render(moderngl.TRIANGLES, vertices=3)
        rows = np.frombuffer(computed.read(), np.float32).reshape(len(results), count, 4)
    finally:
        for each in (array, target, computed, points):
            each.release()
    return {name: rows[i, :, : expr.type.width] for i, (name, expr) in enumerate(results.items())}


def _fragment(results: Mapping[str, Expr], read: list[Expr], names: dict[str, str], images: int) -> str:
    written = glsl.write(Body(list(results.values()), {}, names), {"points", "pixel", "row", "column"})
    body = ["int column = int(gl_FragCoord.x);", "int row = int(gl_FragCoord.y);"]
    for row, leaf in enumerate(read):
        letters = "xyzw"[: leaf.type.width]
        body.append(f"{leaf.type.value} leaf_{row} = texelFetch(points, ivec2(column, {row}), 0).{letters};")
    body += written.statements
    body.append("pixel = vec4(0.0);")
    for row, (expr, text) in enumerate(zip(results.values(), written.results, strict=True)):
        value = f"float({text})" if expr.type is Type.BOOL else text
        body.append(f"if (row == {row}) pixel.{'xyzw'[: expr.type.width]} = {value};")
    lines = ["#version 330 core", "uniform sampler2D points;", "out vec4 pixel;"]
    lines += [f"uniform sampler2D image_{index};" for index in range(images)]
    lines += [*written.functions, "void main() {"]
    return "\n".join([*lines, *(f"    {line}" for line in body), "}", ""])
