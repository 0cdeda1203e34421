"""The time of pictures by generated GLSL beside the same effects written by hand."""

from __future__ import annotations

import functools
import os
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import moderngl
import numpy as np

from soft_lantern.errors import NoGraphics
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.measures import nectar
from soft_lantern.measures.deliveries import as_delivered, by_hand, can_count, operations
from soft_lantern.measures.effects import effects
from soft_lantern.measures.nectar import Basin
from soft_lantern.measures.ratio import ratio
from soft_lantern.measures.row import Row
from soft_lantern.processes import serve, unsignalled
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_resources import write_uniform

PICTURE = (640, 480)
FRAME_ROUNDS = 40

CORNER_VERTEX = """#version 330 core
out vec3 position_world;
out vec3 position_object;
out vec3 carried_normal;
out vec2 uv;
void main() {
    vec2 corner = vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 4.0 - 1.0;
    position_world = vec3(corner, 0.3 * corner.x * corner.y);
    position_object = position_world;
    carried_normal = normalize(vec3(corner * 0.8, 1.0));
    uv = corner * 0.5 + 0.5;
    gl_Position = vec4(corner, 0.0, 1.0);
}
"""


def frames_against_hands() -> list[Row]:
    """The time of a picture of each effect, generated and by hand; none where there is no OpenGL.

    Drawn in a process of its own, with a driver on one thread: the same picture takes the same time there.
    """
    with unsignalled():
        pool = ProcessPoolExecutor(1, get_context("spawn"), _begin)
        waiting = pool.submit(_frames)
    with pool:
        return waiting.result()


def _begin() -> None:
    serve()
    os.environ.setdefault("LP_NUM_THREADS", "0")  # Mesa's software driver: none beside the one that draws


def _frames() -> list[Row]:
    try:
        gl = GlRenderer()
    except NoGraphics:
        return []
    rows, easel = [], _Easel(gl)
    for effect in effects():
        delivered, hand = as_delivered(effect), by_hand(effect)
        pictures: list[Array] = []
        calls: list[Callable[[float], object]] = []
        for text in (delivered, hand):
            program = gl.resources.program(CORNER_VERTEX, text)
            write_uniform(program, "camera_position", (0.4, 1.0, 3.0))
            easel.draw(program)
            pictures.append(easel.seen())
            calls.append(functools.partial(easel.draw, program))
        apart = float(np.abs(pictures[0] - pictures[1]).max())
        rows.append(
            Row(
                f"frame of {effect.name} / by hand",
                ratio(calls[0], calls[1], FRAME_ROUNDS, clock=time.process_time),
                1.02,
            )
        )
        rows.append(Row(f"{effect.name}: pictures apart by", apart * 255, 1.0, "/255"))
        if can_count():
            rows.append(Row(f"operations of {effect.name} / by hand", operations(delivered) / operations(hand), 1.0))
    return [*rows, *_nectar_against_a_hand(gl)]


def _nectar_against_a_hand(gl: GlRenderer) -> list[Row]:
    """The same of the demo's nectar, whose vertices are moved: both of its shaders."""
    basin, (vertex, fragment) = Basin(gl), nectar.delivered()
    sheets = [basin.program(vertex, fragment), basin.program(nectar.VERTEX, nectar.FRAGMENT)]
    seen = []
    for sheet in sheets:
        basin.draw(sheet, 0.7)
        seen.append(basin.seen())
    one, other = (functools.partial(basin.draw, sheet) for sheet in sheets)
    rows = [
        Row("frame of the nectar / by hand", ratio(one, other, FRAME_ROUNDS, clock=time.process_time), 1.02),
        Row("nectar: all it draws apart by", float(np.abs(seen[0] - seen[1]).max()) * 255, 1.0, "/255"),
    ]
    if can_count():
        texts = ((vertex, nectar.VERTEX, "vert"), (fragment, nectar.FRAGMENT, "frag"))
        ours, theirs = (sum(operations(each[side], each[2]) for each in texts) for side in (0, 1))
        rows.append(Row("operations of the nectar / by hand", ours / theirs, 1.0))
    return rows


class _Easel:
    """A picture to draw on again and again."""

    def __init__(self, gl: GlRenderer) -> None:
        self.context = gl.context
        self.texture = gl.context.texture(PICTURE, 4, dtype="f4")
        self.target = gl.context.framebuffer([self.texture])

    def draw(self, program: moderngl.Program, _: float = 0) -> None:
        """Fill the picture eight times."""
        self.target.use()
        self.context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        array = self.context.vertex_array(program, [])
        for _turn in range(8):
            array.render(moderngl.TRIANGLES, vertices=3)
        self.context.finish()
        array.release()

    def seen(self) -> Array:
        """What was drawn, held to 0–1."""
        return np.frombuffer(self.texture.read(), np.float32).clip(0, 1)
