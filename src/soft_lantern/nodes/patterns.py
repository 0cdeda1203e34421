"""Regular patterns over texture coordinates."""

from __future__ import annotations

from math import pi

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import const
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Amount, Degrees, Mask, Positive, Vector2, node

_MATERIALX = "MaterialX 1.39 "
_UV = surface_input("uv")


@node(
    "Checker", family="patterns", also=("checkerboard", "chess", "tiles", "squares"), source=_MATERIALX + "checkerboard"
)
def checker(uv: Vector2 = _UV, tiling: Vector2 = (8.0, 8.0), offset: Vector2 = (0.0, 0.0)) -> Mask:
    """Squares of 0 and 1 by turns.

    out = mod(floor(uv.x * tiling.x - offset.x) + floor(uv.y * tiling.y - offset.y), 2)
    """
    return f.mod(f.dot(f.floor(uv * tiling - offset), const(1.0, 1.0)), 2.0)


@node("Stripes", family="patterns", also=("bars", "lines", "zebra", "scanlines"))
def stripes(uv: Vector2 = _UV, count: Amount = 8.0, width: Mask = 0.5, angle: Degrees = 0.0) -> Mask:
    """Stripes side by side along a direction: 1 over a share of each, 0 over the rest.

    out = fract((uv.x * cos(a) + uv.y * sin(a)) * count) < width ? 1 : 0
    """
    turn = angle * (pi / 180)
    along = (uv.x * f.cos(turn) + uv.y * f.sin(turn)) * count
    return f.as_number(f.fract(along) < width)


@node("Grid", family="patterns", also=("lattice", "lines", "mesh", "tiles", "graph paper"), source=_MATERIALX + "grid")
def grid(uv: Vector2 = _UV, tiling: Vector2 = (8.0, 8.0), offset: Vector2 = (0.0, 0.0), thickness: Mask = 0.05) -> Mask:
    """Lines of a thickness, as a share of a cell, round cells: 1 on the lines, 0 within.

    out = all(abs(fract(uv * tiling - offset) * 2 - 1) < 1 - thickness) ? 0 : 1
    """
    place = uv * tiling - offset
    away = f.abs_(f.fract(place) * 2.0 - 1.0)
    size = 1.0 - thickness
    return f.as_number(f.either(away.x >= size, away.y >= size))


@node("Circle", family="patterns", also=("disc", "dot", "round", "spot"), source=_MATERIALX + "circle")
def circle(uv: Vector2 = _UV, centre: Vector2 = (0.5, 0.5), radius: Positive = 0.4) -> Mask:
    """1 within a radius of a centre, 0 outside.

    out = dot(uv - centre, uv - centre) > radius * radius ? 0 : 1
    """
    away = uv - centre
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
