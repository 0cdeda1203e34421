"""How a node is defined: one function whose signature is the node's interface.

Positional parameters are input ports, keyword-only parameters are settings, the return annotation gives the outputs.
Annotations carry kind, unit and expected range; the docstring is the help text; the body is the mathematics.
"""

from __future__ import annotations

import functools
import inspect
import sys
import typing
from collections.abc import Callable, Mapping
from enum import Enum
from math import inf
from typing import Annotated, Any, Literal

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.ir.expr import Expr
from soft_lantern.values.kinds import Kind, Value


class Carries(Struct, frozen=True):
    """What an annotation says of a port. `kind` None: whatever is widest among the node's wires.

    `numeric`: an open port that takes numbers, vectors and colours only, and no textures. `data`: of a texture or its
    texels, whether their numbers are wanted as they are, not decoded as colour. `chooses`: a whole number that picks
    one of the node's repeated inputs, counted from 0.
    """

    kind: Kind | None
    unit: str = ""
    expected: tuple[float, float] | None = None
    takes_wire: bool = True
    numeric: bool = True
    data: bool = False
    chooses: bool = False


Number = Annotated[Expr, Carries(Kind.NUMBER)]
Positive = Annotated[Expr, Carries(Kind.NUMBER, expected=(1e-6, inf))]
PositiveMetres = Annotated[Expr, Carries(Kind.NUMBER, unit="m", expected=(1e-6, inf))]
Amount = Annotated[Expr, Carries(Kind.NUMBER, expected=(0.0, inf))]
Choice = Annotated[Expr, Carries(Kind.NUMBER, chooses=True)]
Seconds = Annotated[Expr, Carries(Kind.NUMBER, unit="s")]
Metres = Annotated[Expr, Carries(Kind.NUMBER, unit="m")]
Degrees = Annotated[Expr, Carries(Kind.NUMBER, unit="°")]
Radians = Annotated[Expr, Carries(Kind.NUMBER, unit="rad")]
Turns = Annotated[Expr, Carries(Kind.NUMBER, unit="turns")]
Stops = Annotated[Expr, Carries(Kind.NUMBER, unit="stops")]
Mask = Annotated[Expr, Carries(Kind.NUMBER, expected=(0.0, 1.0))]
Wave = Annotated[Expr, Carries(Kind.NUMBER, expected=(-1.0, 1.0))]
Kelvin = Annotated[Expr, Carries(Kind.NUMBER, unit="K", expected=(4000.0, 25000.0))]
Vector2 = Annotated[Expr, Carries(Kind.VECTOR2)]
Pixels2 = Annotated[Expr, Carries(Kind.VECTOR2, unit="px")]
Vector3 = Annotated[Expr, Carries(Kind.VECTOR3)]
Vector4 = Annotated[Expr, Carries(Kind.VECTOR4)]
Metres3 = Annotated[Expr, Carries(Kind.VECTOR3, unit="m")]
Direction = Annotated[Expr, Carries(Kind.VECTOR3, expected=(-1.0, 1.0))]
Colour = Annotated[Expr, Carries(Kind.COLOUR)]
DataColour = Annotated[Expr, Carries(Kind.COLOUR, data=True)]
AnyKind = Annotated[Expr, Carries(None)]
Waves = Annotated[Expr, Carries(Kind.VECTOR3, expected=(-1.0, 1.0))]
AnyWave = Annotated[Expr, Carries(None, expected=(-1.0, 1.0))]
AnyRadians = Annotated[Expr, Carries(None, unit="rad")]
AnyPositive = Annotated[Expr, Carries(None, expected=(1e-6, inf))]
AnyMask = Annotated[Expr, Carries(None, expected=(0.0, 1.0))]
Anything = Annotated[Expr, Carries(None, numeric=False)]
Words = Annotated[str, "typed by people"]
Texture = Annotated[Expr, Carries(Kind.TEXTURE)]
Gradient = Annotated[Expr, Carries(Kind.GRADIENT)]
Palette = Annotated[Expr, Carries(Kind.PALETTE)]
DataTexture = Annotated[Expr, Carries(Kind.TEXTURE, data=True)]
TypedNumber = Annotated[Expr, Carries(Kind.NUMBER, takes_wire=False)]
TypedVector2 = Annotated[Expr, Carries(Kind.VECTOR2, takes_wire=False)]
TypedVector3 = Annotated[Expr, Carries(Kind.VECTOR3, takes_wire=False)]
TypedVector4 = Annotated[Expr, Carries(Kind.VECTOR4, takes_wire=False)]
TypedColour = Annotated[Expr, Carries(Kind.COLOUR, takes_wire=False)]
TypedTexture = Annotated[Expr, Carries(Kind.TEXTURE, takes_wire=False)]
TypedGradient = Annotated[Expr, Carries(Kind.GRADIENT, takes_wire=False)]
TypedPalette = Annotated[Expr, Carries(Kind.PALETTE, takes_wire=False)]
TypedAnything = Annotated[Expr, Carries(None, takes_wire=False, numeric=False)]


