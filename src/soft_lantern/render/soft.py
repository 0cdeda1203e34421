"""The NumPy renderer: small and correct, not fast. It reads the same frames and the same expressions as OpenGL.

Pixels are found by rasterising triangles at pixel centres; what they look like comes from the NumPy reader in one
pass per item.
"""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from soft_lantern.errors import LanternError
from soft_lantern.ir.expr import Op, topological
from soft_lantern.ir.numpy_reader import Array, as_rows, evaluate, leaf
from soft_lantern.render.frame import Frame, Item, Paint, Picture
from soft_lantern.render.surface_model import DISPLAYED
from soft_lantern.scene.mesh import Matrix, Mesh
from soft_lantern.scene.transforms import normal_matrix

CANDIDATES_AT_ONCE = 2_000_000
NEAR = 1e-6


class SoftRenderer:
    """Draws frames with NumPy. Never needs graphics hardware or drivers."""

    name = "soft"
    device = "NumPy"
    compiled = 0

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame, without multisampling."""
        started = time.perf_counter()
        width, height = frame.size
        if width * height > 64_000_000:
            raise LanternError(f"{width} × {height} is more than the NumPy renderer draws")
        colour = np.empty((height * width, 4), np.float32)
        depth = np.full(height * width, np.inf)
        everywhere = np.arange(height * width)
        colour[:] = _backdrop(frame, everywhere)
        for item in frame.items:
            if not item.blended:
                hits = rasterise(item.mesh, frame.camera.view_projection @ item.matrix, frame.size, depth)
                depth[hits.pixels] = hits.depths
                colour[hits.pixels] = _painted(frame, item, hits)
        for item in frame.items:
            if item.blended:
                hits = rasterise(item.mesh, frame.camera.view_projection @ item.matrix, frame.size, depth)
                over = _painted(frame, item, hits)
                alpha = over[:, 3:]
                under = colour[hits.pixels]
                colour[hits.pixels] = np.hstack(
                    [over[:, :3] * alpha + under[:, :3] * (1 - alpha), alpha + under[:, 3:] * (1 - alpha)]
                )
        shown = _read(Paint(frame.display), {str(DISPLAYED.data): colour.T}, len(colour))
        # The way OpenGL 3.3 (section 2.1.5) turns a float into an 8-bit component.
        pixels = np.floor(np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)
        shape = (height, width, 4)
        return Picture(pixels.reshape(shape), colour.reshape(shape), time.perf_counter() - started)


@dataclass(frozen=True, slots=True)
class Hits:
    """Which pixels a mesh is nearest in: pixel index, depth in 0–1, triangle corners (n, 3) and their weights (n, 3).

    `front` says whether the triangle is seen from outside.
    """

    pixels: npt.NDArray[np.int64]
    depths: npt.NDArray[np.float64]
    weights: npt.NDArray[np.float64]
    positions: npt.NDArray[np.float64]
    normals: npt.NDArray[np.float64]
    uvs: npt.NDArray[np.float64]
    colours: npt.NDArray[np.float64]
    front: npt.NDArray[np.bool_]


def rasterise(mesh: Mesh, to_clip: Matrix, size: tuple[int, int], depth: npt.NDArray[np.float64]) -> Hits:
    """Where the mesh, carried to clip space by a 4×4 matrix, is nearer than `depth` (one value for each pixel).

    Attributes are interpolated with perspective, as in the OpenGL 3.3 specification, section 3.6.1.
    """
    corners = _clipped_corners(mesh, to_clip)
    clip = corners[..., :4]
    w = clip[..., 3]
    screen = np.stack([(clip[..., 0] / w * 0.5 + 0.5) * size[0], (0.5 - clip[..., 1] / w * 0.5) * size[1]], axis=-1)
    z = clip[..., 2] / w * 0.5 + 0.5
    area = _cross(screen[:, 1] - screen[:, 0], screen[:, 2] - screen[:, 0])
    low = np.clip(np.ceil(screen.min(axis=1) - 0.5), 0, size).astype(np.int64)
    high = np.clip(np.floor(screen.max(axis=1) - 0.5) + 1, 0, size).astype(np.int64)
    extent = np.maximum(high - low, 0)
    counts = np.where(np.abs(area) > 1e-12, extent[:, 0] * extent[:, 1], 0)
    best = depth.copy()
    kept: list[tuple[Array, ...]] = []
    for chunk in _chunks(counts):
        triangle = np.repeat(chunk, counts[chunk])
        step = np.arange(len(triangle)) - np.repeat(np.cumsum(counts[chunk]) - counts[chunk], counts[chunk])
        x = low[triangle, 0] + step % extent[triangle, 0]
        y = low[triangle, 1] + step // extent[triangle, 0]
        centre = np.stack([x + 0.5, y + 0.5], axis=1)
        a, b, c = (screen[triangle, i] for i in range(3))
        weights = np.stack([_cross(b - centre, c - centre), _cross(c - centre, a - centre)], axis=1)
        weights = weights / area[triangle, None]
        weights = np.column_stack([weights, 1 - weights.sum(axis=1)])
        at = (z[triangle] * weights).sum(axis=1)
        pixel = y * size[0] + x
        inside = (weights >= 0).all(axis=1) & (at >= 0) & (at <= 1) & (at < best[pixel])
        pixel, at, triangle, weights = pixel[inside], at[inside], triangle[inside], weights[inside]
        nearest = np.lexsort((at, pixel))
        first = nearest[np.r_[True, pixel[nearest][1:] != pixel[nearest][:-1]]] if len(nearest) else nearest
        best[pixel[first]] = at[first]
        kept.append((pixel[first], at[first], triangle[first], weights[first]))
    if not kept:
        kept.append((np.zeros(0, np.int64), np.zeros(0), np.zeros(0, np.int64), np.zeros((0, 3))))
    pixel, at, triangle, weights = (np.concatenate([k[i] for k in kept]) for i in range(4))
    # A later chunk may have come nearer in the same pixel.
    final = at == best[pixel]
    pixel, at, triangle, weights = pixel[final], at[final], triangle[final], weights[final]
    true = weights / w[triangle]
    true /= true.sum(axis=1, keepdims=True)
    mixed = np.einsum("nc,nca->na", true, corners[triangle][..., 4:])
    return Hits(pixel, at, true, mixed[:, :3], mixed[:, 3:6], mixed[:, 6:8], mixed[:, 8:12], front=area[triangle] < 0)


def _clipped_corners(mesh: Mesh, to_clip: Matrix) -> npt.NDArray[np.float64]:
    """Triangles (n, 3, 16): clip position, then the attributes; cut where they cross behind the eye."""
    points = np.c_[mesh.positions.astype(np.float64), np.ones(len(mesh.positions))]
    rows = np.hstack([points @ to_clip.T, mesh.positions, mesh.normals, mesh.uvs, mesh.colours])
    corners = rows[mesh.triangles]
    near = corners[..., 2] + corners[..., 3]  # the near plane: z = −w
    outside = near < NEAR
    whole = corners[~outside.any(axis=1)]
    crossing = np.flatnonzero(outside.any(axis=1) & ~outside.all(axis=1))
    pieces = [piece for index in crossing for piece in _cut(corners[index], near[index])]
    return np.concatenate([whole, np.array(pieces)]) if pieces else whole


def _cut(corners: npt.NDArray[np.float64], near: npt.NDArray[np.float64]) -> list[npt.NDArray[np.float64]]:
    """The part of one triangle in front of the near plane, as one or two triangles (Sutherland and Hodgman)."""
    polygon: list[npt.NDArray[np.float64]] = []
    for i in range(3):
        j = (i + 1) % 3
        if near[i] >= NEAR:
            polygon.append(corners[i])
        if (near[i] >= NEAR) != (near[j] >= NEAR):
            t = (NEAR - near[i]) / (near[j] - near[i])
            polygon.append(corners[i] + t * (corners[j] - corners[i]))
    return [np.stack([polygon[0], polygon[k], polygon[k + 1]]) for k in range(1, len(polygon) - 1)]


def _chunks(counts: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
    """Triangle numbers in runs whose candidate pixels fit in memory together."""
    used = np.flatnonzero(counts)
    if not len(used):
        return []
    batch = np.cumsum(counts[used]) // CANDIDATES_AT_ONCE
    return np.split(used, np.flatnonzero(np.diff(batch)) + 1)


def _cross(a: npt.NDArray[np.float64], b: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])


def _painted(frame: Frame, item: Item, hits: Hits) -> npt.NDArray[np.float32]:
    """Linear RGBA of the item at the pixels it covers, (n, 4)."""
    inputs = surface_inputs(item.matrix, hits)
    inputs |= {"camera_position": leaf(frame.camera.position), "time": leaf([frame.time])}
    inputs["pixel_place"] = _pixel_places(frame, hits.pixels)
    return _read(item.paint, inputs, len(hits.pixels))


def surface_inputs(matrix: Matrix, hits: Hits) -> dict[str, Array]:
    """The inputs that hit points of a mesh under a world matrix bring along, in the NumPy reader's layout."""
    world = hits.positions @ matrix[:3, :3].T + matrix[:3, 3]
    normals = hits.normals @ normal_matrix(matrix).T
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(hits.front[:, None], 1, -1) * normals / np.where(lengths > 0, lengths, 1)
    return {
        "position_object": hits.positions.T,
        "position_world": world.T,
        "normal_world": normals.T,
        "uv": hits.uvs.T,
        "vertex_color": hits.colours.T,
    }


