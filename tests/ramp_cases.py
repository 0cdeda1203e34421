"""Gradients and sprites that several tests share."""

from __future__ import annotations

import numpy as np

from soft_lantern.graph.document import Gradient, Stop
from soft_lantern.values.colour import colour_from_hex


def gradient(*stops: tuple[float, str] | tuple[float, str, str], **fields: object) -> Gradient:
    made = tuple(Stop(at=s[0], colour=colour_from_hex(s[1]), shape=s[2] if len(s) > 2 else "linear") for s in stops)  # type: ignore[misc,arg-type]
    return Gradient(id="g", name="G", stops=made, **fields)  # type: ignore[arg-type]


NECTAR = gradient((0, "#ffe2a0"), (0.2, "#e8a24a"), (0.5, "#b5561e"), (0.8, "#5e2412"), (1, "#1b0a08"))


def moth(seed: int = 1, colours: int = 11) -> np.ndarray:
    chance = np.random.default_rng(seed)
    table = chance.integers(0, 256, (colours, 4), np.uint8)
    return table[chance.integers(0, colours, (24, 40))]