class Role(Enum):
    """What a node is there for, where it is more than a computation on its ports."""

    COMPUTES = "computes"
    CONSTANT = "constant"
    """Holds a value that people type on it."""
    PARAMETER = "parameter"
    FORMULA = "formula"
    ELBOW = "elbow"
    SNIPPET = "snippet"
    """A graph used as one node; ENTRY and EXIT are what such a graph is handed and hands out."""
    ENTRY = "entry"
    EXIT = "exit"
    SURFACE = "surface"
    """Ends a graph: what the surface is made of."""
    OFFSET = "offset"
    """Ends a graph: how vertices move."""

    __hash__ = object.__hash__  # an enumeration's own is written in Python, and slow


class Port(Struct, frozen=True):
    """An input or output of a node type. An input without a default needs a wire, unless it reads the surface point.

    `implied`: what an input reads while nothing is wired to it, such as the surface's own normal. `repeated`: one of
    several alike, as many as a setting says.
    """

    name: str
    carries: Carries
    default: Value | None = None
    implied: Expr | None = None
    title: str = ""
    repeated: bool = False

    @property
    def label(self) -> str:
        """The port as people read it."""
        return self.title or self.name.replace("_", " ")


class Setting(Struct, frozen=True):
    """A choice that shapes the node and is not a value on a wire. No choices: free text, such as an id.

    `typed`: people type the text themselves.
    """

    name: str
    choices: tuple[str, ...]
    default: str
    typed: bool = False

    @property
    def shown(self) -> bool:
        """Whether it has a row of its own on the node."""
        return self.typed or bool(self.choices)


class Repeat(Struct, frozen=True):
    """What a node has as often as one of its settings says: input ports, and outputs where it returns a tuple.

    `default` gives a repeated input's default from its number, counted from 0, and how many there are. `last_output`:
    one more output after the repeated ones.
    """

    setting: str
    default: Callable[[int, int], Value] = lambda index, count: 0.0
    output: str = ""
    last_output: str = ""


class NodeType(Struct, frozen=True, eq=False, dict=True):
    """A node of the library. `key` is stable and stands in files; `title` is what people read.

    `source`: the definition outside this project that the node computes, or "own". `own_kinds`: whether open inputs
    each keep the kind of their own wire, as in a formula, rather than share the widest. `gives`: the kind of the output
    where the settings decide it. `unlit`: of a surface, that it answers no light.
    """

    key: str
    title: str
    family: str
    also: tuple[str, ...]
    inputs: tuple[Port, ...]
    outputs: tuple[Port, ...]
    settings: tuple[Setting, ...]
    function: Callable[..., Any]
    source: str = "own"
    own_kinds: bool = False
    repeat: Repeat | None = None
    gives: Callable[[Mapping[str, str]], Kind] | None = None
    role: Role = Role.COMPUTES
    unlit: bool = False

    @property
    def help(self) -> str:
        """What the node does, and its formula."""
        return inspect.getdoc(self.function) or ""

    @property
    def summary(self) -> str:
        """What the node does, in its first sentence or two."""
        return " ".join(self.help.split("\n\n")[0].split())

    @functools.cached_property
    def open_inputs(self) -> tuple[Port, ...]:
        """The inputs that take on a kind from their wires."""
        return tuple(p for p in self.inputs if p.carries.kind is None)

    @functools.cached_property
    def texture_inputs(self) -> tuple[Port, ...]:
        """The inputs that take a texture."""
        return tuple(p for p in self.inputs if p.carries.kind is Kind.TEXTURE)

    def input(self, name: str) -> Port | None:
        """The input port of that name."""
        return next((p for p in self.inputs if p.name == name), None)

    def output(self, name: str) -> Port | None:
        """The output port of that name."""
        return next((p for p in self.outputs if p.name == name), None)

    def shaped(self, settings: Mapping[str, str]) -> NodeType:
        """The type with the ports that those settings give it."""
        if self.gives:
            chosen = {s.name: settings.get(s.name, s.default) for s in self.settings}
            return _giving(self, self.gives(chosen))
        return _shaped(self, settings.get(self.repeat.setting, "")) if self.repeat else self

    def apply(self, inputs: Mapping[str, Expr], settings: Mapping[str, str]) -> dict[str, Expr]:
        """The node's results by name (output ports, or the surface values of an output node)."""
        result = self.function(*[inputs[p.name] for p in self.inputs], **settings)
        if isinstance(result, Expr):
            (port,) = self.outputs
            return {port.name: result}
        if hasattr(result, "_asdict"):
            return dict(result._asdict())
        return {port.name: expr for port, expr in zip(self.outputs, result, strict=True)}


