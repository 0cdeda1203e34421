"""The OpenGL renderer: moderngl in an EGL context without a window."""

from __future__ import annotations

import contextlib
import ctypes
import itertools
import time
import weakref
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.ir.expr import Expr, const, join, swizzle
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.supply import ATTRIBUTES, SLOPES, at_pixel, read_inputs
from soft_lantern.render.frame import Frame, Item, Paint, Picture
from soft_lantern.render.gl_text import WrittenShader, fragment_shader, vertex_shader
from soft_lantern.render.soft import mesh_rows
from soft_lantern.render.surface_model import DISPLAYED
from soft_lantern.scene.mesh import Mesh
from soft_lantern.values.images import Image

ALL_ATTRIBUTES = ATTRIBUTES | SLOPES
_NOWHERE = const(0.0, 0.0, 0.0)

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
PROGRAMS_KEPT = 200
LARGEST_AS_FLOATS = 1 << 20
"""Texels above which a texture of 8 bits stays one on the GPU, whose own decoding is a little coarser."""
_FILTERS = {"linear": moderngl.LINEAR, "nearest": moderngl.NEAREST}
_SRGB8_ALPHA8 = 0x8C43


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
        self._shaders: weakref.WeakKeyDictionary[Expr, dict[bool, WrittenShader]] = weakref.WeakKeyDictionary()
        self._vertices: weakref.WeakKeyDictionary[Expr, dict[tuple[str, ...], WrittenShader]] = (
            weakref.WeakKeyDictionary()
        )
        self._buffers: weakref.WeakKeyDictionary[Mesh, dict[str, moderngl.Buffer]] = weakref.WeakKeyDictionary()
        self._textures: weakref.WeakKeyDictionary[Image, moderngl.Texture] = weakref.WeakKeyDictionary()
        self._targets: dict[tuple[int, int, int], _Target] = {}
        self._depths: dict[tuple[int, int], _Target] = {}

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame, and its linear pixels. Raises LanternError where the driver refuses a shader."""
        started = time.perf_counter()
        target = self._target(frame)
        context = self.context
        depths = self._scene_depth(frame) if any(_reads_depth(item.paint) for item in frame.items) else None
        target.drawing.use()
        target.drawing.clear(0.0, 0.0, 0.0, 1.0, depth=1.0)
        context.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)
        self._fill(frame, frame.backdrop)
        context.enable(moderngl.DEPTH_TEST)
        for item in sorted(frame.items, key=lambda each: each.late):
            if item.blended:
                context.enable(moderngl.BLEND)
                # "Over" for colour; what covers a pixel can only make it more opaque.
                context.blend_func = (  # type: ignore[assignment]
                    moderngl.SRC_ALPHA,
                    moderngl.ONE_MINUS_SRC_ALPHA,
                    moderngl.ONE,
                    moderngl.ONE_MINUS_SRC_ALPHA,
                )
            else:
                context.disable(moderngl.BLEND)
            target.drawing.depth_mask = not item.blended
            self._draw(frame, item, item.paint, depths)
        target.drawing.depth_mask = True
        context.disable(moderngl.BLEND | moderngl.DEPTH_TEST)
        if target.resolved is not target.drawing:
            context.copy_framebuffer(target.resolved, target.drawing)
        pixels = self._display(frame, target)
        linear = np.frombuffer(target.linear.read(), np.float32).reshape(frame.size[1], frame.size[0], 4)
        return Picture(pixels, linear[::-1], time.perf_counter() - started)

    def _scene_depth(self, frame: Frame) -> moderngl.Texture:
        """The depth in metres of what is not drawn late, at every pixel; the farthest where there is nothing."""
        target = self._depths.get(frame.size)
        if target is None:
            target = _Target(self.context, frame.size, 0)
            self._depths = {frame.size: target}
        target.drawing.use()
        target.drawing.clear(frame.camera.range[1], 0.0, 0.0, 0.0, depth=1.0)
        self.context.disable(moderngl.BLEND | moderngl.CULL_FACE)
        self.context.enable(moderngl.DEPTH_TEST)
        for item in frame.items:
            if not item.late:
                alpha = swizzle(item.paint.colour, "w") if item.paint.cut_out else const(1.0)
                depth = replace(item.paint, colour=join(surface_input("surface_depth"), 0.0, 0.0, alpha))
                self._draw(frame, item, depth, None)
        return target.linear

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

    def _draw(self, frame: Frame, item: Item, paint: Paint, depths: moderngl.Texture | None) -> None:
        shader = self._shader(paint)
        vertex = self._vertex_shader(paint, shader)
        program = self.program(vertex.text, shader.text)
        write_uniform(program, "view_projection", frame.camera.view_projection)
        units = itertools.count(1)
        for written in (vertex, shader):
            self._set_uniforms(program, written, frame.inputs | item.inputs, paint, units)
        if depths is not None and "depth_picture" in program:
            depths.use(0)
            program["depth_picture"] = 0
        self.context.front_face = "cw" if item.mirrored else "ccw"
        used = [name for name in (*ATTRIBUTES, *SLOPES) if name in program]
        buffers = [(self._mesh_buffer(item.mesh, name), f"{ALL_ATTRIBUTES[name].width}f", name) for name in used]
        array = self.context.vertex_array(program, buffers, index_buffer=self._mesh_buffer(item.mesh, "triangles"))
        array.render(moderngl.TRIANGLES)
        array.release()
        self.context.front_face = "ccw"

    def _fill(self, frame: Frame, paint: Paint) -> None:
        shader = self._shader(paint)
        program = self.program(WHOLE_PICTURE_VERTEX, shader.text)
        write_uniform(program, "clip_to_world", np.linalg.inv(frame.camera.view_projection))
        self._set_uniforms(program, shader, frame.inputs, paint, itertools.count(1))
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
        kept = self._shaders.setdefault(paint.colour, {})
        if paint.cut_out not in kept:
            kept[paint.cut_out] = fragment_shader(paint)
        return kept[paint.cut_out]

    def _vertex_shader(self, paint: Paint, fragment: WrittenShader) -> WrittenShader:
        kept = self._vertices.setdefault(_NOWHERE if paint.offset is None else paint.offset, {})
        if fragment.inputs not in kept:
            kept[fragment.inputs] = vertex_shader(paint.offset, fragment.inputs)
        return kept[fragment.inputs]

    def _set_uniforms(
        self,
        program: moderngl.Program,
        shader: WrittenShader,
        inputs: dict[str, tuple[float, ...]],
        paint: Paint,
        units: Iterator[int],
    ) -> None:
        for name in shader.inputs:
            if name in inputs:
                write_uniform(program, name, inputs[name])
        for key, name in shader.uniforms.items():
            value = paint.uniforms.get(key, ())
            if isinstance(value, Image):
                self.bind(program, name, value, next(units))
            elif key != DISPLAYED.data:
                write_uniform(program, name, value)

    def bind(self, program: moderngl.Program, name: str, image: Image, unit: int) -> None:
        """Let a sampler read an image by way of a texture unit."""
        if name in program:
            self._texture(image).use(unit)
            program[name] = unit

    def _texture(self, image: Image) -> moderngl.Texture:
        if image not in self._textures:
            size, texels = (image.width, image.height), image.texels
            if texels.dtype == np.uint8 and texels.size // 4 > LARGEST_AS_FLOATS:
                code = _SRGB8_ALPHA8 if image.encoding == "colour" else 0
                made = self.context.texture(size, 4, np.ascontiguousarray(texels).tobytes(), internal_format=code)
            else:
                made = self.context.texture(size, 4, image.linear().tobytes(), dtype="f4")
            made.filter = (_FILTERS[image.filter],) * 2
            made.repeat_x = made.repeat_y = image.wrap != "clamp"
            if image.wrap == "mirror":
                made.use(0)
                _mirror_bound_texture()
            self._textures[image] = made
        return self._textures[image]

    def _mesh_buffer(self, mesh: Mesh, name: str) -> moderngl.Buffer:
        kept = self._buffers.setdefault(mesh, {})
        if name not in kept:
            rows = mesh.triangles.astype("u4") if name == "triangles" else mesh_rows(mesh, name).astype("f4")
            kept[name] = self.context.buffer(np.ascontiguousarray(rows).tobytes())
        return kept[name]

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


def _mirror_bound_texture() -> None:
    """GL_MIRRORED_REPEAT in both directions, which the binding has no word for; where it cannot be had, it repeats."""
    with contextlib.suppress(OSError, AttributeError):
        library = ctypes.CDLL("libOpenGL.so.0")
        for direction in (0x2802, 0x2803):
            library.glTexParameteri(0x0DE1, direction, 0x8370)


def _reads_depth(paint: Paint) -> bool:
    return "scene_depth" in read_inputs(at_pixel([paint.colour]))


def _first_error(error: Exception) -> str:
    lines = [line.strip() for line in str(error).splitlines() if "error" in line.lower()]
    return lines[-1] if lines else str(error).strip().splitlines()[0]
