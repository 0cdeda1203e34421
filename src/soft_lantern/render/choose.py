"""Which renderer a machine gets."""

from __future__ import annotations

from soft_lantern.errors import NoGraphics
from soft_lantern.render.frame import Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer

BACKENDS = ("gl", "soft")


def renderer_for(backend: str | None = None) -> tuple[Renderer, str]:
    """A renderer on this thread, and a remark for people where it is not the one hoped for.

    `backend` "gl" insists on OpenGL and raises NoGraphics without it; None takes NumPy instead.
    """
    if backend == "soft":
        return SoftRenderer(), ""
    try:
        return GlRenderer(), ""
    except NoGraphics as error:
        if backend == "gl":
            raise
        return SoftRenderer(), f"{error}; the slower NumPy renderer draws the stage"
