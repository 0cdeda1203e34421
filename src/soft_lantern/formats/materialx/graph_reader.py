"""Graphs of a MaterialX document as graphs of ours: each node becomes one that computes the same, or is named."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Protocol

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadFile
from soft_lantern.formats.materialx.definitions import KEY, read_settings
from soft_lantern.formats.materialx.expressions import AS_DATA, Sampling
from soft_lantern.formats.materialx.graph_writer import GRID
from soft_lantern.formats.materialx.graphs import out_name
from soft_lantern.formats.materialx.read_nodes import (
    CONDITIONS,
    FORMULAS,
    PER_COMPONENT,
    ROWS,
    by_components,
    converted,
)
from soft_lantern.formats.materialx.standard import Row
from soft_lantern.graph.document import Material, Node, Parameter, changed, node_of, port_ref
from soft_lantern.graph.flow import reached
from soft_lantern.graph.lowering import lower_as_typed
from soft_lantern.graph.nesting import used_snippets
from soft_lantern.ir.glsl import literal
from soft_lantern.ir.glsl_words import Identifiers, trouble_with_identifier
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.nodes import LIBRARY, Port, Role
from soft_lantern.nodes.formula import formula_type
from soft_lantern.values.images import Encoding
from soft_lantern.values.kinds import Value
from soft_lantern.values.words import counted

MATRICES = {"matrix33": 9, "matrix44": 16}
"""How many numbers a matrix has, column after column."""
WIDTHS = {"float": 1, "integer": 1, "boolean": 1, "vector2": 2, "vector3": 3, "color3": 3, "vector4": 4, "color4": 4}
"""Components of what is read; a colour of three is a vector here, so that nothing befalls an alpha it has not."""
NODE_GRAPH = "nodegraph"
DEEPEST = 256
"""Graphs inside one another that a connection is followed through."""
_CONSTANTS = {1: "number", 2: "vector_2", 3: "vector_3", 4: "vector_4"}


_ENDS = (Role.SURFACE, Role.OFFSET, Role.ENTRY, Role.EXIT)


class Given(Struct, frozen=True):
    """What an input is given: what a wire carries, numbers, or the name of a file and how that is read."""

    width: int = 0
    wire: str = ""
    parts: tuple[float, ...] = ()
    file: str = ""
    sampling: Sampling = AS_DATA

    @property
    def value(self) -> Value:
        """The numbers as a document of ours holds them."""
        return self.parts[0] if len(self.parts) == 1 else self.parts


Outputs = dict[str, Given]
Special = Callable[["GraphReader", Any, Mapping[str, Given | None]], Given | Outputs | None]
"""Reads a node, given what goes into it; None where it cannot."""


class Around(Protocol):
    """What a graph's reader asks the reader of the whole document."""

    def special(self, category: str) -> Special | None:
        """How a standard node is read that takes more than a table."""

    def brought(self, name: str) -> Callable[[GraphReader], Given] | None:
        """How that is had which geometry brings to an input that says nothing."""

    def texture(self, file: str, sampling: Sampling) -> str:
        """The id of the texture for a file."""

    def snippet(self, nodedef: Any) -> Material | None:
        """The snippet for a definition that is a graph of nodes; None where it is something else."""

    def remark(self, words: str) -> None:
        """Note what was not taken over."""


