"""How a node is defined: one function whose signature is the node's interface.

Positional parameters are input ports, keyword-only parameters are settings, the return annotation gives the outputs.
Annotations carry kind, unit and expected range; the docstring is the help text; the body is the mathematics.
"""

from __future__ import annotations

import inspect
import typing
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from soft_lantern.ir.expr import Expr
from soft_lantern.values.kinds import Kind, Value


@dataclass(frozen=True, slots=True)
class Carries:
    """What an annotation says of a port. `kind` None: whatever is widest among the node's wires."""

    kind: Kind | None
    unit: str = ""
    expected: tuple[float, float] | None = None
    takes_wire: bool = True


Number = Annotated[Expr, Carries(Kind.NUMBER)]
Seconds = Annotated[Expr, Carries(Kind.NUMBER, unit="s")]
Mask = Annotated[Expr, Carries(Kind.NUMBER, expected=(0.0, 1.0))]
Vector3 = Annotated[Expr, Carries(Kind.VECTOR3)]
Metres3 = Annotated[Expr, Carries(Kind.VECTOR3, unit="m")]
Colour = Annotated[Expr, Carries(Kind.COLOUR)]
AnyKind = Annotated[Expr, Carries(None)]
TypedNumber = Annotated[Expr, Carries(Kind.NUMBER, takes_wire=False)]
TypedColour = Annotated[Expr, Carries(Kind.COLOUR, takes_wire=False)]
FromParameter = Annotated[Expr, Carries(None, takes_wire=False)]


@dataclass(frozen=True, slots=True)
class Port:
    """An input or output of a node type. An input without a default needs a wire."""

    name: str
    carries: Carries
    default: Value | None = None

    @property
    def label(self) -> str:
        """The port as people read it."""
        return self.name.replace("_", " ")


@dataclass(frozen=True, slots=True)
class Setting:
    """A choice that shapes the node and is not a value on a wire. No choices: free text, such as an id."""

    name: str
    choices: tuple[str, ...]
    default: str


@dataclass(frozen=True, slots=True)
class NodeType:
    """A node of the library. `key` is stable and stands in files; `title` is what people read."""

    key: str
    title: str
    family: str
    also: tuple[str, ...]
    inputs: tuple[Port, ...]
    outputs: tuple[Port, ...]
    settings: tuple[Setting, ...]
    function: Callable[..., Any]
    own_kinds: bool = False
    """Whether open inputs each keep the kind of their own wire, as in a formula, rather than share the widest."""

    @property
    def help(self) -> str:
        """What the node does, its formula and its source."""
        return inspect.getdoc(self.function) or ""

    def input(self, name: str) -> Port | None:
        """The input port of that name."""
        return next((p for p in self.inputs if p.name == name), None)

    def output(self, name: str) -> Port | None:
        """The output port of that name."""
        return next((p for p in self.outputs if p.name == name), None)

    def apply(self, inputs: Mapping[str, Expr], settings: Mapping[str, str]) -> dict[str, Expr]:
        """The node's results by name (output ports, or the surface values of an output node)."""
        result = self.function(*(inputs[p.name] for p in self.inputs), **settings)
        if hasattr(result, "_asdict"):
            return dict(result._asdict())
        return {self.outputs[0].name: result}


LIBRARY: dict[str, NodeType] = {}
"""Every node type by its key."""


def node(title: str, *, family: str, also: tuple[str, ...] = ()) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Put a function into the library. `also` are other words an artist may search it by."""

    def register(function: Callable[..., Any]) -> Callable[..., Any]:
        key = function.__name__.rstrip("_")
        hints = typing.get_type_hints(function, include_extras=True)
        inputs, settings = [], []
        for name, parameter in inspect.signature(function).parameters.items():
            given = None if parameter.default is inspect.Parameter.empty else parameter.default
            if parameter.kind is inspect.Parameter.KEYWORD_ONLY:
                choices = typing.get_args(hints[name]) if typing.get_origin(hints[name]) is Literal else ()
                settings.append(Setting(name, choices, str(given or "")))
            else:
                inputs.append(Port(name, _carried(hints[name]), given))
        LIBRARY[key] = NodeType(
            key, title, family, also, tuple(inputs), _outputs(hints["return"]), tuple(settings), function
        )
        return function

    return register


def _carried(hint: Any) -> Carries:
    return next(m for m in typing.get_args(hint) if isinstance(m, Carries))


def _outputs(hint: Any) -> tuple[Port, ...]:
    """One port named `out`, or the annotated fields of a named tuple; a named tuple of plain values has no ports."""
    if not hasattr(hint, "_fields"):
        return (Port("out", _carried(hint)),)
    fields = typing.get_type_hints(hint, include_extras=True)
    return tuple(Port(n, _carried(h)) for n, h in fields.items() if typing.get_origin(h) is Annotated)
