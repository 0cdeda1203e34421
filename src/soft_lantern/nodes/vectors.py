"""Vectors: lengths, products, turns, and the spaces they are measured in."""

from __future__ import annotations

from math import pi
from typing import Literal

from soft_lantern.ir import functions as f
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import Expr, join
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Degrees, Direction, Number, Positive, Vector2, Vector3, node

_MATERIALX = "MaterialX 1.39 "
_NORMAL = surface_input("normal_world")


@node("Dot product", family="vectors", also=("dot", "cosine", "facing"), source=_MATERIALX + "dotproduct")
def dot_product(a: Vector3 = (0.0, 0.0, 0.0), b: Vector3 = (0.0, 0.0, 1.0)) -> Number:
    """The products of the components, added: for unit vectors, the cosine of the angle between.

    out = dot(a, b)
    """
    return f.dot(a, b)


@node("Cross product", family="vectors", also=("cross", "perpendicular"), source=_MATERIALX + "crossproduct")
def cross_product(a: Vector3 = (1.0, 0.0, 0.0), b: Vector3 = (0.0, 1.0, 0.0)) -> Vector3:
    """The vector at right angles to two others, right-handed.

    out = cross(a, b)
    """
    return f.cross(a, b)


@node("Length", family="vectors", also=("magnitude", "size"), source=_MATERIALX + "magnitude")
def length(vector: Vector3 = (0.0, 0.0, 0.0)) -> Number:
    """How long a vector is.

    out = length(vector)
    """
    return f.length(vector)


@node("Distance", family="vectors", also=("between", "far", "length"), source=_MATERIALX + "distance")
def distance(a: Vector3 = (0.0, 0.0, 0.0), b: Vector3 = (0.0, 0.0, 0.0)) -> Number:
    """How far two points lie apart.

    out = length(a - b)
    """
    return f.length(a - b)


@node("Normalise", family="vectors", also=("normalize", "unit", "direction"), source=_MATERIALX + "normalize")
def normalise(vector: Vector3 = (0.0, 0.0, 1.0)) -> Direction:
    """The vector of length 1 in the same direction; not defined for length 0.

    out = normalize(vector)
    """
    return f.normalize(vector)


@node("Reflect", family="vectors", also=("mirror", "bounce"), source=_MATERIALX + "reflect")
def reflect(incident: Vector3 = (1.0, 0.0, 0.0), normal: Direction = _NORMAL) -> Vector3:
    """A direction mirrored by a surface with a unit normal.

    out = incident - 2 * dot(normal, incident) * normal
    """
    return f.reflect(incident, normal)


@node("Refract", family="vectors", also=("bend", "glass", "snell", "ior"), source=_MATERIALX + "refract")
def refract(incident: Direction = (1.0, 0.0, 0.0), normal: Direction = _NORMAL, ratio: Positive = 1.0) -> Vector3:
    """A unit direction bent by a surface, by the ratio of the refractive indices; 0 at total reflection.

    out = refract(incident, normal, ratio)
    """
    return f.refract(incident, normal, ratio)


@node("Rotate 2D", family="vectors", also=("turn", "spin", "angle"), source=_MATERIALX + "rotate2d")
def rotate_2d(vector: Vector2 = (0.0, 0.0), angle: Degrees = 0.0) -> Vector2:
    """A plane vector turned clockwise by an angle, with y up.

    out = vec2(cos(a) * x + sin(a) * y, cos(a) * y - sin(a) * x)
    """
    turn = angle * (pi / 180)
    c, s = f.cos(turn), f.sin(turn)
    return join(c * vector.x + s * vector.y, c * vector.y - s * vector.x)


@node("Rotate 3D", family="vectors", also=("turn", "spin", "axis"), source=_MATERIALX + "rotate3d")
def rotate_3d(vector: Vector3 = (0.0, 0.0, 0.0), angle: Degrees = 0.0, axis: Vector3 = (0.0, 1.0, 0.0)) -> Vector3:
    """A vector turned about an axis by an angle, clockwise seen against the axis (Rodrigues).

    out = v * cos(a) + cross(v, axis) * sin(a) + axis * dot(axis, v) * (1 - cos(a))
    """
    return f.rotate3(vector, angle * (-pi / 180), f.normalize(axis))


Space = Literal["world", "object", "view", "tangent"]
Meaning = Literal["direction", "point", "normal"]


@node("Convert space", family="vectors", also=("transform", "world", "object", "view", "tangent", "matrix"))
def convert_space(
    vector: Vector3 = (0.0, 0.0, 0.0),
    *,
    source: Space = "object",
    target: Space = "world",
    meaning: Meaning = "direction",
) -> Vector3:
    """A direction, point or normal measured in one space, measured in another.

    out = to_target(to_world(vector))

    View space looks along −z with y up; tangent space has u along x, the bitangent along y and the normal along z.
    """
    if source == target:
        return vector
    return _from_world(_to_world(vector, source, meaning), target, meaning)


def _to_world(v: Expr, space: str, meaning: str) -> Expr:
    if space == "object":
        if meaning == "normal":
            return surface_inputs.turned_normal(v)
        return (
            surface_inputs.turned(v) + surface_input("object_position")
            if meaning == "point"
            else surface_inputs.turned(v)
        )
    if space in ("view", "tangent"):
        x, y, z = _frame(space)
        turned = x * v.x + y * v.y + z * v.z
        return turned + _origin(space) if meaning == "point" else turned
    return v


def _from_world(v: Expr, space: str, meaning: str) -> Expr:
    if space == "object":
        if meaning == "normal":
            return surface_inputs.turned_normal_back(v)
        return surface_inputs.turned_back(v - surface_input("object_position") if meaning == "point" else v)
    if space in ("view", "tangent"):
        away = v - _origin(space) if meaning == "point" else v
        return join(*(f.dot(axis, away) for axis in _frame(space)))
    return v


def _frame(space: str) -> tuple[Expr, Expr, Expr]:
    """The axes of view or tangent space, of unit length, in world space."""
    if space == "view":
        return surface_input("camera_right"), surface_input("camera_up"), -surface_inputs.forward()
    return surface_input("tangent_world"), surface_input("bitangent_world"), _NORMAL


def _origin(space: str) -> Expr:
    return surface_input("camera_position" if space == "view" else "position_world")
