"""What belongs to the stage itself: backdrop, floor with its metre grid, and the level gauge."""

from __future__ import annotations

import functools

import numpy as np

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, join, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.render import shadow, surface_model
from soft_lantern.render.frame import Item, Paint, placed_inputs
from soft_lantern.scene.mesh import Matrix, Mesh, mesh_from

PLAIN = Paint(const(0.18, 0.18, 0.18, 1.0))
"""The backdrop without a sky."""


def checker(cell: float = 8.0) -> Paint:
    """Two greys in squares of so many pixels, behind what is see-through."""
    place = surface_input("pixel_place") * (1.0 / cell)
    odd = f.mod(f.floor(place.x) + f.floor(place.y), 2.0)
    grey = f.mix(const(0.13), const(0.21), odd)
    return Paint(join(f.splat(grey, 3), 1.0))


def even(colour: tuple[float, ...]) -> Paint:
    """One linear colour behind everything; changing it compiles nothing."""
    return Paint(join(uniform("stage:backdrop", Type.VEC3), 1.0), {"stage:backdrop": tuple(colour[:3])})


def floor(middle: Matrix, height: float, reach: float, *, solid: bool, grid: bool, shadowed: bool) -> Item:
    """A floor under the scene: even grey ground that shadows fall on, a metre grid, or both; it fades with distance."""
    switches = {"stage:floor": (float(solid),), "stage:grid": (float(grid),)}
    colour = _floor_colour(shadowed)
    paint = Paint(colour, {**switches, "stage:floor_reach": (reach * 4,)})
    return Item(_sheet(), _level(middle, 1, height, reach * 4), paint, blended=True, late=True, prop=True)


def gauge(middle: Matrix, axis: str, height: float, reach: float) -> Item:
    """The level gauge, square to an axis at a height along it."""
    return Item(_sheet(), _level(middle, "xyz".index(axis), height, reach), _GAUGE, blended=True, late=True, prop=True)


def _level(middle: Matrix, axis: int, height: float, reach: float) -> dict[str, tuple[float, ...]]:
    matrix = np.eye(4)
    # The sheet faces its own y; a turn of all three axes keeps it right-handed.
    matrix[:3, :3] = np.roll(np.eye(3), axis - 1, axis=0) * reach
    matrix[:3, 3] = middle
    matrix[axis, 3] = height
    return placed_inputs(matrix)


@functools.cache
def _sheet() -> Mesh:
    """A square seen from both sides."""
    corners = [[-1, 0, -1], [-1, 0, 1], [1, 0, -1], [1, 0, 1]]
    return mesh_from(corners, [[0, 1, 2], [2, 1, 3]], np.tile([0.0, 1.0, 0.0], (4, 1)))


def _gauge_paint() -> Paint:
    """A rim, rings a tenth of its radius apart, and a line where it meets what stands there; nothing is tinted."""
    out = f.length(surface_input("position_object"))
    rim = f.smoothstep(0.97, 0.975, out)
    ring = 1.0 - f.smoothstep(0.01, 0.03, f.abs_(f.fract(out * 10.0) - 0.5))
    wide = surface_input("view_distance") * 0.003 + 0.001
    meets = 1.0 - f.smoothstep(wide, wide * 2.0, surface_input("depth_behind"))
    alpha = f.max_(f.max_(0.7 * rim, 0.14 * ring), 0.8 * meets) * f.select(out <= 1.0, 1.0, 0.0)
    return Paint(join(const(0.95, 0.50, 0.12), alpha))


@functools.cache
def _floor_colour(shadowed: bool) -> Expr:
    position, eye = surface_input("position_world"), surface_input("camera_position")
    distance = f.length(position - eye)
    width = distance * 0.0016 + 0.004
    nearest = f.max_(*(_grid_line(part, width) for part in (position.x, position.z)))
    reach, solid, grid = (uniform(f"stage:{name}", Type.FLOAT) for name in ("floor_reach", "floor", "grid"))
    fade = 1.0 - f.smoothstep(0.3, 1.0, f.length(surface_input("position_object")) * 1.6)
    line = nearest * f.saturate(reach / distance) * grid
    sun = surface_model.SUN_LIGHT * f.saturate(surface_model.SUN_DIRECTION.y)
    if shadowed:
        sun = sun * shadow.sunlit_share(surface_model.SUN_DIRECTION)
    ground = (surface_model.sky_irradiance(const(0, 1, 0)) + sun) * 0.22
    drawn = f.mix(ground * solid, ground * (2.2 - 0.9 * solid), line)
    return join(drawn, f.max_(solid * 0.94, line * 0.5) * fade)


def _grid_line(at: Expr, width: Expr) -> Expr:
    off = f.abs_(f.fract(at + 0.5) - 0.5)
    return 1.0 - f.smoothstep(width, width * 2.0, off)


_GAUGE = _gauge_paint()
SKY = Paint(
    join(
        surface_model.sky_radiance(f.normalize(surface_input("position_world") - surface_input("camera_position"))),
        1.0,
    )
)
"""The sky behind everything."""
