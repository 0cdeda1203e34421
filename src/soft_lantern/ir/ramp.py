"""How the row of texels that stands for a gradient is read."""

from __future__ import annotations

from soft_lantern.ir.expr import Expr, Op, Type, const, join, make, traced


def _row_read(gradient: Expr, at: Expr) -> Expr:
    texel = make(Op.TEXEL, gradient).x
    along = texel * 0.5 + at * (1.0 - texel)
    return make(Op.TEXTURE_LEVEL, gradient, join(along, 0.5), const(0.0))


GRADIENT_AT = traced("gradient_at", _row_read, Type.SAMPLER, Type.FLOAT)
"""The colour of a gradient at 0 to 1: from the middle of its row's first texel to that of the last.

Never from a smaller copy of the row, which would blend what stands apart.
"""
