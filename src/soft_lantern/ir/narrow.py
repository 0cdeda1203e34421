"""Components that nobody reads are not computed: what is left of an expression is as wide as what is read of it.

Every component that is left comes out to the bit as before.
"""

from __future__ import annotations

from collections.abc import Sequence

from soft_lantern.ir.expr import (
    ELEMENTWISE,
    Expr,
    Op,
    Type,
    const,
    constant_parts,
    join,
    make,
    swizzle,
    topological,
)
from soft_lantern.ir.rewrite import rebuilt

_BY_COMPONENT = ELEMENTWISE | {Op.SELECT}
_BY_PLACE = frozenset({Op.SWIZZLE, Op.JOIN})
_AS_THEY_ARE = frozenset({Op.INPUT, Op.UNIFORM})
_LETTERS = "xyzw"
Parts = tuple[int, ...]
"""Which components of an expression are there, in order."""
_ALL: tuple[Parts, ...] = tuple(tuple(range(width)) for width in range(5))


def narrowed(roots: Sequence[Expr]) -> dict[Expr, Expr]:
    """Every expression the roots need, and what is left of it; of the roots themselves, all."""
    order = topological(roots)
    read = _read(order, roots)
    if all(read[expr] == _bits(expr) or expr.op in _AS_THEY_ARE for expr in order):
        return dict(zip(order, order, strict=True))
    done: dict[Expr, Expr] = {}
    there: dict[Expr, Parts] = {}

    def part(expr: Expr, wanted: Parts) -> Expr:
        """Some components of an expression whose turn has been; a lone number is all of its own."""
        if expr.type.width == 1:
            return done[expr]
        if wanted == there[expr]:
            return done[expr]
        return swizzle(done[expr], "".join(_LETTERS[there[expr].index(each)] for each in wanted))

    for expr in order:
        width = expr.type.width
        if read[expr] == _bits(expr) and all(done[arg] is arg for arg in expr.args):
            done[expr], there[expr] = expr, _ALL[width]
            continue
        kept = tuple(n for n in range(width) if read[expr] >> n & 1)
        there[expr] = whole = _ALL[width]
        if expr.op is Op.SWIZZLE:
            chosen = tuple(_LETTERS.index(letter) for letter in str(expr.data))
            made = part(expr.args[0], tuple(chosen[n] for n in kept))
        elif expr.op is Op.JOIN:
            places = [(arg, n) for arg in expr.args for n in range(arg.type.width)]
            parts = [part(*_one(places[n])) for n in kept]
            made = rebuilt([part(a, _all(a)) for a in expr.args], expr) if kept == whole else _joined(parts)
        elif expr.op is Op.CONST and width > 1 and expr.type is not Type.UINT and kept:
            made = const(*(constant_parts(expr)[n] for n in kept))
        elif expr.op in _BY_COMPONENT and kept and kept != whole:
            args = [part(arg, kept) if arg.type.width == width else part(arg, _all(arg)) for arg in expr.args]
            made = make(expr.op, *args)
        else:
            kept = whole
            made = rebuilt([part(arg, _all(arg)) for arg in expr.args], expr)
        done[expr], there[expr] = made, kept or whole
    return done


def _read(order: Sequence[Expr], roots: Sequence[Expr]) -> dict[Expr, int]:
    """Which components of each expression are read, as bits."""
    read = dict.fromkeys(order, 0)
    for root in roots:
        read[root] = _bits(root)
    for expr in reversed(order):
        if expr.op not in _BY_PLACE:
            width = expr.type.width if expr.op in _BY_COMPONENT else 0
            for arg in expr.args:
                read[arg] |= read[expr] if arg.type.width == width else _bits(arg)
            continue
        wanted = [n for n in range(expr.type.width) if read[expr] >> n & 1]
        if expr.op is Op.SWIZZLE:
            for n in wanted:
                read[expr.args[0]] |= 1 << _LETTERS.index(str(expr.data)[n])
        else:
            places = [(arg, n) for arg in expr.args for n in range(arg.type.width)]
            for n in wanted:
                read[places[n][0]] |= 1 << places[n][1]
    return read


def _bits(expr: Expr) -> int:
    return (1 << expr.type.width) - 1


def _all(expr: Expr) -> Parts:
    return _ALL[expr.type.width]


def _one(place: tuple[Expr, int]) -> tuple[Expr, Parts]:
    return place[0], (place[1],)


def _joined(parts: Sequence[Expr]) -> Expr:
    return parts[0] if len(parts) == 1 else join(*parts)
