"""What a frame's shadows rest on, so that both renderers keep their map while nothing of it changes."""

from __future__ import annotations

import functools

from soft_lantern.ir.expr import Expr
from soft_lantern.ir.surface_inputs import at_pixel, read_inputs, vertex
from soft_lantern.render.frame import Frame, Item, UniformValue
from soft_lantern.render.shadow import ShadowView


def shadow_key(frame: Frame, view: ShadowView) -> tuple[object, ...]:
    """The same for two frames that throw the same shadows."""
    return (view.key, *(_shape_key(frame, item) for item in frame.casters))


def _shape_key(frame: Frame, item: Item) -> tuple[object, ...]:
    """All that the item's outline rests on: two frames with the same keys throw the same shadow."""
    paint, placed = item.paint, tuple(sorted(item.inputs.items()))
    if paint.offset is None and not paint.masked:
        return (item.mesh, placed)
    read = _read_by_shape(paint.offset, paint.colour if paint.masked else None)
    return (
        item.mesh,
        placed,
        *read,
        *(frame.inputs.get(str(n)) for n in read[2:]),
        *sorted(paint.uniforms.items(), key=_name),
    )


def _name(entry: tuple[str, UniformValue]) -> str:
    return entry[0]


@functools.lru_cache(maxsize=512)
def _read_by_shape(offset: Expr | None, colour: Expr | None) -> tuple[object, ...]:
    """An offset and a colour with holes, and the names of the inputs they read."""
    read = read_inputs(vertex(offset).values()) + ([] if colour is None else read_inputs(at_pixel([colour])))
    return (offset, colour, *sorted(set(read)))
