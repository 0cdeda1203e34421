"""GLSL 3.30 run by the OpenGL driver of the machine."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from soft_lantern.errors import LanternError
from soft_lantern.proof import glsl_points
from soft_lantern.proof.points import Rows, Trial
from soft_lantern.render.gl_resources import new_context


class OpenGl:
    """A context to run in. Raises NoGraphics where there is none."""

    def __init__(self) -> None:
        self._context = new_context()
        self.name = str(self._context.info["GL_RENDERER"])

    def run(self, tried: Trial) -> dict[str, Rows]:
        """What a surface comes to by its GLSL, at the points of a trial."""
        context = self._context
        context.__enter__()  # type: ignore[no-untyped-call]
        given = glsl_points.given(tried)
        vertex, fragment = glsl_points.texts(tried, "glsl")
        try:
            program = context.program(vertex_shader=vertex, fragment_shader=fragment)
        except moderngl.Error as error:
            raise LanternError(f"OpenGL refuses the shader: {error}") from error
        points = context.texture((given.shape[1], given.shape[0]), 4, given.tobytes(), dtype="f4")
        points.filter = (moderngl.NEAREST, moderngl.NEAREST)
        computed = context.texture((given.shape[1], len(tried.wanted)), 4, dtype="f4")
        target, array = context.framebuffer([computed]), context.vertex_array(program, [])
        pictures = {
            name: context.texture((image.width, image.height), 4, image.linear().tobytes(), dtype="f4")
            for name, image in tried.pictures.items()
        }
        try:
            points.use(0)
            for unit, (name, picture) in enumerate(pictures.items(), 1):
                picture.filter = (moderngl.NEAREST, moderngl.NEAREST)
                picture.use(unit)
                if name in program:
                    program[name] = unit
            for name, values in {glsl_points.DATA: None, **tried.values}.items():
                if name in program:
                    member = program[name]
                    assert isinstance(member, moderngl.Uniform)
                    member.write((np.array([0], "i4") if values is None else np.array(values, "f4")).tobytes())
            target.use()
            context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
            array.render(moderngl.TRIANGLES, vertices=3)
            table = np.frombuffer(computed.read(), np.float32).reshape(len(tried.wanted), given.shape[1], 4)
        finally:
            held: tuple[Any, ...] = (array, target, computed, points, program, *pictures.values())
            for each in held:
                each.release()
        return glsl_points.found(tried, table)
