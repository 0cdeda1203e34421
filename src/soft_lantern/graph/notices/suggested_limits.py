"""Limits to suggest for a parameter, from the bounds that follow from its graph."""

from __future__ import annotations

from collections import Counter

from soft_lantern.graph.document import Material, Parameter, changed, node_of
from soft_lantern.graph.expectations import expected_by_inputs
from soft_lantern.graph.notices.project import check_material
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Kind, components

LADDER = (0.0, 0.01, 0.1, 1.0, 2.0, 5.0, 10.0, 100.0)
"""Ends that are tried, on either side of 0."""


def suggested_limits(material: Material, parameter_id: str) -> tuple[float, float] | None:
    """The widest limits about a number's default with which the graph keeps to what it does at the default alone.

    What the inputs it feeds expect comes first; then ends are tried outward as long as no notice of the bound
    analysis joins, such as a division that may meet 0 or a mask that may leave 0–1. None for what is no number.
    """
    parameter = material.parameter(parameter_id)
    if parameter is None or parameter.kind is not Kind.NUMBER or parameter.choices or parameter.use == "switch":
        return None
    start = components(parameter.default)[0]
    low, high = _expected(material, parameter_id) or (-LADDER[-1], LADDER[-1])
    quiet = _notices(material, parameter, (start, start))

    def reach(ends: list[float], above: bool) -> float:
        best = start
        for end in ends:
            if _notices(material, parameter, (start, end) if above else (end, start)) - quiet:
                break
            best = end
        return best

    ladder = sorted({low, high, *LADDER, *(-end for end in LADDER)})
    ups = [end for end in ladder if start < end <= high]
    downs = [end for end in reversed(ladder) if low <= end < start]
    found = reach(downs, above=False), reach(ups, above=True)
    return found if found[0] < found[1] else None


def _expected(material: Material, parameter_id: str) -> tuple[float, float] | None:
    """The range that every input fed by the parameter expects, where one does."""
    wanted, found = expected_by_inputs(material), None
    for into, out in material.wires.items():
        source = material.nodes.get(node_of(out))
        reads = source and source.role is Role.PARAMETER and source.settings.get("parameter") == parameter_id
        if reads and into in wanted:
            low, high = found or wanted[into]
            found = max(low, wanted[into][0]), min(high, wanted[into][1])
    return found


def _notices(material: Material, parameter: Parameter, ends: tuple[float, float]) -> Counter[tuple[str, str, str]]:
    tried = changed(parameter, low=ends[0], high=ends[1], soft_low=None, soft_high=None, scale="linear")
    listed = tuple(tried if p.id == parameter.id else p for p in material.parameters)
    found = check_material(changed(material, parameters=listed))
    return Counter((notice.kind, notice.node, notice.port) for notice in found)
