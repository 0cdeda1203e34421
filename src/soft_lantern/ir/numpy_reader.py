"""Computes expressions with NumPy over a buffer of points, in one vectorised pass.

Layout: a float is an array of shape (n,) or (1,); a vector of k components is (k, n) or (k, 1). What is the same for
every point keeps length 1, so constant parts of a graph cost nothing. Single precision unless told otherwise, as on
a GPU.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from soft_lantern.ir.expr import Expr, Function, Op, Type, constant_parts, topological
from soft_lantern.turns import give_way
from soft_lantern.values.images import Image

Array = npt.NDArray[Any]
SMALLEST = 2.0**-126
"""The smallest single-precision number that has all its digits."""
LOWEST_WHOLE, HIGHEST_WHOLE = -(2.0**31), 2.0**31 - 128
"""The whole numbers of 32 bits go from the one to the other, as single precision has them."""


def evaluate(roots: Iterable[Expr], leaves: Mapping[str, Array], dtype: type = np.float32) -> dict[Expr, Array]:
    """The value of every expression that `roots` need, the roots included.

    `leaves` gives inputs and uniforms by name in the layout above. Division by zero and the like give infinities and
    NaN as in IEEE 754, silently. Raises KeyError where a leaf is missing.
    """
    values: dict[Expr, Array] = {}
    with np.errstate(all="ignore"):
        for expr in topological(roots):
            values[expr] = _value(expr, values, leaves, dtype)
    return values


class Evaluation:
    """Keeps every value of the last pass, and on the next computes only what other leaves or a new graph affect.

    `fresh` holds the expressions the last pass computed anew.
    """

    def __init__(self) -> None:
        self.values: dict[Expr, Array] = {}
        self.fresh: set[Expr] = set()
        self._given: dict[Expr, Any] = {}
        self._roots: list[Expr] = []
        self._order: list[Expr] = []

    def update(
        self, roots: Iterable[Expr], leaves: Mapping[str, Array], seen: Callable[[Expr, Array], None] | None = None
    ) -> dict[Expr, Array]:
        """The value of every expression the roots need, as `evaluate` gives it in single precision.

        A leaf that is the same array as last time has to hold what it held. `seen` is given each value that is new as
        soon as it is there, while it still lies in the processor's cache.
        """
        old, new = self.values, dict[Expr, Array]()
        fresh: set[Expr] = set()
        wanted = list(roots)
        if wanted != self._roots:
            self._roots, self._order = wanted, topological(wanted)
        known, self._given = self._given, {}
        with np.errstate(all="ignore"):
            for expr in self._order:
                give_way()
                before = old.get(expr)
                if expr.op is Op.INPUT or expr.op is Op.UNIFORM:
                    given = self._given[expr] = leaves[str(expr.data)]
                    if before is not None and known.get(expr) is given:
                        value = before
                    else:
                        value = _value(expr, new, leaves, np.float32)
                        if before is not None and _same(value, before):
                            value = before
                        else:
                            fresh.add(expr)
                elif before is None or not fresh.isdisjoint(expr.args):
                    value = _value(expr, new, leaves, np.float32)
                    fresh.add(expr)
                else:
                    value = before
                new[expr] = value
                if seen and value is not before:
                    seen(expr, value)
        self.values, self.fresh = new, fresh
        return new


def _same(value: Array, before: Array) -> bool:
    if value is before or not isinstance(before, np.ndarray):
        return value is before
    return np.array_equal(value, before, equal_nan=True)


def _value(expr: Expr, values: Mapping[Expr, Array], leaves: Mapping[str, Array], dtype: type) -> Array:
    args = [values[a] for a in expr.args]
    rule = RULES.get(expr.op)
    return rule(*args) if rule else OF_EXPRESSION[expr.op](expr, args, leaves, dtype)


def _constant(expr: Expr, _args: list[Array], _leaves: Mapping[str, Array], dtype: type) -> Array:
    parts: Array = np.array(constant_parts(expr), np.uint32 if expr.type is Type.UINT else dtype)
    return parts[:, None] if expr.type.width > 1 else parts


def _leaf(expr: Expr, _args: list[Array], leaves: Mapping[str, Array], dtype: type) -> Array:
    given = leaves[str(expr.data)]
    return given if expr.type in (Type.SAMPLER, Type.UINT) else _without_denormals(np.asarray(given, dtype))


def _without_denormals(value: Array) -> Array:
    """Numbers too small for single precision's full digits count as zero, as on a GPU (GLSL 3.30, section 4.1.4)."""
    tiny = np.abs(value) < SMALLEST
    if not tiny.any() or not value[tiny].any():
        return value
    return np.where(tiny, value * 0, value)


