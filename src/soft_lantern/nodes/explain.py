"""What a node is, told from its one definition: sentence, formula, ports, an example worked by it, cost and source."""

from __future__ import annotations

import functools
from math import inf
from typing import Any

import numpy as np
from msgspec import Struct

from soft_lantern.ir.cost import Cost, cost
from soft_lantern.ir.expr import Expr, Op, Type, topological, uniform, vector_type
from soft_lantern.ir.inputs import BEHIND, INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.nodes.definition import NodeType, Port
from soft_lantern.values.images import MISSING
from soft_lantern.values.kinds import Kind, components

_TRIED = (0.25, 0.75, 0.5, 0.9, 0.1, 0.6, 0.3, 0.8, 0.4)
"""What an example puts into ports whose default would tell nothing."""


class PortRow(Struct, frozen=True):
    """A port or setting as a table shows it."""

    way: str
    name: str
    kind: str
    unit: str
    expected: str
    default: str


class Explanation(Struct, frozen=True):
    """All that is told of a node. `notes`: paragraphs after the formula."""

    summary: str
    formula: str
    notes: tuple[str, ...]
    rows: tuple[PortRow, ...]
    example: str
    cost: Cost
    source: str

    @property
    def ranges(self) -> str:
        """The expected range of every port that has one, in one line."""
        found = [f"{row.name} {row.expected}" for row in self.rows if row.expected]
        return "; ".join(found) or "any"


@functools.lru_cache(maxsize=512)
def explain(node_type: NodeType) -> Explanation:
    """What a node type is, with the ports its settings give it."""
    paragraphs = [" ".join(p.split()) for p in node_type.help.split("\n\n")]
    formula = paragraphs[1] if len(paragraphs) > 1 else ""
    rows = [_row("in", p) for p in node_type.inputs] + [_row("out", p) for p in node_type.outputs]
    for setting in node_type.settings if node_type.key != "snippet" else ():
        rows.append(PortRow("setting", setting.name, ", ".join(setting.choices) or "an id", "", "", setting.default))
    results, example = _worked(node_type)
    return Explanation(
        paragraphs[0], formula, tuple(paragraphs[2:]), tuple(rows), example, cost(results.values()), node_type.source
    )


def _row(way: str, port: Port) -> PortRow:
    carries = port.carries
    kind = carries.kind.words if carries.kind else "any"
    if way == "in" and not carries.takes_wire:
        kind += ", typed only"
    default = ""
    if way == "in":
        default = _in_words(port.default) if port.default is not None else "needs a wire"
        default = "the surface’s own" if port.implied is not None else default
    return PortRow(way, port.label, kind, carries.unit, span(carries.expected), default)


def span(expected: tuple[float, float] | None) -> str:
    """An expected range in words; "" where there is none."""
    if expected is None:
        return ""
    low, high = expected
    if high == inf:
        return "0 or more" if low == 0 else "above 0" if low < 0.01 else f"{low:g} or more"
    return f"{low:g} to {high:g}".replace("-", "−")


def _worked(node_type: NodeType) -> tuple[dict[str, Expr], str]:
    """The node's results over its ports, and what they come to for values that tell something."""
    if node_type.key == "snippet":
        return {}, ""
    exprs: dict[str, Expr] = {}
    leaves: dict[str, Any] = {}
    said = []
    for index, port in enumerate(node_type.inputs):
        if port.implied is not None:
            exprs[port.name] = port.implied
            continue
        kind = port.carries.kind or Kind.NUMBER
        name = f"port:{port.name}"
        exprs[port.name] = uniform(name, Type.SAMPLER if kind.is_read else vector_type(kind.width))
        if kind.is_read:
            leaves[name] = MISSING
            said.append(f"{port.label} = even grey")
            continue
        parts = _telling(port, kind, _TRIED[index % len(_TRIED)])
        leaves[name] = leaf(parts)
        said.append(f"{port.label} = {_in_words(parts)}")
    results = node_type.apply(exprs, {s.name: s.default for s in node_type.settings})
    for expr in topological(results.values()):
        if expr.op is Op.INPUT:
            leaves[str(expr.data)] = leaf(INPUTS[str(expr.data)].default)
        elif expr is BEHIND:
            leaves[str(expr.data)] = MISSING
    values = evaluate(results.values(), leaves)
    shown = [name for name, expr in results.items() if expr.type is not Type.SAMPLER][:3]
    ends = ", ".join(f"{n.replace('_', ' ')} = {_in_words(tuple(as_rows(values[results[n]], 1)[0]))}" for n in shown)
    given = ", ".join(said) or "at a lone point"
    return results, f"{given} → {ends}" if ends else given


def _telling(port: Port, kind: Kind, tried: float) -> tuple[float, ...]:
    """The port's default; a value of its own where that is 0 or 1 everywhere, or missing."""
    default = components(port.default) if port.default is not None else ()
    if default and not set(default) <= {0.0, 1.0}:
        return default * kind.width if len(default) == 1 else default
    if (
        port.name in ("high", "new_high", "axis", "a", "scale", "amount", "alpha")
        and default
        and kind is not Kind.NUMBER
    ):
        return default
    if port.name in ("high", "new_high", "spread", "lacunarity", "sharpness") and default:
        return default * kind.width if len(default) == 1 else default
    varied = tuple(round(tried + 0.1 * i, 2) for i in range(kind.width))
    return (*varied[:3], 1.0) if kind is Kind.COLOUR else varied


def _in_words(value: Any) -> str:
    parts = components(value) if not isinstance(value, tuple) else value
    if isinstance(value, str):
        return "none"
    texts = [f"{np.float32(p):.4g}".replace("-", "−") for p in parts]
    return texts[0] if len(texts) == 1 else f"({', '.join(texts)})"
