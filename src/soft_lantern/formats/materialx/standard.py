"""Which nodes of ours are standard nodes, and how their ports are called there."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct, field

from soft_lantern.graph.document import Node
from soft_lantern.values.kinds import components

Asks = Callable[[Node, frozenset[str]], bool]
"""Whether a node, some of whose ports are wired, is the standard one."""


class Row(Struct, frozen=True):
    """A standard node: its name, our ports by its inputs, its outputs by ours, and what its other inputs are given.

    `when`: settings it holds for; `asks`: what else must be.
    """

    category: str
    inputs: Mapping[str, str]
    outputs: Mapping[str, str] = field(default_factory=dict)
    fixed: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    when: Mapping[str, str] = field(default_factory=dict)
    asks: Asks = lambda node, wired: True


def _in_order(low: str, high: str) -> Asks:
    """Bounds that are typed, the lower one below the other: else the standard leaves open what comes out."""

    def asks(node: Node, wired: frozenset[str]) -> bool:
        if wired & {low, high}:
            return False
        least, most = components(node.values.get(low, 0.0)), components(node.values.get(high, 1.0))
        return max(least) < min(most)

    return asks


_AB, _V = {"in1": "a", "in2": "b"}, {"in": "value"}
_OUT = {"x": "outx", "y": "outy", "z": "outz", "w": "outw"}
_BOUNDS = ("low", "high")

STANDARD: dict[str, Row] = {
    "add": Row("add", _AB),
    "subtract": Row("subtract", _AB),
    "multiply": Row("multiply", _AB),
    "divide": Row("divide", _AB),
    "modulo": Row("modulo", _AB),
    "complement": Row("invert", _V),
    "absolute": Row("absval", _V),
    "sign": Row("sign", _V),
    "minimum": Row("min", _AB),
    "maximum": Row("max", _AB),
    "clamp": Row("clamp", {"in": "value", "low": "low", "high": "high"}, asks=_in_order(*_BOUNDS)),
    "saturate": Row("clamp", _V),
    "mix": Row("mix", {"bg": "a", "fg": "b", "mix": "factor"}),
    "remap": Row(
        "remap",
        {"in": "value", "inlow": "low", "inhigh": "high", "outlow": "new_low", "outhigh": "new_high"},
        when={"clamped": "off"},
    ),
    "smoothstep": Row("smoothstep", {"in": "value", "low": "low", "high": "high"}, asks=_in_order(*_BOUNDS)),
    "triangle_wave": Row("trianglewave", _V),
    "floor": Row("floor", _V),
    "ceiling": Row("ceil", _V),
    "fraction": Row("fract", _V),
    "power": Row("power", {"in1": "base", "in2": "exponent"}),
    "signed_power": Row("safepower", {"in1": "base", "in2": "exponent"}),
    "square_root": Row("sqrt", _V),
    "exponential": Row("exp", _V),
    "logarithm": Row("ln", _V),
    "sine": Row("sin", {"in": "angle"}),
    "cosine": Row("cos", {"in": "angle"}),
    "tangent_of_angle": Row("tan", {"in": "angle"}),
    "dot_product": Row("dotproduct", _AB),
    "cross_product": Row("crossproduct", _AB),
    "length": Row("magnitude", {"in": "vector"}),
    "distance": Row("distance", _AB),
    "normalise": Row("normalize", {"in": "vector"}),
    "reflect": Row("reflect", {"in": "incident", "normal": "normal"}),
    "rotate_2d": Row("rotate2d", {"in": "vector", "amount": "angle"}),
    "rotate_3d": Row("rotate3d", {"in": "vector", "amount": "angle", "axis": "axis"}),
    "combine": Row("combine3", {"in1": "x", "in2": "y", "in3": "z"}),
    "combine_2": Row("combine2", {"in1": "x", "in2": "y"}),
    "combine_4": Row("combine4", {"in1": "x", "in2": "y", "in3": "z", "in4": "w"}),
    "combine_colour": Row("combine4", {"in1": "r", "in2": "g", "in3": "b", "in4": "a"}),
    "separate": Row("separate3", {"in": "vector"}, _OUT),
    "separate_2": Row("separate2", {"in": "vector"}, _OUT),
    "separate_4": Row("separate4", {"in": "vector"}, _OUT),
    "separate_colour": Row("separate4", {"in": "colour"}, {each: f"out{each}" for each in "rgba"}),
    "choose": Row("ifgreater", {"value1": "a", "value2": "b", "in1": "when_greater", "in2": "otherwise"}),
}
"""By the keys of ours."""
READ_ONLY: dict[str, Row] = {
    "arcsine": Row("asin", _V),
    "arccosine": Row("acos", _V),
    "arctangent": Row("atan2", {"iny": "y", "inx": "x"}),
}
"""What comes in as ours and goes out by our own definition, which is nearer to the true value than some drivers' is."""
