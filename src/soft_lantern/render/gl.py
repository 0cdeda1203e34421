"""The OpenGL renderer: moderngl in an EGL context without a window.

A picture is drawn in passes: the sun's shadow map; what is opaque, with the depth of it where anything reads that;
what is see-through, farthest first; edges, if asked for; glow; and the step to the screen. A picture of several samples
a pixel has the depth, which is of one, drawn before it.
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Iterator, Mapping

import moderngl
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.errors import NoGraphics
from soft_lantern.ir.expr import const
from soft_lantern.ir.inputs import BEHIND
from soft_lantern.ir.surface_inputs import ATTRIBUTES, SLOPES
from soft_lantern.render import shadow
from soft_lantern.render.frame import Frame, Item, Paint, Picture, UniformValue
from soft_lantern.render.gl_glow import with_glow
from soft_lantern.render.gl_resources import GlResources, Target, fill_picture, resize, write_uniform
from soft_lantern.render.gl_text import DEPTH, SHADOW, WALLS, WHOLE_PICTURE_VERTEX, WrittenShader, keeping_holes
from soft_lantern.render.shadow_key import shadow_key
from soft_lantern.render.soft import EDGE_COLOUR
from soft_lantern.render.staging import reads_behind, reads_depth
from soft_lantern.render.surface_model import DISPLAYED
from soft_lantern.turns import give_way
from soft_lantern.values.images import Image

ALL_ATTRIBUTES = ATTRIBUTES | SLOPES
SMALL = 128 * 128
"""Pixels up to which a picture is smoothed by being drawn twice as large: in software that is sooner than samples,
which make each triangle slow, however small."""
_FATAL = ("GL_OUT_OF_MEMORY", "GL_UNKNOWN_ERROR")
"""What the binding calls an exhausted memory, and a lost context, which it has no word for."""
_EDGE = const(*EDGE_COLOUR)


def _as_drawn(frame: Frame) -> Frame:
    """The frame, or a small one that is to be smoothed at twice its size. Lines of one pixel are drawn as they are."""
    width, height = frame.size
    if not frame.samples or frame.edges or width * height > SMALL:
        return frame
    return replace(frame, size=(2 * width, 2 * height), samples=0)


class GlRenderer:
    """Draws frames with OpenGL 3.3."""

    name = "gl"
    smooths = True

    def __init__(self) -> None:
        """Raises NoGraphics where no OpenGL 3.3 context can be had."""
        self.resources = GlResources()
        self.context = self.resources.context
        self.device = str(self.context.info["GL_RENDERER"])
        self.driver = str(self.context.info["GL_VERSION"])
        self._shadow_key: tuple[object, ...] = ()

    @property
    def compiled(self) -> int:
        """How many programs were built so far."""
        return self.resources.compiled

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame, and its linear pixels.

        Raises LanternError where the driver refuses a shader, NoGraphics where it has lost the context or its memory.
        """
        try:
            # Another renderer of this thread may have been the last to draw.
            self.context.__enter__()  # type: ignore[no-untyped-call]
            self.resources.begin_frame()
            return self._render(frame)
        except (moderngl.Error, MemoryError) as error:
            raise NoGraphics(f"the graphics driver gave up ({error})") from error

    def _render(self, frame: Frame) -> Picture:
        started = time.perf_counter()
        context, wanted, frame = self.context, frame, _as_drawn(frame)
        target = self.resources.target("picture", frame.size, frame.samples)
        self._shadow_map(frame)
        depths = self._scene_depth(frame)
        early = target.deep(depths) if depths and not frame.samples else target.drawing
        target.drawing.use()
        target.drawing.clear(0.0, 0.0, 0.0, 1.0, depth=1.0)
        context.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)
        self._fill(frame, frame.backdrop)
        kept = False
        for item in sorted(frame.items, key=lambda each: each.late):
            if item.shown:
                if not kept and reads_behind(item.paint.colour):
                    self._keep_behind(frame, target)
                    kept = True
                walls = self._walls(frame, item)
                drawing = target.drawing if item.late else early
                drawing.use()
                context.enable(moderngl.DEPTH_TEST)
                self._blend(item.blended)
                drawing.depth_mask = not item.blended
                self._draw(frame, item, item.paint, depths if item.late else None, walls, deep=not item.late)
        target.drawing.depth_mask = True
        context.disable(moderngl.BLEND)
        if frame.edges:
            self._draw_edges(frame)
        context.disable(moderngl.DEPTH_TEST)
        if frame is not wanted:
            large, target = target, self.resources.target("picture", wanted.size)
            resize(large.drawing, target.drawing)
        elif target.resolved is not target.drawing:
            context.copy_framebuffer(target.resolved, target.drawing)
        pixels = self._display(wanted, target)
        linear = np.frombuffer(target.linear.read(), np.float32).reshape(wanted.size[1], wanted.size[0], 4)
        trouble = context.error
        if trouble in _FATAL:
            raise NoGraphics(f"the graphics driver gave up ({trouble})")
        return Picture(pixels, linear[::-1], time.perf_counter() - started)

    def release(self) -> None:
        """Give the context back."""
        self.resources.release()

    # Passes

    def _shadow_map(self, frame: Frame) -> None:
        if frame.shadow is None:
            return
        target = self._sun_map()
        key = (target, *shadow_key(frame, frame.shadow))
        if key == self._shadow_key:
            return
        self._shadow_key = key
        target.drawing.use()
        target.drawing.clear(shadow.NOTHING, 0.0, 0.0, 0.0, depth=1.0)
        self.context.disable(moderngl.BLEND)
        self.context.enable(moderngl.DEPTH_TEST)
        for item in frame.casters:
            plain = replace(item, culled=False)
            paint = keeping_holes(item.paint, SHADOW)
            self._draw(frame, plain, paint, view_projection=frame.shadow.view_projection)

    def _sun_map(self) -> Target:
        return self.resources.target("shadow", (shadow.SIZE, shadow.SIZE), components=1)

    def _scene_depth(self, frame: Frame) -> moderngl.Texture | None:
        """For the depth in metres of what is not drawn late, at every pixel; the farthest where there is nothing.

        Where the picture has no samples, there is nothing yet: it is drawn with the picture.
        """
        if not any(item.shown and reads_depth(item.paint.colour) for item in frame.items):
            return None
        found = [item for item in frame.items if item.shown and not item.late] if frame.samples else []
        return self._depth_of(frame, found, "scene depth").linear

    def _keep_behind(self, frame: Frame, target: Target) -> None:
        """Copy what is drawn so far, with smaller copies, for those that read the colour behind them."""
        behind = self.resources.target("behind", frame.size)
        self.context.copy_framebuffer(behind.drawing, target.drawing)
        behind.linear.build_mipmaps()
        behind.linear.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)

    def _depth_of(self, frame: Frame, items: list[Item], use: str) -> Target:
        target = self.resources.target(use, frame.size, components=1)
        target.drawing.use()
        target.drawing.clear(frame.camera.range[1], 0.0, 0.0, 0.0, depth=1.0)
        for item in items:
            walls = self._walls(frame, item) if use == "scene depth" else None
            target.drawing.use()
            self.context.disable(moderngl.BLEND)
            self.context.enable(moderngl.DEPTH_TEST)
            self._draw(frame, item, keeping_holes(item.paint, DEPTH), None, walls)
        return target

    def _walls(self, frame: Frame, item: Item) -> moderngl.Texture | None:
        """Behind an item's nearest surface, how many more walls of its cut-outs lead out than in, at every pixel."""
        volumes = frame.volumes(item)
        if not volumes:
            return None
        own = self._depth_of(frame, [item], "own depth")
        target = self.resources.target("walls", frame.size, components=1)
        target.drawing.use()
        target.drawing.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        self.context.disable(moderngl.DEPTH_TEST)
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = moderngl.ONE, moderngl.ONE
        for volume in volumes:
            whole = replace(volume, culled=False)
            self._draw(frame, whole, replace(volume.paint, colour=WALLS, masked=False), own.linear)
        return target.linear

    def _draw_edges(self, frame: Frame) -> None:
        nearer = frame.camera.view_projection.copy()
        nearer[2] -= 1e-4 * nearer[3]  # by a hair, so that triangles do not hide their own edges
        self.context.wireframe = True
        self._blend(True)
        for item in frame.items:
            if item.shown and not item.prop:
                self._draw(frame, item, replace(item.paint, colour=_EDGE, masked=False), view_projection=nearer)
        self.context.wireframe = False
        self.context.disable(moderngl.BLEND)

    def _display(self, frame: Frame, target: Target) -> npt.NDArray[np.uint8]:
        shader = self.resources.fragment(Paint(frame.display))
        picture = with_glow(self.resources, target.linear, frame.glow) if frame.glow else target.linear
        program = self.resources.program(WHOLE_PICTURE_VERTEX, shader.text)
        picture.use(0)
        write_uniform(program, "clip_to_world", np.eye(4))
        target.shown.use()
        fill_picture(self.context, program)
        shown = target.shown if frame.shown_at <= frame.size else self.resources.enlarged(target.shown, frame.shown_at)
        rows = np.frombuffer(shown.read(components=4), np.uint8)
        return rows.reshape(shown.height, shown.width, 4)[::-1]

    # Drawing

    def _blend(self, on: bool) -> None:
        if not on:
            self.context.disable(moderngl.BLEND)
            return
        self.context.enable(moderngl.BLEND)
        # "Over" for colour; what covers a pixel can only make it more opaque.
        self.context.blend_func = (  # type: ignore[assignment]
            moderngl.SRC_ALPHA,
            moderngl.ONE_MINUS_SRC_ALPHA,
            moderngl.ONE,
            moderngl.ONE_MINUS_SRC_ALPHA,
        )

    def _draw(
        self,
        frame: Frame,
        item: Item,
        paint: Paint,
        depths: moderngl.Texture | None = None,
        walls: moderngl.Texture | None = None,
        view_projection: npt.NDArray[np.float64] | None = None,
        *,
        deep: bool = False,
    ) -> None:
        give_way()
        kept = self.resources
        shader = kept.fragment(paint, outside=walls is not None, deep=deep)
        vertex = kept.vertex(paint.offset, shader)
        program = kept.program(vertex.text, shader.text)
        seen = frame.camera.view_projection if view_projection is None else view_projection
        write_uniform(program, "view_projection", seen)
        units = itertools.count(0)
        for name, picture in (("depth_picture", depths), ("walls_picture", walls)):
            if picture is not None and program.get(name, None) is not None:
                unit = next(units)
                picture.use(unit)
                program[name] = unit
        values = frame.uniforms | item.uniforms
        for written in (vertex, shader):
            self._set_uniforms(frame, program, written, frame.inputs | item.inputs, values, units)
        self.context.front_face = "cw" if item.mirrored else "ccw"
        if item.culled:
            self.context.enable(moderngl.CULL_FACE)
        else:
            self.context.disable(moderngl.CULL_FACE)
        used = [name for name in (*ATTRIBUTES, *SLOPES) if program.get(name, None) is not None]
        buffers = [(kept.buffer(item.mesh, name), f"{ALL_ATTRIBUTES[name].width}f", name) for name in used]
        order = frame.order(item) if paint is item.paint else item.mesh.triangles
        ordered = order is not item.mesh.triangles
        index = self.context.buffer(order.tobytes()) if ordered else kept.buffer(item.mesh, "triangles")
        array = self.context.vertex_array(program, buffers, index_buffer=index)
        array.render(moderngl.TRIANGLES)
        array.release()
        if ordered:
            index.release()
        self.context.front_face = "ccw"
        self.context.disable(moderngl.CULL_FACE)

    def _fill(self, frame: Frame, paint: Paint) -> None:
        shader = self.resources.fragment(paint)
        program = self.resources.program(WHOLE_PICTURE_VERTEX, shader.text)
        write_uniform(program, "clip_to_world", np.linalg.inv(frame.camera.view_projection))
        self._set_uniforms(frame, program, shader, frame.inputs, frame.uniforms | paint.uniforms, itertools.count(0))
        fill_picture(self.context, program)

    def _set_uniforms(
        self,
        frame: Frame,
        program: moderngl.Program,
        shader: WrittenShader,
        inputs: Mapping[str, tuple[float, ...]],
        values: Mapping[str, UniformValue],
        units: Iterator[int],
    ) -> None:
        written = [(name, inputs[name]) for name in shader.inputs if name in inputs]
        for key, name in shader.uniforms.items():
            value = values.get(key, ())
            if key == shadow.PICTURE.data and program.get(name, None) is not None:
                unit = next(units)
                self._sun_map().linear.use(unit)
                program[name] = unit
            elif key == BEHIND.data:
                if program.get(name, None) is not None:
                    unit = next(units)
                    self.resources.target("behind", frame.size).linear.use(unit)
                    program[name] = unit
            elif isinstance(value, Image):
                self.resources.bind(program, name, value, next(units), levels=not key.startswith("stage:"))
            elif key != DISPLAYED.data:
                written.append((name, value))
        self.resources.write(program, written)
