"""Noise over ir values, each traced once so that a shader holds it as one function.

The hash and the value, gradient and cell noises are those of the MaterialX 1.39 standard library, bit for bit where
whole numbers decide (Jenkins' lookup3 for the hash, Perlin 2002 for the fade and the gradients).
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Op, Type, bits, const, join, make, swizzle, traced
from soft_lantern.ir.numpy_reader import HIGHEST_WHOLE, LOWEST_WHOLE

FLOAT, VEC2, VEC3, UINT = Type.FLOAT, Type.VEC2, Type.VEC3, Type.UINT

GRADIENT_SCALE = {2: 0.6616, 3: 0.9820, 4: 0.65}
"""By how many dimensions; 2 and 3 as in MaterialX, 4 so that nothing leaves −1 to 1."""
GRADIENT_BOUND = {2: 1.001, 3: 1.019, 4: 1.0}
"""The largest fade-weighted mean of what the gradients can give, times the scale, rounded up."""


def _xor(a: Expr, b: Expr) -> Expr:
    return make(Op.BITS_XOR, a, b)


def _turned(x: Expr, by: int) -> Expr:
    """The bits turned left in a circle."""
    return make(Op.BITS_OR, make(Op.SHIFT_LEFT, x, bits(by)), make(Op.SHIFT_RIGHT, x, bits(32 - by)))


def _final(a: Expr, b: Expr, c: Expr) -> Expr:
    for by in (14, 11, 25, 16, 4, 14, 24):
        # c ^= b, c −= turned b; then the names move on by one.
        c = _xor(c, b) - _turned(b, by)
        a, b, c = b, c, a
    return b


def _mixed(a: Expr, b: Expr, c: Expr) -> tuple[Expr, Expr, Expr]:
    for by in (4, 6, 8, 16, 19, 4):
        # a −= c, a ^= turned c, c += b; then the names move on by one.
        a = _xor(a - c, _turned(c, by))
        c = c + b
        a, b, c = b, c, a
    return a, b, c


def _hash(*places: Expr) -> Expr:
    """The 32-bit hash of one to four whole numbers."""
    seed = bits(0xDEADBEEF + (len(places) << 2) + 13)
    a, b, c = (*(place + seed for place in places[:3]), seed, seed)[:3]
    if len(places) == 4:
        a, b, c = _mixed(a, b, c)
        a = a + places[3]
    return _final(a, b, c)


_HASHES = {n: traced(f"hash_{n}d", _hash, *[UINT] * n, words="xyzw"[:n]) for n in (1, 2, 3, 4)}


def _cell(at: Expr) -> list[Expr]:
    """Whole numbers of 32 bits: what lies beyond them is in the outermost cells."""
    held = f.clamp(at, LOWEST_WHOLE, HIGHEST_WHOLE)
    return [make(Op.WHOLE, part) for part in f.components(held)]


def _share(hashed: Expr) -> Expr:
    return make(Op.TO_FLOAT, hashed) * 2.0**-32


def hashed(*places: Expr) -> Expr:
    """The hash of one to four 32-bit whole numbers."""
    return _HASHES[len(places)](*places)


cell_1d = traced("cell_noise_1d", lambda at: _share(hashed(*_cell(at))), FLOAT, bound=(0.0, 1.0))
cell_2d = traced("cell_noise_2d", lambda at: _share(hashed(*_cell(at))), VEC2, bound=(0.0, 1.0))
cell_3d = traced("cell_noise_3d", lambda at: _share(hashed(*_cell(at))), VEC3, bound=(0.0, 1.0))
cell_4d = traced("cell_noise_4d", lambda at: _share(hashed(*_cell(at))), Type.VEC4, bound=(0.0, 1.0))


def _three(*places: Expr) -> Expr:
    return join(*(_share(hashed(*places, bits(i))) for i in range(3)))


cell_colour_2d = traced("cell_colour_2d", lambda at: _three(*_cell(at)), VEC2, bound=(0.0, 1.0))
cell_colour_3d = traced("cell_colour_3d", lambda at: _three(*_cell(at)), VEC3, bound=(0.0, 1.0))
cell_colour_4d = traced("cell_colour_4d", lambda at: _three(hashed(*_cell(at))), Type.VEC4, bound=(0.0, 1.0))


def fade(t: Expr) -> Expr:
    """6t⁵ − 15t⁴ + 10t³ (Perlin 2002): its first and second derivative are 0 at 0 and 1."""
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


def _bit(hash_: Expr, mask: int) -> Expr:
    return f.not_(f.equal(make(Op.BITS_AND, hash_, bits(mask)), bits(0)))


def _negated(value: Expr, condition: Expr) -> Expr:
    return f.select(condition, -value, value)


def _gradient_2d(hash_: Expr, x: Expr, y: Expr) -> Expr:
    low = make(Op.LESS, make(Op.BITS_AND, hash_, bits(7)), bits(4))
    u, v = f.select(low, x, y), 2.0 * f.select(low, y, x)
    return _negated(u, _bit(hash_, 1)) + _negated(v, _bit(hash_, 2))


def _gradient_3d(hash_: Expr, x: Expr, y: Expr, z: Expr) -> Expr:
    h = make(Op.BITS_AND, hash_, bits(15))
    u = f.select(make(Op.LESS, h, bits(8)), x, y)
    across = f.either(f.equal(h, bits(12)), f.equal(h, bits(14)))
    v = f.select(make(Op.LESS, h, bits(4)), y, f.select(across, x, z))
    return _negated(u, _bit(hash_, 1)) + _negated(v, _bit(hash_, 2))


def _gradient_4d(hash_: Expr, x: Expr, y: Expr, z: Expr, w: Expr) -> Expr:
    """Toward the middles of a hypercube's 32 edges (Perlin's construction, one dimension up)."""
    h = make(Op.BITS_AND, hash_, bits(31))
    u = f.select(make(Op.LESS, h, bits(24)), x, y)
    v = f.select(make(Op.LESS, h, bits(16)), y, z)
    t = f.select(make(Op.LESS, h, bits(8)), z, w)
    return _negated(u, _bit(hash_, 1)) + _negated(v, _bit(hash_, 2)) + _negated(t, _bit(hash_, 4))


gradient_2d = traced("gradient_2d", _gradient_2d, UINT, FLOAT, FLOAT)
gradient_3d = traced("gradient_3d", _gradient_3d, UINT, FLOAT, FLOAT, FLOAT)
gradient_4d = traced("gradient_4d", _gradient_4d, UINT, FLOAT, FLOAT, FLOAT, FLOAT)


def _blended(corners: Sequence[Expr], weights: Sequence[Expr]) -> Expr:
    """Corner values, x fastest, blended along each axis in turn."""
    for weight in weights:
        corners = [f.mix(a, b, weight) for a, b in zip(corners[::2], corners[1::2], strict=True)]
    return corners[0]


def _corner_offsets(dimensions: int) -> list[tuple[int, ...]]:
    return [tuple(reversed(each)) for each in itertools.product((0, 1), repeat=dimensions)]


def _perlin_of(at: Expr, gives: Callable[..., Expr]) -> Expr:
    """`gives`: what a corner gives by its hash and the way from it."""
    places, parts = _cell(at), [f.fract(part) for part in f.components(at)]
    corners = []
    for offset in _corner_offsets(len(parts)):
        moved = [place + bits(1) if step else place for place, step in zip(places, offset, strict=True)]
        away = [part - 1.0 if step else part for part, step in zip(parts, offset, strict=True)]
        corners.append(gives(hashed(*moved), *away))
    return GRADIENT_SCALE[len(parts)] * _blended(corners, [fade(part) for part in parts])


def _perlin(at: Expr) -> Expr:
    return _perlin_of(at, {2: gradient_2d, 3: gradient_3d, 4: gradient_4d}[at.type.width])


def _three_gradients(hash_: Expr, *away: Expr) -> Expr:
    """A gradient each by the first, second and third eight bits of the hash."""
    gradient = {2: gradient_2d, 3: gradient_3d}[len(away)]
    eights = [make(Op.SHIFT_RIGHT, hash_, bits(by)) if by else hash_ for by in (0, 8, 16)]
    return join(*(gradient(each, *away) for each in eights))


def _perlin_three(at: Expr) -> Expr:
    return _perlin_of(at, _three_gradients)


def _value(at: Expr) -> Expr:
    places, parts = _cell(at), [f.fract(part) for part in f.components(at)]
    corners = []
    for offset in _corner_offsets(len(parts)):
        moved = [place + bits(1) if step else place for place, step in zip(places, offset, strict=True)]
        corners.append(_share(hashed(*moved)))
    return f.saturate(_blended(corners, [fade(part) for part in parts]))


perlin_2d = traced("perlin_noise_2d", _perlin, VEC2, bound=(-GRADIENT_BOUND[2], GRADIENT_BOUND[2]))
perlin_3d = traced("perlin_noise_3d", _perlin, VEC3, bound=(-GRADIENT_BOUND[3], GRADIENT_BOUND[3]))
perlin_three_2d = traced("perlin_three_2d", _perlin_three, VEC2, bound=(-GRADIENT_BOUND[2], GRADIENT_BOUND[2]))
perlin_three_3d = traced("perlin_three_3d", _perlin_three, VEC3, bound=(-GRADIENT_BOUND[3], GRADIENT_BOUND[3]))
"""Three noises at once that differ; the first is the one that stands alone."""
perlin_4d = traced("perlin_noise_4d", _perlin, Type.VEC4, bound=(-GRADIENT_BOUND[4], GRADIENT_BOUND[4]))
value_2d = traced("value_noise_2d", _value, VEC2, bound=(0.0, 1.0))
value_3d = traced("value_noise_3d", _value, VEC3, bound=(0.0, 1.0))
value_4d = traced("value_noise_4d", _value, Type.VEC4, bound=(0.0, 1.0))


def _nearest(at: Expr, jitter: Expr) -> Expr:
    """From the point to the nearest feature point, one in each cell, and the distance to the second nearest."""
    dimensions = at.type.width
    whole, inside = f.floor(at), f.fract(at)
    colour = {2: cell_colour_2d, 3: cell_colour_3d}[dimensions]
    nearest, first, second = inside * 0.0, const(1e6), const(1e6)
    for offset in itertools.product((-1.0, 0.0, 1.0), repeat=dimensions):
        cell = const(*offset)
        random = swizzle(colour(whole + cell), "xyz"[:dimensions])
        away = cell + ((random - 0.5) * jitter + 0.5) - inside
        squared = f.dot(away, away)
        closer = squared < first
        second = f.select(closer, first, f.min_(second, squared))
        nearest = f.select(closer, away, nearest)
        first = f.select(closer, squared, first)
    return join(nearest, f.sqrt(second))


cells_2d = traced("cells_2d", _nearest, VEC2, FLOAT, bound=(-2.1, 2.1))
cells_3d = traced("cells_3d", _nearest, VEC3, FLOAT, bound=(-2.1, 2.1))
"""For a jitter of 0 to 1: the second nearest point lies within √(1.5² + 1 + 1) of any place."""
