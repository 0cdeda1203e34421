"""The meshes of Mothlight Terraces, each of several parts or painted: all made by code."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.demo.turning import resampled, tube, turned
from soft_lantern.ir.expr import Type, uniform
from soft_lantern.ir.noise import perlin_2d
from soft_lantern.ir.numpy_reader import evaluate
from soft_lantern.scene.mesh import Mesh, Part, mesh_from
from soft_lantern.scene.primitives import cube, grid_triangles, joined, lathe, sphere

Row = npt.NDArray[np.float64]
_PLACE = uniform("place", Type.VEC2)
_NOISE = perlin_2d(_PLACE)


def terrace_cliff() -> list[Part]:
    """Four terraces stepping down from y = 3 to y = −3.4, 9 m wide, with worn edges."""
    names = ["upper terrace", "fern terrace", "lantern terrace", "pool terrace"]
    tops = [3.0, 1.4, -0.4, -2.4]
    parts = []
    for index, (name, top) in enumerate(zip(names, tops, strict=True)):
        bottom = tops[index + 1] if index < 3 else -3.4
        back, front = -3.0 + 1.7 * index, -3.0 + 1.7 * (index + 1)
        parts.append(Part(name, _step(top, bottom, back, front, phase=float(index))))
    return parts


def lantern_post() -> list[Part]:
    """A lantern post 4.6 m tall on a stone foot, with a hook and a paper shade that hangs from it."""
    foot = turned([(0.0, 0.5), (0.34, 0.5), (0.42, 0.42), (0.46, 0.16), (0.54, 0.1), (0.56, 0.0), (0.0, 0.0)], 28)
    post = turned([(0.0, 4.6), (0.06, 4.57), (0.07, 4.4), (0.06, 4.3), (0.085, 0.62), (0.13, 0.5)], 18)
    bend = np.linspace(0, np.pi * 0.86, 18)
    path = np.stack([0.42 - 0.42 * np.cos(bend), 4.3 + 0.42 * np.sin(bend), np.zeros_like(bend)], axis=1)
    hook = tube(path, 0.035, 12)
    angle = np.linspace(0, np.pi, 40)
    radius = 0.12 + 0.4 * np.sin(angle) ** 0.8 + 0.018 * np.abs(np.sin(angle * 9))
    shade = turned([(float(r), float(0.52 * np.cos(a))) for r, a in zip(radius, angle, strict=True)], 36)
    rims = [turned([(0.0, y + 0.05), (0.17, y + 0.05), (0.17, y - 0.05), (0.0, y - 0.05)], 24) for y in (0.54, -0.54)]
    hang = np.eye(4)
    hang[:3, 3] = (path[-1][0], path[-1][1] - 0.66, 0.0)
    return [
        Part("stone foot", foot),
        Part("post", post),
        Part("hook", hook),
        Part("paper shade", shade, hang),
        Part("shade rims", joined(rims), hang),
    ]


def nectar_basin() -> list[Part]:
    """A stone bowl 1.9 m across and, as a part of its own, the nectar that fills it to a hand below the rim."""
    profile = [(0.0, 0.1), (0.3, 0.11), (0.62, 0.22), (0.8, 0.44), (0.84, 0.58), (0.95, 0.58), (0.93, 0.4), (0.7, 0.08)]
    bowl = turned([*profile, (0.66, 0.0), (0.0, 0.0)], 48)
    unworn = np.tile(np.array([0, 0, 0, 1], np.float32), (len(bowl.positions), 1))
    bowl = replace(bowl, colours=unworn, has_colours=True)
    rings = np.linspace(0, 0.82, 22)
    nectar = lathe(np.stack([rings, np.full(22, 0.5)], axis=1), 64, np.tile([0.0, 1.0], (22, 1)))
    return [Part("stone bowl", bowl), Part("nectar", nectar)]


def garden_urn() -> list[Part]:
    """An urn 1.3 m tall, painted red along its edges where it wears, as vertex colours."""
    upper = [(0.2, 1.3), (0.29, 1.29), (0.3, 1.24), (0.2, 1.16), (0.2, 1.08), (0.42, 0.86), (0.47, 0.66), (0.4, 0.42)]
    profile = np.array([*upper, (0.2, 0.22), (0.17, 0.16), (0.27, 0.1), (0.29, 0.03), (0.28, 0.0)])
    smooth = resampled(profile, 90)
    slope = np.gradient(smooth, axis=0)
    body = lathe(smooth, 48, np.stack([-slope[:, 1], slope[:, 0]], axis=1))
    bend = np.linalg.norm(np.gradient(slope / np.linalg.norm(slope, axis=1, keepdims=True), axis=0), axis=1)
    worn = np.repeat(np.clip(bend * 7 - 0.3, 0, 1), 49)
    colours = np.column_stack([worn, worn * 0, worn * 0, np.ones_like(worn)]).astype(np.float32)
    return [Part("urn", replace(body, colours=colours, has_colours=True))]


def paper_banner() -> list[Part]:
    """A paper banner 0.9 × 2.2 m, hanging from a bar at the origin beside its pole, fine enough to flutter."""
    across, down = np.meshgrid(np.linspace(-0.45, 0.45, 19), np.linspace(0, -2.2, 45))
    points = np.dstack([across, down, np.zeros_like(across)]).reshape(-1, 3)
    uvs = np.dstack([across / 0.9 + 0.5, -down / 2.2]).reshape(-1, 2)
    normals = np.tile([0.0, 0.0, 1.0], (len(points), 1))
    pole = np.eye(4)
    pole[:3, 3] = (-0.56, -2.9, 0.0)
    bar = tube(np.array([[-0.56, 0.0, 0.0], [0.0, 0.0, 0.0], [0.5, 0.0, 0.0]]), 0.022, 10)
    return [
        Part("paper", mesh_from(points, grid_triangles(44, 18), normals, uvs)),
        Part("pole", turned([(0.0, 3.0), (0.04, 2.97), (0.045, 0.0), (0.0, 0.0)], 12), pole),
        Part("bar", bar),
    ]


def stepped_basin() -> list[Part]:
    """A stone bowl 6.4 m across with a floor in four steps and, as a part of its own, nectar up to y = 1.3 m."""
    inside = [(0.0, 0.15), (0.8, 0.15), (0.84, 0.45), (1.5, 0.48), (1.55, 0.78), (2.2, 0.8), (2.26, 1.1), (2.75, 1.13)]
    outside = [(2.84, 1.5), (2.95, 1.58), (3.15, 1.58), (3.2, 1.5), (3.05, 0.9), (2.2, 0.06), (2.1, 0.0), (0.0, 0.0)]
    rings = np.linspace(0, 2.8, 43)
    nectar = lathe(np.stack([rings, np.full(43, 1.3)], axis=1), 96, np.tile([0.0, 1.0], (43, 1)))
    flat = nectar.positions[:, [0, 2]] / 6.4 + 0.5
    return [Part("stone bowl", turned([*inside, *outside], 72)), Part("nectar", replace(nectar, uvs=flat))]


def basin_stones() -> list[Part]:
    """Four stones that stand on the basin's floor and reach out of the nectar."""
    places = [(-1.45, 1.0, 0.75, 0.62), (1.25, 0.95, -1.15, 0.6), (1.8, 1.15, 0.8, 0.42), (-0.6, 1.0, -1.7, 0.45)]
    parts = []
    for number, (x, y, z, size) in enumerate(places):
        ball = sphere(56)
        points = ball.positions.astype(np.float64)
        lumps = rough(points[:, 0] * 1.7 + number * 3, points[:, 1] * 1.3 + points[:, 2] * 2.1 + number)
        grown = points * (1 + 0.16 * lumps[:, None]) * np.array([1.0, 1.15, 0.85]) * size
        made = mesh_from(grown + np.array([x, y, z]), ball.triangles, uvs=ball.uvs)
        parts.append(Part(f"stone {number + 1}", _seamless(made)))
    return parts