class GraphReader:
    """Builds one graph of ours from nodes of one graph of theirs, or of the whole document.

    `exposed` gives what comes in by an input of the graph around, None where that holds a value of its own.
    """

    def __init__(self, around: Around, exposed: Callable[[Any], Given | None]) -> None:
        self.around, self.exposed = around, exposed
        self.nodes: dict[str, Node] = {}
        self.wires: dict[str, str] = {}
        self.snippets: dict[str, Material] = {}
        self._ids = Identifiers(set())
        self.placed: set[str] = set()
        self._made: dict[str, Outputs] = {}
        self._now: Any = None

    def graph(self, graph_id: str, name: str, parameters: Iterable[Parameter] = ()) -> Material:
        """What was built so far, without nodes that lead nowhere."""
        whole = Material(id=graph_id, name=name, nodes=self.nodes, wires=self.wires)
        needed = reached(whole, [key for key, node in self.nodes.items() if node.role in _ENDS], upstream=True)
        nodes = {key: node for key, node in self.nodes.items() if key in needed}
        wires = {reader: source for reader, source in self.wires.items() if node_of(reader) in nodes}
        made = changed(whole, nodes=nodes, wires=wires, parameters=tuple(parameters))
        return changed(made, snippets=used_snippets(made, self.snippets))

    # What is built.

    def add(self, key: str, settings: Mapping[str, str] = {}, name: str = "", /, **given: Given | None) -> str:
        """A new node of ours, given values and wires by port; its id."""
        node_id = self._ids.take(name or key)
        values = {port: each.value for port, each in given.items() if each and each.parts and not each.wire}
        x, y = self._place(node_id)
        made = Node(type=key, name=name, x=x, y=y, settings=dict(settings), values=values)
        self.nodes[node_id] = made
        self.wires |= {port_ref(node_id, port): each.wire for port, each in given.items() if each and each.wire}
        return node_id

    def out(self, node_id: str, width: int, port: str = "out") -> Given:
        """What leaves a node of ours."""
        return Given(width, wire=port_ref(node_id, port))

    def formula(self, text: str, width: int, name: str = "", /, **given: Given) -> Given:
        """What a formula over {names} gives, the node called so; numbers stand in it as they are."""
        names = {port: f"{port}_value" if trouble_with_identifier(port) else port for port in given}
        wired = {names[port]: each for port, each in given.items() if each.wire}
        shown = {port: names[port] if each.wire else _literal(each.parts) for port, each in given.items()}
        expression = text.format(**shown)
        formula_type(expression)  # says what is wrong with it
        used = {port: each for port, each in wired.items() if port in {p.name for p in formula_type(expression).inputs}}
        return self.out(self.add("formula", {"expression": expression}, name, **used), width)

    def wired(self, given: Given) -> Given:
        """The same as a wire."""
        if given.wire:
            return given
        return self.out(self.add(_CONSTANTS[len(given.parts)], value=given), given.width)

    def as_width(self, given: Given, width: int) -> Given:
        """The same with so many components."""
        if given.width == width:
            return given
        if given.parts:
            spread = given.parts * width if len(given.parts) == 1 else (*given.parts, 0.0, 0.0, 1.0)[:width]
            return Given(width, parts=spread)
        return self.formula(converted(given.width, width), width, **{"in": given})

    def constant(self, given: Given, parameters: Iterable[Parameter]) -> tuple[float, ...]:
        """The numbers a wire carries whatever the surface and the parameters are, empty where those decide."""
        whole = Material(
            id="probed",
            name="",
            nodes=self.nodes | {"end": Node(type="unlit_surface")},
            wires=self.wires | {"end.colour": given.wire},
            parameters=tuple(parameters),
            snippets=self.snippets,
        )
        colour = lower_as_typed(whole).surface["base_colour"]
        try:
            return tuple(np.ravel(evaluate([colour], {})[colour]).tolist())[: given.width]
        except KeyError:  # what a surface or a designer brings
            return ()

    def _place(self, node_id: str) -> tuple[float, float]:
        """Where a node of ours is to stand: where theirs does, if that says so."""
        try:
            place = float(self._now.getAttribute("xpos")) * GRID, float(self._now.getAttribute("ypos")) * GRID
        except (AttributeError, ValueError):
            return 0.0, 0.0
        self.placed.add(node_id)
        return place

    # What is read.

    def port(self, port: Any) -> Given | None:
        """What an input or output of theirs is given; None where it says nothing."""
        port, node, chosen = self._followed(port)
        if node is not None:
            outputs = self.node(node)
            return outputs.get(chosen) or outputs.get("out") or next(iter(outputs.values()), None)
        if port is None:
            return None
        return self.exposed(port) or self._typed(port)

    def _followed(self, port: Any) -> tuple[Any, Any, str]:
        """Where a connection leads: an input that holds a value or is handed in, or a node and its output."""
        for _ in range(DEEPEST):
            name, parent = port.getInterfaceName(), port.getParent()
            if name:
                graph = parent if parent.getCategory() == NODE_GRAPH else parent.getParent()
                nodedef = graph.getNodeDef()
                inner = graph.getInput(name) or (nodedef.getActiveInput(name) if nodedef is not None else None)
                if inner is None or self.exposed(inner):
                    return inner, None, ""
                port = inner
            elif port.getNodeGraphString():
                graph = port.getDocument().getNodeGraph(port.getNodeGraphString())
                outputs = graph.getOutputs() if graph is not None else []
                found = [each for each in outputs if each.getName() == port.getOutputString()] or outputs
                if not found:
                    return None, None, ""
                port = found[0]
            elif port.getNodeName():
                scope = parent.getParent()
                if parent.getCategory() == NODE_GRAPH:
                    scope = parent if port.getCategory() == "output" else port.getDocument()
                node = scope.getNode(port.getNodeName()) if hasattr(scope, "getNode") else None
                return None if node is None else port, node, port.getOutputString()
            else:
                return port, None, ""
        raise BadFile(f"{port.getName()} is handed on in a circle")

    def _typed(self, port: Any) -> Given | None:
        type_, text = port.getType(), port.getValueString()
        if type_ == "filename":
            sampling = Sampling(encoding=encoding_of(port))
            return Given(file=port.getResolvedValueString(), sampling=sampling) if text else None
        width = WIDTHS.get(type_) or MATRICES.get(type_)
        return Given(width, parts=numbers(text, width)) if width and text else None

    def node(self, node: Any) -> Outputs:
        """What a node of theirs gives, by the names of its outputs; built with all that it needs, once."""
        waiting, open_ = [node], set[str]()
        while waiting:
            each = waiting[-1]
            path = each.getNamePath()
            if path in self._made:
                waiting.pop()
                continue
            ends = (self._followed(port)[1] for port in each.getInputs())
            missing = [end for end in ends if end is not None and end.getNamePath() not in self._made]
            if missing:
                if path in open_:
                    raise BadFile(f"{each.getName()} feeds itself")
                open_.add(path)
                waiting += missing
                continue
            self._now = each
            self._made[path] = self._built(each)
            waiting.pop()
        return self._made[node.getNamePath()]

    def _built(self, node: Any) -> Outputs:
        nodedef, category = node.getNodeDef(), node.getCategory()
        if nodedef is None:
            self.around.remark(f"{node.getName()} is a {category}, which is not known; it gives 0")
            return self._nothing(node)
        if nodedef.getAttribute(KEY) in (*LIBRARY, "formula"):
            return self._own(node, nodedef)
        given = {port.getName(): self._input(node, port) for port in nodedef.getActiveInputs()}
        special = self.around.special(category)
        found = special(self, node, given) if special else None
        if found is not None:
            return found if isinstance(found, dict) else {"out": found}
        found = self._row(node, nodedef, given)
        if found is not None:
            return found
        width = WIDTHS.get(node.getType(), 0)
        formulas = CONDITIONS if node.getType() == "boolean" and category in CONDITIONS else FORMULAS
        numeric = {name: each for name, each in given.items() if each and each.width}
        if category in PER_COMPONENT and width:
            return {"out": self.formula(by_components(PER_COMPONENT[category], width), width, **numeric)}
        if category in formulas and width:
            return {"out": self.formula(formulas[category], width, **numeric)}
        snippet = self.around.snippet(nodedef)
        if snippet is not None:
            return self._snippet(node, nodedef, snippet, given)
        self.around.remark(f"{node.getName()} is a {category}, which nothing here computes; it gives 0")
        return self._nothing(node)

    def _input(self, node: Any, port: Any) -> Given | None:
        """What an input of a definition is given in a node, by the definition itself where the node says nothing."""
        mine = node.getInput(port.getName())
        found = self.port(mine) if mine is not None else None
        if found is not None:
            return found
        brought = self.around.brought(port.getAttribute("defaultgeomprop"))
        if brought:
            return brought(self)
        if port.getType() in WIDTHS:
            return self._typed(port) or Given(WIDTHS[port.getType()], parts=(0.0,) * WIDTHS[port.getType()])
        return self._typed(port)

    def _nothing(self, node: Any) -> Outputs:
        outputs = node.getNodeDef().getActiveOutputs() if node.getNodeDef() else []
        named = {each.getName(): WIDTHS.get(each.getType(), 0) for each in outputs}
        named = named or {"out": WIDTHS.get(node.getType(), 1)}
        return {name: Given(width, parts=(0.0,) * width) for name, width in named.items() if width}

    def _own(self, node: Any, nodedef: Any) -> Outputs:
        """A node of ours that went out by a definition of its own."""
        key, settings = nodedef.getAttribute(KEY), read_settings(nodedef)
        shape = formula_type(settings.get("expression", "")) if key == "formula" else LIBRARY[key].shaped(settings)
        given: dict[str, Given | None] = {}
        for port in shape.inputs:
            theirs = node.getInput(port.name)
            found = self.port(theirs) if theirs is not None else None
            given[port.name] = self.texture(found) if found and (found.file or not found.width) else found
        node_id = self.add(key, settings, node.getAttribute("uiname"), **given)
        return {
            out_name(port.name): self.out(node_id, WIDTHS.get(_type_of(nodedef, out_name(port.name)), 4), port.name)
            for port in shape.outputs
        }

    def texture(self, given: Given) -> Given:
        """A file as the wire of a texture."""
        if given.wire:
            return given
        node_id = self._ids.take("texture")
        held = self.around.texture(given.file, given.sampling)
        self.nodes[node_id] = Node(type="texture", values={"value": held})
        return Given(0, wire=port_ref(node_id, "out"))

    def _row(self, node: Any, nodedef: Any, given: Mapping[str, Given | None]) -> Outputs | None:
        """A node of ours that computes what a standard one does, None where there is none."""
        for key, row in ROWS.get(node.getCategory(), ()):
            if self._agrees(key, row, node, nodedef, given):
                taken = {ours: given[theirs] for theirs, ours in row.inputs.items()}
                wide = WIDTHS.get(node.getType(), 0)
                open_ = [p.name for p in LIBRARY[key].inputs if p.carries.kind is None and taken.get(p.name)]
                if open_ and not any((e := taken[name]) and e.wire and e.width == wide for name in open_):
                    first = next(name for name in open_ if (e := taken[name]) and e.width in (1, wide))
                    held = taken[first]
                    assert held
                    taken[first] = self.wired(self.as_width(held, wide))
                node_id = self.add(key, row.when, node.getAttribute("uiname"), **taken)
                return {
                    row.outputs.get(p.name, "out"): self.out(node_id, width_of(p, wide), p.name)
                    for p in LIBRARY[key].shaped(row.when).outputs
                }
        return None

    def _agrees(self, key: str, row: Row, node: Any, nodedef: Any, given: Mapping[str, Given | None]) -> bool:
        """Whether a node of ours has the ports that a standard one of these types needs."""
        shape, wide = LIBRARY[key].shaped(row.when), WIDTHS.get(node.getType(), 0)
        if not set(row.inputs) <= set(given) or any(node.getInput(n) for n in set(given) - set(row.inputs)):
            return False
        if not row.outputs and width_of(shape.outputs[0], wide) != wide:
            return False
        coloured = "color4" in (node.getType(), first_type(nodedef))
        if row.category in ("combine4", "separate4") and key.endswith("colour") != coloured:
            return False
        for theirs, ours in row.inputs.items():
            port, each = shape.input(ours), given[theirs]
            if port is None or each is None or not each.width:
                return False
            if each.width != width_of(port, wide) and (port.carries.kind or each.width != 1):
                return False
        return True

    def _snippet(self, node: Any, nodedef: Any, snippet: Material, given: Mapping[str, Given | None]) -> Outputs:
        self.snippets |= {snippet.id: snippet} | snippet.snippets
        taken = {}
        for name, each in given.items():
            if each is not None and (entry := entry_of(name)) in snippet.nodes:
                taken[entry] = self.texture(each) if each.file else each
        node_id = self.add("snippet", {"snippet": snippet.id}, node.getAttribute("uiname"), **taken)
        return {
            each.getName(): self.out(node_id, WIDTHS[each.getType()], exit_of(each.getName()))
            for each in nodedef.getActiveOutputs()
            if each.getType() in WIDTHS and exit_of(each.getName()) in snippet.nodes
        }


