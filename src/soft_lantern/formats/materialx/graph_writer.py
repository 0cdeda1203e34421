"""The nodes of a material or snippet, each written as the standard's own where there is one."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from soft_lantern.formats.materialx.definitions import (
    KEY,
    SETTINGS,
    Defined,
    Definitions,
    Input,
    host_input,
    picture_at,
    settings_text,
    untaken,
)
from soft_lantern.formats.materialx.expressions import (
    GEOMETRY,
    Picture,
    Sampling,
    Writer,
    image,
    texel_of,
    turned_over,
)
from soft_lantern.formats.materialx.graphs import Place, Sheet, give, hand_out, number, out_name, typed
from soft_lantern.formats.materialx.library import KINDS, TYPES, fits
from soft_lantern.formats.materialx.pictures import PictureFile, PictureFiles
from soft_lantern.formats.materialx.pixels import over_pixels
from soft_lantern.formats.materialx.standard import STANDARD, Row
from soft_lantern.graph.document import Material, Node, port_ref
from soft_lantern.graph.flow import reached
from soft_lantern.graph.kinds import counting, evaluation_order, type_of
from soft_lantern.graph.lowering import (
    Lowered,
    lower_apart,
    read_ids,
    uniform_type,
    uniform_values,
)
from soft_lantern.ir.expr import Expr, Op, Type, const, reads, uniform
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.ir.inputs import BEHIND, surface_input
from soft_lantern.ir.rewrite import replace as replaced
from soft_lantern.ir.simplify import simplified
from soft_lantern.nodes import NodeType, Port, Role
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Kind, components

GRID = 150.0
"""Steps of the canvas to one of a document's positions."""


def file_input(picture_id: str, held: PictureFile) -> str:
    """The name of the input for a texture that is chosen inside a graph."""
    if picture_id == BEHIND.data:
        return _BEHIND_FILE
    return f"{as_identifier(Path(held.file).stem, fallback='missing')}_file"


_BEHIND_FILE = "scene_behind_file"
"""The input for the picture of what is behind the surface, which only the host has."""


