"""Nodes that shape the graph and leave values as they are."""

from __future__ import annotations

from typing import NamedTuple

from soft_lantern.ir.expr import Expr
from soft_lantern.nodes.definition import Anything, Role, TypedAnything, node
from soft_lantern.values.kinds import KindName


class SnippetOutput(NamedTuple):
    """What a snippet hands out."""

    value: Expr


@node("Elbow", family="flow", also=("bend", "corner", "joint", "wire"), role=Role.ELBOW)
def elbow(value: Anything = 0.0) -> Anything:
    """A bend in a wire; the value goes through unchanged.

    out = value
    """
    return value


@node("Snippet input", family="flow", also=("argument", "in", "interface"), role=Role.ENTRY)
def snippet_input(
    value: TypedAnything = 0.0,
    *,
    kind: KindName = "number",
) -> Anything:
    """What a snippet is handed where it is used; while it is built, the value typed here, which is also its default.

    out = value
    """
    return value


@node("Snippet output", family="flow", also=("result", "return", "out", "interface"), role=Role.EXIT)
def snippet_output(value: Anything = 0.0) -> SnippetOutput:
    """What a snippet hands out where it is used.

    value = value
    """
    return SnippetOutput(value)
