"""Taking vectors apart and joining numbers."""

from __future__ import annotations

from typing import NamedTuple

from soft_lantern.ir.expr import join
from soft_lantern.nodes.definition import Colour, Number, Vector3, node


class Components(NamedTuple):
    """The components of a vector, in order."""

    x: Number
    y: Number
    z: Number


class ColourComponents(NamedTuple):
    """The components of a colour, in order."""

    r: Number
    g: Number
    b: Number
    a: Number


@node("Separate", family="channels", also=("split", "components", "xyz", "height"))
def separate(vector: Vector3) -> Components:
    """A vector taken apart into its x, y and z.

    x = vector.x, y = vector.y, z = vector.z
    """
    return Components(vector.x, vector.y, vector.z)


@node("Separate colour", family="channels", also=("split", "channels", "rgb", "alpha"))
def separate_colour(colour: Colour) -> ColourComponents:
    """A colour taken apart into linear red, green, blue and alpha.

    r = colour.r, g = colour.g, b = colour.b, a = colour.a
    """
    return ColourComponents(colour.x, colour.y, colour.z, colour.w)


@node("Combine", family="channels", also=("join", "make vector", "xyz"))
def combine(x: Number = 0.0, y: Number = 0.0, z: Number = 0.0) -> Vector3:
    """Three numbers joined into a vector.

    out = vec3(x, y, z)
    """
    return join(x, y, z)