def _called(expr: Expr, args: list[Array], _leaves: Mapping[str, Array], dtype: type) -> Array:
    function = expr.data
    assert isinstance(function, Function)
    leaves = {str(p.data): a for p, a in zip(function.parameters, args, strict=True)}
    values: dict[Expr, Array] = {}
    for part, done_with in _plan(function):
        values[part] = _value(part, values, leaves, dtype)
        for old in done_with:
            del values[old]
    return values[function.body]


@functools.lru_cache(maxsize=1024)
def _plan(function: Function) -> list[tuple[Expr, list[Expr]]]:
    """The expressions of a body in order, each with those nobody needs after it, so that memory stays small."""
    order = topological([function.body])
    last_use: dict[Expr, Expr] = {}
    for expr in order:
        last_use.update(dict.fromkeys(expr.args, expr))
    ends: dict[Expr, list[Expr]] = {expr: [] for expr in order}
    for old, user in last_use.items():
        ends[user].append(old)
    return list(ends.items())


def as_rows(value: Array, count: int) -> Array:
    """A value as `count` rows of components, shape (count, k): the layout textures and tables have."""
    rows = value[None, :] if value.ndim == 1 else value
    return np.ascontiguousarray(np.broadcast_to(rows, (rows.shape[0], count)).T)


def leaf(parts: Iterable[float] | Image, dtype: type = np.float32) -> Any:
    """One value for every point, in the layout of a leaf; an image stays as it is."""
    if isinstance(parts, Image):
        return parts
    flat: Array = np.array(list(parts), dtype)
    return flat if flat.size == 1 else flat[:, None]


def _swizzled(expr: Expr, args: list[Array], _leaves: Mapping[str, Array], _dtype: type) -> Array:
    (value,), indices = args, ["xyzw".index(letter) for letter in str(expr.data)]
    return np.asarray(value[indices[0]] if len(indices) == 1 else value[indices])


def _join(*parts: Array) -> Array:
    rows = [row for part in parts for row in (part if part.ndim == 2 else part[None, :])]
    return np.stack(np.broadcast_arrays(*rows))


def _dot(a: Array, b: Array) -> Array:
    product = a * b
    return np.asarray(product.sum(axis=0) if product.ndim == 2 else product)


def _length(v: Array) -> Array:
    return np.asarray(np.sqrt(_dot(v, v)))


def _unit(v: Array) -> Array:
    """Not a number for a vector so short that the square of its length is 0."""
    length = _length(v)
    return np.asarray(v / np.where(length == 0, np.asarray(np.nan, length.dtype), length))


def _clamp(x: Array, low: Array, high: Array) -> Array:
    return _into(np.minimum, np.maximum(x, low), high)


def _mix(a: Array, b: Array, t: Array) -> Array:
    return _into(np.add, np.asarray(a * (1 - t)), np.asarray(b * t))


def _into(work: np.ufunc, one: Array, other: Array) -> Array:
    """An operation of two arrays, in the room of the first where that is as large as the result."""
    fits = one.shape == other.shape or (other.size == 1 and one.ndim >= other.ndim)
    return np.asarray(work(one, other, out=one if fits and one.dtype == other.dtype else None))


