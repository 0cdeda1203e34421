"""Unfolds a node into plain nodes that compute the same: a reader of expressions that writes a graph.

Like every reader it is a table from operator to rule. Conditions are values of no wire, so a choice becomes one small
formula with its condition in it.
"""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Material, Node, new_id, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import add_node, connect, fragment, move_nodes, remove_nodes, type_value
from soft_lantern.graph.kinds import input_kind, known_type, label_of, output_kinds
from soft_lantern.graph.layout import tidy
from soft_lantern.graph.lowering import typed_value, uniform_type
from soft_lantern.ir import functions as f
from soft_lantern.ir import noise
from soft_lantern.ir.expr import BITS, CHANGES, COMPARISONS, Expr, Function, Op, Type, const, constant_parts, uniform
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Value, components

Source = str | Value
"""Where a part's value comes from: an output "node.port", or a number or vector to type."""

_TWO = {
    Op.ADD: "add",
    Op.SUB: "subtract",
    Op.MUL: "multiply",
    Op.DIV: "divide",
    Op.MOD: "modulo",
    Op.MIN: "minimum",
    Op.MAX: "maximum",
}
NODES: dict[Op, tuple[str, tuple[str, ...]]] = {
    **{op: (key, ("a", "b")) for op, key in _TWO.items()},
    Op.POW: ("power", ("base", "exponent")),
    Op.MIX: ("mix", ("a", "b", "factor")),
    Op.CLAMP: ("clamp", ("value", "low", "high")),
    Op.STEP: ("step", ("edge", "value")),
    Op.SMOOTHSTEP: ("smoothstep", ("low", "high", "value")),
    Op.NEG: ("negate", ("value",)),
    Op.ABS: ("absolute", ("value",)),
    Op.SIGN: ("sign", ("value",)),
    Op.FLOOR: ("floor", ("value",)),
    Op.CEIL: ("ceiling", ("value",)),
    Op.FRACT: ("fraction", ("value",)),
    Op.SQRT: ("square_root", ("value",)),
    Op.EXP: ("exponential", ("value",)),
    Op.LOG: ("logarithm", ("value",)),
    Op.EXP2: ("power_of_two", ("value",)),
    Op.LOG2: ("logarithm_of_two", ("value",)),
    Op.SIN: ("sine", ("angle",)),
    Op.COS: ("cosine", ("angle",)),
    Op.DOT: ("dot_product", ("a", "b")),
    Op.LENGTH: ("length", ("vector",)),
    Op.NORMALIZE: ("normalise", ("vector",)),
    Op.CROSS: ("cross_product", ("a", "b")),
    Op.TEXTURE: ("image", ("texture", "uv")),
}
"""The node that stands for an operator, and its ports in the order of the arguments."""
_VECTOR3_ONLY = {Op.DOT, Op.LENGTH, Op.NORMALIZE, Op.CROSS}
INPUT_NODES: dict[str, tuple[str, dict[str, str], str]] = {
    "position_world": ("position", {"space": "world"}, "out"),
    "position_object": ("position", {"space": "object"}, "out"),
    "normal_world": ("normal", {"space": "world"}, "out"),
    "tangent_world": ("tangent", {}, "out"),
    "bitangent_world": ("bitangent", {}, "out"),
    "uv": ("texture_coordinates", {"set": "0"}, "out"),
    "uv1": ("texture_coordinates", {"set": "1"}, "out"),
    "vertex_color": ("vertex_colour", {}, "out"),
    "front_facing": ("front_facing", {}, "out"),
    "object_position": ("object_position", {}, "out"),
    "object_random": ("object_random", {}, "out"),
    "view_distance": ("view_distance", {}, "out"),
    "surface_depth": ("surface_depth", {}, "out"),
    "scene_depth": ("scene_depth", {}, "out"),
    "depth_behind": ("depth_behind", {}, "out"),
    "camera_position": ("camera_position", {}, "out"),
    "pixel_place": ("screen_coordinates", {"unit": "pixels"}, "out"),
    "time": ("time", {}, "out"),
    "time_step": ("time_step", {}, "out"),
}
_FUNCTIONS: dict[Function, tuple[str, tuple[str, ...], dict[str, Value]]] = {
    f.atan2: ("arctangent", ("y", "x"), {}),
    noise.perlin_2d: ("perlin_noise_2d", ("at",), {"scale": 1.0}),
    noise.perlin_3d: ("perlin_noise_3d", ("at",), {"scale": 1.0}),
    noise.perlin_three_2d: ("three_noises_2d", ("at",), {"scale": 1.0}),
    noise.perlin_three_3d: ("three_noises_3d", ("at",), {"scale": 1.0}),
    noise.value_2d: ("value_noise_2d", ("at",), {"scale": 1.0}),
    noise.value_3d: ("value_noise_3d", ("at",), {"scale": 1.0}),
    noise.cell_2d: ("cell_noise_2d", ("at",), {"scale": 1.0}),
    noise.cell_3d: ("cell_noise_3d", ("at",), {"scale": 1.0}),
}
_SYMBOLS = {Op.LESS: "<", Op.LESS_EQUAL: "<=", Op.EQUAL: "==", Op.AND: "&&", Op.OR: "||"}


