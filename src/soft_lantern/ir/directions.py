"""Directions on flat pictures: panoramas, and octahedral maps, whose texels all cover about as much of the sphere."""

from __future__ import annotations

from math import pi

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, join


def panorama_uv(direction: Expr) -> Expr:
    """Where a unit direction is on an equirectangular panorama: its middle lies along −z, its top is up."""
    across = f.atan2(direction.x, -direction.z) * (0.5 / pi) + 0.5
    down = f.acos(f.clamp(direction.y, -1.0, 1.0)) * (1.0 / pi)
    return join(across, down)


def octahedral_uv(direction: Expr) -> Expr:
    """Where a direction is on an octahedral map, 0–1: up is the middle, down its four corners.

    Cigolle et al., "A Survey of Efficient Representations for Independent Unit Vectors" (2014).
    """
    size = f.sum_of([f.abs_(part) for part in (direction.x, direction.y, direction.z)])
    x, z = direction.x / size, direction.z / size
    folded_x = (1.0 - f.abs_(z)) * _side(x)
    folded_z = (1.0 - f.abs_(x)) * _side(z)
    below = direction.y < 0.0
    return join(f.select(below, folded_x, x), f.select(below, folded_z, z)) * 0.5 + 0.5


def _side(x: Expr) -> Expr:
    return f.select(x < 0.0, -1.0, 1.0)
