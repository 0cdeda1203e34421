"""Which nodes feed which, however far."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from soft_lantern.graph.document import Material, node_of
from soft_lantern.graph.identity import by_identity

Beside = Mapping[str, list[str]]


def reached(material: Material, nodes: Iterable[str], *, upstream: bool) -> set[str]:
    """Nodes and all that feeds them, or all that they feed."""
    beside = beside_each(material.wires)[0 if upstream else 1]
    seen: set[str] = set()
    waiting = list(nodes)
    while waiting:
        each = waiting.pop()
        if each not in seen:
            seen.add(each)
            waiting += beside.get(each, ())
    return seen


def feeds(material: Material, source: str, target: str) -> bool:
    """Whether node `source` is `target` or lies upstream of it."""
    return source in reached(material, [target], upstream=True)


@by_identity(8)
def beside_each(wires: Mapping[str, str]) -> tuple[Beside, Beside]:
    """By node, those that feed it, and those that it feeds, once for every wire. Not to be changed: it is kept."""
    feeding: dict[str, list[str]] = {}
    fed: dict[str, list[str]] = {}
    for into, out in wires.items():
        target, source = node_of(into), node_of(out)
        feeding.setdefault(target, []).append(source)
        fed.setdefault(source, []).append(target)
    return feeding, fed
