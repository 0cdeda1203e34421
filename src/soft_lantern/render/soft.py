"""The NumPy renderer: small and correct, not fast. It reads the same frames and the same expressions as OpenGL.

Pixels are found by rasterising triangles at pixel centres; what they look like comes from the NumPy reader in one
pass per item.
"""

from __future__ import annotations

import time
from collections.abc import Collection, Iterator, Mapping

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from soft_lantern.errors import LanternError
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import BEHIND
from soft_lantern.ir.mip_levels import changes_worked_out
from soft_lantern.ir.numpy_reader import Array, as_rows, evaluate, leaf
from soft_lantern.render import shadow
from soft_lantern.render.frame import Frame, Item, Paint, Picture, UniformValue
from soft_lantern.render.raster import Hits, rasterise, walls_behind
from soft_lantern.render.shadow_key import shadow_key
from soft_lantern.render.staging import reads_behind
from soft_lantern.render.surface_model import DISPLAYED
from soft_lantern.scene.mesh import Indices, Mesh
from soft_lantern.scene.rows import within_runs
from soft_lantern.values.images import MISSING, Image


class SoftRenderer:
    """Draws frames with NumPy. Never needs graphics hardware or drivers."""

    name = "soft"
    device = "NumPy"
    driver = np.__version__
    smooths = False
    compiled = 0

    def __init__(self) -> None:
        self._shadow: tuple[tuple[object, ...], Image] = ((), NO_SHADOW_MAP)

    def release(self) -> None:
        """Let go of what is kept from one picture to the next."""
        self._shadow = ((), NO_SHADOW_MAP)

    def render(self, frame: Frame) -> Picture:
        """The picture of the frame, without multisampling and glow."""
        started = time.perf_counter()
        width, height = frame.size
        if width * height > 64_000_000:
            raise LanternError(f"{width} × {height} is more than the NumPy renderer draws")
        canvas = _Canvas(frame, self._shadow_map(frame))
        for late in (False, True):
            canvas.scene_depth = canvas.surface_depth.copy()
            if any(item.shown and reads_behind(item.paint.colour) for item in frame.items):
                rows = canvas.colour.reshape(height, width, 4)[::-1]
                canvas.behind = Image(rows.astype(np.float32), "data", "linear", "clamp")
            for item in frame.items:
                if item.shown and item.late == late:
                    canvas.draw(item)
        if frame.edges:
            for item in frame.items:
                if item.shown and not item.prop:
                    canvas.draw_edges(item)
        colour = canvas.colour
        shown = read_paint(Paint(frame.display), {str(DISPLAYED.data): colour.T}, len(colour))
        # The way OpenGL 3.3 (section 2.1.5) turns a float into an 8-bit component.
        pixels = np.floor(np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)
        shape = (height, width, 4)
        return Picture(pixels.reshape(shape), colour.reshape(shape), time.perf_counter() - started)

    def _shadow_map(self, frame: Frame) -> Image:
        """The frame's shadow map: the last one where nothing that throws shadows differs."""
        if frame.shadow is None:
            return NO_SHADOW_MAP
        key = shadow_key(frame, frame.shadow)
        if key != self._shadow[0]:
            self._shadow = key, _shadow_map(frame, frame.shadow)
        return self._shadow[1]


