"""Only operations whose result the shading languages define, in place of those that they leave open for some arguments.

Left open are `smoothstep` with its edges the wrong way round or equal, and `clamp` with its lower bound above the upper
one (OpenGL Shading Language 4.60, sections 8.3; HLSL, Metal and WGSL leave them open as well). What takes their place
comes to what the NumPy reader says.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Op, constant_parts, topological
from soft_lantern.ir.rewrite import rebuilt


def defined(roots: Sequence[Expr]) -> dict[Expr, Expr]:
    """Every expression the roots need, by defined operations alone. Traced functions are left as they are."""
    done: dict[Expr, Expr] = {}
    for expr in topological(roots):
        built = rebuilt([done[arg] for arg in expr.args], expr)
        instead = INSTEAD.get(built.op)
        done[expr] = instead(*built.args) if instead and not _in_order(built) else built
    return done


def _in_order(expr: Expr) -> bool:
    """Whether the lower bound is known to be below the upper one, or for `clamp` at it."""
    low, high = expr.args[:2] if expr.op is Op.SMOOTHSTEP else expr.args[1:]
    if low.op is not Op.CONST or high.op is not Op.CONST:
        return False
    most, least = max(constant_parts(low)), min(constant_parts(high))
    return most < least if expr.op is Op.SMOOTHSTEP else most <= least


def _eased(low: Expr, high: Expr, x: Expr) -> Expr:
    t = f.clamp((x - low) / (high - low), 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


INSTEAD: dict[Op, Callable[..., Expr]] = {
    Op.SMOOTHSTEP: _eased,
    Op.CLAMP: lambda x, low, high: f.min_(f.max_(x, low), high),
}
"""What each operation is written as, where its bounds are not known to be in order."""
