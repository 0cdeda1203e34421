"""The OpenGL renderer: moderngl in an EGL context without a window."""

from __future__ import annotations

import time
import weakref
from collections import OrderedDict
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.ir.expr import Expr
from soft_lantern.render.frame import Frame, Item, Paint, Picture
from soft_lantern.render.gl_text import WrittenShader, fragment_shader
from soft_lantern.render.surface_model import DISPLAYED
from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.transforms import normal_matrix

_VERTEX = """#version 330 core
in vec3 in_position;
in vec3 in_normal;
in vec2 in_uv;
in vec4 in_colour;
uniform mat4 model;
uniform mat3 normal_matrix;
uniform mat4 view_projection;
out vec3 position_object;
out vec3 position_world;
out vec3 surface_normal;
out vec2 uv;
out vec4 vertex_color;
void main() {
    vec4 world = model * vec4(in_position, 1.0);
    position_object = in_position;
    position_world = world.xyz;
    surface_normal = normal_matrix * in_normal;
    uv = in_uv;
    vertex_color = in_colour;
    gl_Position = view_projection * world;
}
"""
WHOLE_PICTURE_VERTEX = """#version 330 core
uniform mat4 clip_to_world;
out vec3 position_world;
void main() {
    vec2 corner = vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 4.0 - 1.0;
    vec4 far = clip_to_world * vec4(corner, 1.0, 1.0);
    position_world = far.xyz / far.w;
    gl_Position = vec4(corner, 1.0, 1.0);
}
"""
_ATTRIBUTES = {"in_position": 3, "in_normal": 3, "in_uv": 2, "in_colour": 4}
PROGRAMS_KEPT = 200
_Buffers = tuple[moderngl.Buffer, moderngl.Buffer]


class GlRenderer:
    """Draws frames with OpenGL 3.3. `compiled` counts the programs built so far."""

    name = "gl"

    def __init__(self) -> None:
        """Raises NoGraphics where no OpenGL 3.3 context can be had."""
        try:
            self.context = moderngl.create_context(require=330, standalone=True, backend="egl")  # type: ignore[arg-type]
        except Exception as error:  # the binding raises many kinds, down to plain Exception
            raise NoGraphics(f"no OpenGL 3.3 on this machine ({error})") from error
        self.device = str(self.context.info["GL_RENDERER"])
        self.compiled = 0
        self._programs: OrderedDict[str, moderngl.Program] = OrderedDict()
        self._shaders: weakref.WeakKeyDictionary[Expr, WrittenShader] = weakref.WeakKeyDictionary()
        self._buffers: weakref.WeakKeyDictionary[Mesh, _Buffers] = weakref.WeakKeyDictionary()
        self._targets: dict[tuple[int, int, int], _Target] = {}

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame, and its linear pixels. Raises LanternError where the driver refuses a shader."""
        started = time.perf_counter()
        target = self._target(frame)
        context = self.context
        target.drawing.use()
        target.drawing.clear(0.0, 0.0, 0.0, 1.0, depth=1.0)
        context.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)
        self._fill(frame, frame.backdrop)
        context.enable(moderngl.DEPTH_TEST)
        for item in frame.items:
            if not item.blended:
                self._draw(frame, item)
        context.enable(moderngl.BLEND)
        # "Over" for colour; what covers a pixel can only make it more opaque.
        context.blend_func = (  # type: ignore[assignment]
            moderngl.SRC_ALPHA,
            moderngl.ONE_MINUS_SRC_ALPHA,
            moderngl.ONE,
            moderngl.ONE_MINUS_SRC_ALPHA,
        )
        target.drawing.depth_mask = False
        for item in frame.items:
            if item.blended:
                self._draw(frame, item)
        target.drawing.depth_mask = True
        context.disable(moderngl.BLEND | moderngl.DEPTH_TEST)
        if target.resolved is not target.drawing:
            context.copy_framebuffer(target.resolved, target.drawing)
        pixels = self._display(frame, target)
        linear = np.frombuffer(target.linear.read(), np.float32).reshape(frame.size[1], frame.size[0], 4)
        return Picture(pixels, linear[::-1], time.perf_counter() - started)

    def program(self, vertex: str, fragment: str) -> moderngl.Program:
        """The program of two shaders, compiled once. Raises LanternError with the driver's words."""
        key = vertex + fragment
        if key not in self._programs:
            try:
                self._programs[key] = self.context.program(vertex_shader=vertex, fragment_shader=fragment)
            except moderngl.Error as error:
                raise LanternError(f"the graphics driver refused a shader: {_first_error(error)}") from error
            self.compiled += 1
            if len(self._programs) > PROGRAMS_KEPT:
                self._programs.popitem(last=False)[1].release()
        self._programs.move_to_end(key)
        return self._programs[key]

    def _draw(self, frame: Frame, item: Item) -> None:
        shader = self._shader(item.paint)
        program = self.program(_VERTEX, shader.text)
        write_uniform(program, "model", item.matrix)
        write_uniform(program, "normal_matrix", normal_matrix(item.matrix))
        write_uniform(program, "view_projection", frame.camera.view_projection)
        _set_uniforms(program, shader, frame, item.paint)
        vertices, indices = self._mesh_buffers(item.mesh)
        layout = " ".join(f"{n}f" if name in program else f"{4 * n}x" for name, n in _ATTRIBUTES.items())
        used = [name for name in _ATTRIBUTES if name in program]
        array = self.context.vertex_array(program, [(vertices, layout, *used)], index_buffer=indices)
        array.render(moderngl.TRIANGLES)
        array.release()

    def _fill(self, frame: Frame, paint: Paint) -> None:
        shader = self._shader(paint)
        program = self.program(WHOLE_PICTURE_VERTEX, shader.text)
        write_uniform(program, "clip_to_world", np.linalg.inv(frame.camera.view_projection))
        _set_uniforms(program, shader, frame, paint)
        array = self.context.vertex_array(program, [])
        array.render(moderngl.TRIANGLES, vertices=3)
        array.release()

    def _display(self, frame: Frame, target: _Target) -> np.ndarray:
        shader = self._shader(Paint(frame.display))
        program = self.program(WHOLE_PICTURE_VERTEX, shader.text)
        target.linear.use(0)
        write_uniform(program, "clip_to_world", np.eye(4))
        target.shown.use()
        array = self.context.vertex_array(program, [])
        array.render(moderngl.TRIANGLES, vertices=3)
        array.release()
        rows = np.frombuffer(target.shown.read(components=4), np.uint8)
        return rows.reshape(frame.size[1], frame.size[0], 4)[::-1]

    def _shader(self, paint: Paint) -> WrittenShader:
        if paint.colour not in self._shaders:
            self._shaders[paint.colour] = fragment_shader(paint)
        return self._shaders[paint.colour]

    def _mesh_buffers(self, mesh: Mesh) -> _Buffers:
        if mesh not in self._buffers:
            rows = np.hstack([mesh.positions, mesh.normals, mesh.uvs, mesh.colours]).astype("f4")
            self._buffers[mesh] = (
                self.context.buffer(rows.tobytes()),
                self.context.buffer(mesh.triangles.astype("u4").tobytes()),
            )
        return self._buffers[mesh]

    def _target(self, frame: Frame) -> _Target:
        key = (frame.size[0], frame.size[1], frame.samples)
        if key not in self._targets:
            while len(self._targets) >= 4:
                self._targets.pop(next(iter(self._targets))).release()
            self._targets[key] = _Target(self.context, frame.size, frame.samples)
        return self._targets[key]