def glass_bell() -> list[Part]:
    """A bell of glass 2.3 m tall with a knob; its hollow is a closed part of its own, to be cut out."""
    angle = np.linspace(0, np.pi / 2, 15)
    dome = [(0.68 * np.sin(a), 1.35 + 0.68 * np.cos(a)) for a in angle[1:]]
    outer = [(0.0, 2.3), (0.09, 2.27), (0.12, 2.19), (0.06, 2.1), *dome[1:], (0.7, 0.06), (0.82, 0.03), (0.82, 0.0)]
    inner = [(0.66, 0.0), (0.65, 1.35), *((0.65 * np.sin(a), 1.35 + 0.65 * np.cos(a)) for a in angle[-2::-1])]
    hollow = [(0.65 * np.sin(a), 1.35 + 0.65 * np.cos(a)) for a in angle]
    return [
        Part("glass", turned([(float(r), float(y)) for r, y in [*outer, *inner]], 56)),
        Part("hollow", turned([(float(r), float(y)) for r, y in [*hollow, (0.65, -0.02), (0.0, -0.02)]], 56)),
    ]


def fog_gate() -> list[Part]:
    """Two pillars 3 m tall under a beam, 3.4 m wide."""
    pillar = turned([(0.0, 2.7), (0.28, 2.7), (0.25, 2.4), (0.27, 0.5), (0.36, 0.42), (0.38, 0.0), (0.0, 0.0)], 28)
    beam = cube(16)
    size, lift = np.diag([1.9, 0.17, 0.3, 1.0]), np.eye(4)
    size[1, 3] = 2.87
    parts = []
    for name, x in (("left pillar", -1.4), ("right pillar", 1.4)):
        aside = lift.copy()
        aside[0, 3] = x
        parts.append(Part(name, pillar, aside))
    return [*parts, Part("beam", beam, size)]


