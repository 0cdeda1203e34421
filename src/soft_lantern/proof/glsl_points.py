"""A delivered fragment shader of GLSL, called at points that are given instead of those that a mesh covers.

Its function stays as it is, and what that calls; only where it has its inputs from is another.
"""

from __future__ import annotations

import re

import numpy as np

from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.ir.glsl_program import HEADS
from soft_lantern.proof.points import Points, Rows, Trial

_VERTEX = """
void main() {
    gl_Position = vec4(vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 4.0 - 1.0, 0.0, 1.0);
}
"""
DATA = "points_given"


def around(target: str) -> tuple[str, str]:
    """The vertex shader, and the first lines of the fragment shader, for "glsl" or "glsl-es"."""
    head = "\n".join(HEADS[target]) + "\n"
    return head + _VERTEX, f"{head}uniform sampler2D {DATA};\nout vec4 pixel;\n"


def function_alone(program: SurfaceProgram, target: str) -> str:
    """The fragment shader for a version of GLSL without where its inputs come from and what it writes."""
    (text,) = (str(text) for name, text in TARGETS[target].files(program).items() if ".frag." in name)
    body = text[text.index("//") : text.index("void main()")]
    for pattern in _AROUND:
        body = re.sub(pattern, "", body, flags=re.MULTILINE)
    return body


_AROUND = (
    r"^(layout\(.*?\) )?(in|out) .*\n",
    r"^(layout\(.*?\) )?uniform sampler2D depth_picture;.*\n",
    r"^layout\(.*?\) uniform Frame \{\n(.*\n)*?\} frame;\n",
)


def texts(tried: Trial, target: str) -> tuple[str, str]:
    """The vertex and fragment shader for "glsl" or "glsl-es".

    They draw a picture with a column for each point and a row for each of the surface's values, and read `DATA`, a
    picture of floats with a column for each point and a row for each of its inputs.
    """
    program = tried.program
    body = function_alone(program, target)
    lines = [f"    {program.type_name}Inputs inputs;"]
    for row, (name, given) in enumerate(tried.inputs.items()):
        letters = "xyzw"[: given.shape[1]]
        lines.append(f"    inputs.{name} = texelFetch({DATA}, ivec2(int(gl_FragCoord.x), {row}), 0).{letters};")
    lines.append(f"    {program.type_name}Surface surface = {program.base}(inputs);")
    lines.append("    pixel = vec4(0.0);")
    for row, (name, wanted) in enumerate(tried.wanted.items()):
        letters = "xyzw"[: wanted.shape[1]]
        lines.append(f"    if (int(gl_FragCoord.y) == {row}) pixel.{letters} = surface.{name};")
    vertex, head = around(target)
    return vertex, "".join([head, body, "void main() {\n", "\n".join(lines), "\n}\n"])


def block_of(tried: Trial) -> str:
    """The name of the block that its parameters lie in."""
    return f"{tried.program.type_name}Parameters"


def given(tried: Points) -> Rows:
    """The picture of inputs, (rows, points, 4)."""
    count = len(next(iter(tried.wanted.values())))
    table = np.zeros((max(len(tried.inputs), 1), count, 4), np.float32)
    for row, values in enumerate(tried.inputs.values()):
        table[row, :, : values.shape[1]] = values
    return table


def found(tried: Points, table: Rows) -> dict[str, Rows]:
    """The surface's values in a picture that was drawn, (rows, points, 4)."""
    return {name: table[row, :, : wanted.shape[1]] for row, (name, wanted) in enumerate(tried.wanted.items())}