class _Target:
    """The buffers of one picture size: linear float colour (with samples if asked), and what the screen gets."""

    def __init__(self, context: moderngl.Context, size: tuple[int, int], samples: int) -> None:
        self.linear = context.texture(size, 4, dtype="f4")
        self.linear.filter = (moderngl.NEAREST, moderngl.NEAREST)
        if samples:
            colour = context.renderbuffer(size, 4, samples=samples, dtype="f4")
            self.drawing = context.framebuffer([colour], context.depth_renderbuffer(size, samples=samples))
            self.resolved = context.framebuffer([self.linear])
        else:
            self.drawing = context.framebuffer([self.linear], context.depth_renderbuffer(size))
            self.resolved = self.drawing
        self.shown = context.framebuffer([context.renderbuffer(size, 4)])

    def release(self) -> None:
        for each in (self.drawing, self.resolved, self.shown, self.linear):
            each.release()


def write_uniform(program: moderngl.Program, name: str, values: npt.ArrayLike) -> None:
    """Set a uniform of floats, where the driver has kept it. Matrices are given in rows."""
    if name in program:
        member: Any = program[name]
        member.write(np.ascontiguousarray(np.asarray(values).T, "f4").tobytes())


def _set_uniforms(program: moderngl.Program, shader: WrittenShader, frame: Frame, paint: Paint) -> None:
    for key, name in shader.uniforms.items():
        if key != DISPLAYED.data:
            write_uniform(program, name, paint.uniforms[key])
    write_uniform(program, "camera_position", frame.camera.position)
    write_uniform(program, "time", [frame.time])


def _first_error(error: Exception) -> str:
    lines = [line.strip() for line in str(error).splitlines() if "error" in line.lower()]
    return lines[-1] if lines else str(error).strip().splitlines()[0]