def _smoothstep(low: Array, high: Array, x: Array) -> Array:
    t = _clamp((x - low) / (high - low), np.zeros(1, x.dtype), np.ones(1, x.dtype))
    return np.asarray(t * t * (3 - 2 * t))


def _power(base: Array, exponent: Array) -> Array:
    """Not a number where GLSL leaves the result open: below 0, and 0 to the power of 0."""
    open_ = (base < 0) | ((base == 0) & (exponent == 0))
    raised = np.power(base, exponent)
    return np.where(open_, np.asarray(np.nan, raised.dtype), raised) if open_.any() else raised


def _step(edge: Array, x: Array) -> Array:
    return np.asarray((x >= edge).astype(np.result_type(x, edge)))


def _mod(x: Array, y: Array) -> Array:
    return np.asarray(x - y * np.floor(x / y))


def _whole(x: Array) -> Array:
    """What a 32-bit whole number cannot hold becomes the nearest one; what is no number, the lowest."""
    held = np.clip(np.floor(x), LOWEST_WHOLE, HIGHEST_WHOLE)
    return np.where(np.isnan(held), LOWEST_WHOLE, held).astype(np.int64).astype(np.uint32)


OF_EXPRESSION: dict[Op, Callable[[Expr, list[Array], Mapping[str, Array], type], Array]] = {
    Op.CONST: _constant,
    Op.INPUT: _leaf,
    Op.UNIFORM: _leaf,
    Op.SWIZZLE: _swizzled,
    Op.CALL: _called,
    Op.TO_FLOAT: lambda _expr, args, _leaves, dtype: args[0].astype(dtype),
}
"""Rules that need more than their arguments' values: the expression itself, the leaves, the precision."""
RULES: dict[Op, Callable[..., Array]] = {
    Op.JOIN: _join,
    Op.SELECT: np.where,
    Op.ADD: np.add,
    Op.SUB: np.subtract,
    Op.MUL: np.multiply,
    Op.DIV: np.divide,
    Op.NEG: np.negative,
    Op.ABS: np.abs,
    Op.SIGN: np.sign,
    Op.FLOOR: np.floor,
    Op.CEIL: np.ceil,
    Op.FRACT: lambda x: x - np.floor(x),
    Op.MOD: _mod,
    Op.MIN: np.minimum,
    Op.MAX: np.maximum,
    Op.CLAMP: _clamp,
    Op.MIX: _mix,
    Op.STEP: _step,
    Op.SMOOTHSTEP: _smoothstep,
    Op.SQRT: np.sqrt,
    Op.POW: _power,
    Op.EXP: np.exp,
    Op.LOG: np.log,
    Op.EXP2: np.exp2,
    Op.LOG2: np.log2,
    Op.SIN: np.sin,
    Op.COS: np.cos,
    Op.DOT: _dot,
    Op.LENGTH: _length,
    Op.NORMALIZE: _unit,
    Op.CROSS: lambda a, b: np.stack([a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]),
    Op.LESS: np.less,
    Op.LESS_EQUAL: np.less_equal,
    Op.EQUAL: np.equal,
    Op.AND: np.logical_and,
    Op.OR: np.logical_or,
    Op.NOT: np.logical_not,
    Op.BITS_AND: np.bitwise_and,
    Op.BITS_OR: np.bitwise_or,
    Op.BITS_XOR: np.bitwise_xor,
    Op.SHIFT_LEFT: np.left_shift,
    Op.SHIFT_RIGHT: np.right_shift,
    Op.WHOLE: _whole,
    Op.TEXTURE: lambda image, uv: image.read(uv),
    Op.TEXTURE_LEVEL: lambda image, uv, level: image.read(uv, level),
    Op.TEXEL: lambda image: np.array([[1 / image.width], [1 / image.height]], np.float32),
    Op.FINITE: lambda v: np.isfinite(v).all(axis=0) if v.ndim == 2 else np.isfinite(v),
}
