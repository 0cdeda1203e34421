"""Expressions as standard nodes: a reader of `ir` that is a table from operator to nodes.

Coordinates of textures run upwards in MaterialX and downwards here, as in glTF 2.0; whatever reads one turns them over.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Protocol

from msgspec import Struct

from soft_lantern.errors import BadValue
from soft_lantern.formats.materialx.graphs import Place, Sheet, give, typed
from soft_lantern.formats.materialx.library import TYPES, fits
from soft_lantern.ir import functions as f
from soft_lantern.ir import noise
from soft_lantern.ir.expr import (
    CHANGES,
    Expr,
    Function,
    Op,
    Type,
    const,
    constant_parts,
    input_,
    join,
    swizzle,
    topological,
)
from soft_lantern.ir.inputs import BEHIND, INPUTS, surface_input
from soft_lantern.nodes.geometry import toward_camera
from soft_lantern.values.images import Encoding, Filter, Wrap
from soft_lantern.values.kinds import LARGEST


class Sampling(Struct, frozen=True):
    """How a texture is read, as its record has it."""

    encoding: Encoding = "data"
    filter: Filter = "linear"
    wrap: Wrap = "clamp"


AS_DATA = Sampling()


class Picture(Struct, frozen=True):
    """A texture that is read: where its file's name comes from, how it is read, and where one over its size is."""

    file: Place
    sampling: Sampling
    texel: Place


class Calls(Protocol):
    """Who defines the functions that expressions call."""

    def called(self, function: Function, samplings: tuple[Sampling, ...]) -> str:
        """The name of the node that a function is written as. Raises BadValue where it cannot be."""


class Writer:
    """Writes expressions into a graph. `leaves`: what is there already; `host`: gives what only the host knows."""

    def __init__(
        self,
        sheet: Sheet,
        calls: Calls,
        leaves: Mapping[Expr, Place],
        pictures: Mapping[Expr, Picture],
        host: Callable[[str], Place],
    ) -> None:
        self.sheet, self.calls, self.pictures, self.host = sheet, calls, pictures, host
        self.places: dict[Expr, Place] = dict(leaves)

    def place(self, wanted: Expr) -> Place:
        """Where an expression's value is, written if it is not yet."""
        waiting = [wanted]
        while waiting:
            expr = waiting[-1]
            if expr in self.places or expr in self.pictures:
                waiting.pop()
                continue
            stands_for = self._instead(expr)
            missing = [
                arg
                for arg in ([stands_for] if stands_for is not None else expr.args)
                if arg not in self.places and arg not in self.pictures
            ]
            if missing:
                waiting += reversed(missing)
                continue
            if stands_for is not None:
                self.places[expr] = self.places[stands_for]
            else:
                self.places[expr] = RULES[expr.op](expr, [self._given(arg) for arg in expr.args], self)
            waiting.pop()
        return self.places[wanted]

    def _given(self, arg: Expr) -> Place:
        """An argument as a rule takes it: vectors are vectors, never colours."""
        return self.pictures[arg].file if arg in self.pictures else self.plain(self.places[arg])

    def plain(self, place: Place) -> Place:
        """The same value as a vector where it is a colour."""
        return self.sheet.as_type(place, f"vector{place.type[-1]}") if place.type.startswith("color") else place

    def _instead(self, expr: Expr) -> Expr | None:
        """What an expression is written as, where it is not by its own operator."""
        if expr is _TOWARD:
            return _TURNED
        if isinstance(expr.data, Function) and expr.data.name in FUNCTIONS_AS:
            return FUNCTIONS_AS[expr.data.name](*expr.args)
        if expr.op is Op.INPUT:
            return INPUTS_AS.get(str(expr.data))
        return None


Rule = Callable[[Expr, list[Place], Writer], Place]


def spread(expr: Expr, args: list[Place], names: tuple[str, ...], category: str, writer: Writer) -> dict[str, Place]:
    """The arguments by the names of a node's inputs, lone numbers in every component where no node takes them so."""
    wide = TYPES[expr.type]
    given = dict(zip(names, args, strict=True))
    if fits(category, wide, {name: place.type for name, place in given.items()}):
        return given
    return {name: writer.sheet.as_type(place, wide) for name, place in given.items()}


def by_node(category: str, *names: str) -> Rule:
    """A rule that adds one node whose inputs take the arguments in order."""

    def rule(expr: Expr, args: list[Place], writer: Writer) -> Place:
        given = spread(expr, args, names, category, writer)
        return writer.sheet.add(category, TYPES[expr.type], **given)

    return rule


