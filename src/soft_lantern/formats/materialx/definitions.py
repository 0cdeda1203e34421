"""Definitions that a document brings along: nodes of ours as graphs of standard nodes, each written once.

Where standard nodes cannot compute something, on the bits of whole numbers, its definition has GLSL in a file instead.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from soft_lantern.formats.materialx.expressions import Picture, Sampling, Writer, is_beyond_nodes, texel_of
from soft_lantern.formats.materialx.graphs import Place, Sheet, hand_out, out_name, typed
from soft_lantern.formats.materialx.library import TYPES
from soft_lantern.ir.defined import defined
from soft_lantern.ir.expr import Expr, Function, Type
from soft_lantern.ir.glsl import DIALECT
from soft_lantern.ir.glsl_words import Identifiers
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.printer import Body, write
from soft_lantern.ir.simplify import simplified

PREFIX = "lantern_"
KEY, SETTINGS = "lanternnode", "lanternsettings"
"""Attributes of a definition: the key of the node that it stands for, and its settings as JSON."""


class Input(Struct, frozen=True):
    """An input of a definition: its name, its type and its value until another is given."""

    name: str
    type: str
    value: str = ""


class Defined(Struct, frozen=True):
    """A definition that is there, by what nodes of it are called.

    `hosts`: by the surface input, its inputs for what only the host knows; `files`: by id, for textures chosen inside.
    """

    category: str
    hosts: tuple[tuple[str, str], ...] = ()
    files: tuple[tuple[str, str], ...] = ()


class Definitions(Struct):
    """The definitions of a document, as they are asked for. `file`: the name of the one that holds GLSL."""

    document: Any
    file: str
    _names: Identifiers = field(default_factory=lambda: Identifiers(set()))
    _made: dict[object, Defined] = field(default_factory=dict)
    _native: dict[str, Function] = field(default_factory=dict)

    def once(self, key: object, made: Callable[[], Defined]) -> Defined:
        """What is defined under a key; made where it is not yet."""
        if key not in self._made:
            self._made[key] = made()
        return self._made[key]

    def called(self, function: Function, samplings: tuple[Sampling, ...]) -> str:
        """The name of the node that a function is written as."""
        native = is_beyond_nodes(function)
        made = (lambda: self._in_glsl(function)) if native else (lambda: self._in_nodes(function, samplings))
        return self.once((function, samplings), made).category

    def define(
        self,
        wish: str,
        inputs: Sequence[Input],
        outputs: Mapping[str, tuple[str, Expr]],
        leaves: Mapping[Expr, Place],
        pictures: Mapping[Expr, Picture],
        **attributes: str,
    ) -> Defined:
        """A definition by a graph of standard nodes that computes expressions, each an output of a type."""
        nodedef, graph = self.opened(wish, inputs, {name: type_ for name, (type_, _) in outputs.items()}, **attributes)
        hosts: dict[str, str] = {}
        sheet = Sheet(graph)
        writer = Writer(sheet, self, leaves, pictures, lambda name: host_input(nodedef, name, hosts))
        plain = simplified([expr for _, expr in outputs.values()])
        sound = defined(list(plain.values()))
        for name, (type_, expr) in outputs.items():
            hand_out(graph, name, sheet.as_type(writer.place(sound[plain[expr]]), type_), sheet)
        sheet.swept()
        return Defined(nodedef.getNodeString(), tuple(hosts.items()))

    def opened(
        self, wish: str, inputs: Sequence[Input], outputs: Mapping[str, str], **attributes: str
    ) -> tuple[Any, Any]:
        """A definition and an empty graph for it."""
        nodedef = self._nodedef(wish, inputs, outputs, **attributes)
        graph = self.document.addNodeGraph(nodedef.getName().replace("ND_", "NG_", 1))
        graph.setNodeDefString(nodedef.getName())
        return nodedef, graph

    def _nodedef(self, wish: str, inputs: Sequence[Input], outputs: Mapping[str, str], **attributes: str) -> Any:
        category = self._names.take(f"{PREFIX}{wish}")
        nodedef = self.document.addNodeDef(f"ND_{category}", "", category)
        for name, text in attributes.items():
            nodedef.setAttribute(name, text)
        for each in inputs:
            port = nodedef.addInput(each.name, each.type)
            if each.type == "filename":
                port.setIsUniform(True)
            if each.value or each.type == "filename":
                port.setValueString(each.value)
        for name, type_ in outputs.items():
            nodedef.addOutput(out_name(name), type_)
        return nodedef

    def _in_nodes(self, function: Function, samplings: tuple[Sampling, ...]) -> Defined:
        inputs, leaves, pictures = [], {}, {}
        left = list(samplings)
        for parameter in function.parameters:
            name = str(parameter.data)
            inputs.append(Input(name, TYPES[parameter.type]))
            if parameter.type is Type.SAMPLER:
                inputs.append(Input(texel_of(name), "vector2", "1, 1"))
                pictures[parameter] = picture_at(name, left.pop(0))
            else:
                leaves[parameter] = Place(TYPES[parameter.type], interface=name)
        outputs = {"out": (TYPES[function.body.type], function.body)}
        return self.define(function.name, inputs, outputs, leaves, pictures)

    def _in_glsl(self, function: Function) -> Defined:
        inputs = [Input(str(each.data), TYPES[each.type]) for each in function.parameters]
        nodedef = self._nodedef(function.name, inputs, {"out": TYPES[function.body.type]})
        category = nodedef.getNodeString()
        made = self.document.addImplementation(f"IM_{category}_genglsl")
        made.setNodeDefString(nodedef.getName())
        made.setTarget("genglsl")
        made.setFile(self.file)
        made.setFunction(category)
        self._native[category] = function
        return Defined(category)

    def native_text(self) -> str:
        """The GLSL that definitions call, "" where none does. It may stand in a shader more than once."""
        if not self._native:
            return ""
        functions = list(self._native.values())
        bodies = [
            Body([each(*each.parameters)], {}, {str(p.data): str(p.data) for p in each.parameters})
            for each in functions
        ]
        lines, texts = write(DIALECT, bodies, set(self._native))
        guard = f"{PREFIX}functions".upper()
        for (category, function), text in zip(self._native.items(), texts, strict=True):
            taken = ", ".join(f"{each.type.value} {each.data}" for each in function.parameters)
            lines += [f"void {category}({taken}, out {function.body.type.value} result) {{"]
            lines += [*(f"    {line}" for line in text.statements), f"    result = {text.results[0]};", "}"]
        return "\n".join([f"#ifndef {guard}", f"#define {guard}", *lines, "#endif", ""])


def picture_at(name: str, sampling: Sampling) -> Picture:
    """A texture whose file an input of that name tells."""
    return Picture(Place("filename", interface=name), sampling, Place("vector2", interface=texel_of(name)))


def host_input(nodedef: Any, name: str, hosts: dict[str, str]) -> Place:
    """An input of a definition for what only the host knows, added where it is not there."""
    known = INPUTS[name]
    type_ = TYPES[known.type]
    if name not in hosts:
        hosts[name] = untaken(name, {each.getName() for each in nodedef.getInputs()})
        port = nodedef.addInput(hosts[name], type_)
        port.setValueString(typed(type_, [float(part) for part in known.default]).value)
        port.setDocString(f"From the host: {known.words}" + (f", in {known.unit}" if known.unit else ""))
    return Place(type_, interface=hosts[name])


def untaken(name: str, taken: set[str]) -> str:
    """The name, or another where an input has it already."""
    while name in taken:
        name = f"{name}_here"
    return name


def settings_text(settings: Mapping[str, str]) -> str:
    """Settings as they stand on a definition."""
    return json.dumps(dict(sorted(settings.items())), ensure_ascii=False)


def read_settings(nodedef: Any) -> dict[str, str]:
    """The settings that stand on a definition."""
    try:
        held = json.loads(nodedef.getAttribute(SETTINGS) or "{}")
    except ValueError:
        held = {}
    return {str(key): str(value) for key, value in held.items()} if isinstance(held, dict) else {}
