"""Graphs of standard nodes while they are written: nodes are added, and what they give is passed on by its place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct

from soft_lantern.formats.materialx.library import WIDTHS, fits
from soft_lantern.ir.glsl_words import Identifiers


class Place(Struct, frozen=True):
    """Where a value of a type comes from: an output of a node, an input of the graph around, or typed in place."""

    type: str
    node: str = ""
    output: str = ""
    interface: str = ""
    value: str = ""


def typed(type_: str, parts: Sequence[float]) -> Place:
    """A value in place: one number for each component, or one for all of them."""
    wide = list(parts) * WIDTHS[type_] if len(parts) == 1 else parts[: WIDTHS[type_]]
    return Place(type_, value=", ".join(number(part) for part in wide))


def number(value: float) -> str:
    """A number as text that reads back as the same 32-bit float."""
    return f"{value:.9g}"


class Sheet:
    """A graph, or the document itself, that nodes are added to."""

    def __init__(self, element: Any) -> None:
        self.element = element
        self.made: list[str] = []
        """The names of nodes, in the order they were added."""
        self._names = Identifiers({each.getName() for each in element.getChildren()})
        self._converted: dict[tuple[Place, str], Place] = {}
        self._before: dict[Place, Place] = {}

    def add(self, category: str, type_: str, name: str = "", /, **given: Place | str) -> Place:
        """A new node, and where what it gives is. Text is put in as a string."""
        node = self.element.addNode(category, self._names.take(name or category), type_)
        self.made.append(node.getName())
        for port, place in given.items():
            give(node, port.rstrip("_"), place)
        return Place(type_, node=node.getName())

    def node(self, place: Place) -> Any:
        """The node that gives what is at a place."""
        return self.element.getNode(place.node)

    def output(self, place: Place, name: str, type_: str) -> Place:
        """One of the outputs of a node that has several."""
        return Place(type_, node=place.node, output=out_name(name))

    def as_type(self, place: Place, type_: str) -> Place:
        """The same value as another type: a lone number in every component, what is missing 0, or 1 for alpha."""
        if place.type == type_:
            return place
        if place.value and place.type in WIDTHS:
            parts = [float(part) for part in place.value.split(",")]
            missing = WIDTHS[type_] - len(parts)
            return typed(type_, parts if len(parts) == 1 else [*parts, *[1.0] * missing])
        key = place, type_
        if key not in self._converted:
            whole = self._before.get(place, place)
            source = whole if fits("convert", type_, {"in": whole.type}) else place
            if fits("convert", type_, {"in": source.type}):
                made = self.add("convert", type_, in_=source)
                if WIDTHS[type_] <= WIDTHS[source.type]:
                    self._before[made] = source
            else:
                between = "vector" if type_.startswith("color") else "color"
                made = self.as_type(self.as_type(place, f"{between}{place.type[-1]}"), type_)
            self._converted[key] = made
        return self._converted[key]

    def swept(self) -> None:
        """Take away nodes that nothing reads."""
        while True:
            ports = [
                *self.element.getOutputs(),
                *(port for node in self.element.getNodes() for port in node.getInputs()),
            ]
            read = {port.getNodeName() for port in ports}
            left = [node.getName() for node in self.element.getNodes() if node.getName() not in read]
            for name in left:
                self.element.removeNode(name)
            if not left:
                return


def give(node: Any, name: str, place: Place | str) -> None:
    """Hand what is at a place to an input of a node."""
    if isinstance(place, str):
        node.addInput(name, "string").setValueString(place)
        return
    port = node.getInput(name) or node.addInput(name, place.type)
    if place.node:
        port.setNodeName(place.node)
        if place.output:
            port.setOutputString(place.output)
    elif place.interface:
        port.setInterfaceName(place.interface)
    else:
        port.setValueString(place.value)


def out_name(name: str) -> str:
    """What an output is called: an input may have its name as well."""
    return name if name == "out" else f"{name}_out"


def hand_out(graph: Any, name: str, place: Place, sheet: Sheet) -> None:
    """An output of a graph that gives what is at a place."""
    output = graph.addOutput(out_name(name), place.type)
    if not place.node:  # an output hands on what a node gives
        place = sheet.add("dot" if place.interface else "constant", place.type, **_alone(place))
    output.setNodeName(place.node)
    if place.output:
        output.setOutputString(place.output)


def _alone(place: Place) -> Mapping[str, Place]:
    return {"in_": place} if place.interface else {"value": place}