def _reduced(category: str, *names: str) -> Rule:
    """The same for a node that makes one number of vectors."""

    def rule(expr: Expr, args: list[Place], writer: Writer) -> Place:
        widest = max((arg.type for arg in args), key=lambda type_: type_[-1] if type_ != "float" else "")
        if widest == "float":
            return _of_floats[expr.op](args, writer.sheet)
        given = {name: writer.sheet.as_type(arg, widest) for name, arg in zip(names, args, strict=True)}
        return writer.sheet.add(category, TYPES[expr.type], **given)

    return rule


_of_floats: dict[Op, Callable[[list[Place], Sheet], Place]] = {
    Op.DOT: lambda args, sheet: sheet.add("multiply", "float", in1=args[0], in2=args[1]),
    Op.LENGTH: lambda args, sheet: sheet.add("absval", "float", in_=args[0]),
    Op.NORMALIZE: lambda args, sheet: sheet.add("sign", "float", in_=args[0]),
}


def _instead_of(made: Callable[..., Expr]) -> Rule:
    """A rule that writes other operations over the same arguments."""
    return lambda expr, args, writer: writer.place(made(*expr.args))


SMALL, _SHIFT = 1e-3, 1e8
"""Below that size a constant is a quotient: generators may write but six digits behind the point."""


def _constant(expr: Expr, args: list[Place], writer: Writer) -> Place:
    if expr.type is Type.UINT:
        raise unwritable("bits of whole numbers")
    parts, type_ = constant_parts(expr), TYPES[expr.type]
    if not any(0.0 < abs(part) < SMALL for part in parts):
        return typed(type_, parts)
    larger = typed(type_, [part * _SHIFT for part in parts])
    return writer.sheet.add("divide", type_, in1=larger, in2=typed(type_, [_SHIFT]))


def _leaf(expr: Expr, args: list[Place], writer: Writer) -> Place:
    name = str(expr.data)
    if expr.op is Op.INPUT and name in GEOMETRY:
        return GEOMETRY[name](writer.sheet)
    if expr.op is Op.INPUT and name in INPUTS:
        return writer.host(name)
    raise unwritable(f"“{name}”")


def _letters(expr: Expr, args: list[Place], writer: Writer) -> Place:
    letters = str(expr.data)
    if letters == "xyz" and args[0].type == "vector4":
        return writer.sheet.as_type(args[0], "vector3")
    parts = [_component(args[0], "xyzw".index(letter), writer.sheet) for letter in letters]
    return parts[0] if len(parts) == 1 else _combined(parts, writer.sheet)


def _component(place: Place, index: int, sheet: Sheet) -> Place:
    if place.type == "float":
        return place
    if place.value:
        return typed("float", [float(place.value.split(",")[index])])
    found = sheet.add("extract", "float", in_=place)
    sheet.node(found).addInput("index", "integer").setValueString(str(index))
    return found


def _combined(parts: list[Place], sheet: Sheet) -> Place:
    given = {f"in{n}": part for n, part in enumerate(parts, 1)}
    return sheet.add(f"combine{len(parts)}", f"vector{len(parts)}", **given)


def _joined(expr: Expr, args: list[Place], writer: Writer) -> Place:
    width, sheet = expr.type.width, writer.sheet
    if [arg.type for arg in args] in (["vector3", "float"], ["vector2", "vector2"]):
        return sheet.add("combine2", "vector4", in1=args[0], in2=args[1])
    parts = [
        _component(arg, n, sheet) for arg, part in zip(args, expr.args, strict=True) for n in range(part.type.width)
    ]
    assert len(parts) == width
    return _combined(parts, sheet)


def _chosen(expr: Expr, args: list[Place], writer: Writer) -> Place:
    condition, yes, no = args
    return writer.sheet.add(
        "ifequal", TYPES[expr.type], value1=condition, value2=Place("boolean", value="true"), in1=yes, in2=no
    )


def _compared(category: str, *, turned: bool) -> Rule:
    def rule(expr: Expr, args: list[Place], writer: Writer) -> Place:
        first, second = reversed(args) if turned else args
        return writer.sheet.add(category, "boolean", value1=first, value2=second)

    return rule


def _stepped(expr: Expr, args: list[Place], writer: Writer) -> Place:
    edge, x = expr.args
    parts = [
        f.select((edge if edge.type is Type.FLOAT else swizzle(edge, each)) <= part, 1.0, 0.0)
        for each, part in zip("xyzw", f.components(x) if x.type is not Type.FLOAT else [x], strict=False)
    ]
    return writer.place(parts[0] if len(parts) == 1 else join(*parts))


def _finite(expr: Expr, args: list[Place], writer: Writer) -> Place:
    value = expr.args[0]
    conditions = [
        f.abs_(part) <= LARGEST for part in (f.components(value) if value.type is not Type.FLOAT else [value])
    ]
    found = conditions[0]
    for each in conditions[1:]:
        found = f.both(found, each)
    return writer.place(found)


