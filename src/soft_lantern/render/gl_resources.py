"""What the OpenGL renderer keeps on the graphics side: programs, textures, buffers of meshes, pictures drawn into."""

from __future__ import annotations

import contextlib
import weakref
from collections import OrderedDict
from collections.abc import Iterable
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from soft_lantern.errors import LanternError
from soft_lantern.ir.expr import Expr, const
from soft_lantern.render.frame import Paint
from soft_lantern.render.gl_calls import call, new_context
from soft_lantern.render.gl_text import WrittenShader, fragment_shader, vertex_shader
from soft_lantern.render.soft import mesh_rows
from soft_lantern.scene.mesh import Mesh
from soft_lantern.values.images import Image

PROGRAMS_KEPT = 200
LARGEST_AS_FLOATS = 1 << 20
"""Texels above which a texture of 8 bits stays one on the GPU, whose own decoding is a little coarser."""
TARGET_BYTES = 64 << 20
"""Bytes of pictures to draw into that are kept for later frames, besides those of the present one."""
SPARE_UNIT = 15
"""A texture unit no shader reads while textures are made: OpenGL 3.3 promises 16."""
_FILTERS = {"linear": moderngl.LINEAR, "nearest": moderngl.NEAREST}
_SRGB8_ALPHA8 = 0x8C43
_NOWHERE = const(0.0, 0.0, 0.0)


