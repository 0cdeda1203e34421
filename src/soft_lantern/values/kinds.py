"""The kinds of value a port can carry, and which kinds turn into which on a wire."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

from soft_lantern.errors import BadValue
from soft_lantern.values.words import counted

LARGEST = 3.4028234663852886e38
"""The largest 32-bit float (IEEE 754): what shaders hold."""

Value = float | tuple[float, ...] | str
"""A value in the document: a number, the components of a vector or linear RGBA colour, or the id of what is read.

What is read is a texture, gradient or palette of the project.
"""


class Kind(StrEnum):
    """What a port carries. A colour is linear RGBA with Rec. 709 primaries."""

    # All that is to be said of a kind, once: a new one is a line here, and its conversions below.
    NUMBER = "number", 1, "number", 0.0
    VECTOR2 = "vector2", 2, "vector 2", (0.0, 0.0)
    VECTOR3 = "vector3", 3, "vector 3", (0.0, 0.0, 0.0)
    VECTOR4 = "vector4", 4, "vector 4", (0.0, 0.0, 0.0, 0.0)
    COLOUR = "colour", 4, "colour", (0.5, 0.5, 0.5, 1.0)
    TEXTURE = "texture", 4, "texture", "", True
    GRADIENT = "gradient", 4, "gradient", "", True
    PALETTE = "palette", 4, "palette", "", True

    width: int
    """How many components the kind has; of what is read at a place, those of one colour."""
    words: str
    """The kind as people read it."""
    neutral: Value
    """The value that stands in where none of the kind is given."""
    is_read: bool
    """Whether the value is the id of something that is read at a place: a texture, gradient or palette."""

    def __new__(cls, name: str, width: int, words: str, neutral: Value, is_read: bool = False) -> Kind:
        made = str.__new__(cls, name)
        made._value_, made.width, made.words, made.neutral, made.is_read = name, width, words, neutral, is_read
        return made

    __hash__ = str.__hash__  # an enumeration's own is written in Python, and slow


KindName = Literal["number", "vector2", "vector3", "vector4", "colour", "texture", "gradient", "palette"]
"""The names of all kinds, as a choice on a node."""


class Conversion(StrEnum):
    """What a wire does to its value on the way in. The text is what the canvas writes on the wire."""

    NONE = ""
    SPLAT = "to each"
    GREY = "as grey"
    FIRST = "first only"
    LUMINANCE = "luminance"
    OPAQUE = "alpha 1"
    DROP_ALPHA = "rgb only"
    ROW = "as a row"
    CELLS = "as cells"
    MIDDLE_ROW = "middle row"


_CONVERSIONS: dict[tuple[Kind, Kind], Conversion] = {
    (Kind.NUMBER, Kind.VECTOR2): Conversion.SPLAT,
    (Kind.NUMBER, Kind.VECTOR3): Conversion.SPLAT,
    (Kind.NUMBER, Kind.VECTOR4): Conversion.SPLAT,
    (Kind.NUMBER, Kind.COLOUR): Conversion.GREY,
    (Kind.VECTOR2, Kind.NUMBER): Conversion.FIRST,
    (Kind.VECTOR3, Kind.NUMBER): Conversion.FIRST,
    (Kind.VECTOR4, Kind.NUMBER): Conversion.FIRST,
    (Kind.COLOUR, Kind.NUMBER): Conversion.LUMINANCE,
    (Kind.VECTOR3, Kind.COLOUR): Conversion.OPAQUE,
    (Kind.COLOUR, Kind.VECTOR3): Conversion.DROP_ALPHA,
    (Kind.VECTOR4, Kind.COLOUR): Conversion.NONE,
    (Kind.COLOUR, Kind.VECTOR4): Conversion.NONE,
    (Kind.GRADIENT, Kind.TEXTURE): Conversion.ROW,
    (Kind.PALETTE, Kind.TEXTURE): Conversion.CELLS,
    (Kind.TEXTURE, Kind.GRADIENT): Conversion.MIDDLE_ROW,
    (Kind.TEXTURE, Kind.PALETTE): Conversion.CELLS,
}


def conversion(given: Kind, wanted: Kind) -> Conversion | None:
    """How `given` turns into `wanted` on a wire, or None where it does not.

    Vectors of different length do not convert: which component to drop or invent is the author's to say.
    """
    if given is wanted:
        return Conversion.NONE
    return _CONVERSIONS.get((given, wanted))


def is_single(number: float) -> bool:
    """Whether a number is finite, and no larger than a 32-bit float holds."""
    return abs(number) <= LARGEST


def kind_named(text: str) -> Kind:
    """The kind of that name; a number for a name that no kind has."""
    return _BY_NAME.get(text, Kind.NUMBER)


_BY_NAME: dict[str, Kind] = {kind.value: kind for kind in Kind}


def components(value: Value) -> tuple[float, ...]:
    """The value as a tuple of its components; of an id, none."""
    if isinstance(value, str):
        return ()
    return value if isinstance(value, tuple) else (value,)


def fitted(value: Value, kind: Kind) -> Value:
    """`value` in the shape `kind` has; a lone number fills every component, a colour of three gets alpha 1.

    Raises BadValue where the number of components does not fit.
    """
    if kind.is_read is not isinstance(value, str):
        raise BadValue(f"a {kind.words} cannot be “{value}”")
    if kind.is_read:
        return value
    parts = components(value)
    if kind is Kind.NUMBER and len(parts) == 1:
        return parts[0]
    if len(parts) == 1:
        grey = parts * kind.width
        return (*grey[:3], 1.0) if kind is Kind.COLOUR else grey
    if kind is Kind.COLOUR and len(parts) == 3:
        return (*parts, 1.0)
    if len(parts) != kind.width:
        raise BadValue(f"a {kind.words} has {counted(kind.width, 'component')}, but {len(parts)} were given")
    return parts


def widest(kinds: list[Kind]) -> Kind | None:
    """The kind that arithmetic on `kinds` gives: numbers spread to any other; None where two others differ.

    A colour beside a vector 3 or 4 gives a colour.
    """
    distinct = set(kinds)
    if len(distinct) < 2:
        return kinds[0] if kinds else Kind.NUMBER
    if any(kind.is_read for kind in distinct):
        return None
    result = Kind.NUMBER
    for kind in kinds:
        if kind in (Kind.NUMBER, result):
            continue
        pair = {result, kind}
        if result is Kind.NUMBER:
            result = kind
        elif Kind.COLOUR in pair and pair <= {Kind.COLOUR, Kind.VECTOR3, Kind.VECTOR4}:
            result = Kind.COLOUR
        else:
            return None
    return result
