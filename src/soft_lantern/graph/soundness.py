"""Values of a record that could not be used as they stand in its file, put right as it is read."""

from __future__ import annotations

from typing import TypeVar

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Material, Parameter, Record, changed
from soft_lantern.values.kinds import fitted

R = TypeVar("R", bound=Record)


def sound(record: R) -> tuple[R, list[str]]:
    """The record as it can be used, and the names of what was put right in it."""
    if not isinstance(record, Material):
        return record, []
    mended: list[str] = []
    exposed = tuple(_sound(parameter, mended) for parameter in record.parameters)
    retired = tuple(_sound(parameter, mended) for parameter in record.retired)
    return (changed(record, parameters=exposed, retired=retired), mended) if mended else (record, [])


def _sound(parameter: Parameter, mended: list[str]) -> Parameter:
    try:
        shaped = fitted(parameter.default, parameter.kind)
    except BadValue:
        mended.append(f"default of {parameter.label}")
        return changed(parameter, default=parameter.kind.neutral)
    return parameter if shaped == parameter.default else changed(parameter, default=shaped)
