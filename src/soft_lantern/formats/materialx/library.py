"""The MaterialX 1.39 standard library, read once: its definitions of nodes, and which of them takes given types."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from typing import Any

from soft_lantern.ir.expr import Type
from soft_lantern.values.kinds import Kind

VERSION = "1.39"
TYPES = {
    Type.FLOAT: "float",
    Type.VEC2: "vector2",
    Type.VEC3: "vector3",
    Type.VEC4: "vector4",
    Type.BOOL: "boolean",
    Type.SAMPLER: "filename",
}
"""What MaterialX calls the types of expressions."""
KINDS = {
    Kind.NUMBER: "float",
    Kind.VECTOR2: "vector2",
    Kind.VECTOR3: "vector3",
    Kind.VECTOR4: "vector4",
    Kind.COLOUR: "color4",
    Kind.TEXTURE: "filename",
    Kind.GRADIENT: "filename",
    Kind.PALETTE: "filename",
}
"""What MaterialX calls the kinds of value."""
WIDTHS = {"float": 1, "vector2": 2, "vector3": 3, "vector4": 4, "color3": 3, "color4": 4}
"""Components of what is worked with."""


@functools.cache
def package() -> Any:
    """The package MaterialX itself: slow to import, and only wanted where documents are written or read."""
    import MaterialX

    return MaterialX


@functools.cache
def library() -> Any:
    """The document that holds every standard definition. Not to be changed."""
    mx = package()
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    return document


@functools.cache
def signatures(category: str) -> tuple[tuple[str, str, Mapping[str, str]], ...]:
    """Every definition of a standard node: its name, the type it gives, and those of its inputs by name."""
    return tuple(
        (each.getName(), each.getType(), {i.getName(): i.getType() for i in each.getActiveInputs()})
        for each in library().getMatchingNodeDefs(category)
    )


def fits(category: str, type_: str, given: Mapping[str, str]) -> bool:
    """Whether a standard node gives a type from inputs of those types, by name."""
    return any(
        found == type_ and all(inputs.get(name) == each for name, each in given.items())
        for _, found, inputs in signatures(category)
    )