class GlResources:
    """Made once for each thing, and dropped with it. `compiled` counts the programs built so far."""

    def __init__(self) -> None:
        """Raises NoGraphics where no OpenGL 3.3 context can be had."""
        self.context = new_context()
        self.context.gc_mode = "context_gc"  # what Python drops is given back by `begin_frame`, on this thread
        self.compiled = 0
        self._in_use: set[tuple[str, int, int, int]] = set()
        self._programs: OrderedDict[str, moderngl.Program] = OrderedDict()
        self._fragments: weakref.WeakKeyDictionary[Expr, dict[tuple[bool, bool, bool], WrittenShader]] = (
            weakref.WeakKeyDictionary()
        )
        self._vertices: weakref.WeakKeyDictionary[Expr, dict[tuple[str, ...], WrittenShader]] = (
            weakref.WeakKeyDictionary()
        )
        self._buffers: weakref.WeakKeyDictionary[Mesh, dict[str, moderngl.Buffer]] = weakref.WeakKeyDictionary()
        self._textures: weakref.WeakKeyDictionary[Image, dict[bool, moderngl.Texture]] = weakref.WeakKeyDictionary()
        self._held: weakref.WeakKeyDictionary[moderngl.Program, dict[str, tuple[float, ...]]] = (
            weakref.WeakKeyDictionary()
        )
        self._targets: OrderedDict[tuple[str, int, int, int], Target] = OrderedDict()
        self._enlarged: moderngl.Framebuffer | None = None

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

    def fragment(self, paint: Paint, *, outside: bool = False, deep: bool = False) -> WrittenShader:
        """The fragment shader of a paint; see `gl_text.fragment_shader`."""
        kept = self._fragments.setdefault(paint.colour, {})
        key = (paint.masked, outside, deep)
        if key not in kept:
            kept[key] = fragment_shader(paint, outside=outside, deep=deep)
        return kept[key]

    def vertex(self, offset: Expr | None, fragment: WrittenShader) -> WrittenShader:
        """The vertex shader that moves by an offset and hands a fragment shader what it takes."""
        kept = self._vertices.setdefault(_NOWHERE if offset is None else offset, {})
        if fragment.inputs not in kept:
            kept[fragment.inputs] = vertex_shader(offset, fragment.inputs)
        return kept[fragment.inputs]

    def texture(self, image: Image, *, levels: bool = False) -> moderngl.Texture:
        """An image on the graphics side, with its smaller copies if they are wanted and it has any."""
        kept = self._textures.setdefault(image, {})
        levels = levels and image.filter == "linear" and max(image.width, image.height) > 1
        if levels not in kept:
            size, texels = (image.width, image.height), image.texels
            if texels.dtype == np.uint8 and texels.size // 4 > LARGEST_AS_FLOATS:
                code = _SRGB8_ALPHA8 if image.encoding == "colour" else 0
                made = self.context.texture(size, 4, np.ascontiguousarray(texels).tobytes(), internal_format=code)
            elif texels.dtype == np.float16 and not levels:
                made = self.context.texture(size, 4, texels.tobytes(), dtype="f2")
            else:
                made = self.context.texture(size, 4, image.linear().tobytes(), dtype="f4")
            made.filter = (_FILTERS[image.filter],) * 2
            made.repeat_x = made.repeat_y = image.wrap != "clamp"
            if image.wrap == "mirror":
                made.use(SPARE_UNIT)
                for direction in (0x2802, 0x2803):  # GL_MIRRORED_REPEAT, which the binding has no word for
                    call("glTexParameteri", 0x0DE1, direction, 0x8370)
            if levels:
                if made.dtype == "f4":
                    _write_levels(made, image)
                else:
                    made.build_mipmaps()
                made.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            kept[levels] = made
        return kept[levels]

    def write(self, program: moderngl.Program, uniforms: Iterable[tuple[str, tuple[float, ...]]]) -> None:
        """Set uniforms of a program of this renderer's; what it holds already is not written again."""
        held = self._held.setdefault(program, {})
        for name, values in uniforms:
            if held.get(name) != values:
                held[name] = values
                write_uniform(program, name, values)

    def bind(self, program: moderngl.Program, name: str, image: Image, unit: int, *, levels: bool = False) -> None:
        """Let a sampler read an image, with its smaller copies or without, by way of a texture unit."""
        if name in program:
            self.texture(image, levels=levels).use(unit)
            program[name] = unit

    def buffer(self, mesh: Mesh, name: str) -> moderngl.Buffer:
        """The triangles of a mesh, or an attribute or slope by its name in `ir.surface_inputs`."""
        kept = self._buffers.setdefault(mesh, {})
        if name not in kept:
            rows = mesh.triangles.astype("u4") if name == "triangles" else mesh_rows(mesh, name).astype("f4")
            kept[name] = self.context.buffer(np.ascontiguousarray(rows).tobytes())
        return kept[name]

    def target(self, use: str, size: tuple[int, int], samples: int = 0, *, components: int = 4) -> Target:
        """A picture to draw into; asked for again with the same words it is the same one."""
        key = (use, *size, samples)
        self._in_use.add(key)
        if key not in self._targets:
            self._targets[key] = Target(self.context, size, samples, components)
            self._drop_old_targets()
        self._targets.move_to_end(key)
        return self._targets[key]

    def enlarged(self, picture: moderngl.Framebuffer, size: tuple[int, int]) -> moderngl.Framebuffer:
        """A picture of 8 bits at a larger size, mixed between its pixels; it holds until the next one is asked for."""
        if self._enlarged is None or self._enlarged.size != size:
            self._enlarged = self.context.framebuffer([self.context.renderbuffer(size, 4)])
        resize(picture, self._enlarged)
        return self._enlarged

    def begin_frame(self) -> None:
        """Give back what nothing needs any more; from here on, pictures drawn into are the new frame's."""
        dropped = self.context.objects
        while dropped:
            each = dropped.popleft()
            if hasattr(each, "release"):  # what was released by name waits here too, empty
                each.release()
        self._drop_old_targets()
        self._in_use.clear()

    def _drop_old_targets(self) -> None:
        """Give back what is over the bytes that are kept, the longest unused first, and nothing of the last frame."""
        total = sum(target.bytes for target in self._targets.values())
        for key in [key for key in self._targets if key not in self._in_use]:
            if total <= TARGET_BYTES:
                break
            total -= self._targets[key].bytes
            self._targets.pop(key).release()

    def release(self) -> None:
        """Give everything back at once."""
        with contextlib.suppress(Exception):  # what the driver has lost cannot be given back
            self.context.__enter__()  # type: ignore[no-untyped-call]
            self.context.__exit__(None, None, None)  # type: ignore[no-untyped-call]
            self.context.release()  # only one that is current nowhere gives its memory back