LIBRARY: dict[str, NodeType] = {}
"""Every node type by its key."""
FORMULA, SNIPPET = "formula", "snippet"
"""The keys of nodes whose ports come from what they hold, so that no one type stands for them all."""


def role_of(key: str) -> Role:
    """What a node of that key is there for."""
    found = LIBRARY.get(key)
    if found is not None:
        return found.role
    return Role(key) if key in (FORMULA, SNIPPET) else Role.COMPUTES


def node(
    title: str,
    *,
    family: str,
    also: tuple[str, ...] = (),
    source: str = "own",
    repeat: Repeat | None = None,
    gives: Callable[[Mapping[str, str]], Kind] | None = None,
    role: Role = Role.COMPUTES,
    unlit: bool = False,
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Put a function into the library. `also` are other words an artist may search it by."""

    def register(function: Callable[..., Any]) -> Callable[..., Any]:
        key = function.__name__.rstrip("_")
        hints = _hints(function)
        inputs, settings = [], []
        for name, parameter in inspect.signature(function).parameters.items():
            given = None if parameter.default is inspect.Parameter.empty else parameter.default
            if parameter.kind is inspect.Parameter.KEYWORD_ONLY:
                choices = typing.get_args(hints[name]) if typing.get_origin(hints[name]) is Literal else ()
                settings.append(Setting(name, choices, str(given or ""), typed=hints[name] is Words))
            elif isinstance(given, Expr):
                inputs.append(Port(name, _carried(hints[name]), implied=given))
            else:
                repeated = parameter.kind is inspect.Parameter.VAR_POSITIONAL
                inputs.append(Port("*" + name if repeated else name, _carried(hints[name]), given))
        ports, outputs = tuple(inputs), _outputs(hints["return"])
        made = NodeType(
            *(key, title, family, also, ports, outputs, tuple(settings), function, source),
            repeat=repeat,
            gives=gives,
            role=role,
            unlit=unlit,
        )
        LIBRARY[key] = made.shaped({})
        return function

    return register


@functools.lru_cache(maxsize=256)
def _giving(node_type: NodeType, kind: Kind) -> NodeType:
    """The type with an output of that kind."""
    return replace(node_type, outputs=tuple(replace(p, carries=Carries(kind)) for p in node_type.outputs))


@functools.lru_cache(maxsize=1024)
def _shaped(node_type: NodeType, chosen: str) -> NodeType:
    """The type as the function describes it, with each repeated port put in as often as chosen."""
    assert node_type.repeat
    setting = next(s for s in node_type.settings if s.name == node_type.repeat.setting)
    count = int(chosen if chosen in setting.choices else setting.default)
    hints = _hints(node_type.function)
    inputs: list[Port] = []
    for name, parameter in inspect.signature(node_type.function).parameters.items():
        if parameter.kind is inspect.Parameter.VAR_POSITIONAL:
            carries, default = _carried(hints[name]), node_type.repeat.default
            inputs += [Port(f"{name}_{i + 1}", carries, default(i, count), repeated=True) for i in range(count)]
        elif parameter.kind is not inspect.Parameter.KEYWORD_ONLY:
            inputs.append(next(p for p in node_type.inputs if p.name == name))
    outputs = node_type.outputs
    if node_type.repeat.output:
        carries = outputs[0].carries
        outputs = tuple(Port(f"{node_type.repeat.output}_{i + 1}", carries) for i in range(count))
        outputs += (Port(node_type.repeat.last_output, carries),) if node_type.repeat.last_output else ()
    return replace(node_type, inputs=tuple(inputs), outputs=outputs)


def _hints(function: Callable[..., Any]) -> dict[str, Any]:
    """What the annotations of a node's function mean, by parameter, and by "return"."""
    module = function.__module__
    return {n: _meant(module, hint) if isinstance(hint, str) else hint for n, hint in function.__annotations__.items()}


@functools.cache
def _meant(module: str, text: str) -> Any:
    """What a module means by an annotation. Few are not used again by its other nodes."""
    return eval(text, vars(sys.modules[module]))


def _carried(hint: Any) -> Carries:
    return next(m for m in typing.get_args(hint) if isinstance(m, Carries))


def _outputs(hint: Any) -> tuple[Port, ...]:
    """One port named `out`, or the annotated fields of a named tuple; a named tuple of plain values has no ports."""
    if typing.get_origin(hint) is tuple:
        return (Port("out", _carried(typing.get_args(hint)[0])),)
    if not hasattr(hint, "_fields"):
        return (Port("out", _carried(hint)),)
    fields = typing.get_type_hints(hint, include_extras=True)
    return tuple(Port(n, _carried(h)) for n, h in fields.items() if typing.get_origin(h) is Annotated)
