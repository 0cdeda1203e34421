"""The benchmark table: ratios and longest waits, taken within one run on one machine."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir import glsl
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.render.measuring import Measuring, pictured
from soft_lantern.render.points import flat_card
from soft_lantern.values.kinds import Kind

ROUNDS = 9


@dataclass(frozen=True, slots=True)
class Row:
    """One measure: what came out, what it must reach, and the unit ("" for a ratio)."""

    name: str
    value: float
    limit: float
    unit: str = ""

    @property
    def reached(self) -> bool:
        return self.value <= self.limit


def table() -> list[Row]:
    """Every measure that needs no window."""
    return [_measuring_against_numpy(), _glsl_growth()]


def chain(count: int) -> Material:
    """A graph of about `count` nodes: masks of height, multiplied, mixed and clamped in turn."""
    m = Authoring(f"Chain {count}")
    position = m.add("position").into("separate")
    value, other = position.y, position.x
    weight = m.expose("Weight", 0.4, limits=(0, 1))
    while len(m.material.nodes) < count - 1:
        value = _stretch(m, value, other, weight)
    m.add("surface", metallic=m.add("clamp", value=value))
    return m.material


def _stretch(m: Authoring, value: Wire, other: Wire, weight: Wire) -> Wire:
    return m.add("clamp", value=m.add("mix", a=(value + 0.1) * weight, b=other - value, factor=weight))


def _measuring_against_numpy() -> Row:
    """All thumbnails and ranges of a 100-node graph at 96 × 96 after one edit, beside the same by hand."""
    material, card = chain(100), flat_card(96)
    lowered = lower(material)
    measuring = Measuring()
    kinds = lowered.kinds

    def ours(weight: float) -> None:
        done = measuring.measure(lowered, uniform_values(lowered, material, {"weight": weight}), card, 0.0)
        for wire in done.values:
            done.thumbnail(wire, kinds[wire])

    stretches = (len(material.nodes) - 6) // 5

    def by_hand(weight: float) -> None:
        position = card.inputs["position_world"]
        x, y, w = position[0], position[1], np.array([weight], np.float32)
        made: list[Array] = [position, x, y, position[2], w]
        value = y
        for _ in range(stretches):
            sum_ = value + np.float32(0.1)
            product = sum_ * w
            difference = x - value
            mixed = product * (1 - w) + difference * w
            value = np.minimum(np.maximum(mixed, np.float32(0)), np.float32(1))
            made += [sum_, product, difference, mixed, value]
        made.append(np.minimum(np.maximum(value, np.float32(0)), np.float32(1)))
        for each in made:
            each.min(), each.max(), each.mean()
            pictured(card, each, Kind.NUMBER)

    return Row("thumbnails and ranges of 100 nodes / by hand in NumPy", _ratio(ours, by_hand), 1.3)


def _glsl_growth() -> Row:
    """Writing GLSL of 2,000 nodes beside 1,000."""
    texts = []
    for count in (1000, 2000):
        material = chain(count)
        lowered = lower(material)
        leaves = {name: f"u{i}" for i, name in enumerate(lowered.uniforms)}
        texts.append((lowered, leaves))

    def write(which: int) -> Callable[[float], None]:
        lowered, leaves = texts[which]
        return lambda _: _discard(glsl.write(list(lowered.surface.values()), lowered.names, leaves))

    return Row("GLSL of 2,000 nodes / of 1,000", _ratio(write(1), write(0)), 2.2)


def _discard(_: object) -> None:
    pass


def _ratio(one: Callable[[float], None], other: Callable[[float], None]) -> float:
    """The best time of one beside the best of the other, taken in turns."""
    times: tuple[list[float], list[float]] = ([], [])
    for turn in range(ROUNDS):
        for call, taken in zip((one, other), times, strict=True):
            started = time.perf_counter()
            call(0.3 + 0.05 * turn)
            taken.append(time.perf_counter() - started)
    return min(times[0]) / min(times[1])