class _Canvas:
    """The buffers of a picture: linear colour, clip depth in 0–1, and the depth of the opaque surface in metres."""

    def __init__(self, frame: Frame, shadow_map: Image) -> None:
        self.frame = frame
        self.uniforms = dict(frame.uniforms)
        self.uniforms[str(shadow.PICTURE.data)] = shadow_map
        count = frame.size[0] * frame.size[1]
        self.colour = _backdrop(frame, np.arange(count))
        self.depth = np.full(count, np.inf)
        self.surface_depth = np.full(count, frame.camera.range[1], np.float32)
        self.scene_depth = self.surface_depth
        self.behind = MISSING

    def draw(self, item: Item) -> None:
        """Draw an item over what is there."""
        frame = self.frame
        hits = self._hits(item, self.depth)
        leaves = pixel_leaves(hits, frame.inputs | item.inputs, frame.size)
        leaves["scene_depth"] = self.scene_depth[hits.pixels]
        values = self.uniforms | item.uniforms | {str(BEHIND.data): self.behind}
        painted = read_paint(item.paint, leaves, len(hits.pixels), values)
        kept = painted[:, 3] >= 0.5 if item.paint.masked else np.ones(len(hits.pixels), bool)
        volumes = frame.volumes(item)
        if volumes:
            kept &= self._farther_walls(hits, volumes) < 0.5
        pixels, depths, painted = hits.pixels[kept], hits.depths[kept], painted[kept]
        if item.blended:
            for layer in _layers(pixels):
                over, under = painted[layer], self.colour[pixels[layer]]
                alpha = over[:, 3:]
                mixed = over[:, :3] * alpha + under[:, :3] * (1 - alpha)
                self.colour[pixels[layer]] = np.hstack([mixed, alpha + under[:, 3:] * (1 - alpha)])
        else:
            self.depth[pixels] = depths
            leaves["surface_depth"] = derived(["surface_depth"], leaves)["surface_depth"]
            self.surface_depth[pixels] = np.broadcast_to(leaves["surface_depth"], hits.pixels.shape)[kept]
            self.colour[pixels] = painted

    def draw_edges(self, item: Item) -> None:
        """Draw the edges of an item's nearest triangles."""
        hits = self._hits(item, np.where(np.isfinite(self.depth), self.depth * (1 + 1e-6) + 1e-7, np.inf))
        at_edge = np.unique(hits.pixels[hits.from_edge() < 0.6])
        edge, share = np.array(EDGE_COLOUR[:3], np.float32), EDGE_COLOUR[3]
        self.colour[at_edge, :3] = self.colour[at_edge, :3] * (1 - share) + edge * share

    def _hits(self, item: Item, depth: npt.NDArray[np.float64]) -> Hits:
        frame = self.frame
        order = frame.order(item) if item.blended else None
        hits = drawn(item, frame.inputs, frame.camera.view_projection, frame.size, depth, frame.uniforms, order)
        return replace(hits, front=~hits.front) if item.mirrored else hits

    def _farther_walls(self, hits: Hits, volumes: list[Item]) -> npt.NDArray[np.float64]:
        """Behind each hit, how many more walls of the volumes lead out than in: more than none inside a volume."""
        frame = self.frame
        own = np.full(frame.size[0] * frame.size[1], np.inf)
        np.minimum.at(own, hits.pixels, hits.depths)
        walls = np.zeros(len(own))
        for volume in volumes:
            placed = _placed(volume, frame.inputs, frame.uniforms, ())
            clip = _clip(placed["position_world"], frame.camera.view_projection)
            walls += walls_behind(volume.mesh.triangles, clip, frame.size, own) * (-1 if volume.mirrored else 1)
        return np.asarray(walls[hits.pixels])


def _layers(pixels: npt.NDArray[np.int64]) -> Iterator[npt.NDArray[np.int64]]:
    """Places in a list of pixels: first each pixel's first, then its second, and so on."""
    grouped = np.argsort(pixels, kind="stable")
    ordered = pixels[grouped]
    starts = np.flatnonzero(np.r_[True, ordered[1:] != ordered[:-1]]) if len(ordered) else np.zeros(0, np.int64)
    rank = within_runs(np.diff(np.r_[starts, len(ordered)]))
    for layer in range(int(rank.max()) + 1 if len(rank) else 0):
        yield grouped[rank == layer]


NO_SHADOW_MAP = Image(np.full((1, 1, 4), shadow.NOTHING, np.float32), "data", "nearest", "clamp")
"""Stands where nothing throws a shadow."""
EDGE_COLOUR = (0.02, 0.02, 0.03, 0.6)
"""Linear, and how much of it covers."""


