"""A material on a flat card, pixel for pixel: how sprites are judged."""

from __future__ import annotations

import functools
from collections.abc import Mapping

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.graph.document import Environment, Project
from soft_lantern.render import props, surface_model
from soft_lantern.render.frame import Frame, Item, UniformValue, placed_inputs
from soft_lantern.render.lighting import light_uniforms
from soft_lantern.render.staging import NO_SHADOW, LoweredMaterials, StageOptions
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import flat_camera
from soft_lantern.values.images import Image

SCALES = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32)
"""Pixels of the picture for each texel."""
WITHOUT_TEXTURE = (64, 64)
BACKDROPS = ("checker", "black", "grey", "white")
_BACKDROP_COLOURS = {"black": (0.0, 0.0, 0.0), "grey": (0.18, 0.18, 0.18), "white": (1.0, 1.0, 1.0)}


class Card(Struct, frozen=True):
    """How a card is shown: pixels for each texel, what is behind it, and how far it is moved in pixels, y down."""

    scale: int = 4
    backdrop: str = "checker"
    moved: tuple[int, int] = (0, 0)


def card_frame(
    project: Project,
    look_id: str,
    card: Card,
    size: tuple[int, int],
    options: StageOptions,
    lowered_materials: LoweredMaterials,
    environment: Environment,
    time: float = 0.0,
    images: Mapping[str, Image] | None = None,
) -> Frame:
    """A look on a card as large as its first texture, every texel a square of whole pixels."""
    dress = lowered_materials.dress(project, look_id, replace(options, shadow=False), images)
    uniforms: dict[str, UniformValue] = {
        k: nearest(v) if isinstance(v, Image) else v for k, v in dress.paint.uniforms.items()
    }
    read = [value for value in uniforms.values() if isinstance(value, Image)]
    width, height = (read[0].width, read[0].height) if read else WITHOUT_TEXTURE
    # A texel is a 1/width of a metre; the card's lower left corner lies on a pixel's corner.
    metre = width * card.scale
    left = (size[0] - metre) // 2 + card.moved[0]
    below = (size[1] - height * card.scale) // 2 - card.moved[1]
    half = (size[0] / 2 / metre, size[1] / 2 / metre)
    camera = flat_camera((half[0] - left / metre, half[1] - below / metre), half)
    matrix = np.diag([0.5, height / width / 2, 1.0, 1.0])
    matrix[:3, 3] = (0.5, height / width / 2, 0.0)
    mesh = primitive("card", 1).parts[0].mesh
    paint = replace(dress.paint, uniforms=uniforms, hidden_in=frozenset())
    backdrop = props.checker() if card.backdrop == "checker" else props.even(_BACKDROP_COLOURS[card.backdrop])
    item = Item(mesh, _card_inputs(matrix), paint, dress.blended, dress.late)
    return Frame(
        size,
        camera,
        (item,),
        backdrop,
        surface_model.displayed(options.tone_map and options.lit),
        time,
        uniforms={**light_uniforms(environment, images or {}), **NO_SHADOW.uniforms},
    )


def _card_inputs(matrix: np.ndarray) -> dict[str, tuple[float, ...]]:
    return placed_inputs(matrix) | {"bounds_low": (-1.0, -1.0, 0.0), "bounds_high": (1.0, 1.0, 0.0)}


@functools.lru_cache(maxsize=64)
def nearest(image: Image) -> Image:
    """The image read without filtering."""
    return replace(image, filter="nearest")
