"""The functions node definitions are written in: GLSL's built-ins over expressions, and a few that follow from them.

Every argument may be an expression or a plain number. Meanings are those of the GLSL 3.30 specification, chapter 8.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from soft_lantern.ir.expr import Expr, Op, Scalar, Type, const, join, lift, make, swizzle, traced
from soft_lantern.values.colour import REC709_LUMINANCE

Arg = Expr | Scalar


def lifted(x: Arg) -> Expr:
    """A plain number as a constant; an expression as it is."""
    return lift(x)


def abs_(x: Arg) -> Expr:
    """|x|"""
    return make(Op.ABS, lift(x))


def floor(x: Arg) -> Expr:
    """The greatest whole number that is not above x."""
    return make(Op.FLOOR, lift(x))


def ceil(x: Arg) -> Expr:
    """The least whole number that is not below x."""
    return make(Op.CEIL, lift(x))


def round_(x: Arg) -> Expr:
    """The nearest whole number; halves go up."""
    return floor(lift(x) + 0.5)


def sign(x: Arg) -> Expr:
    """−1, 0 or 1."""
    return make(Op.SIGN, lift(x))


def mod(x: Arg, y: Arg) -> Expr:
    """x − y·floor(x / y)"""
    return make(Op.MOD, lift(x), lift(y))


def fract(x: Arg) -> Expr:
    """x − floor(x)"""
    return make(Op.FRACT, lift(x))


def min_(a: Arg, b: Arg) -> Expr:
    """The smaller of a and b."""
    return make(Op.MIN, lift(a), lift(b))


def max_(a: Arg, b: Arg) -> Expr:
    """The larger of a and b."""
    return make(Op.MAX, lift(a), lift(b))


def clamp(x: Arg, low: Arg, high: Arg) -> Expr:
    """min(max(x, low), high)"""
    return make(Op.CLAMP, lift(x), lift(low), lift(high))


def saturate(x: Arg) -> Expr:
    """x held to 0–1."""
    return clamp(x, 0.0, 1.0)


def mix(a: Arg, b: Arg, t: Arg) -> Expr:
    """a·(1 − t) + b·t; exactly a at t = 0 and exactly b at t = 1."""
    return make(Op.MIX, lift(a), lift(b), lift(t))


def step(edge: Arg, x: Arg) -> Expr:
    """0 below the edge, 1 from it on."""
    return make(Op.STEP, lift(edge), lift(x))


def smoothstep(low: Arg, high: Arg, x: Arg) -> Expr:
    """0 below low, 1 above high, 3t² − 2t³ between."""
    return make(Op.SMOOTHSTEP, lift(low), lift(high), lift(x))


def sqrt(x: Arg) -> Expr:
    """The square root; not defined below 0."""
    return make(Op.SQRT, lift(x))


def power(x: Arg, exponent: Arg) -> Expr:
    """x raised to the exponent; not defined for x below 0."""
    return make(Op.POW, lift(x), lift(exponent))


def exp(x: Arg) -> Expr:
    """e raised to x."""
    return make(Op.EXP, lift(x))


def log(x: Arg) -> Expr:
    """The natural logarithm; not defined at 0 and below."""
    return make(Op.LOG, lift(x))


def log2(x: Arg) -> Expr:
    """The logarithm to base 2; not defined at 0 and below."""
    return make(Op.LOG2, lift(x))


def sin(x: Arg) -> Expr:
    """The sine of an angle in radians."""
    return make(Op.SIN, lift(x))


def cos(x: Arg) -> Expr:
    """The cosine of an angle in radians."""
    return make(Op.COS, lift(x))


def tan(x: Arg) -> Expr:
    """sin(x) / cos(x)"""
    return sin(x) / cos(x)


def exp2(x: Arg) -> Expr:
    """2 raised to x."""
    return make(Op.EXP2, lift(x))


def dot(a: Expr, b: Expr) -> Expr:
    """The sum of the products of the components."""
    return make(Op.DOT, a, b)


def length(v: Expr) -> Expr:
    """The Euclidean length."""
    return make(Op.LENGTH, v)


def normalize(v: Expr) -> Expr:
    """The vector of length 1 in the direction of v; not defined for length 0."""
    return make(Op.NORMALIZE, v)


def reflect(incident: Expr, normal: Expr) -> Expr:
    """incident − 2·dot(normal, incident)·normal"""
    return incident - 2.0 * dot(normal, incident) * normal


def cross(a: Expr, b: Expr) -> Expr:
    """The vector at right angles to both."""
    return make(Op.CROSS, a, b)


def texture(sampler: Expr, uv: Expr) -> Expr:
    """The texel at texture coordinates, v downwards, filtered and wrapped as the texture says."""
    return make(Op.TEXTURE, sampler, uv)


def texture_level(sampler: Expr, uv: Expr, level: Expr) -> Expr:
    """The same from one of the texture's smaller copies, between two of them where `level` is no whole number."""
    return make(Op.TEXTURE_LEVEL, sampler, uv, level)