def _as_number(expr: Expr, args: list[Place], writer: Writer) -> Place:
    if expr.args[0].type is not Type.BOOL:
        raise unwritable("bits of whole numbers")
    return writer.place(f.select(expr.args[0], 1.0, 0.0))


def _texture(expr: Expr, args: list[Place], writer: Writer) -> Place:
    at = expr.args[1] if expr.args[0] is BEHIND else turned_over(expr.args[1])  # its first row is the lowest
    found = image(writer.sheet, writer.pictures[expr.args[0]], writer.place(at))
    return writer.plain(found)


def image(sheet: Sheet, picture: Picture, at: Place | None, name: str = "") -> Place:
    """A node that reads a texture at coordinates that run upwards, or where the surface has them."""
    found = sheet.add("image", "color4", name, file=picture.file, **({"texcoord": at} if at else {}))
    node = sheet.node(found)
    wrap = {"repeat": "periodic", "clamp": "clamp", "mirror": "mirror"}[picture.sampling.wrap]
    for port, text in (
        ("uaddressmode", wrap),
        ("vaddressmode", wrap),
        ("filtertype", _FILTERS[picture.sampling.filter]),
    ):
        give(node, port, text)
    if picture.sampling.encoding == "colour":
        node.getInput("file").setColorSpace("srgb_texture")
    return found


_FILTERS = {"linear": "linear", "nearest": "closest"}


def turned_over(at: Expr) -> Expr:
    """Coordinates of textures that run the other way in v."""
    return _TEXCOORD if at is _UV or at is surface_input("uv") else join(at.x, 1.0 - at.y)


def _texel(expr: Expr, args: list[Place], writer: Writer) -> Place:
    return writer.pictures[expr.args[0]].texel


def _called(expr: Expr, args: list[Place], writer: Writer) -> Place:
    function = expr.data
    assert isinstance(function, Function)
    if function.name in STANDARD_FUNCTIONS:
        category, port = STANDARD_FUNCTIONS[function.name]
        return writer.sheet.add(category, TYPES[expr.type], **{port: args[0]})
    read = tuple(writer.pictures[arg].sampling for arg in expr.args if arg in writer.pictures)
    category = writer.calls.called(function, read)
    found = writer.sheet.add(category, TYPES[expr.type])
    node = writer.sheet.node(found)
    for parameter, arg, place in zip(function.parameters, expr.args, args, strict=True):
        give(node, str(parameter.data), place)
        if arg in writer.pictures:
            give(node, texel_of(str(parameter.data)), writer.pictures[arg].texel)
    return found


def texel_of(name: str) -> str:
    """The input that tells one over the size of the texture of another input."""
    return f"{name}_texel"


def unwritable(what: str) -> BadValue:
    """What is raised where no standard node gives something."""
    return BadValue(f"no standard node gives {what}")


def _bits(expr: Expr, args: list[Place], writer: Writer) -> Place:
    raise unwritable("bits of whole numbers")


RULES: dict[Op, Rule] = {
    **dict.fromkeys(Op, _bits),
    Op.CONST: _constant,
    Op.INPUT: _leaf,
    Op.UNIFORM: _leaf,
    Op.SWIZZLE: _letters,
    Op.JOIN: _joined,
    Op.SELECT: _chosen,
    Op.ADD: by_node("add", "in1", "in2"),
    Op.SUB: by_node("subtract", "in1", "in2"),
    Op.MUL: by_node("multiply", "in1", "in2"),
    Op.DIV: by_node("divide", "in1", "in2"),
    Op.NEG: _instead_of(lambda x: x * -1.0),
    Op.ABS: by_node("absval", "in"),
    Op.SIGN: by_node("sign", "in"),
    Op.FLOOR: by_node("floor", "in"),
    Op.CEIL: by_node("ceil", "in"),
    Op.FRACT: by_node("fract", "in"),
    Op.MOD: by_node("modulo", "in1", "in2"),
    Op.MIN: by_node("min", "in1", "in2"),
    Op.MAX: by_node("max", "in1", "in2"),
    Op.CLAMP: by_node("clamp", "in", "low", "high"),
    Op.MIX: by_node("mix", "bg", "fg", "mix"),
    Op.STEP: _stepped,
    Op.SMOOTHSTEP: by_node("smoothstep", "low", "high", "in"),
    Op.SQRT: by_node("sqrt", "in"),
    Op.POW: by_node("power", "in1", "in2"),
    Op.EXP: by_node("exp", "in"),
    Op.LOG: by_node("ln", "in"),
    Op.EXP2: _instead_of(lambda x: f.power(const(*[2.0] * x.type.width), x)),
    Op.LOG2: _instead_of(lambda x: f.log(x) * (1.0 / math.log(2.0))),
    Op.SIN: by_node("sin", "in"),
    Op.COS: by_node("cos", "in"),
    Op.DOT: _reduced("dotproduct", "in1", "in2"),
    Op.LENGTH: _reduced("magnitude", "in"),
    Op.NORMALIZE: _reduced("normalize", "in"),
    Op.CROSS: by_node("crossproduct", "in1", "in2"),
    Op.LESS: _compared("ifgreater", turned=True),
    Op.LESS_EQUAL: _compared("ifgreatereq", turned=True),
    Op.EQUAL: _compared("ifequal", turned=False),
    Op.AND: by_node("and", "in1", "in2"),
    Op.OR: by_node("or", "in1", "in2"),
    Op.NOT: by_node("not", "in"),
    Op.FINITE: _finite,
    Op.TO_FLOAT: _as_number,
    Op.TEXTURE: _texture,
    Op.TEXTURE_LEVEL: _texture,
    Op.TEXEL: _texel,
    Op.CALL: _called,
}
"""How each operator is written; those of bits are not."""