def _pixel_places(frame: Frame, pixels: npt.NDArray[np.int64]) -> Array:
    width, height = frame.size
    return np.stack([pixels % width + 0.5, height - pixels // width - 0.5])


def _backdrop(frame: Frame, pixels: npt.NDArray[np.int64]) -> npt.NDArray[np.float32]:
    width, height = frame.size
    x, y = (pixels % width + 0.5) / width * 2 - 1, 1 - (pixels // width + 0.5) / height * 2
    far = np.stack([x, y, np.ones_like(x), np.ones_like(x)]).T @ np.linalg.inv(frame.camera.view_projection).T
    inputs = {
        "position_world": (far[:, :3] / far[:, 3:]).T,
        "camera_position": leaf(frame.camera.position),
        "time": leaf([frame.time]),
    }
    return _read(frame.backdrop, inputs, len(pixels))


def _read(paint: Paint, inputs: dict[str, Array], count: int) -> npt.NDArray[np.float32]:
    leaves = dict(inputs)
    for expr in topological([paint.colour]):
        if expr.op is Op.UNIFORM and str(expr.data) not in leaves:
            leaves[str(expr.data)] = leaf(paint.uniforms[str(expr.data)])
    return as_rows(evaluate([paint.colour], leaves)[paint.colour], count)