def _seamless(mesh: Mesh) -> Mesh:
    """Normals that do not show where a lathe closes: those of vertices in one place are made one."""
    places, which = np.unique(mesh.positions.round(5), axis=0, return_inverse=True)
    total = np.zeros((len(places), 3))
    np.add.at(total, which.reshape(-1), mesh.normals)
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-12)
    return replace(mesh, normals=total[which.reshape(-1)].astype(np.float32))


def _step(top: float, bottom: float, back: float, front: float, phase: float) -> Mesh:
    """One terrace: level ground from back to front, a rounded edge, then a rough face down."""
    round_off = np.linspace(0, np.pi / 2, 7)
    edge = 0.22
    behind = back - 1.1  # each terrace reaches in under the one above
    profile_z = [*np.linspace(behind, front - edge, 14), *(front - edge + edge * np.sin(round_off)), *([front] * 14)]
    profile_y = [*[top] * 14, *(top - edge + edge * np.cos(round_off)), *np.linspace(top - edge, bottom, 15)[1:]]
    z, y = np.array(profile_z), np.array(profile_y)
    x = np.linspace(-4.5, 4.5, 90)
    grid_y, grid_x = np.meshgrid(y, x, indexing="ij")
    grid_z = np.broadcast_to(z[:, None], grid_x.shape)
    lumps = rough(grid_x * 1.3 + phase * 7, grid_y * 1.9 + phase * 3)
    steep = np.clip((top - grid_y) / 0.3, 0, 1)
    swing = 0.45 * np.sin(grid_x * 0.55 + phase * 0.6)
    # Seen from above the terraces are rounded, so that the cliff has no open ends.
    rounded = -5.2 + (grid_z + 5.2) * np.sqrt(np.clip(1 - (grid_x / 4.5) ** 4, 0, 1))
    out = swing * ((grid_z - back) / (front - back)) + 0.16 * lumps * steep
    points = np.dstack([grid_x, grid_y + 0.04 * lumps * (1 - steep), rounded + out])
    v, u = np.meshgrid(np.linspace(0, 1, len(y)), np.linspace(0, 3, len(x)), indexing="ij")
    return mesh_from(
        points.reshape(-1, 3), grid_triangles(len(y) - 1, len(x) - 1), uvs=np.dstack([u, v]).reshape(-1, 2)
    )


def rough(a: Row, b: Row) -> Row:
    """Bumps of three sizes over a plane, mostly from −1 to 1, by the gradient noise that materials have."""
    total = np.zeros(a.shape)
    for size, share, aside in ((1.0, 1.1, (0.0, 0.0)), (2.1, 0.55, (7.0, 0.0)), (4.3, 0.3, (0.0, 3.0))):
        places = np.stack([a * size + aside[0], b * size + aside[1]]).reshape(2, -1)
        total += share * evaluate([_NOISE], {str(_PLACE.data): places})[_NOISE].reshape(a.shape)
    return total
