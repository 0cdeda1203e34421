"""How the row of texels that stands for a gradient is read.

Along the row by the half-texel rule: from the middle of the first texel to that of the last. Never from a smaller copy
of the row, which would blend what stands apart.
"""

from __future__ import annotations

from soft_lantern.ir.expr import Expr, Op, Type, const, join, make, traced


def _row_read(texels: Expr, at: Expr, row: Expr) -> Expr:
    texel = make(Op.TEXEL, texels).x
    return make(Op.TEXTURE_LEVEL, texels, join(texel * 0.5 + at * (1.0 - texel), row), const(0.0))


GRADIENT_AT = traced("gradient_at", lambda gradient, at: _row_read(gradient, at, const(0.5)), Type.SAMPLER, Type.FLOAT)
"""The colour at 0 to 1 of a gradient that has a texture of its own."""
ROW_AT = traced(
    "gradient_row_at", lambda atlas, at, row: _row_read(atlas, at, row), Type.SAMPLER, Type.FLOAT, Type.FLOAT
)
"""The colour of a gradient in an atlas; `row`: the middle of its row, (r + 0.5) / rows."""