class GraphWriter:
    """Writes the nodes of a material or snippet, each as the standard's own where there is one."""

    def __init__(
        self,
        material: Material,
        lowered: Lowered,
        definitions: Definitions,
        opened: tuple[Any, Any],
        pictures: PictureFiles,
        leaves: Mapping[Expr, Place],
        read: Mapping[Expr, Picture],
    ) -> None:
        self.material, self.lowered, self.definitions, self.pictures = material, lowered, definitions, pictures
        self.nodedef, graph = opened
        self.sheet = Sheet(graph)
        self.hosts: dict[str, str] = {}
        self.files: dict[str, str] = {}
        self.elements: dict[str, str] = {}
        self._constants: dict[Expr, Expr] = {}
        typed_here, held = self._typed()
        self.writer = Writer(self.sheet, definitions, {**typed_here, **leaves}, {**held, **read}, self._host)

    def _host(self, name: str) -> Place:
        return host_input(self.nodedef, name, self.hosts)

    def _file(self, picture_id: str) -> Picture:
        """A texture that is chosen on a node, as an input of the graph: generators hand on no name of a file inside."""
        held = self.pictures(picture_id)
        if picture_id not in self.files:
            taken = {each.getName() for each in self.nodedef.getInputs()}
            name = self.files[picture_id] = untaken(file_input(picture_id, held), taken)
            port = self.nodedef.addInput(name, "filename")
            port.setIsUniform(True)
            port.setValueString(held.file)
            self.nodedef.addInput(texel_of(name), "vector2").setValueString(held.texel)
        return picture_at(self.files[picture_id], held.sampling)

    def finish(self) -> Defined:
        """Take away what nothing reads, and tell what is defined."""
        self.sheet.swept()
        graph = self.sheet.element
        read = {port.getInterfaceName() for node in graph.getNodes() for port in node.getInputs()}
        for key, name in list(self.files.items()):
            if not {name, texel_of(name)} & read:
                del self.files[key]
                self.nodedef.removeInput(name)
                self.nodedef.removeInput(texel_of(name))
        return Defined(self.nodedef.getNodeString(), tuple(self.hosts.items()), tuple(self.files.items()))

    def computed(self, expr: Expr, type_: str) -> Place:
        """Where an expression's value is, as a type; written without work that does nothing."""
        if expr not in self.writer.places:
            whole = replaced([expr], self._constants)[expr]
            expr = simplified([whole])[whole]
        return self.sheet.as_type(self.writer.place(expr), type_)

    def nodes(self) -> None:
        """Every node that the ends of the graph need."""
        needed = self._needed()
        for node_id in evaluation_order(self.material)[0]:
            if node_id in needed:
                before = len(self.sheet.made)
                self._node(node_id, self.material.nodes[node_id])
                self.elements |= dict.fromkeys(self.sheet.made[before:], node_id)

    def _needed(self) -> set[str]:
        ends = (counting(self.material, role) for role in (Role.SURFACE, Role.OFFSET))
        leaving = (key for key, node in self.material.nodes.items() if node.role is Role.EXIT)
        return reached(self.material, [*filter(None, ends), *leaving], upstream=True)

    def _typed(self) -> tuple[dict[Expr, Place], dict[Expr, Picture]]:
        """What is typed into ports, in place."""
        values = uniform_values(self.lowered, self.material, {})
        ids = read_ids(self.lowered, self.material)
        leaves, held = {}, {}
        for name, source in self.lowered.uniforms.items():
            if source.stage:
                held[BEHIND] = self._file(str(BEHIND.data))
            elif source.kind.is_read:
                held[uniform(name, uniform_type(source.kind))] = self._file(ids[name])
            else:
                parts = values[name]
                assert not isinstance(parts, Image)
                symbol = uniform(name, uniform_type(source.kind))
                leaves[symbol] = typed(KINDS[source.kind], parts)
                if not source.parameter:
                    self._constants[symbol] = const(*parts)
        return leaves, held

    def _node(self, node_id: str, node: Node) -> None:
        node_type = type_of(self.material, node)
        if node_type is None or node.role in (Role.SURFACE, Role.OFFSET, Role.EXIT, Role.PARAMETER, Role.ELBOW):
            return
        outputs = {p.name: self.lowered.wires[port_ref(node_id, p.name)] for p in node_type.outputs}
        if all(expr in self.writer.places or expr in self.writer.pictures for expr in outputs.values()):
            return
        if node.role is Role.SNIPPET:
            self._snippet(node_id, node, node_type)
        elif node.type == "image":
            self._image(node_id, node)
        elif node.role is Role.CONSTANT:
            (port,) = node_type.inputs
            place = self._taken(node_id, node_type, port)
            made = self.sheet.add("constant", place.type, self._name(node), value=place)
            self.writer.places[outputs["out"]] = self._placed(made, node)
        elif brought := self._brought(node, node_type):
            for name, expr in brought.items():
                self.writer.places[outputs[name]] = self._placed(self.writer.place(expr), node)
        elif not self._standard(node_id, node, node_type):
            self._own(node_id, node, node_type)

    def _brought(self, node: Node, node_type: NodeType) -> dict[str, Expr]:
        """What a node without inputs gives, where standard nodes bring just that."""
        if node_type.inputs:
            return {}
        settings = {s.name: node.settings.get(s.name, s.default) for s in node_type.settings}
        found = node_type.apply({}, settings)
        return found if all(e.op is Op.INPUT and e.data in GEOMETRY for e in found.values()) else {}

    def _name(self, node: Node) -> str:
        return node.name or node.type

    def _placed(self, place: Place, node: Node) -> Place:
        """The node at a place where ours stands on the canvas, and called like it."""
        made = self.sheet.node(place)
        made.setAttribute("xpos", number(node.x / GRID))
        made.setAttribute("ypos", number(node.y / GRID))
        if node.name:
            made.setAttribute("uiname", node.name)
        return place

    def _taken(self, node_id: str, node_type: NodeType, port: Port) -> Place:
        """What an input of a node is given, as its kind."""
        expr = self.lowered.inputs[port_ref(node_id, port.name)]
        place = self.writer.places.get(expr) or self.computed(expr, TYPES[expr.type])
        return self.sheet.as_type(place, KINDS[port.carries.kind]) if port.carries.kind else place

    def _gives(self, node_id: str, port: str) -> str:
        return KINDS[self.lowered.kinds[port_ref(node_id, port)]]

    def _standard(self, node_id: str, node: Node, node_type: NodeType) -> bool:
        """Write a node as the standard's own; False where that does not compute the same."""
        row = STANDARD.get(node.type)
        if row is None or not self._holds(row, node_id, node, node_type):
            return False
        several = len(node_type.outputs) > 1
        type_ = "multioutput" if several else self._gives(node_id, node_type.outputs[0].name)
        ports = {theirs: port for theirs, ours in row.inputs.items() if (port := node_type.input(ours))}
        given = {theirs: self._taken(node_id, node_type, port) for theirs, port in ports.items()}
        wide = {n: place if ports[n].carries.kind else self.sheet.as_type(place, type_) for n, place in given.items()}
        # A lone number may stand beside vectors where a definition takes it so.
        mixed = {name: given[name] if given[name].type == "float" else place for name, place in wide.items()}
        fitting = [each for each in (mixed, wide) if fits(row.category, type_, {n: p.type for n, p in each.items()})]
        if not fitting:
            return False
        given = fitting[0]
        made = self._placed(self.sheet.add(row.category, type_, self._name(node), **given), node)
        for port in node_type.outputs:
            expr = self.lowered.wires[port_ref(node_id, port.name)]
            here = replace(made, type=self._gives(node_id, port.name), output=row.outputs.get(port.name, ""))
            self.writer.places.setdefault(expr, here)
        return True

    def _holds(self, row: Row, node_id: str, node: Node, node_type: NodeType) -> bool:
        settings = {s.name: node.settings.get(s.name, s.default) for s in node_type.settings}
        wired = frozenset(p.name for p in node_type.inputs if port_ref(node_id, p.name) in self.material.wires)
        return all(settings.get(k) == v for k, v in row.when.items()) and row.asks(node, wired)

    def _image(self, node_id: str, node: Node) -> None:
        sampler = self.lowered.inputs[port_ref(node_id, "texture")]
        at = self.lowered.inputs[port_ref(node_id, "uv")]
        picture = self.writer.pictures.get(sampler) or self._file("")
        turned = None if at is surface_input("uv") else self._turned(at)
        made = self._placed(image(self.sheet, picture, turned, self._name(node)), node)
        self.writer.places[self.lowered.wires[port_ref(node_id, "colour")]] = made
        alpha = self.sheet.add("extract", "float", in_=made)
        give(self.sheet.node(alpha), "index", Place("integer", value="3"))
        self.writer.places[self.lowered.wires[port_ref(node_id, "alpha")]] = alpha

    def _turned(self, at: Expr) -> Place:
        """Coordinates as standard nodes take them, by a node that says no more than that."""
        symbol = uniform("at", Type.VEC2)
        leaves = {symbol: Place("vector2", interface="at")}
        made = self.definitions.once(
            "turned over",
            lambda: self.definitions.define(
                "turned_over", [Input("at", "vector2")], {"out": ("vector2", turned_over(symbol))}, leaves, {}
            ),
        )
        return self.sheet.add(made.category, "vector2", at=self.computed(at, "vector2"))

    def _own(self, node_id: str, node: Node, node_type: NodeType) -> None:
        """A node of ours, by a definition of its own."""
        settings = {s.name: node.settings.get(s.name, s.default) for s in node_type.settings}
        open_ = [p for p in node_type.inputs if p.implied is None or port_ref(node_id, p.name) in self.material.wires]
        given: dict[str, Place] = {}
        read: dict[str, Picture] = {}
        symbols: dict[str, Expr] = {p.name: p.implied for p in node_type.inputs if p.implied is not None}
        for port in open_:
            expr = self.lowered.inputs[port_ref(node_id, port.name)]
            symbols[port.name] = uniform(f"port:{port.name}", expr.type)
            if expr.type is Type.SAMPLER:
                read[port.name] = self.writer.pictures.get(expr) or self._file("")
            else:
                given[port.name] = self._taken(node_id, node_type, port)
        types = {name: self._gives(node_id, name) for name in (p.name for p in node_type.outputs)}
        shape = tuple((name, place.type) for name, place in given.items())
        samplings = tuple((name, picture.sampling) for name, picture in read.items())
        key = node.type, settings_text(settings), shape, samplings, tuple(types.items())

        def made() -> Defined:
            inputs = [Input(name, place.type, _neutral(place.type)) for name, place in given.items()]
            for name in read:
                inputs += [Input(name, "filename"), Input(texel_of(name), "vector2", "1, 1")]
            results = over_pixels(lambda given: node_type.apply(given, settings), symbols, node.type)
            leaves = {symbols[name]: Place(place.type, interface=name) for name, place in given.items()}
            pictures = {symbols[name]: picture_at(name, picture.sampling) for name, picture in read.items()}
            if reads(results.values(), BEHIND):
                inputs += [Input(_BEHIND_FILE, "filename"), Input(texel_of(_BEHIND_FILE), "vector2", "1, 1")]
                pictures[BEHIND] = picture_at(_BEHIND_FILE, Sampling())
            outputs = {name: (type_, results[name]) for name, type_ in types.items()}
            attributes = {KEY: node.type, SETTINGS: settings_text(settings), "uiname": node_type.title}
            done = self.definitions.define(node.type, inputs, outputs, leaves, pictures, **attributes)
            return replace(done, files=((str(BEHIND.data), _BEHIND_FILE),)) if BEHIND in pictures else done

        self._use(node_id, node, self.definitions.once(key, made), given, read, types)

    def _snippet(self, node_id: str, node: Node, node_type: NodeType) -> None:
        snippet = self.material.snippets[node.settings["snippet"]]
        given: dict[str, Place] = {}
        read: dict[str, Picture] = {}
        for port in node_type.inputs:
            expr = self.lowered.inputs[port_ref(node_id, port.name)]
            if expr.type is Type.SAMPLER:
                read[port.name] = self.writer.pictures.get(expr) or self._file("")
            else:
                given[port.name] = self._taken(node_id, node_type, port)
        types = {p.name: self._gives(node_id, p.name) for p in node_type.outputs}
        key = "snippet", snippet.id, tuple((name, picture.sampling) for name, picture in read.items())
        made = self.definitions.once(key, lambda: self._snippet_defined(snippet, node_type, read, types))
        self._use(node_id, node, made, given, read, types)

    def _snippet_defined(
        self, snippet: Material, node_type: NodeType, read: Mapping[str, Picture], types: Mapping[str, str]
    ) -> Defined:
        lowered = lower_apart(snippet)
        inputs: list[Input] = []
        leaves: dict[Expr, Place] = {}
        pictures: dict[Expr, Picture] = {}
        for port in node_type.inputs:
            symbol, kind = lowered.wires[port_ref(port.name, "out")], port.carries.kind or Kind.NUMBER
            if kind.is_read:
                inputs += [Input(port.name, "filename"), Input(texel_of(port.name), "vector2", "1, 1")]
                pictures[symbol] = picture_at(port.name, read[port.name].sampling)
            else:
                value = port.default if port.default is not None else kind.neutral
                inputs.append(Input(port.name, KINDS[kind], typed(KINDS[kind], components(value)).value))
                leaves[symbol] = Place(KINDS[kind], interface=port.name)
        opened = self.definitions.opened(as_identifier(snippet.name), inputs, types, uiname=snippet.name)
        for port in (*node_type.inputs, *node_type.outputs):
            shown = opened[0].getInput(port.name) or opened[0].getOutput(out_name(port.name))
            shown.setAttribute("uiname", port.label)
        inner = GraphWriter(snippet, lowered, self.definitions, opened, self.pictures, leaves, pictures)
        inner.nodes()
        for name, type_ in types.items():
            place = inner.computed(lowered.inputs[port_ref(name, "value")], type_)
            hand_out(inner.sheet.element, name, place, inner.sheet)
        return inner.finish()

    def _use(
        self,
        node_id: str,
        node: Node,
        made: Defined,
        given: Mapping[str, Place],
        read: Mapping[str, Picture],
        types: Mapping[str, str],
    ) -> None:
        """A node of a definition, with what it is given and what it asks of the host."""
        several = len(types) > 1
        type_ = "multioutput" if several else next(iter(types.values()))
        inputs = dict(given)
        for name, picture in read.items():
            inputs |= {name: picture.file, texel_of(name): picture.texel}
        inputs |= {port: self.writer.host(name) for name, port in made.hosts}
        for key, name in made.files:
            picture = self._file(key)
            inputs |= {name: picture.file, texel_of(name): picture.texel}
        place = self._placed(self.sheet.add(made.category, type_, self._name(node)), node)
        for name, each in inputs.items():
            give(self.sheet.node(place), name, each)
        for name, each_type in types.items():
            here = self.sheet.output(place, name, each_type) if several else place
            self.writer.places.setdefault(self.lowered.wires[port_ref(node_id, name)], here)


def _neutral(type_: str) -> str:
    return typed(type_, [0.0]).value