_TEXCOORD, _TEXCOORD_1 = input_("texcoord", Type.VEC2), input_("texcoord1", Type.VEC2)
_TOWARD, _TURNED = toward_camera(), input_("viewdirection", Type.VEC3) * -1.0
_UV = join(_TEXCOORD.x, 1.0 - _TEXCOORD.y)


def _in_world(category: str, parts: tuple[float, ...]) -> Callable[[Sheet], Place]:
    return lambda sheet: sheet.add(
        category, "vector3", in_=typed("vector3", parts), fromspace="object", tospace="world"
    )


def _in_space(category: str, space: str) -> Callable[[Sheet], Place]:
    return lambda sheet: sheet.add(category, "vector3", space=space)


def _texcoord(index: int) -> Callable[[Sheet], Place]:
    def made(sheet: Sheet) -> Place:
        found = sheet.add("texcoord", "vector2")
        sheet.node(found).addInput("index", "integer").setValueString(str(index))
        return found

    return made


GEOMETRY: dict[str, Callable[[Sheet], Place]] = {
    "position_world": _in_space("position", "world"),
    "position_object": _in_space("position", "object"),
    "normal_world": _in_space("normal", "world"),
    "tangent_world": _in_space("tangent", "world"),
    "bitangent_world": _in_space("bitangent", "world"),
    "vertex_color": lambda sheet: sheet.add("geomcolor", "color4"),
    "time": lambda sheet: sheet.add("time", "float"),
    "object_x": _in_world("transformvector", (1.0, 0.0, 0.0)),
    "object_y": _in_world("transformvector", (0.0, 1.0, 0.0)),
    "object_z": _in_world("transformvector", (0.0, 0.0, 1.0)),
    "object_position": _in_world("transformpoint", (0.0, 0.0, 0.0)),
    "texcoord": _texcoord(0),
    "texcoord1": _texcoord(1),
    "viewdirection": lambda sheet: sheet.add("viewdirection", "vector3", space="world"),
}
"""What the surface brings along, by standard nodes; what is not here only the host knows."""
INPUTS_AS: dict[str, Expr] = {
    "uv": _UV,
    "uv1": join(_TEXCOORD_1.x, 1.0 - _TEXCOORD_1.y),
    "has_vertex_color": const(1.0),
    "facing": const(1.0),
    "front_facing": const(1.0),
}
"""Surface inputs that are something else over what standard nodes bring."""
STANDARD_FUNCTIONS = {
    noise.perlin_2d.name: ("noise2d", "texcoord"),
    noise.perlin_3d.name: ("noise3d", "position"),
    noise.perlin_three_2d.name: ("noise2d", "texcoord"),
    noise.perlin_three_3d.name: ("noise3d", "position"),
    noise.cell_2d.name: ("cellnoise2d", "texcoord"),
    noise.cell_3d.name: ("cellnoise3d", "position"),
}
"""Functions that a standard node computes, by name, and its input."""


def _three_cells(at: Expr) -> Expr:
    return join(*(noise.cell_3d(join(at, float(n))) for n in range(3)))


FUNCTIONS_AS: dict[str, Callable[..., Expr]] = {noise.cell_colour_2d.name: _three_cells}
"""Functions over bits, by name, that others, which standard nodes compute, come to as well."""


def is_beyond_nodes(function: Function) -> bool:
    """Whether a function, or one that it calls, does what no standard node does: bits, and the next pixel's value."""
    if function.name in STANDARD_FUNCTIONS or function.name in FUNCTIONS_AS:
        return False
    return any(
        expr.type is Type.UINT or expr.op in CHANGES or (isinstance(expr.data, Function) and is_beyond_nodes(expr.data))
        for expr in topological([function.body])
    )
