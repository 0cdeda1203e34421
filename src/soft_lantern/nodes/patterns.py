"""Regular patterns, over texture coordinates and, in 3D, through the solid."""

from __future__ import annotations

import functools
from math import pi

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import (
    Amount,
    Degrees,
    Direction,
    Mask,
    Metres,
    Metres3,
    Positive,
    PositiveMetres,
    Vector2,
    Vector3,
    node,
)

_MATERIALX = "MaterialX 1.39 "
_UV, _PLACE = surface_input("uv"), surface_input("position_object")


def _checkered(cells: Expr) -> Expr:
    return f.mod(f.sum_of(f.components(f.floor(cells))), 2.0)


def _on_lines(cells: Expr, thickness: Expr) -> Expr:
    """Whether a place lies in the outer share of its cell, along any axis."""
    away = [f.abs_(f.fract(part) * 2.0 - 1.0) for part in f.components(cells)]
    return f.as_number(functools.reduce(f.max_, away) >= 1.0 - thickness)


@node(
    "Checker", family="patterns", also=("checkerboard", "chess", "tiles", "squares"), source=_MATERIALX + "checkerboard"
)
def checker(uv: Vector2 = _UV, tiling: Vector2 = (8.0, 8.0), offset: Vector2 = (0.0, 0.0)) -> Mask:
    """Squares of 0 and 1 by turns.

    out = mod(floor(uv.x * tiling.x - offset.x) + floor(uv.y * tiling.y - offset.y), 2)
    """
    return _checkered(uv * tiling - offset)


@node("Checker 3D", family="patterns", also=("checkerboard", "cubes", "solid", "blocks"))
def checker_3d(at: Metres3 = _PLACE, tiling: Vector3 = (2.0, 2.0, 2.0), offset: Vector3 = (0.0, 0.0, 0.0)) -> Mask:
    """Cubes of 0 and 1 by turns; the tiling is in cubes a metre.

    p = at * tiling - offset, out = mod(floor(p.x) + floor(p.y) + floor(p.z), 2)
    """
    return _checkered(at * tiling - offset)


@node("Stripes", family="patterns", also=("bars", "lines", "zebra", "scanlines"))
def stripes(uv: Vector2 = _UV, count: Amount = 8.0, width: Mask = 0.5, angle: Degrees = 0.0) -> Mask:
    """Stripes side by side along a direction: 1 over a share of each, 0 over the rest.

    out = fract((uv.x * cos(a) + uv.y * sin(a)) * count) < width ? 1 : 0
    """
    turn = angle * (pi / 180)
    along = (uv.x * f.cos(turn) + uv.y * f.sin(turn)) * count
    return f.as_number(f.fract(along) < width)


@node("Stripes 3D", family="patterns", also=("bars", "layers", "strata", "slices", "rings"))
def stripes_3d(
    at: Metres3 = _PLACE, direction: Direction = (0.0, 1.0, 0.0), count: Amount = 4.0, width: Mask = 0.5
) -> Mask:
    """Slices through the solid, a count of them to the metre: 1 over a share of each, 0 over the rest.

    out = fract(dot(at, direction) * count) < width ? 1 : 0
    """
    return f.as_number(f.fract(f.dot(at, direction) * count) < width)


@node("Grid", family="patterns", also=("lattice", "lines", "mesh", "tiles", "graph paper"), source=_MATERIALX + "grid")
def grid(uv: Vector2 = _UV, tiling: Vector2 = (8.0, 8.0), offset: Vector2 = (0.0, 0.0), thickness: Mask = 0.05) -> Mask:
    """Lines of a thickness, as a share of a cell, round cells: 1 on the lines, 0 within.

    out = all(abs(fract(uv * tiling - offset) * 2 - 1) < 1 - thickness) ? 0 : 1
    """
    return _on_lines(uv * tiling - offset, thickness)


@node("Grid 3D", family="patterns", also=("lattice", "wire", "cage", "cubes", "solid"))
def grid_3d(
    at: Metres3 = _PLACE,
    tiling: Vector3 = (2.0, 2.0, 2.0),
    offset: Vector3 = (0.0, 0.0, 0.0),
    thickness: Mask = 0.05,
) -> Mask:
    """Walls of a thickness, as a share of a cell, round cubes: 1 in the walls, 0 within; tiling in cubes a metre.

    out = all(abs(fract(at * tiling - offset) * 2 - 1) < 1 - thickness) ? 0 : 1
    """
    return _on_lines(at * tiling - offset, thickness)


@node("Circle", family="patterns", also=("disc", "dot", "round", "spot"), source=_MATERIALX + "circle")
def circle(uv: Vector2 = _UV, centre: Vector2 = (0.5, 0.5), radius: Positive = 0.4) -> Mask:
    """1 within a radius of a centre, 0 outside.

    out = dot(uv - centre, uv - centre) > radius * radius ? 0 : 1
    """
    away = uv - centre
    return f.as_number(f.dot(away, away) <= radius * radius)


@node("Ball", family="patterns", also=("sphere", "circle 3d", "dot", "round", "solid"))
def ball(at: Metres3 = _PLACE, centre: Metres3 = (0.0, 0.0, 0.0), radius: PositiveMetres = 0.5) -> Mask:
    """1 within a radius of a centre in space, 0 outside.

    out = dot(at - centre, at - centre) > radius * radius ? 0 : 1
    """
    away = at - centre
    return f.as_number(f.dot(away, away) <= radius * radius)


@node("Soft circle", family="patterns", also=("disc", "glow", "radial gradient", "vignette", "spot"))
def soft_circle(
    uv: Vector2 = _UV, centre: Vector2 = (0.5, 0.5), radius: Positive = 0.4, softness: Positive = 0.1
) -> Mask:
    """1 within a radius of a centre, falling smoothly to 0 over the softness.

    out = 1 - smoothstep(radius, radius + softness, length(uv - centre))
    """
    return 1.0 - f.smoothstep(radius, radius + f.max_(softness, 1e-6), f.length(uv - centre))


@node("Ramp", family="patterns", also=("gradient", "linear", "fade", "uv"), source=_MATERIALX + "ramplr")
def ramp(uv: Vector2 = _UV, angle: Degrees = 0.0) -> Mask:
    """0 to 1 across the texture along a direction, about its middle.

    out = clamp((uv.x - 0.5) * cos(a) + (uv.y - 0.5) * sin(a) + 0.5, 0, 1)
    """
    turn = angle * (pi / 180)
    return f.saturate((uv.x - 0.5) * f.cos(turn) + (uv.y - 0.5) * f.sin(turn) + 0.5)


@node("Ramp 3D", family="patterns", also=("gradient", "linear", "fade", "solid", "direction"))
def ramp_3d(
    at: Metres3 = _PLACE,
    direction: Direction = (0.0, 1.0, 0.0),
    start: Metres = 0.0,
    spread: PositiveMetres = 1.0,
) -> Mask:
    """0 to 1 along a direction through the solid, from where it starts over its spread.

    out = clamp((dot(at, direction) - start) / spread, 0, 1)
    """
    return f.saturate((f.dot(at, direction) - start) / spread)
