"""Values to try: a parameter at a few steps between two ends, and random sets of values within chosen spreads."""

from __future__ import annotations

import zlib
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Instance, Parameter, Project, changed, new_id
from soft_lantern.graph.instances.family import free_name
from soft_lantern.graph.instances.values import look, put_instance
from soft_lantern.graph.parameters.edits import held, slider_ends
from soft_lantern.ir.oklch import linear_from_oklch, oklch_from_linear
from soft_lantern.values.kinds import Kind, Value, components

FEWEST, MOST = 2, 9
"""Steps of a sweep."""
MOST_VARIATIONS = 256


def sweep(parameter: Parameter, value: Value, count: int, ends: tuple[float, float] | None = None) -> list[Value]:
    """A parameter's values at evenly spaced steps: between its slider's ends, or between those given.

    By ratio where the slider runs so. Choices and switches give each of theirs; a colour goes round in hue, with its
    lightness and chroma (OKLCH) as in `value`. Raises BadValue where the parameter cannot be swept.
    """
    if not FEWEST <= count <= MOST:
        raise BadValue(f"a sweep has {FEWEST} to {MOST} steps, not {count}")
    if parameter.kind is Kind.COLOUR:
        lightness, chroma, hue = oklch_from_linear(components(value)[:3])
        turned = [(lightness, max(chroma, 0.06), (hue + 360.0 * step / count) % 360.0) for step in range(count)]
        rgb = [linear_from_oklch(each) for each in turned]
        return [held(parameter, (*each, components(value)[3])) for each in rgb]
    if parameter.kind is not Kind.NUMBER:
        raise BadValue(f"{parameter.label} is a {parameter.kind.words}; a sweep takes numbers and colours")
    if parameter.choices or parameter.use == "switch":
        return [float(each) for each in range(len(parameter.choices) or 2)]
    low, high = ends or usual_ends(parameter, value)
    spaced = np.geomspace if parameter.scale != "linear" and low > 0 else np.linspace
    steps = spaced(low, high, count)
    listed = [held(parameter, float(step)) for step in steps]
    return list(dict.fromkeys(listed))


def usual_ends(parameter: Parameter, value: Value) -> tuple[float, float]:
    """What a number is tried between: its slider's ends, or else half to twice its value; 0 to 1 where that is 0."""
    about = sorted((components(value)[0] * 0.5, components(value)[0] * 2.0))
    return slider_ends(parameter) or ((about[0], about[1]) if about[1] > about[0] else (0.0, 1.0))


class Spread(Struct, frozen=True):
    """How one parameter varies: evenly between two ends, normally about their middle, or one of a list.

    Of a normal spread, the ends lie two standard deviations from the middle, and nothing leaves them. A colour varies
    in OKLCH hue by so many degrees, and in lightness by a twelfth of that in hundredths.
    """

    parameter: str
    how: Literal["uniform", "normal", "list"] = "uniform"
    low: float = 0.0
    high: float = 1.0
    values: tuple[Value, ...] = ()


def variations(
    project: Project, parent_id: str, spreads: Sequence[Spread], count: int, seed: int
) -> list[dict[str, Value]]:
    """So many sets of values by parameter id for instances of a parent; the same for the same seed.

    Each parameter has chances of its own, so taking one more in leaves the others as they are. Raises BadValue.
    """
    found = look(project, parent_id)
    if found is None or not 0 < count <= MOST_VARIATIONS:
        raise BadValue(f"a variation makes 1 to {MOST_VARIATIONS} instances, not {count}")
    known = {p.id: p for p in found.parameters}
    sets: list[dict[str, Value]] = [{} for _ in range(count)]
    for spread in spreads:
        parameter = known.get(spread.parameter)
        if parameter is None:
            raise BadValue(f"{found.material.name} has no parameter “{spread.parameter}”")
        start = found.values.get(parameter.id, parameter.default)
        chance = np.random.default_rng([seed, zlib.crc32(parameter.identifier.encode())])
        for values in sets:
            values[parameter.id] = held(parameter, _drawn(parameter, spread, start, chance))
    return sets


def _drawn(parameter: Parameter, spread: Spread, start: Value, chance: np.random.Generator) -> Value:
    if spread.how == "list":
        if not spread.values:
            raise BadValue(f"{parameter.label} is to come from a list, but the list is empty")
        return spread.values[int(chance.integers(len(spread.values)))]
    if isinstance(start, str):
        raise BadValue(f"{parameter.label} is a {parameter.kind.words}, which can only come from a list")
    if parameter.kind is Kind.COLOUR:
        lightness, chroma, hue = oklch_from_linear(components(start)[:3])
        turn, lift = (_between(spread, chance) for _ in range(2))
        turned = (min(max(lightness + lift / 1200.0, 0.0), 1.0), chroma, (hue + turn) % 360.0)
        return (*linear_from_oklch(turned), components(start)[3])
    parts = tuple(_between(spread, chance) for _ in range(parameter.kind.width))
    return parts if len(parts) > 1 else parts[0]


def _between(spread: Spread, chance: np.random.Generator) -> float:
    low, high = min(spread.low, spread.high), max(spread.low, spread.high)
    if spread.how == "normal":
        return float(np.clip(chance.normal((low + high) / 2, (high - low) / 4), low, high))
    return float(chance.uniform(low, high))


def kept_variations(
    project: Project, parent_id: str, name: str, liked: Sequence[Mapping[str, Value]]
) -> tuple[Project, list[Instance]]:
    """The project with an instance of the parent for each set of values that is liked, and those instances."""
    made = []
    for values in liked:
        instance = Instance(id=new_id("instance"), name=free_name(project, name), parent=parent_id)
        instance = changed(instance, values=dict(values))
        project = put_instance(project, instance)
        made.append(instance)
    return project, made
