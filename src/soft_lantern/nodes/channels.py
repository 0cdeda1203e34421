"""Taking vectors and colours apart, joining numbers, and changing one kind into another."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, join
from soft_lantern.ir.expr import swizzle as picked
from soft_lantern.nodes.definition import AnyKind, Colour, Number, Vector2, Vector3, Vector4, node
from soft_lantern.values.kinds import Kind, kind_named

_MATERIALX = "MaterialX 1.39 "
_BY_WIDTH = {1: Kind.NUMBER, 2: Kind.VECTOR2, 3: Kind.VECTOR3, 4: Kind.VECTOR4}


class Components2(NamedTuple):
    """The components of a vector, in order."""

    x: Number
    y: Number


class Components(NamedTuple):
    """The components of a vector, in order."""

    x: Number
    y: Number
    z: Number


class Components4(NamedTuple):
    """The components of a vector, in order."""

    x: Number
    y: Number
    z: Number
    w: Number


class ColourComponents(NamedTuple):
    """The components of a colour, in order."""

    r: Number
    g: Number
    b: Number
    a: Number


@node("Separate", family="channels", also=("split", "components", "xyz", "height"), source=_MATERIALX + "separate3")
def separate(vector: Vector3) -> Components:
    """A vector taken apart into its x, y and z.

    x = vector.x, y = vector.y, z = vector.z
    """
    return Components(vector.x, vector.y, vector.z)


@node("Separate 2", family="channels", also=("split", "components", "uv"), source=_MATERIALX + "separate2")
def separate_2(vector: Vector2) -> Components2:
    """A vector of two taken apart.

    x = vector.x, y = vector.y
    """
    return Components2(vector.x, vector.y)


@node("Separate 4", family="channels", also=("split", "components", "xyzw"), source=_MATERIALX + "separate4")
def separate_4(vector: Vector4) -> Components4:
    """A vector of four taken apart.

    x = vector.x, y = vector.y, z = vector.z, w = vector.w
    """
    return Components4(vector.x, vector.y, vector.z, vector.w)


@node("Separate colour", family="channels", also=("split", "channels", "rgb", "alpha"), source=_MATERIALX + "separate4")
def separate_colour(colour: Colour) -> ColourComponents:
    """A colour taken apart into linear red, green, blue and alpha.

    r = colour.r, g = colour.g, b = colour.b, a = colour.a
    """
    return ColourComponents(colour.x, colour.y, colour.z, colour.w)


@node("Combine", family="channels", also=("join", "make vector", "xyz"), source=_MATERIALX + "combine3")
def combine(x: Number = 0.0, y: Number = 0.0, z: Number = 0.0) -> Vector3:
    """Three numbers joined into a vector.

    out = vec3(x, y, z)
    """
    return join(x, y, z)


@node("Combine 2", family="channels", also=("join", "make vector", "uv"), source=_MATERIALX + "combine2")
def combine_2(x: Number = 0.0, y: Number = 0.0) -> Vector2:
    """Two numbers joined into a vector.

    out = vec2(x, y)
    """
    return join(x, y)


@node("Combine 4", family="channels", also=("join", "make vector", "xyzw"), source=_MATERIALX + "combine4")
def combine_4(x: Number = 0.0, y: Number = 0.0, z: Number = 0.0, w: Number = 0.0) -> Vector4:
    """Four numbers joined into a vector.

    out = vec4(x, y, z, w)
    """
    return join(x, y, z, w)


@node("Combine colour", family="channels", also=("join", "make colour", "rgb"), source=_MATERIALX + "combine4")
def combine_colour(r: Number = 0.0, g: Number = 0.0, b: Number = 0.0, a: Number = 1.0) -> Colour:
    """Linear red, green, blue and alpha joined into a colour.

    out = vec4(r, g, b, a)
    """
    return join(r, g, b, a)


Letters = Literal[  # type: ignore[valid-type]
    *("x", "y", "z", "w", "xy", "yx", "xz", "zx", "yz", "zy", "zw", "xx", "yy"),
    *("xyz", "xzy", "yxz", "yzx", "zxy", "zyx", "xxx", "yyy", "zzz", "www", "xyzw", "zyxw", "wxyz", "xxxx"),
]


def _as_letters(settings: Mapping[str, str]) -> Kind:
    return _BY_WIDTH[len(settings["components"])]


@node(
    "Swizzle",
    family="channels",
    also=("reorder", "components", "pick", "xyz"),
    source="GLSL 3.30, section 5.5",
    gives=_as_letters,
)
def swizzle(vector: Vector4, *, components: Letters = "xyz") -> AnyKind:  # type: ignore[valid-type]
    """Components picked and put in another order.

    out = vector.xyz
    """
    return picked(vector, str(components))


Channel = Literal["red", "green", "blue", "alpha", "luminance", "largest", "smallest", "mean"]


@node(
    "Channel",
    family="channels",
    also=("red", "green", "blue", "alpha", "mask", "extract"),
    source=_MATERIALX + "extract",
)
def channel(colour: Colour, *, channel: Channel = "red") -> Number:
    """One channel of a colour, or a number that stands for all of red, green and blue.

    out = colour.r
    """
    r, g, b = colour.x, colour.y, colour.z
    return {
        "red": r,
        "green": g,
        "blue": b,
        "alpha": colour.w,
        "luminance": f.luminance(colour),
        "largest": f.max_(f.max_(r, g), b),
        "smallest": f.min_(f.min_(r, g), b),
        "mean": (r + g + b) * (1 / 3),
    }[channel]


def _as_kind(settings: Mapping[str, str]) -> Kind:
    return kind_named(settings.get("kind", ""))


@node(
    "Convert",
    family="channels",
    also=("cast", "kind", "type", "to colour"),
    source=_MATERIALX + "convert",
    gives=_as_kind,
)
def convert(
    value: AnyKind = 0.0, *, kind: Literal["number", "vector2", "vector3", "vector4", "colour"] = "vector3"
) -> AnyKind:
    """A value as another kind: a number fills all, what is missing is 0, or 1 for alpha; what is too much is left out.

    out = vec3(value)
    """
    return _converted(value, kind_named(kind))


def _converted(value: Expr, kind: Kind) -> Expr:
    given, wanted = value.type.width, kind.width
    if given == 1:
        return join(value, value, value, 1.0) if kind is Kind.COLOUR else f.splat(value, wanted)
    if given >= wanted:
        return picked(value, "xyzw"[:wanted])
    last = [1.0] if kind is Kind.COLOUR else [0.0] * (wanted == 4)
    return join(value, *[0.0] * (min(wanted, 3) - given), *last)
