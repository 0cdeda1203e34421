"""Unfolds a formula into plain nodes, smaller formulas standing in for functions the library has no node for."""

from __future__ import annotations

from typing import Any

from soft_lantern.graph.document import Material, Node, new_id, node_and_port, port_ref
from soft_lantern.graph.edits import add_node, connect, fragment, move_nodes, remove_nodes, type_value
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.graph.layout import tidy
from soft_lantern.nodes.formula import parse
from soft_lantern.values.kinds import Kind, Value

_NODES = {"add": "add", "subtract": "subtract", "multiply": "multiply", "divide": "divide"}
_CALLS = {"clamp": ("value", "low", "high"), "mix": ("a", "b", "factor"), "vec3": ("x", "y", "z")}
_CALLED = {"clamp": "clamp", "mix": "mix", "vec3": "combine"}
_SYMBOLS = {
    "less": "a < b",
    "greater": "a > b",
    "at_most": "a <= b",
    "at_least": "a >= b",
    "equal": "a == b",
    "unequal": "a != b",
    "and_": "a && b",
    "or_": "a || b",
    "not_": "!a",
    "negate": "-a",
    "choose": "a ? b : c",
}

Source = str | Value
"""Where a part's value comes from: an output "node.port", or a number to type."""


def unfold(material: Material, node_id: str) -> Material:
    """The material with a formula replaced by nodes that compute the same.

    Conditions are values of no wire, so a choice stays one small formula with its condition.
    """
    return _Unfolding(material, node_id).run()


class _Unfolding:
    def __init__(self, material: Material, node_id: str) -> None:
        self.material, self.node_id = material, node_id
        self.node = material.nodes[node_id]
        self.made: list[str] = []

    def run(self) -> Material:
        readers = [i for i, out in self.material.wires.items() if out == port_ref(self.node_id, "out")]
        result = self._part(parse(self.node.settings["expression"]))
        if not isinstance(result, str):
            result = self._typed(result)
        for into in readers:
            self.material = connect(self.material, result, into)
        done = remove_nodes(self.material, [self.node_id])
        return self._laid_out(done)

    def _part(self, tree: Any) -> Source:
        name = str(tree.data)
        if name == "number":
            return float(str(tree.children[0]).rstrip("fF"))
        if name == "name":
            return self._named(str(tree.children[0]))
        if name == "part":
            return self._component(self._part(tree.children[0]), str(tree.children[1]))
        if name in _NODES:
            return self._made(Node(type=_NODES[name]), dict(zip("ab", map(self._part, tree.children), strict=True)))
        if name == "call":
            return self._call(str(tree.children[0]), [self._part(child) for child in tree.children[1:]])
        if name == "choose" or name not in _SYMBOLS:
            return self._kept_whole(tree)
        return self._small(_SYMBOLS[name], [self._part(child) for child in tree.children])

    def _call(self, name: str, arguments: list[Source]) -> Source:
        ports = _CALLS.get(name, ())
        if len(arguments) == len(ports):
            return self._made(Node(type=_CALLED[name]), dict(zip(ports, arguments, strict=True)))
        letters = "abcd"[: len(arguments)]
        return self._small(f"{name}({', '.join(letters)})", arguments)

    def _component(self, value: Source, letters: str) -> Source:
        place = {"r": "x", "g": "y", "b": "z"}.get(letters, letters)
        if place in ("x", "y", "z") and isinstance(value, str) and self._is_vector3(value):
            taken = self._made(Node(type="separate"), {"vector": value})
            return port_ref(node_and_port(taken)[0], place)
        return self._small(f"a.{letters}", [value])

    def _is_vector3(self, out: str) -> bool:
        return output_kinds(self.material).get(out) is Kind.VECTOR3

    def _kept_whole(self, tree: Any) -> Source:
        """A part whose inside has no wire of its own, as one formula over the same names."""
        text = self.node.settings["expression"][tree.meta.start_pos : tree.meta.end_pos]
        names = {str(leaf.children[0]) for leaf in tree.iter_subtrees() if leaf.data == "name"}
        node = Node(type="formula", settings={"expression": text})
        return self._made(node, {name: self._named(name) for name in sorted(names)})

    def _small(self, text: str, arguments: list[Source]) -> Source:
        node = Node(type="formula", settings={"expression": text})
        return self._made(node, dict(zip("abcd", arguments, strict=False)))

    def _named(self, name: str) -> Source:
        wired = self.material.wires.get(port_ref(self.node_id, name))
        return wired or self.node.values.get(name, 0.0)

    def _typed(self, value: Value) -> str:
        return self._made(Node(type="number"), {"value": value})

    def _made(self, node: Node, ports: dict[str, Source]) -> str:
        node_id = new_id(node.type)
        self.material = add_node(self.material, node_id, node)
        self.made.append(node_id)
        for port, source in ports.items():
            if isinstance(source, str):
                self.material = connect(self.material, source, port_ref(node_id, port))
            else:
                self.material = type_value(self.material, node_id, port, source)
        return port_ref(node_id, "out" if node.type != "separate" else "x")

    def _laid_out(self, material: Material) -> Material:
        """The new nodes in columns of their own, ending where the formula stood."""
        placed = tidy(fragment(material, self.made))
        right = max(n.x for n in placed.nodes.values())
        places = {i: (self.node.x + n.x - right, self.node.y + n.y) for i, n in placed.nodes.items()}
        return move_nodes(material, places)
