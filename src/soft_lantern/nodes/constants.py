"""Values that come from a person: typed on the node, or exposed as a parameter."""

from __future__ import annotations

from soft_lantern.nodes.definition import (
    Anything,
    Colour,
    Gradient,
    Number,
    Palette,
    Role,
    Texture,
    TypedAnything,
    TypedColour,
    TypedGradient,
    TypedNumber,
    TypedPalette,
    TypedTexture,
    TypedVector2,
    TypedVector3,
    TypedVector4,
    Vector2,
    Vector3,
    Vector4,
    node,
)


@node("Number", family="constants", also=("constant", "float", "value", "scalar"), role=Role.CONSTANT)
def number(value: TypedNumber = 0.0) -> Number:
    """A number typed on the node.

    out = value
    """
    return value


@node("Colour", family="constants", also=("constant", "color", "tint", "swatch"), role=Role.CONSTANT)
def colour(value: TypedColour = (0.5, 0.5, 0.5, 1.0)) -> Colour:
    """A colour chosen on the node; linear RGBA, shown as sRGB hex.

    out = value
    """
    return value


@node("Vector 2", family="constants", also=("constant", "uv", "tiling", "offset"), role=Role.CONSTANT)
def vector_2(value: TypedVector2 = (0.0, 0.0)) -> Vector2:
    """Two numbers typed on the node.

    out = value
    """
    return value


@node("Vector 3", family="constants", also=("constant", "direction", "point", "xyz"), role=Role.CONSTANT)
def vector_3(value: TypedVector3 = (0.0, 0.0, 0.0)) -> Vector3:
    """Three numbers typed on the node.

    out = value
    """
    return value


@node("Vector 4", family="constants", also=("constant", "xyzw"), role=Role.CONSTANT)
def vector_4(value: TypedVector4 = (0.0, 0.0, 0.0, 0.0)) -> Vector4:
    """Four numbers typed on the node.

    out = value
    """
    return value


@node("Texture", family="constants", also=("image", "picture", "map", "bitmap", "png"), role=Role.CONSTANT)
def texture(value: TypedTexture = "") -> Texture:
    """A texture of the project, for the nodes that read one.

    out = value
    """
    return value


@node("Gradient", family="constants", also=("ramp", "colour ramp", "stops"), role=Role.CONSTANT)
def gradient(value: TypedGradient = "") -> Gradient:
    """A gradient of the project, for the nodes that look colours up in one.

    out = value
    """
    return value


@node("Palette", family="constants", also=("swatches", "cells", "sprite"), role=Role.CONSTANT)
def palette(value: TypedPalette = "") -> Palette:
    """A palette of the project, for the nodes that look colours up in one.

    out = value
    """
    return value


@node("Parameter", family="constants", also=("exposed", "control", "property", "uniform"), role=Role.PARAMETER)
def parameter(value: TypedAnything, *, parameter: str = "") -> Anything:
    """The value of one of the material's exposed parameters, which instances may override.

    out = value
    """
    return value
