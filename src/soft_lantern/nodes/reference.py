"""The node reference as a page, from the same definitions the program runs: python -m soft_lantern.nodes.reference."""

from __future__ import annotations

from itertools import groupby

from soft_lantern.nodes import LIBRARY
from soft_lantern.nodes.definition import NodeType, Port
from soft_lantern.values.kinds import components

_OPENING = """# Nodes

Generated from the node library by `python -m soft_lantern.nodes.reference`; do not edit by hand. Arithmetic works on
numbers, vectors and colours alike: *any* takes the widest kind among a node's wires, and a lone number acts on every
component. Formulas are GLSL.
"""


def reference() -> str:
    """The whole page as Markdown."""
    parts = [_OPENING]
    ordered = sorted(LIBRARY.values(), key=lambda t: t.family)
    for family, members in groupby(ordered, key=lambda t: t.family):
        parts.append(f"## {family.capitalize()}\n")
        parts += [_entry(node_type) for node_type in members]
    return "\n".join(parts)


def _entry(node_type: NodeType) -> str:
    lines = [f"### {node_type.title}\n", f"`{node_type.key}`; also found as {', '.join(node_type.also)}.\n"]
    paragraphs = node_type.help.split("\n\n")
    lines += [p if "=" not in p.split("\n")[0] else f"    {p}" for p in paragraphs]
    lines = [f"{line}\n" if not line.endswith("\n") else line for line in lines]
    rows = [("in", p) for p in node_type.inputs] + [("out", p) for p in node_type.outputs]
    lines.append("| port | kind | unit | expected | default |\n| --- | --- | --- | --- | --- |")
    lines += [_row(way, port) for way, port in rows]
    lines += [f"| setting {s.name} | {', '.join(s.choices) or 'an id'} | | | {s.default} |" for s in node_type.settings]
    return "\n".join(lines) + "\n"


def _row(way: str, port: Port) -> str:
    carries = port.carries
    kind = carries.kind.words if carries.kind else "any"
    kind += "" if carries.takes_wire or way == "out" else ", typed only"
    expected = "{:g} to {:g}".format(*carries.expected) if carries.expected else ""
    default = ", ".join(f"{c:g}" for c in components(port.default)) if port.default is not None else ""
    if way == "in" and port.default is None and carries.takes_wire:
        default = "needs a wire"
    return f"| {way} {port.label} | {kind} | {carries.unit} | {expected} | {default} |"


if __name__ == "__main__":
    print(reference(), end="")