def entry_of(name: str) -> str:
    """The id of the snippet input for an input of a definition."""
    return f"in_{name}"


def exit_of(name: str) -> str:
    """The id of the snippet output for an output of a definition."""
    return f"out_{name}"


def numbers(text: str, width: int) -> tuple[float, ...]:
    """The numbers of a value's text; truths are 1 and 0. Raises BadFile where they are none."""
    if text.strip() in ("true", "false"):
        return (float(text.strip() == "true"),)
    try:
        found = tuple(float(part) for part in text.replace(",", " ").split())
    except ValueError:
        found = ()
    if len(found) != width or not all(math.isfinite(part) for part in found):
        raise BadFile(f"“{text[:60]}” is not {counted(width, 'number')}")
    return found


def encoding_of(port: Any) -> Encoding:
    """Whether the file of an input holds colour or data."""
    return "colour" if port.getActiveColorSpace().startswith("srgb") else "data"


def setting(node: Any, name: str) -> str:
    """The text of an input that is no number, from a node or its definition."""
    port = node.getInput(name) or (node.getNodeDef().getActiveInput(name) if node.getNodeDef() else None)
    return str(port.getValueString()) if port is not None else ""


def width_of(port: Port, wide: int) -> int:
    """How many components a port of ours has, where an open one has so many."""
    return port.carries.kind.width if port.carries.kind else wide


def _type_of(nodedef: Any, name: str) -> str:
    output = nodedef.getActiveOutput(name)
    return str(output.getType()) if output is not None else ""


def first_type(nodedef: Any) -> str:
    inputs = nodedef.getActiveInputs()
    return str(inputs[0].getType()) if inputs else ""


def _literal(parts: tuple[float, ...]) -> str:
    texts = [literal(part) if part >= 0 else f"({literal(part)})" for part in parts]
    return texts[0] if len(texts) == 1 else f"vec{len(texts)}({', '.join(texts)})"
