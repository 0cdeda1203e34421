"""What the MaterialX package's GLSL generator writes, drawn over rows of inputs."""

from __future__ import annotations

import re

import moderngl
import numpy as np

from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_resources import write_uniform
from soft_lantern.render.gl_text import WHOLE_PICTURE_VERTEX

COUNT = 500
_GEOMETRY = {
    "texcoord": "vd.texcoord_0.xy",
    "position": "vd.positionObject",
    "normal": "normalize(vd.normalWorld)",
    "tangent": "normalize(vd.tangentWorld)",
    "bitangent": "normalize(vd.bitangentWorld)",
    "viewdirection": "normalize(vd.positionWorld - u_viewPosition)",
}


def drawn(
    gl: GlRenderer, text: str, inputs: dict[str, np.ndarray], *, optional: bool = False, height: int = 1
) -> np.ndarray:
    """The shader over rows of inputs, which take the place of its uniforms and geometry of those names, if `optional`
    where it has them: the first row of a picture so high."""
    lines, rows = [], []
    for index, (name, values) in enumerate(inputs.items()):
        letters = "xyzw"[: values.shape[1]]
        read = f"texelFetch(mine, ivec2(int(gl_FragCoord.x), {index}), 0).{letters}"
        declared = re.search(rf"uniform (\w+) ((?:node_)?{name}\d?) = [^;]*;", text)
        if declared:
            text = text.replace(declared[0], f"{declared[1]} {declared[2]};", 1)
            lines.append(f"{declared[2]} = {read};")
        else:
            assert optional or _GEOMETRY[name] in text, name
            text = text.replace(_GEOMETRY[name], read)
        rows.append(np.pad(values, ((0, 0), (0, 4 - values.shape[1]))))
    text = re.sub(r"in VertexData\s*\{[^}]*\} vd;", "", text)
    text = text.replace("void main()\n{", "void main()\n{\n" + "\n".join(lines), 1)
    text = text.replace("// Pixel shader outputs", "uniform sampler2D mine;\n// Pixel shader outputs", 1)
    gl.context.__enter__()  # type: ignore[no-untyped-call]  # whatever has drawn meanwhile
    program = gl.resources.program(WHOLE_PICTURE_VERTEX.replace("330 core", "400"), text)
    rows = rows or [np.zeros((COUNT, 4))]
    table = gl.context.texture((COUNT, len(rows)), 4, np.float32(rows).tobytes(), dtype="f4")
    table.filter = (moderngl.NEAREST, moderngl.NEAREST)
    table.use(0)
    target = gl.context.framebuffer([gl.context.texture((COUNT, height), 4, dtype="f4")])
    target.use()
    gl.context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
    write_uniform(program, "clip_to_world", np.eye(4))
    gl.context.vertex_array(program, []).render(moderngl.TRIANGLES, vertices=3)
    return np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(-1, 4)[:COUNT]


def units(rows: np.ndarray) -> np.ndarray:
    """The directions of rows."""
    return (rows / np.linalg.norm(rows, axis=1, keepdims=True)).astype(np.float32)