class Target:
    """The buffers of one picture: linear floats (with samples if asked), depth, and what the screen gets."""

    def __init__(self, context: moderngl.Context, size: tuple[int, int], samples: int, components: int) -> None:
        self.bytes = size[0] * size[1] * 4 * (1 + components) * (1 + max(samples, 1))
        self.linear = context.texture(size, components, dtype="f4")
        self.linear.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.linear.repeat_x = self.linear.repeat_y = False
        depth, shown = context.depth_renderbuffer(size, samples=samples), context.renderbuffer(size, 4)
        self._held: list[Any] = [depth, shown]
        if samples:
            colour = context.renderbuffer(size, components, samples=samples, dtype="f4")
            self._held.append(colour)
            self.drawing = context.framebuffer([colour], depth)
            self.resolved = context.framebuffer([self.linear])
        else:
            self.drawing = context.framebuffer([self.linear], depth)
            self.resolved = self.drawing
        self.shown = context.framebuffer([shown])
        self._context, self._depth = context, depth
        self._deep: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None

    def deep(self, depths: moderngl.Texture) -> moderngl.Framebuffer:
        """What draws into this picture, one without samples, and its depths into another of the same size."""
        if self._deep is None or self._deep[0] is not depths:
            self._let_go_of_depths()
            self._deep = depths, self._context.framebuffer([self.linear, depths], self._depth)
        return self._deep[1]

    def _let_go_of_depths(self) -> None:
        if self._deep:
            self._deep[1].release()

    def release(self) -> None:
        """Give the buffers back, what they draw into too."""
        self._let_go_of_depths()
        for each in (self.drawing, self.resolved, self.shown, self.linear, *self._held):
            each.release()


def write_uniform(program: moderngl.Program, name: str, values: npt.ArrayLike) -> None:
    """Set a uniform of floats, where the driver has kept it. Matrices are given in rows."""
    member: Any = program.get(name, None)
    if member is not None:
        member.write(np.ascontiguousarray(np.asarray(values).T, "f4").tobytes())


def resize(picture: moderngl.Framebuffer, into: moderngl.Framebuffer) -> None:
    """Copy a picture into one of another size, mixed between its pixels: at half the size each is the mean of four."""
    call("glBindFramebuffer", 0x8CA8, picture.glo)
    call("glBindFramebuffer", 0x8CA9, into.glo)
    call("glBlitFramebuffer", 0, 0, *picture.size, 0, 0, *into.size, 0x4000, 0x2601)


def _write_levels(texture: moderngl.Texture, image: Image) -> None:
    """Give a texture of floats the very copies that the NumPy reader has; the binding would have some made first."""
    texture.use(SPARE_UNIT)
    for number, texels in enumerate(image.levels, 1):
        rows = np.ascontiguousarray(texels, np.float32)
        size = rows.shape[1], rows.shape[0]
        call("glTexImage2D", 0x0DE1, number, 0x8814, *size, 0, 0x1908, 0x1406, rows.ctypes.data)


def fill_picture(context: moderngl.Context, program: moderngl.Program) -> None:
    """Draw a program over the whole of what is drawn into."""
    array = context.vertex_array(program, [])
    array.render(moderngl.TRIANGLES, vertices=3)
    array.release()


def _first_error(error: Exception) -> str:
    lines = [line.strip() for line in str(error).splitlines() if "error" in line.lower()]
    return lines[-1] if lines else str(error).strip().splitlines()[0]