def _shadow_map(frame: Frame, view: shadow.ShadowView) -> Image:
    """The depth along the sun's rays of what casts shadows, first row lowest as OpenGL draws it."""
    size = (shadow.SIZE, shadow.SIZE)
    depth = np.full(shadow.SIZE**2, np.inf)
    found = np.full((shadow.SIZE**2, 4), shadow.NOTHING, np.float32)
    paint = Paint(shadow.drawn_depth())
    for item in frame.casters:
        whole, needed = replace(item, culled=False), None if item.paint.masked else {"position_world"}
        hits = drawn(whole, frame.inputs, view.view_projection, size, depth, frame.uniforms, needed=needed)
        leaves = pixel_leaves(hits, frame.inputs | item.inputs, frame.size, rates=item.paint.masked)
        kept = np.ones(len(hits.pixels), bool)
        if item.paint.masked:
            kept = read_paint(item.paint, leaves, len(hits.pixels), frame.uniforms | item.uniforms)[:, 3] >= 0.5
        depth[hits.pixels[kept]] = hits.depths[kept]
        found[hits.pixels[kept]] = read_paint(paint, leaves, len(hits.pixels), frame.uniforms)[kept]
    return Image(found.reshape(*size, 4)[::-1], "data", "nearest", "clamp")


def drawn(
    item: Item,
    of_frame: Mapping[str, tuple[float, ...]],
    view_projection: npt.NDArray[np.float64],
    size: tuple[int, int],
    depth: npt.NDArray[np.float64],
    shared: Mapping[str, UniformValue] | None = None,
    order: Indices | None = None,
    needed: Collection[str] | None = None,
) -> Hits:
    """Where an item is nearer than `depth` in a picture, and what its triangles carry there.

    `of_frame`: the inputs of `ir.surface_inputs.OF_FRAME`; `shared`: values of uniforms that are not the paint's
    own. `order`: the triangles in an order in which all of them count, not the nearest alone. `needed`: what is
    carried, the position in the world in any case; otherwise all that can be.
    """
    carried = _placed(item, of_frame, shared or {}, needed)
    clip = _clip(carried["position_world"], view_projection)
    facing = (-1 if item.mirrored else 1) if item.culled else 0
    triangles = item.mesh.triangles if order is None else order
    return rasterise(triangles, clip, carried, size, depth, facing, order is not None)


def _placed(
    item: Item,
    of_frame: Mapping[str, tuple[float, ...]],
    shared: Mapping[str, UniformValue],
    needed: Collection[str] | None = None,
) -> dict[str, npt.NDArray[np.float64]]:
    wanted = surface_inputs.vertex(item.paint.offset)
    if needed is not None:
        wanted = {name: expr for name, expr in wanted.items() if name in needed or name == "position_world"}
    leaves = vertex_leaves(item.mesh, wanted, {**of_frame, **item.inputs}, {**shared, **item.uniforms})
    return shaded_vertices(item.mesh, wanted, leaves)


