"""Turns a material's graph into expressions: one for every wire, and one for every value of the surface.

Parameters and typed constants become uniforms, so that changing them changes no expression. A graph with mistakes
still lowers: what cannot be used is left out, and a notice says so.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping

from msgspec import Struct, field

from soft_lantern.graph.document import Material, Node, Parameter, node_of, port_ref
from soft_lantern.graph.identity import Same
from soft_lantern.graph.kinds import counting, evaluation_order, input_kind, known_type, label_of, shared_kind, type_of
from soft_lantern.graph.nesting import unfolded_size
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import LEAVES, Expr, Op, Type, const, join, reads, swizzle, uniform, vector_type
from soft_lantern.ir.inputs import BEHIND
from soft_lantern.limits import SNIPPET_DEPTH, SNIPPET_NODES
from soft_lantern.nodes import LIBRARY, NodeType, Port, Role
from soft_lantern.nodes.formula import formula_type
from soft_lantern.nodes.formula_text import FormulaError
from soft_lantern.turns import give_way
from soft_lantern.values.images import MISSING, Image
from soft_lantern.values.kinds import Conversion, Kind, Value, components, conversion


class Source(Struct, frozen=True):
    """Where a uniform's value comes from: a parameter, or what is typed into a node's port, perhaps in a snippet.

    `stage`: the renderer brings it.
    """

    kind: Kind
    parameter: str = ""
    node: str = ""
    port: str = ""
    snippet: str = ""
    stage: bool = False


class Lowered(Struct, frozen=True):
    """A material as expressions.

    `surface`: the values of the output node, or of one with nothing wired where the graph has none.
    `wires`: every output by "node.port"; `inputs`: every input after its conversion; `kinds`: of every output.
    `uniforms`: what feeds each uniform, by the uniform's name. `names`: what people call the expressions; `origins`:
    the node that each comes from.
    `offset`: how far vertices are moved in world space, in metres. `unlit`: as in glTF 2.0. `traits`: the settings of
    the output node, such as the alpha mode.
    """

    surface: dict[str, Expr]
    wires: dict[str, Expr] = field(default_factory=dict)
    inputs: dict[str, Expr] = field(default_factory=dict)
    kinds: dict[str, Kind] = field(default_factory=dict)
    uniforms: dict[str, Source] = field(default_factory=dict)
    names: dict[Expr, str] = field(default_factory=dict)
    origins: dict[Expr, str] = field(default_factory=dict)
    notices: tuple[Notice, ...] = ()
    offset: Expr | None = None
    traits: Mapping[str, str] = field(default_factory=dict)
    unlit: bool = False

    @property
    def alpha_mode(self) -> str:
        """What alpha does, as in glTF 2.0: opaque, mask or blend."""
        return self.traits.get("alpha_mode", "opaque")


def lower(material: Material) -> Lowered:
    """The material as expressions. Never raises for a faulty graph: see `Lowered.notices`."""
    return _Lowering(material).run()


def lower_as_typed(material: Material) -> Lowered:
    """The same with constants for what is typed into ports: the uniforms left are parameters and what is read."""
    return _Lowering(material, typed=True).run()


def lower_apart(material: Material) -> Lowered:
    """The same with a symbol of its own for what leaves each node, so that nodes stay apart.

    Parameters, and what is read at a place, pass as they are.
    """
    return _Lowering(material, apart=True).run()


def is_snippet(graph: Material) -> bool:
    """Whether a graph is a snippet rather than a material."""
    return any(node.role in (Role.ENTRY, Role.EXIT) for node in graph.nodes.values())


def uniform_values(
    lowered: Lowered,
    material: Material,
    overrides: Mapping[str, Value],
    images: Mapping[str, Image] | None = None,
) -> dict[str, tuple[float, ...] | Image]:
    """The components of every uniform, with `overrides` by parameter id in place of the parameters' defaults.

    A texture is the image of its id among `images`, or grey where it is not there.
    """
    typed, others = _typed_values(Same(lowered), Same(material))
    values, exposed = dict(typed), _exposed(material, overrides)
    for name, source in others:
        value = exposed[source.parameter] if source.parameter else _typed_at(source, material)
        if source.kind.is_read:
            values[name] = (images or {}).get(str(value), MISSING)
        else:
            values[name] = _shaped(value, source.kind)
    return values


@functools.lru_cache(maxsize=32)
def _typed_values(
    lowered: Same[Lowered], material: Same[Material]
) -> tuple[dict[str, tuple[float, ...] | Image], tuple[tuple[str, Source], ...]]:
    """Every uniform with what is typed, which a tweak leaves as it is, and those of them that hold something else."""
    values: dict[str, tuple[float, ...] | Image] = {}
    others: list[tuple[str, Source]] = []
    for name, source in lowered.record.uniforms.items():
        values[name] = MISSING
        if source.parameter or (source.kind.is_read and not source.stage):
            others.append((name, source))
        elif not source.stage:
            values[name] = _shaped(_typed_at(source, material.record), source.kind)
    return values, tuple(others)


def as_constants(values: Mapping[str, tuple[float, ...] | Image]) -> dict[Expr, Expr]:
    """Every uniform whose value is numbers, and the constant that it is then."""
    numbers = {name: value for name, value in values.items() if not isinstance(value, Image)}
    return {uniform(name, vector_type(len(value))): const(*value) for name, value in numbers.items()}


def read_ids(lowered: Lowered, material: Material, overrides: Mapping[str, Value] | None = None) -> dict[str, str]:
    """The id that every uniform holds which is read at a place, by its parameter or as it is typed.

    `overrides`: values by parameter id, in place of the parameters' defaults.
    """
    exposed = _exposed(material, overrides or {})
    found = {}
    for name, source in lowered.uniforms.items():
        if source.kind.is_read and not source.stage:
            found[name] = str(exposed[source.parameter] if source.parameter else _typed_at(source, material))
    return found


def _exposed(material: Material, overrides: Mapping[str, Value]) -> dict[str, Value]:
    return {p.id: p.default for p in material.parameters} | dict(overrides)


def _typed_at(source: Source, material: Material) -> Value:
    graph = material.snippets[source.snippet] if source.snippet else material
    node = graph.nodes[source.node]
    return typed_value(node, known_type(graph, node), source.port)


def typed_value(node: Node, node_type: NodeType, port_name: str) -> Value:
    """What an unwired port holds: the value typed into it, or its default."""
    return _held(node, port_name, node_type.input(port_name))


def _held(node: Node, port_name: str, port: Port | None) -> Value:
    default = port.default if port else None
    return node.values.get(port_name, default if default is not None else 0.0)


def parameter_uniform(parameter: Parameter) -> Expr:
    """The expression that stands for a parameter."""
    return uniform(f"parameter:{parameter.id}", uniform_type(parameter.kind))


def uniform_type(kind: Kind) -> Type:
    """What a value of that kind is among expressions."""
    return Type.SAMPLER if kind.is_read else vector_type(kind.width)


def _shaped(value: Value, kind: Kind) -> tuple[float, ...]:
    """A typed value in the width its port has now; the document keeps it as it was typed."""
    parts = components(value)
    if len(parts) == 1:
        return parts * kind.width
    return (*parts, *(1.0,) * kind.width)[: kind.width]


_PASSING = frozenset({Role.PARAMETER, Role.ELBOW, Role.ENTRY})
_ENDS = frozenset({Role.EXIT, Role.OFFSET, Role.SURFACE})


class _Lowering:
    """Lowers one graph. Of a snippet in another graph, `snippet` is its id, and `given` what comes in.

    `apart`: what leaves a node is a symbol; `typed`: what is typed is constant.
    """

    def __init__(
        self,
        material: Material,
        snippet: str = "",
        given: Mapping[str, Expr] | None = None,
        *,
        apart: bool = False,
        typed: bool = False,
    ) -> None:
        self.material, self.snippet, self.given = material, snippet, given
        self.apart, self.typed = apart, typed
        self.room = SNIPPET_NODES
        self.handed_out: dict[str, Expr] = {}
        self.wires: dict[str, Expr] = {}
        self.inputs: dict[str, Expr] = {}
        self.kinds: dict[str, Kind] = {}
        self.uniforms: dict[str, Source] = {}
        self.names: dict[Expr, str] = {}
        self.origins: dict[Expr, str] = {}
        self.notices: list[Notice] = []
        self.surface: dict[str, Expr] = {}
        self.offset: Expr | None = None
        self.traits: dict[str, str] = {}
        self.unlit = False

    def run(self) -> Lowered:
        self.lower_nodes()
        if not self.surface:
            if not is_snippet(self.material):
                text = f"{self.material.name} has no Surface node, so it looks plain grey"
                self.notices.append(Notice(Severity.WARNING, "no-output", text, self.material.id))
            self.surface = self._plain_surface()
        if reads([*self.wires.values(), *self.surface.values()], BEHIND):
            self.uniforms[str(BEHIND.data)] = Source(Kind.TEXTURE, stage=True)
        return Lowered(
            self.surface,
            self.wires,
            self.inputs,
            self.kinds,
            self.uniforms,
            self.names,
            self.origins,
            tuple(self.notices),
            self.offset,
            self.traits,
            self.unlit,
        )

    def lower_nodes(self) -> None:
        """Every node, those that feed before those that are fed."""
        order, looped = evaluation_order(self.material)
        for node_id in order:
            give_way()
            self._lower_node(node_id)
        for node_id in looped:
            self._say(Severity.ERROR, "cycle", node_id, "", "{node} feeds itself; take one wire of the circle off")
            self._lower_node(node_id)

    def _plain_surface(self) -> dict[str, Expr]:
        node_type = LIBRARY["surface"]
        inputs = {
            p.name: const(*components(p.default or 0.0)) if p.implied is None else p.implied for p in node_type.inputs
        }
        return node_type.apply(inputs, {s.name: s.default for s in node_type.settings})

    def _lower_node(self, node_id: str) -> None:
        node = self.material.nodes[node_id]
        node_type = type_of(self.material, node)
        if node_type is None:
            self._say_unknown(node_id, node)
            return
        role = node_type.role
        shared = shared_kind(self.material, node_id, node_type, self.kinds)
        if shared is None:
            text = "{node} joins kinds that do not go together; Combine or Separate one of them first"
            self._say(Severity.ERROR, "kinds", node_id, "", text)
            shared = Kind.NUMBER
        inputs = self._inputs(node_id, node_type, shared)
        chosen: dict[str, str] = {}
        if role is Role.SNIPPET:
            results = self._lower_snippet(node_id, node, node_type, inputs)
        else:
            chosen = self._settings(node_id, node, node_type)
            results = node_type.apply(inputs, chosen)
        if role in _ENDS:
            self._end(node_id, node_type, results, chosen)
            return
        title = node.name or node_type.title
        for port in node_type.outputs:
            ref, expr = port_ref(node_id, port.name), results[port.name]
            if self.apart and role not in _PASSING and expr.type is not Type.SAMPLER:
                expr = uniform(f"wire:{ref}", expr.type)
            self.wires[ref] = expr
            self.kinds[ref] = port.carries.kind or shared
            if expr.op is not Op.CONST:
                self.origins.setdefault(expr, node_id)
            if expr.op not in LEAVES and len(node_type.outputs) == 1:
                self.names.setdefault(expr, title if node.name or role is not Role.FORMULA else "formula")

    def _end(self, node_id: str, node_type: NodeType, results: dict[str, Expr], chosen: dict[str, str]) -> None:
        """Take what comes out of the graph by a node that ends it."""
        role = node_type.role
        if role is Role.EXIT:
            self.handed_out[node_id] = results["value"]
        elif node_id != counting(self.material, role):
            what = "a second output" if role is Role.SURFACE else "a second one"
            self._say(Severity.WARNING, "two-outputs", node_id, "", f"{{node}} is {what}; the first counts")
        elif role is Role.OFFSET:
            self.offset = results["offset"]
        else:
            self.surface, self.traits, self.unlit = results, chosen, node_type.unlit

    def _lower_snippet(self, node_id: str, node: Node, node_type: NodeType, inputs: dict[str, Expr]) -> dict[str, Expr]:
        graph = self.material.snippets[node.settings["snippet"]]
        self.room -= 0 if self.snippet else unfolded_size(graph)
        if self.room < 0:
            text = f"{{node}} unfolds too far: a graph has room for {SNIPPET_NODES:,} nodes of snippets; it gives 0"
            self._say(Severity.ERROR, "too-large", node_id, "", text)
            return {p.name: _nothing(p.carries.kind or Kind.NUMBER) for p in node_type.outputs}
        inner = _Lowering(graph, graph.id, inputs, typed=self.typed)
        inner.lower_nodes()
        self.uniforms |= inner.uniforms
        return inner.handed_out

    def _settings(self, node_id: str, node: Node, node_type: NodeType) -> dict[str, str]:
        settings: dict[str, str] = {}
        for setting in node_type.settings:
            given = node.settings.get(setting.name, setting.default)
            if setting.choices and given not in setting.choices:
                text = f"{{node}} has “{given}” for {setting.name}, which is not a choice; {setting.default} is used"
                self._say(Severity.ERROR, "setting", node_id, setting.name, text)
                given = setting.default
            settings[setting.name] = given
        return settings

    def _inputs(self, node_id: str, node_type: NodeType, shared: Kind) -> dict[str, Expr]:
        """What comes into each port of a node, by the port's name."""
        wires, values, kinds = self.material.wires, self.wires, self.kinds
        own_kinds, brought = node_type.own_kinds, self._brought(node_id, node_type.role, shared)
        found: dict[str, Expr] = {}
        for port in node_type.inputs:
            ref = port_ref(node_id, port.name)
            out, wanted = wires.get(ref), port.carries.kind or shared
            if own_kinds:
                wanted = input_kind(self.material, node_id, port, kinds)
            if brought is not None:
                expr = brought
            elif out is not None and out in values:
                expr = values[out] if kinds[out] is wanted else self._converted(node_id, port, out, wanted)
            elif port.implied is not None and out is None:
                expr = port.implied
            else:
                expr = self._unwired(node_id, port, out, wanted)
            found[port.name] = self.inputs[ref] = expr
        return found

    def _brought(self, node_id: str, role: Role, kind: Kind) -> Expr | None:
        """What a node has by no wire of this graph: a parameter's value, or what a snippet is given."""
        if role is Role.PARAMETER:
            return self._parameter(node_id, kind)
        return self.given[node_id] if role is Role.ENTRY and self.given is not None else None

    def _unwired(self, node_id: str, port: Port, out: str | None, wanted: Kind) -> Expr:
        """What is typed into a port, and a word where a wire ought to feed it; `out`: a wire that gives nothing."""
        if out is not None:
            if node_of(out) not in self.material.nodes:
                text = f"{{node}}’s {port.label} is wired to a node that is gone; its typed value is used"
                self._say(Severity.ERROR, "dangling-wire", node_id, port.name, text)
        elif port.default is None and port.name not in self.material.nodes[node_id].values:
            text = f"{{node}} needs a wire into {port.label}; 0 is used until then"
            self._say(Severity.WARNING, "missing-wire", node_id, port.name, text)
        return self._typed(wanted, node_id, port)

    def _parameter(self, node_id: str, kind: Kind) -> Expr:
        wanted = self.material.nodes[node_id].settings.get("parameter", "")
        parameter = self.material.parameter(wanted)
        if parameter is None:
            text = "{node} shows a parameter that is gone; it gives 0"
            self._say(Severity.ERROR, "missing-parameter", node_id, "", text)
            return _nothing(kind)
        return self._uniform(f"parameter:{parameter.id}", Source(parameter.kind, parameter=parameter.id))

    def _typed(self, kind: Kind, node_id: str, port: Port) -> Expr:
        if self.typed and not kind.is_read:
            return const(*_shaped(_held(self.material.nodes[node_id], port.name, port), kind))
        place = f"{self.snippet}:" if self.snippet else ""
        source = Source(kind, node=node_id, port=port.name, snippet=self.snippet)
        return self._uniform(f"typed:{place}{port_ref(node_id, port.name)}", source)

    def _uniform(self, name: str, source: Source) -> Expr:
        self.uniforms[name] = source
        return uniform(name, uniform_type(source.kind))

    def _converted(self, node_id: str, port: Port, out: str, wanted: Kind) -> Expr:
        given = self.kinds[out]
        how = conversion(given, wanted)
        if how is None:
            text = f"{{node}}’s {port.label} takes a {wanted.words}, but its wire carries a {given.words}; 0 is used"
            self._say(Severity.ERROR, "kinds", node_id, port.name, text)
            return self._typed(wanted, node_id, port)
        if port.carries.kind is None and given is Kind.NUMBER:
            return self.wires[out]  # arithmetic spreads a lone number by itself
        return converted(self.wires[out], how, wanted)

    def _say_unknown(self, node_id: str, node: Node) -> None:
        text = "{node} is of a type this version does not have; it is kept, and gives 0"
        if node.role is Role.SNIPPET:
            text = f"{{node}} uses a snippet that is gone, holds this graph or is {SNIPPET_DEPTH} deep; it gives 0"
        if node.role is Role.FORMULA:
            try:
                formula_type(node.settings.get("expression", ""))
            except FormulaError as error:
                text = "The formula {node} cannot be read, " + f"{error}; it gives 0"
        self._say(Severity.ERROR, "unknown-node", node_id, "", text)

    def _say(self, severity: Severity, kind: str, node_id: str, port: str, text: str) -> None:
        name = label_of(self.material, self.material.nodes[node_id])
        self.notices.append(Notice(severity, kind, text.replace("{node}", name), self.material.id, node_id, port))


def _nothing(kind: Kind) -> Expr:
    return uniform("stage:nothing", Type.SAMPLER) if kind.is_read else const(*(0.0,) * kind.width)


def converted(value: Expr, how: Conversion, wanted: Kind) -> Expr:
    """The value after the conversion a wire makes."""
    match how:
        case Conversion.SPLAT:
            return f.splat(value, wanted.width)
        case Conversion.GREY:
            return join(f.splat(value, 3), 1.0)
        case Conversion.FIRST:
            return value.x
        case Conversion.LUMINANCE:
            return f.luminance(value)
        case Conversion.OPAQUE:
            return join(value, 1.0)
        case Conversion.DROP_ALPHA:
            return swizzle(value, "xyz")
        case _:
            return value
