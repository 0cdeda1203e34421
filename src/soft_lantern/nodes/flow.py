"""Nodes that shape the graph and leave values as they are."""

from __future__ import annotations

from soft_lantern.nodes.definition import AnyKind, node


@node("Elbow", family="flow", also=("bend", "corner", "joint", "wire"))
def elbow(value: AnyKind = 0.0) -> AnyKind:
    """A bend in a wire; the value goes through unchanged.

    out = value
    """
    return value