def unfold(material: Material, node_id: str) -> Material:
    """The material with a node replaced by plain nodes that compute the same.

    Raises BadEdit where it holds something no plain node computes.
    """
    return _Unfolding(material, node_id).run()


def can_unfold(material: Material, node_id: str) -> bool:
    """Whether a node is made of more than one part, each of which a plain node computes."""
    try:
        done = unfold(material, node_id)
    except BadEdit:
        return False
    new = [n for i, n in done.nodes.items() if i not in material.nodes]
    return bool(new) and any(n.type != material.node(node_id).type for n in new)


class _Unfolding:
    def __init__(self, material: Material, node_id: str) -> None:
        self.material, self.node_id = material, node_id
        self.node = material.node(node_id)
        self.node_type = known_type(material, self.node)
        self.made: list[str] = []
        self.sources: dict[Expr, Source] = {}
        self.taken_apart: dict[str, str] = {}

    def run(self) -> Material:
        if not self.node_type.outputs or self.node.role in (Role.PARAMETER, Role.SNIPPET, Role.ENTRY):
            raise self._cannot("it is no computation")
        readers = [(into, out) for into, out in self.material.wires.items() if node_of(out) == self.node_id]
        settings = {s.name: self.node.settings.get(s.name, s.default) for s in self.node_type.settings}
        results = self.node_type.apply(self._inputs(), settings)
        wanted = {node_and_port(out)[1] for _, out in readers} or {p.name for p in self.node_type.outputs}
        done = {port: self._made_of(results[port]) for port in wanted}
        for into, out in readers:
            self.material = connect(self.material, done[node_and_port(out)[1]], into)
        if not self.made:
            raise self._cannot("it is no computation")
        return self._laid_out(remove_nodes(self.material, [self.node_id]))

    def _inputs(self) -> dict[str, Expr]:
        """Each port as a placeholder for what feeds it, or the surface input it reads."""
        known = output_kinds(self.material)
        found = {}
        for port in self.node_type.inputs:
            ref = port_ref(self.node_id, port.name)
            wired = self.material.wires.get(ref)
            if port.implied is not None and not wired:
                found[port.name] = port.implied
                continue
            kind = input_kind(self.material, self.node_id, port, known)
            if wired and port.carries.kind is None:
                kind = known.get(wired, kind)  # arithmetic takes a lone number as it is
            place = uniform(f"port:{port.name}", uniform_type(kind))
            value = typed_value(self.node, self.node_type, port.name)
            if not isinstance(value, str) and len(components(value)) < kind.width:
                value = components(value)[:1] * kind.width
            self.sources[place] = wired or value
            found[port.name] = place
        return found

    def _made_of(self, expr: Expr) -> str:
        """The output of a node that gives the expression."""
        source = self._source(expr)
        if isinstance(source, str):
            return source
        keys = {1: "number", 2: "vector_2", 3: "vector_3", 4: "vector_4"}
        return self._put(keys[expr.type.width], {"value": source})

    def _source(self, expr: Expr) -> Source:
        if expr not in self.sources:
            self.sources[expr] = RULES[expr.op](self, expr)
        return self.sources[expr]

    def constant(self, expr: Expr) -> Source:
        parts = constant_parts(expr)
        return parts if len(parts) > 1 else parts[0]

    def surface_input(self, expr: Expr) -> Source:
        if str(expr.data) not in INPUT_NODES:
            raise self._cannot(f"no node gives {str(expr.data).replace('_', ' ')}")
        key, settings, port = INPUT_NODES[str(expr.data)]
        return self._put(key, {}, settings, port)

    def call(self, expr: Expr) -> Source:
        assert isinstance(expr.data, Function)
        if expr.data not in _FUNCTIONS:
            raise self._cannot(f"{expr.data.name.replace('_', ' ')} is one piece")
        key, ports, typed = _FUNCTIONS[expr.data]
        port = "number" if key.startswith("cell") else "out"
        return self._put(key, self._given(ports, expr) | dict(typed), port=port)

    def clamped(self, expr: Expr) -> Source:
        if expr.args[1:] == (const(0.0), const(1.0)):
            return self._put("saturate", {"value": self._source(expr.args[0])})
        return self.plain_node(expr)

    def plain_node(self, expr: Expr) -> Source:
        if not self._fits_a_node(expr):
            return self.formula(expr)
        key, ports = NODES[expr.op]
        return self._put(key, self._given(ports, expr), port="colour" if expr.op is Op.TEXTURE else "out")

    def refused(self, expr: Expr) -> Source:
        raise self._cannot("no plain node computes a part of it")

    def _fits_a_node(self, expr: Expr) -> bool:
        if expr.op in _VECTOR3_ONLY:
            return all(a.type is Type.VEC3 for a in expr.args)
        return expr.op is not Op.MIX or expr.args[2].type is Type.FLOAT

    def _given(self, ports: tuple[str, ...], expr: Expr) -> dict[str, Source]:
        return {port: self._source(arg) for port, arg in zip(ports, expr.args, strict=True)}

    def component(self, expr: Expr) -> Source:
        inside, letters = expr.args[0], str(expr.data)
        source = self._source(inside)
        if not isinstance(source, str):
            parts = source if isinstance(source, tuple) else (source,)
            picked = tuple(float(parts["xyzw".index(letter)]) for letter in letters)
            return picked if len(picked) > 1 else picked[0]
        if inside.type is Type.VEC3 and len(letters) == 1:
            if source not in self.taken_apart:
                self.taken_apart[source] = node_of(self._put("separate", {"vector": source}, port="x"))
            return port_ref(self.taken_apart[source], letters)
        return self._put("formula", {"a": source}, {"expression": f"a.{letters}"})

    def joined(self, expr: Expr) -> Source:
        if all(a.type is Type.FLOAT for a in expr.args):
            key = {2: "combine_2", 3: "combine", 4: "combine_4"}[len(expr.args)]
            return self._put(key, self._given(tuple("xyzw"[: len(expr.args)]), expr))
        return self.formula(expr)

    def chosen(self, expr: Expr) -> Source:
        condition = expr.args[0]
        if expr.op is Op.SELECT and condition.op is Op.LESS and condition.args[0].type is Type.FLOAT:
            less, more = condition.args
            ports = {"a": more, "b": less, "when_greater": expr.args[1], "otherwise": expr.args[2]}
            return self._put("choose", {port: self._source(arg) for port, arg in ports.items()})
        return self.formula(expr)

    def formula(self, expr: Expr) -> str:
        """One small formula: the operation, and any condition inside it, over what feeds them."""
        letters: dict[Expr, str] = {}

        def named(arg: Expr) -> str:
            return letters.setdefault(arg, "abcdefghijklmnopqrstuvwxyz"[len(letters)])

        text = _text(expr, named)
        return self._put(
            "formula", {letter: self._source(arg) for arg, letter in letters.items()}, {"expression": text}
        )

    def _put(
        self, key: str, ports: dict[str, Source], settings: dict[str, str] | None = None, port: str = "out"
    ) -> str:
        node_id = new_id(key)
        self.material = add_node(self.material, node_id, Node(type=key, settings=settings or {}))
        self.made.append(node_id)
        for name, source in ports.items():
            place = port_ref(node_id, name)
            port_type = known_type(self.material, self.material.node(node_id)).input(name)
            if isinstance(source, tuple) and port_type and port_type.carries.kind is None:
                source = self._put(f"vector_{len(source)}", {"value": source})  # an open port is as wide as its wires
            if not isinstance(source, str) or "." not in source:
                self.material = type_value(self.material, node_id, name, source)
            else:
                self.material = connect(self.material, str(source), place)
        return port_ref(node_id, port)

    def _laid_out(self, material: Material) -> Material:
        """The new nodes in columns of their own, ending where the node stood."""
        placed = tidy(fragment(material, self.made))
        right = max(n.x for n in placed.nodes.values())
        places = {i: (self.node.x + n.x - right, self.node.y + n.y) for i, n in placed.nodes.items()}
        return move_nodes(material, places)

    def _cannot(self, why: str) -> BadEdit:
        return BadEdit(f"{label_of(self.material, self.node)} cannot be unfolded: {why}")


