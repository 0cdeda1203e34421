"""The functions node definitions are written in: GLSL's built-ins over expressions, and a few that follow from them.

Every argument may be an expression or a plain number. Meanings are those of the GLSL 3.30 specification, chapter 8.
"""

from __future__ import annotations

from soft_lantern.ir.expr import Expr, Op, Scalar, join, lift, make, swizzle
from soft_lantern.values.colour import REC709_LUMINANCE

Arg = Expr | Scalar


def abs_(x: Arg) -> Expr:
    """|x|"""
    return make(Op.ABS, lift(x))


def floor(x: Arg) -> Expr:
    """The greatest whole number that is not above x."""
    return make(Op.FLOOR, lift(x))


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


def smoothstep(low: Arg, high: Arg, x: Arg) -> Expr:
    """0 below low, 1 above high, 3t² − 2t³ between."""
    return make(Op.SMOOTHSTEP, lift(low), lift(high), lift(x))


def sqrt(x: Arg) -> Expr:
    """The square root; not defined below 0."""
    return make(Op.SQRT, lift(x))


def power(x: Arg, exponent: Arg) -> Expr:
    """x raised to the exponent; not defined for x below 0."""
    return make(Op.POW, lift(x), lift(exponent))


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


def finite(v: Expr) -> Expr:
    """Whether every component is neither infinite nor NaN, as a condition."""
    return make(Op.FINITE, v)


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
