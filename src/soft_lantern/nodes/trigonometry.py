"""Angles: in radians, as GLSL has them, component by component."""

from __future__ import annotations

from math import pi

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, AnyRadians, AnyWave, Degrees, Number, Radians, node

_MATERIALX = "MaterialX 1.39 "


@node("Sine", family="trigonometry", also=("sin", "wave", "oscillate"), source=_MATERIALX + "sin")
def sine(angle: AnyRadians = 0.0) -> AnyWave:
    """The sine of an angle in radians: −1 to 1.

    out = sin(angle)
    """
    return f.sin(angle)


@node("Cosine", family="trigonometry", also=("cos", "wave", "oscillate"), source=_MATERIALX + "cos")
def cosine(angle: AnyRadians = 0.0) -> AnyWave:
    """The cosine of an angle in radians: −1 to 1.

    out = cos(angle)
    """
    return f.cos(angle)


@node("Tangent of an angle", family="trigonometry", also=("tan", "slope"), source=_MATERIALX + "tan")
def tangent_of_angle(angle: AnyRadians = 0.0) -> AnyKind:
    """The sine of an angle over its cosine; without bound near a quarter turn.

    out = tan(angle)
    """
    return f.tan(angle)


@node("Arcsine", family="trigonometry", also=("asin", "inverse sine"), source=_MATERIALX + "asin")
def arcsine(value: AnyWave = 0.0) -> AnyRadians:
    """The angle, −π/2 to π/2, whose sine is the value; not defined outside −1 to 1.

    out = asin(value)
    """
    return f.asin(value)


@node("Arccosine", family="trigonometry", also=("acos", "inverse cosine"), source=_MATERIALX + "acos")
def arccosine(value: AnyWave = 1.0) -> AnyRadians:
    """The angle, 0 to π, whose cosine is the value; not defined outside −1 to 1.

    out = acos(value)
    """
    return f.acos(value)


@node("Arctangent", family="trigonometry", also=("atan2", "atan", "angle", "polar"), source=_MATERIALX + "atan2")
def arctangent(y: Number = 0.0, x: Number = 1.0) -> Radians:
    """The angle, −π to π, in which the point (x, y) lies.

    out = atan(y, x)
    """
    return f.atan2(y, x)


@node("To radians", family="trigonometry", also=("degrees", "angle", "convert"))
def to_radians(angle: Degrees = 0.0) -> Radians:
    """An angle in degrees, in radians.

    out = radians(angle)
    """
    return angle * (pi / 180)


@node("To degrees", family="trigonometry", also=("radians", "angle", "convert"))
def to_degrees(angle: Radians = 0.0) -> Degrees:
    """An angle in radians, in degrees.

    out = degrees(angle)
    """
    return angle * (180 / pi)