RULES: dict[Op, Callable[[_Unfolding, Expr], Source]] = {
    **dict.fromkeys(Op, _Unfolding.formula),
    **dict.fromkeys(NODES, _Unfolding.plain_node),
    **dict.fromkeys((Op.UNIFORM, Op.TEXEL, Op.TEXTURE_LEVEL, Op.WHOLE, Op.FINITE, *BITS, *CHANGES), _Unfolding.refused),
    Op.CONST: _Unfolding.constant,
    Op.INPUT: _Unfolding.surface_input,
    Op.CALL: _Unfolding.call,
    Op.SWIZZLE: _Unfolding.component,
    Op.JOIN: _Unfolding.joined,
    Op.SELECT: _Unfolding.chosen,
    Op.TO_FLOAT: _Unfolding.chosen,
    Op.CLAMP: _Unfolding.clamped,
}
"""Which nodes stand for an operator; a formula of one operation, where nothing else is said."""


def _text(expr: Expr, named: Callable[[Expr], str]) -> str:
    """The operation as GLSL, with a letter for each of its arguments that is a value, and conditions written out."""

    def inside(arg: Expr) -> str:
        if arg.type is Type.BOOL:
            return _text(arg, named)
        return f"{constant_parts(arg)[0]:.9g}" if arg.op is Op.CONST and arg.type is Type.FLOAT else named(arg)

    args = [inside(a) for a in expr.args]
    if expr.op is Op.SELECT:
        return f"{args[0]} ? {args[1]} : {args[2]}"
    if expr.op is Op.TO_FLOAT:
        return f"{args[0]} ? 1.0 : 0.0"
    if expr.op is Op.NOT:
        return f"!({args[0]})"
    if expr.op in COMPARISONS or expr.op in (Op.AND, Op.OR):
        return f"({args[0]} {_SYMBOLS[expr.op]} {args[1]})"
    if expr.op is Op.JOIN:
        return f"{expr.type.value}({', '.join(args)})"
    return f"{expr.op.value}({', '.join(args)})"
