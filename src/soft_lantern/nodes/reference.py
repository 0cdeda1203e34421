"""The node reference as a page, from the same definitions the program runs: python -m soft_lantern.nodes.reference."""

from __future__ import annotations

from itertools import groupby

from soft_lantern.nodes import LIBRARY
from soft_lantern.nodes.definition import NodeType
from soft_lantern.nodes.explain import explain

_OPENING = """# Nodes

Generated from the node library by `python -m soft_lantern.nodes.reference`; do not edit by hand. Arithmetic works on
numbers, vectors and colours alike: *any* takes the widest kind among a node's wires, and a lone number acts on every
component. Formulas are GLSL. An operation is one on a single number; division and roots count 4, powers, logarithms and
sines 8. *Outside check* names the definition beyond this project that the tests hold a node to, with the same inputs
giving the same outputs; defaults are those listed here. *Own* nodes are held by their formula, to OpenGL and to their
bound alone.
"""
_HEAD = "| node | definition | expected ranges | cost | outside check |\n| --- | --- | --- | --- | --- |"


def reference() -> str:
    """The whole page as Markdown: a table of everything, then every node."""
    ordered = sorted(LIBRARY.values(), key=lambda t: t.family)
    parts = [_OPENING, _HEAD, *(_line(node_type) for node_type in ordered), ""]
    for family, members in groupby(ordered, key=lambda t: t.family):
        parts.append(f"## {family.capitalize()}\n")
        parts += [_entry(node_type) for node_type in members]
    return "\n".join(parts)


def _line(node_type: NodeType) -> str:
    told = explain(node_type)
    cells = (node_type.title, f"`{told.formula}`", told.ranges, str(told.cost), told.source)
    return "| " + " | ".join(_cell(cell) for cell in cells) + " |"


def _entry(node_type: NodeType) -> str:
    told = explain(node_type)
    lines = [f"### {node_type.title}\n", f"`{node_type.key}`; also found as {', '.join(node_type.also)}.\n"]
    lines += [f"{told.summary}\n", f"    {told.formula}\n", *(f"{note}\n" for note in told.notes)]
    lines.append("| port | kind | unit | expected | default |\n| --- | --- | --- | --- | --- |")
    for row in told.rows:
        cells = (f"{row.way} {row.name}", row.kind, row.unit, row.expected, row.default)
        lines.append("| " + " | ".join(_cell(cell) for cell in cells) + " |")
    lines.append(f"\nExample: {told.example}. Cost: {told.cost}. Source: {told.source}.\n")
    return "\n".join(lines)


def _cell(text: str) -> str:
    return text.replace("|", "\\|")


if __name__ == "__main__":
    print(reference(), end="")
