"""The meshes of Mothlight Terraces: a terrace cliff and a tall lantern post, each of several parts."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from soft_lantern.scene.mesh import Mesh, Part, mesh_from
from soft_lantern.scene.primitives import grid_triangles, joined, lathe

Row = npt.NDArray[np.float64]


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
    foot = _turned([(0.0, 0.5), (0.34, 0.5), (0.42, 0.42), (0.46, 0.16), (0.54, 0.1), (0.56, 0.0), (0.0, 0.0)], 28)
    post = _turned([(0.0, 4.6), (0.06, 4.57), (0.07, 4.4), (0.06, 4.3), (0.085, 0.62), (0.13, 0.5)], 18)
    bend = np.linspace(0, np.pi * 0.86, 18)
    path = np.stack([0.42 - 0.42 * np.cos(bend), 4.3 + 0.42 * np.sin(bend), np.zeros_like(bend)], axis=1)
    hook = _tube(path, 0.035, 12)
    angle = np.linspace(0, np.pi, 40)
    radius = 0.12 + 0.4 * np.sin(angle) ** 0.8 + 0.018 * np.abs(np.sin(angle * 9))
    shade = _turned([(float(r), float(0.52 * np.cos(a))) for r, a in zip(radius, angle, strict=True)], 36)
    rims = [_turned([(0.0, y + 0.05), (0.17, y + 0.05), (0.17, y - 0.05), (0.0, y - 0.05)], 24) for y in (0.54, -0.54)]
    hang = np.eye(4)
    hang[:3, 3] = (path[-1][0], path[-1][1] - 0.66, 0.0)
    return [
        Part("stone foot", foot),
        Part("post", post),
        Part("hook", hook),
        Part("paper shade", shade, hang),
        Part("shade rims", joined(rims), hang),
    ]


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
    rough = _rough(grid_x * 1.3 + phase * 7, grid_y * 1.9 + phase * 3)
    steep = np.clip((top - grid_y) / 0.3, 0, 1)
    swing = 0.45 * np.sin(grid_x * 0.55 + phase * 0.6)
    # Seen from above the terraces are rounded, so that the cliff has no open ends.
    rounded = -5.2 + (grid_z + 5.2) * np.sqrt(np.clip(1 - (grid_x / 4.5) ** 4, 0, 1))
    out = swing * ((grid_z - back) / (front - back)) + 0.16 * rough * steep
    points = np.dstack([grid_x, grid_y + 0.04 * rough * (1 - steep), rounded + out])
    v, u = np.meshgrid(np.linspace(0, 1, len(y)), np.linspace(0, 3, len(x)), indexing="ij")
    return mesh_from(
        points.reshape(-1, 3), grid_triangles(len(y) - 1, len(x) - 1), uvs=np.dstack([u, v]).reshape(-1, 2)
    )


def _rough(a: Row, b: Row) -> Row:
    return np.asarray(
        0.5 * np.sin(a * 2.1 + 1.3 * np.sin(b * 1.7))
        + 0.3 * np.sin(a * 4.7 - b * 3.1 + 2.0)
        + 0.2 * np.abs(np.sin(a * 7.3 + b * 8.9))
    )


def _turned(profile: list[tuple[float, float]], sectors: int) -> Mesh:
    """A profile from top to bottom turned about Y, with normals from its slope and hard edges where it bends."""
    rings = []
    for (r0, y0), (r1, y1) in itertools.pairwise(profile):
        normal = np.array([[y0 - y1, r1 - r0]] * 2)
        rings.append(lathe(np.array([[r0, y0], [r1, y1]]), sectors, normal))
    return joined(rings)


def _tube(path: Row, radius: float, sectors: int) -> Mesh:
    """A round bar along a path in the x–y plane."""
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    across = np.array([0.0, 0.0, 1.0])
    up = np.cross(across, along)
    turn = np.linspace(0, 2 * np.pi, sectors + 1)
    normals = np.cos(turn)[None, :, None] * up[:, None, :] + np.sin(turn)[None, :, None] * across
    points = path[:, None, :] + radius * normals
    triangles = grid_triangles(len(path) - 1, sectors)[:, ::-1]
    return mesh_from(points.reshape(-1, 3), triangles, normals.reshape(-1, 3))
