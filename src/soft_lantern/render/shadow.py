"""The sun's shadow map: how far along its rays the nearest surface is, as seen from the sun without perspective.

Both renderers draw the map with the same expression and read it with the same one.
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Type, const, join, uniform
from soft_lantern.ir.inputs import surface_input
from soft_lantern.scene.mesh import Matrix

SIZE = 1024
"""Texels across the map."""
NOTHING = 1e9
"""The depth where the sun meets nothing, in metres."""
PICTURE = uniform("stage:shadow", Type.SAMPLER)
"""The finished map, as surfaces read it: red is the depth."""

_ACROSS, _UP, _MIDDLE, _SUN = (
    uniform(f"stage:{name}", Type.VEC3) for name in ("shadow_across", "shadow_up", "shadow_middle", "sun_direction")
)
_GRAIN, _RECEIVES = uniform("stage:shadow_grain", Type.FLOAT), uniform("stage:receives_shadow", Type.FLOAT)


class ShadowView(Struct, frozen=True, eq=False):
    """Where the map is taken from: a square across the sun's rays. `reach` is half its side in metres."""

    middle: Matrix
    direction: Matrix
    reach: float

    @property
    def key(self) -> tuple[float, ...]:
        """The same for two views that show the same."""
        return (*map(float, self.middle), *map(float, self.direction), self.reach)

    @property
    def axes(self) -> tuple[Matrix, Matrix]:
        """The map's right and up in world space."""
        aside = np.array([0.0, 0.0, 1.0]) if abs(self.direction[1]) > 0.99 else np.array([0.0, 1.0, 0.0])
        right = np.cross(aside, self.direction)
        right /= np.linalg.norm(right)
        return right, np.cross(self.direction, right)

    @property
    def view_projection(self) -> Matrix:
        """World to clip space."""
        right, up = self.axes
        rows = np.stack([right, up, -self.direction]) / self.reach
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = rows, -rows @ self.middle
        matrix[2] /= 2.0  # so that what vertex offsets move toward the sun is in range
        return matrix

    @property
    def uniforms(self) -> dict[str, tuple[float, ...]]:
        """What surfaces read of it."""
        right, up = self.axes
        found = {"shadow_across": right / (2 * self.reach), "shadow_up": up / (2 * self.reach)}
        found["shadow_middle"] = self.middle
        values = {f"stage:{name}": tuple(map(float, value)) for name, value in found.items()}
        return values | {"stage:shadow_grain": (2 * self.reach / SIZE,)}


def view_round(low: Matrix, high: Matrix, direction: Matrix) -> ShadowView:
    """The view that takes in a box with a little room for what offsets move."""
    return ShadowView((low + high) / 2, direction, float(np.linalg.norm(high - low)) / 2 * 1.1 + 0.05)


def depth() -> Expr:
    """How far a surface point is along the sun's rays, in metres from the middle of the map."""
    return f.dot(_MIDDLE - surface_input("position_world"), _SUN)


def drawn_depth() -> Expr:
    """What the map keeps of a surface."""
    return join(depth(), 0.0, 0.0, 1.0)


def sunlit_share(direction: Expr) -> Expr:
    """How much of the sun a surface point sees, 0–1: the share of 2 × 2 texels around it, weighted by their overlap.

    The point is looked up a little off its surface, along the mesh's own normal, so that it does not shade itself.
    """
    normal = surface_input("normal_world")
    lean = 1.0 - f.saturate(f.dot(normal, direction))
    point = surface_input("position_world") + normal * (_GRAIN * (0.6 + 1.6 * lean))
    off = point - _MIDDLE
    place = join(f.dot(off, _ACROSS) + 0.5, f.dot(off, _UP) + 0.5) * SIZE
    corner = f.floor(place)
    part = place - corner
    far = -f.dot(off, _SUN) - _GRAIN * 1.2
    total: Expr = const(0.0)
    for row in (-1, 0, 1):
        for column in (-1, 0, 1):
            at = (corner + const(column + 0.5, row + 0.5)) * (1.0 / SIZE)
            seen = f.step(far, f.texture(PICTURE, at).x)
            total = total + seen * (_weight(column, part.x) * _weight(row, part.y))
    inside = f.both(f.max_(f.abs_(place.x / SIZE - 0.5), f.abs_(place.y / SIZE - 0.5)) < 0.5, _RECEIVES > 0.5)
    return f.select(inside, total * 0.25, 1.0)


def _weight(step: int, part: Expr) -> Expr:
    return 1.0 - part if step == -1 else part if step == 1 else const(1.0)