def _clip(positions: npt.NDArray[np.float64], view_projection: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.asarray(np.c_[positions, np.ones(len(positions))] @ view_projection.T)


def vertex_leaves(
    mesh: Mesh,
    wanted: Mapping[str, Expr],
    inputs: Mapping[str, tuple[float, ...]],
    uniforms: Mapping[str, UniformValue],
) -> dict[str, Array]:
    """What the vertex expressions read, in the NumPy reader's layout."""
    leaves: dict[str, Array] = {}
    for expr in topological(wanted.values()):
        name = str(expr.data)
        if expr.op is Op.UNIFORM:
            leaves[name] = leaf(uniforms[name], np.float64)
        elif expr.op is Op.INPUT:
            rows = mesh_rows(mesh, name) if name.startswith("mesh_") else None
            leaves[name] = leaf(inputs[name], np.float64) if rows is None else rows.T.astype(np.float64)
    return leaves


def mesh_rows(mesh: Mesh, name: str) -> npt.NDArray[np.float32]:
    """An attribute or slope of a mesh by its name in `ir.surface_inputs`, (n, k)."""
    if name.endswith(("_along", "_across")):
        return mesh.slopes[name.removeprefix("mesh_")]
    rows: npt.NDArray[np.float32] = getattr(mesh, _ROWS[name])
    return rows


_ROWS = {
    "mesh_position": "positions",
    "mesh_normal": "normals",
    "mesh_tangent": "tangents",
    "mesh_uv": "uvs",
    "mesh_uv1": "uv1s",
    "mesh_color": "colours",
    "mesh_light_uv": "in_light_map",
}


def shaded_vertices(
    mesh: Mesh, wanted: Mapping[str, Expr], leaves: Mapping[str, Array]
) -> dict[str, npt.NDArray[np.float64]]:
    """What each vertex hands on, (n, k), in double precision."""
    values = evaluate(wanted.values(), leaves, np.float64)
    return {name: as_rows(values[expr], len(mesh.positions)) for name, expr in wanted.items()}


def pixel_leaves(
    hits: Hits, inputs: Mapping[str, tuple[float, ...]], size: tuple[int, int], *, rates: bool = True
) -> dict[str, Array]:
    """What pixels are handed: carried values and, if asked, how they change to the next pixel; object, frame, place."""
    leaves: dict[str, Array] = {name: leaf(value) for name, value in inputs.items()}
    leaves |= {name: rows.T.astype(np.float32) for name, rows in hits.carried.items()}
    if rates:
        leaves |= {name: rows.T.astype(np.float32) for name, rows in hits.carried_rates().items()}
    leaves["facing"] = np.where(hits.front, np.float32(1), np.float32(-1))
    leaves["pixel_place"] = _pixel_place(hits.pixels, size)
    return leaves


def _pixel_place(pixels: npt.NDArray[np.int64], size: tuple[int, int]) -> Array:
    width, height = size
    return np.stack([pixels % width + 0.5, height - pixels // width - 0.5]).astype(np.float32)


def derived(names: list[str], leaves: Mapping[str, Array]) -> dict[str, Array]:
    """Inputs that pixels work out, by name."""
    exprs = {name: surface_inputs.derived_inputs()[name] for name in names}
    values = evaluate(exprs.values(), leaves)
    return {name: values[expr] for name, expr in exprs.items()}


def read_paint(
    paint: Paint, inputs: Mapping[str, Array], count: int, uniforms: Mapping[str, UniformValue] | None = None
) -> npt.NDArray[np.float32]:
    """Linear RGBA of a paint where the inputs are, (n, 4); `uniforms` are its own where none are given."""
    (colour,) = changes_worked_out(surface_inputs.at_pixel([paint.colour]))
    leaves, values = dict(inputs), paint.uniforms if uniforms is None else uniforms
    for expr in topological([colour]):
        if expr.op is Op.UNIFORM and str(expr.data) not in leaves:
            leaves[str(expr.data)] = leaf(values[str(expr.data)])
    return as_rows(evaluate([colour], leaves)[colour], count)


def _backdrop(frame: Frame, pixels: npt.NDArray[np.int64]) -> npt.NDArray[np.float32]:
    width, height = frame.size
    x, y = (pixels % width + 0.5) / width * 2 - 1, 1 - (pixels // width + 0.5) / height * 2
    far = np.stack([x, y, np.ones_like(x), np.ones_like(x)]).T @ np.linalg.inv(frame.camera.view_projection).T
    inputs = {name: leaf(value) for name, value in frame.inputs.items()}
    inputs["position_world"] = (far[:, :3] / far[:, 3:]).T
    inputs["pixel_place"] = _pixel_place(pixels, frame.size)
    return read_paint(frame.backdrop, inputs, len(pixels), frame.uniforms | frame.backdrop.uniforms).copy()
