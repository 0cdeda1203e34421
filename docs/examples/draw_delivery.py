"""A small host: loads a material from a delivery folder and draws it on a ball with OpenGL, into a PNG.

    python draw_delivery.py FOLDER NAME OUT.png [PARAMETER=NUMBER[,NUMBER...]]...

It needs nothing of Soft Lantern: moderngl, NumPy and Pillow alone. One light, Lambert and Blinn-Phong, are its own; the
surface is the delivery's.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import moderngl
import numpy as np
from PIL import Image

SIZE = 512
LIGHTING = """#version 330 core
uniform sampler2D light, values, emission, normals;
uniform vec3 toward_light, toward_eye;
out vec4 pixel;
void main() {
    ivec2 at = ivec2(gl_FragCoord.xy);
    vec4 base = texelFetch(light, at, 0), held = texelFetch(values, at, 0);
    vec3 normal = texelFetch(normals, at, 0).xyz, middle = normalize(toward_light + toward_eye);
    float shine = pow(max(dot(normal, middle), 0.0), exp2(10.0 * (1.0 - held.y)));
    vec3 colour = base.rgb * (0.25 + max(dot(normal, toward_light), 0.0)) * held.z;
    colour += 0.3 * held.w * shine * (1.0 - held.y) + texelFetch(emission, at, 0).rgb;
    pixel = vec4(mix(vec3(0.18), pow(clamp(colour, 0.0, 1.0), vec3(1.0 / 2.2)), base.a), 1.0);
}
"""
WHOLE = """#version 330 core
void main() { gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0.0, 1.0); }
"""
FRAME = {
    "object_x": (1, 0, 0), "object_y": (0, 1, 0), "object_z": (0, 0, 1), "object_position": (0, 0, 0),
    "bounds_low": (-1, -1, -1), "bounds_high": (1, 1, 1), "has_vertex_color": (0,), "object_random": (0.5,),
    "camera_position": (0, 0, 4), "camera_right": (1, 0, 0), "camera_up": (0, 1, 0), "camera_range": (0.1, 100),
    "picture_size": (SIZE, SIZE), "time": (0,), "time_step": (1 / 60,),
}  # fmt: skip


def ball(rings: int = 64) -> tuple[dict[str, np.ndarray], np.ndarray]:
    """A unit ball: what delivered vertex shaders may read of it, by name, and its triangles."""
    v, u = np.meshgrid(np.linspace(0, 1, rings + 1), np.linspace(0, 1, 2 * rings + 1), indexing="ij")
    turn, down = (2 * np.pi * u).ravel(), (np.pi * v).ravel()
    points = np.stack([np.sin(turn) * np.sin(down), np.cos(down), np.cos(turn) * np.sin(down)], axis=1)
    along = np.stack([np.cos(turn), 0 * turn, -np.sin(turn), 0 * turn + 1], axis=1)
    uv = np.stack([u.ravel(), v.ravel()], axis=1)
    mesh = {"mesh_position": points, "mesh_normal": points, "mesh_tangent": along, "mesh_uv": uv, "mesh_uv1": uv}
    mesh["mesh_color"] = np.ones((len(points), 4))
    corner = np.arange(rings)[:, None] * (2 * rings + 1) + np.arange(2 * rings)
    a, b, c, d = (corner + step for step in (0, 1, 2 * rings + 1, 2 * rings + 2))
    return mesh, np.stack([a, c, b, b, c, d], axis=-1).reshape(-1, 3).astype("u4")


def filled(block: dict, values: dict) -> bytes:
    """A block of memory with values in it, laid out as the table of parameters says."""
    held = np.zeros(max(block["bytes"], 16) // 4, "f4")
    for member in block["members"]:
        parts = np.ravel(values.get(member["identifier"], FRAME.get(member["identifier"], 0)))
        held[member["offset"] // 4 : member["offset"] // 4 + len(parts)] = parts
    return held.tobytes()


def main(folder: Path, name: str, out: Path, *changes: str) -> None:
    """Draw a material of a delivery."""
    table = json.loads((folder / f"{name}.parameters.json").read_text(encoding="utf-8"))
    values = {row["identifier"]: row["default"] for row in table["parameters"]}
    values |= {key: [float(part) for part in text.split(",")] for key, text in (each.split("=") for each in changes)}
    gl = moderngl.create_context(require=330, standalone=True, backend="egl")
    vertex, fragment = ((folder / f"{name}.{kind}.glsl").read_text(encoding="utf-8") for kind in ("vert", "frag"))
    program = gl.program(vertex_shader=vertex, fragment_shader=fragment)
    scale, near, far = 1 / np.tan(np.radians(36) / 2), 0.1, 100.0
    view = np.diag([scale, scale, (far + near) / (near - far), 0.0])
    view[2, 3], view[3, 2] = 2 * far * near / (near - far), -1.0
    view[:, 3] -= 4 * view[:, 2]  # the ball stands four metres before the eye
    grey = gl.texture((1, 1), 4, np.array([0.5, 0.5, 1, 1], "f4").tobytes(), dtype="f4")  # for every other texture
    atlas = table.get("gradients", {}).get("texture")
    rows = Image.open(folder / atlas).convert("RGBA") if atlas else None
    held = gl.texture(rows.size, 4, rows.tobytes(), internal_format=0x8C43) if rows else grey  # sRGB decoded
    for unit, texture in enumerate((grey, held)):
        texture.use(unit)
    blocks = {key: filled(table[word], values) for key, word in ((table["block"]["name"], "block"), ("Frame", "frame"))}
    blocks["View"] = view.T.astype("f4").tobytes()
    for key in program:
        if isinstance(program[key], moderngl.UniformBlock):
            program[key] = list(blocks).index(key)
            gl.buffer(blocks[key]).bind_to_uniform_block(list(blocks).index(key))
        elif isinstance(program[key], moderngl.Uniform):  # a sampler
            program[key] = int(atlas is not None and key == table["gradients"]["sampler"])
    mesh, triangles = ball()
    buffers, even = [], np.zeros((len(mesh["mesh_position"]), 4))  # even: how attributes change, on a ball
    for key in program:
        if isinstance(program[key], moderngl.Attribute):
            data, wide = mesh.get(key.removeprefix("in_"), even), program[key].dimension
            buffers.append((gl.buffer(data[:, :wide].astype("f4").tobytes()), f"{wide}f", key))
    targets = [gl.texture((SIZE, SIZE), 4, dtype="f4") for _ in range(5)]
    surface = gl.framebuffer(targets, gl.depth_renderbuffer((SIZE, SIZE)))
    surface.use()
    surface.clear()
    gl.enable(moderngl.DEPTH_TEST)
    gl.vertex_array(program, buffers, index_buffer=gl.buffer(triangles.tobytes())).render()
    gl.disable(moderngl.DEPTH_TEST)
    light = gl.program(vertex_shader=WHOLE, fragment_shader=LIGHTING)
    for unit, (key, target) in enumerate(zip(("light", "values", "emission", "normals"), targets, strict=False)):
        target.use(unit)
        light[key] = unit
    light["toward_light"], light["toward_eye"] = (0.48, 0.64, 0.6), (0.0, 0.0, 1.0)
    shown = gl.simple_framebuffer((SIZE, SIZE), 4)
    shown.use()
    gl.vertex_array(light, []).render(moderngl.TRIANGLES, vertices=3)
    Image.frombytes("RGBA", (SIZE, SIZE), shown.read(components=4)).transpose(Image.Transpose.FLIP_TOP_BOTTOM).save(out)


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], Path(sys.argv[3]), *sys.argv[4:])