def finite(v: Expr) -> Expr:
    """Whether every component is neither infinite nor NaN, as a condition."""
    return make(Op.FINITE, v)


def equal(a: Arg, b: Arg) -> Expr:
    """Whether two numbers are the same, as a condition."""
    return make(Op.EQUAL, lift(a), lift(b))


def not_(a: Expr) -> Expr:
    """Whether a condition does not hold."""
    return make(Op.NOT, a)


def either(a: Expr, b: Expr) -> Expr:
    """Whether one of two conditions holds."""
    return make(Op.OR, a, b)


def as_number(condition: Expr) -> Expr:
    """1 where the condition holds, else 0."""
    return make(Op.TO_FLOAT, condition)


def both(a: Expr, b: Expr) -> Expr:
    """Whether two conditions hold."""
    return make(Op.AND, a, b)


def select(condition: Expr, when_true: Arg, when_false: Arg) -> Expr:
    """when_true where the condition holds, else when_false; both must be of one type."""
    return make(Op.SELECT, condition, lift(when_true), lift(when_false))


def splat(x: Expr, width: int) -> Expr:
    """A vector with x in every component."""
    return swizzle(x, "x" * width)


def luminance(colour: Expr) -> Expr:
    """Relative luminance of a linear RGB or RGBA colour (ITU-R BT.709)."""
    return dot(swizzle(colour, "xyz"), join(*REC709_LUMINANCE))


def components(v: Expr) -> list[Expr]:
    """The components of a vector, or the number itself."""
    return [swizzle(v, letter) for letter in "xyzw"[: v.type.width]]


def each(function: Callable[..., Expr], *values: Expr) -> Expr:
    """A function of numbers applied component by component; a lone number goes with every component."""
    width = max(v.type.width for v in values)
    parts = [function(*(swizzle(v, "xyzw"[i]) if v.type.width > 1 else v for v in values)) for i in range(width)]
    return parts[0] if width == 1 else join(*parts)


def sum_of(values: list[Expr]) -> Expr:
    """The sum of one value or more."""
    total = values[0]
    for value in values[1:]:
        total = total + value
    return total


def _arctangent(y: Expr, x: Expr) -> Expr:
    """The angle of (x, y), −π to π; 0 at the origin. Within 3e-7 of exact.

    Drivers' own are off by up to 1e-4, so this follows the single-precision routine of Moshier's Cephes library
    (1989): the polynomial on |t| ≤ tan(π/8), larger t turned by 45°.
    """
    across, along = abs_(x), abs_(y)
    low, high = min_(across, along), max_(across, along)
    ratio = low / max_(high, 1e-37)
    steep = ratio > math.tan(math.pi / 8)
    t = select(steep, (ratio - 1.0) / (ratio + 1.0), ratio)
    z = t * t
    series = (((8.05374449538e-2 * z - 1.38776856032e-1) * z + 1.99777106478e-1) * z - 3.33329491539e-1) * z * t + t
    angle = select(steep, math.pi / 4, 0.0) + series
    angle = select(along > across, math.pi / 2 - angle, angle)
    angle = select(x < 0.0, math.pi - angle, angle)
    return select(y < 0.0, -angle, angle)


atan2 = traced("angle_of", _arctangent, Type.FLOAT, Type.FLOAT, bound=(-3.1415935, 3.1415935))


def asin(x: Expr) -> Expr:
    """The angle, −π/2 to π/2, whose sine is x; not defined outside −1 to 1."""
    return each(lambda part: atan2(part, sqrt((1.0 - part) * (1.0 + part))), x)


def acos(x: Expr) -> Expr:
    """The angle, 0 to π, whose cosine is x; not defined outside −1 to 1."""
    return each(lambda part: atan2(sqrt((1.0 - part) * (1.0 + part)), part), x)


def refract(incident: Expr, normal: Expr, ratio: Expr) -> Expr:
    """The direction after refraction, by the ratio of the refractive indices; 0 at total reflection."""
    cosine = dot(normal, incident)
    k = 1.0 - ratio * ratio * (1.0 - cosine * cosine)
    bent = ratio * incident - (ratio * cosine + sqrt(max_(k, 0.0))) * normal
    return select(k < 0.0, const(*(0.0,) * incident.type.width), bent)


def rotate3(v: Expr, angle: Expr, axis: Expr) -> Expr:
    """A vector turned about an axis of length 1 by an angle in radians, right-handed (Rodrigues)."""
    c, s = cos(angle), sin(angle)
    return v * c + cross(axis, v) * s + axis * (dot(axis, v) * (1.0 - c))
