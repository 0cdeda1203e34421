"""Limits that an instance narrows for itself and its descendants, within those its author set."""

from __future__ import annotations

import math
from collections.abc import Sequence

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Instance, Parameter, changed
from soft_lantern.graph.parameters.edits import hard_limits
from soft_lantern.values.kinds import Kind

Limits = tuple[float | None, float | None]
"""The least and the most, None where as the author has it."""
NUMERIC = (Kind.NUMBER, Kind.VECTOR2, Kind.VECTOR3, Kind.VECTOR4)


def can_narrow(parameter: Parameter) -> bool:
    """Whether a parameter's limits can be narrowed: it takes numbers between two ends."""
    return parameter.kind in NUMERIC and not parameter.choices and parameter.use not in ("switch", "direction")


def narrowed(parameters: tuple[Parameter, ...], chain: Sequence[Instance]) -> tuple[Parameter, ...]:
    """A material's parameters as an instance may set them; the same object where nothing of its chain narrows them.

    `chain`: the instance and its ancestors, nearest first. None leaves the limits of the one above it.
    """
    if not any(instance.limits for instance in chain):
        return parameters
    found = {p.id: p for p in parameters}
    for instance in reversed(chain):
        for parameter_id, limits in instance.limits.items():
            parameter = found.get(parameter_id)
            if parameter and can_narrow(parameter):
                found[parameter_id] = within(parameter, limits)
    return tuple(found[p.id] for p in parameters)


def within(parameter: Parameter, limits: Limits) -> Parameter:
    """The parameter with its limits narrowed; where they would lie outside the ones it has, at the nearest end."""
    low, high = hard_limits(parameter)
    asked = [end if end is not None and math.isfinite(end) else None for end in limits]
    ends = (
        (low if asked[0] is None else min(max(asked[0], low), high)),
        (high if asked[1] is None else min(max(asked[1], low), high)),
    )
    least, most = min(ends), max(ends)

    def inside(end: float | None) -> float | None:
        return None if end is None else min(max(end, least), most)

    return changed(
        parameter,
        low=least if math.isfinite(least) else None,
        high=most if math.isfinite(most) else None,
        soft_low=inside(parameter.soft_low),
        soft_high=inside(parameter.soft_high),
    )


def with_limits(instance: Instance, parameter: Parameter, limits: Limits | None) -> Instance:
    """The instance with a parameter's limits narrowed, or as above again. Raises BadValue where they cannot be."""
    kept = {key: ends for key, ends in instance.limits.items() if key != parameter.id}
    if limits is None or limits == (None, None):
        return changed(instance, limits=kept)
    low, high = limits
    if not can_narrow(parameter):
        raise BadValue(f"{parameter.label} has no limits to narrow")
    if low is not None and high is not None and low > high:
        raise BadValue(f"{parameter.label} cannot be at least {low:g} and at most {high:g}")
    return changed(instance, limits={**kept, parameter.id: limits})
