"""GLSL 3.30 run by the OpenGL driver of the machine."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import moderngl
import numpy as np

from soft_lantern.errors import LanternError
from soft_lantern.proof import glsl_points
from soft_lantern.proof.points import Rows, Trial
from soft_lantern.render.gl_calls import new_context


def _named_context() -> tuple[moderngl.Context, str]:
    context = new_context()
    return context, str(context.info["GL_RENDERER"])


class OpenGl:
    """A context to run in, on a thread of its own, whichever asks: a context belongs to one at a time.

    Raises NoGraphics where there is none.
    """

    def __init__(self) -> None:
        self._thread = ThreadPoolExecutor(1, "proof by OpenGL")
        self._context, self.name = self._thread.submit(_named_context).result()

    def run(self, tried: Trial) -> dict[str, Rows]:
        """What a surface comes to by its GLSL, at the points of a trial."""
        vertex, fragment = glsl_points.texts(tried, "glsl")
        pictures = {name: image.linear() for name, image in tried.pictures.items()}
        block = {glsl_points.block_of(tried): tried.block}
        table = self.computed(vertex, fragment, glsl_points.given(tried), len(tried.wanted), pictures, blocks=block)
        return glsl_points.found(tried, table)

    def computed(
        self,
        vertex: str,
        fragment: str,
        given: Rows,
        count: int,
        pictures: Mapping[str, Rows],
        values: Mapping[str, tuple[float, ...]] = {},
        blocks: Mapping[str, bytes] = {},
    ) -> Rows:
        """The picture, (count, points, 4), that shaders draw of a picture of inputs, (rows, points, 4).

        `pictures`: textures by the names of their samplers, the first row the lowest; `values` of uniforms by name;
        `blocks`: what those hold, by name.
        """

        def work() -> Rows:
            context = self._context
            try:
                program = context.program(vertex_shader=vertex, fragment_shader=fragment)
            except moderngl.Error as error:
                raise LanternError(f"OpenGL refuses the shader: {error}") from error
            points = context.texture((given.shape[1], given.shape[0]), 4, given.tobytes(), dtype="f4")
            points.filter = (moderngl.NEAREST, moderngl.NEAREST)
            drawn = context.texture((given.shape[1], count), 4, dtype="f4")
            target, array = context.framebuffer([drawn]), context.vertex_array(program, [])
            held = {
                name: context.texture((texels.shape[1], texels.shape[0]), 4, texels.tobytes(), dtype="f4")
                for name, texels in pictures.items()
            }
            buffers = {name: context.buffer(data) for name, data in blocks.items()}
            try:
                points.use(0)
                for number, (name, buffer) in enumerate(buffers.items()):
                    if name in program:
                        program[name] = number
                        buffer.bind_to_uniform_block(number)
                for unit, (name, picture) in enumerate(held.items(), 1):
                    picture.filter = (moderngl.NEAREST, moderngl.NEAREST)
                    picture.use(unit)
                    if name in program:
                        program[name] = unit
                for name, parts in {glsl_points.DATA: None, **values}.items():
                    if name in program:
                        member = program[name]
                        assert isinstance(member, moderngl.Uniform)
                        member.write((np.array([0], "i4") if parts is None else np.array(parts, "f4")).tobytes())
                target.use()
                context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
                array.render(moderngl.TRIANGLES, vertices=3)
                return np.frombuffer(drawn.read(), np.float32).reshape(count, given.shape[1], 4)
            finally:
                made: tuple[Any, ...] = (array, target, drawn, points, program, *held.values(), *buffers.values())
                for each in made:
                    each.release()

        return self._thread.submit(work).result()
