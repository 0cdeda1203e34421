"""A wire that depends on texture coordinates alone, baked to a texture no larger than it must be."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Material
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.ir.cost import cost
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.progress import Progress, silent
from soft_lantern.scene.mesh import Floats
from soft_lantern.values.images import Image

SIDES = (16, 32, 64, 128, 256, 512, 1024, 2048)
"""Texels a side that are tried, the least first."""
LIMIT = 1 / 255
"""How far a texture may be from the wire: a step of a screen's 8 bits."""
POINTS = 16_384
AT_ONCE = 1 << 18

Values = Callable[[Floats], Floats]
"""The wire at coordinates (2, n): (n, 1 to 4)."""


class WireMap(Struct, frozen=True, eq=False):
    """A wire as linear RGBA, (h, w, 4), row 0 at v = 0; what is not there of it is 0, and alpha 1.

    `off`: how far from the wire it is, filtered, at most and on the mean, at coordinates by
    chance from 0 to 1. `saved`: operations a pixel that the wire cost; `reads`: texture reads.
    """

    pixels: Floats
    off: tuple[float, float]
    saved: int
    reads: int

    @property
    def side(self) -> int:
        """Texels a side."""
        return len(self.pixels)


def hindered(material: Material, wire: str, lowered: Lowered | None = None) -> str:
    """Why a wire cannot be baked to a texture, "" where it can."""
    lowered = lowered or lower(material)
    value = lowered.wires.get(wire)
    if value is None:
        return "Select a wire or a node first"
    order = topological([value])
    read = {str(each.data) for each in order if each.op is Op.INPUT}
    others = sorted(INPUTS[name].words if name in INPUTS else name for name in read - {"uv"})
    if others:
        return f"It depends on more than texture coordinates: {', '.join(others)}"
    if not read:
        return "It is the same everywhere: a constant does it"
    sources = [lowered.uniforms[str(each.data)] for each in order if each.op is Op.UNIFORM]
    labels = [p.label for source in sources for p in material.parameters if p.id == source.parameter]
    return f"It depends on parameters: {', '.join(dict.fromkeys(labels))}" if labels else ""


def least_map(
    material: Material, wire: str, images: Mapping[str, Image], limit: float = LIMIT, progress: Progress = silent
) -> WireMap:
    """The smallest texture of a wire that is off by no more than a limit, or the largest that is tried.

    Raises BadEdit where the wire cannot be baked, Cancelled.
    """
    lowered = lower(material)
    why = hindered(material, wire, lowered)
    if why:
        raise BadEdit(why)
    expr = lowered.wires[wire]
    values = _values(lowered, material, images, expr)
    uv = np.random.default_rng(1).uniform(0, 1, (2, POINTS)).astype(np.float32)
    live = values(uv)
    spent = cost([expr])
    for number, side in enumerate(SIDES):
        progress(number / len(SIDES), f"Trying {side} × {side}")
        pixels = _drawn(values, side)
        inside = np.clip(uv, 0.5 / side, 1 - 0.5 / side)  # beyond the outermost middles nothing is between texels
        wanted = live if np.array_equal(inside, uv) else values(inside)
        found = Image(pixels, "data", wrap="clamp").read(inside).T[:, : wanted.shape[1]]
        off = np.abs(found - wanted)
        made = WireMap(pixels, (float(off.max()), float(off.mean())), spent.operations, spent.texture_reads)
        if made.off[0] <= limit:
            break
    return made


def _drawn(values: Values, side: int) -> Floats:
    across = (np.arange(side, dtype=np.float32) + np.float32(0.5)) / side
    pixels = np.zeros((side * side, 4), np.float32)
    pixels[:, 3] = 1.0
    rows = max(AT_ONCE // side, 1)
    for top in range(0, side, rows):
        v, u = np.meshgrid(across[top : top + rows], across, indexing="ij")
        found = values(np.stack([u.ravel(), v.ravel()]))
        parts = np.repeat(found, 3, axis=1) if found.shape[1] == 1 else found  # a number is a grey
        pixels[top * side : top * side + len(found), : parts.shape[1]] = np.nan_to_num(parts)
    return pixels.reshape(side, side, 4)


def _values(lowered: Lowered, material: Material, images: Mapping[str, Image], expr: Expr) -> Values:
    held = {name: leaf(value) for name, value in uniform_values(lowered, material, {}, images).items()}
    return lambda uv: as_rows(evaluate([expr], {"uv": uv, **held})[expr], uv.shape[1])
