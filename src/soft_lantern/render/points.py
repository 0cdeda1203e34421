"""Buffers of surface points that graphs are measured on: a flat card, or what the stage sees of its objects."""

from __future__ import annotations

import functools
from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.document import Scene
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import const
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import Array, leaf
from soft_lantern.render.frame import Item, Paint, frame_inputs
from soft_lantern.render.soft import derived, drawn, pixel_leaves, shaded_vertices, vertex_leaves
from soft_lantern.render.staging import object_inputs, placed_parts
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.picking import Hit
from soft_lantern.scene.transforms import Camera


class Points(Struct, frozen=True, eq=False):
    """Points of a picture of `size` (width, height): which pixels they are in, row by row, and their inputs by name."""

    size: tuple[int, int]
    pixels: npt.NDArray[np.int64]
    inputs: dict[str, Array]
    words: str

    @property
    def count(self) -> int:
        return len(self.pixels)


DERIVED = ("normal_world", "tangent_world", "bitangent_world", "view_distance", "surface_depth", "front_facing")


def point_under(
    hit: Hit[object],
    camera: Camera,
    of_object: Mapping[str, tuple[float, ...]],
    pixel: tuple[float, float] = (0.5, 0.5),
    size: tuple[int, int] = (1, 1),
    depth_behind: float | None = None,
) -> Points:
    """The surface point that a ray met in a pixel of a picture, as a buffer of one.

    `depth_behind`: metres along the ray to the surface behind it; None where there is nothing behind.
    """
    weights = np.asarray([hit.weights])
    inputs = {**frame_inputs(camera, size), **of_object}
    wanted = surface_inputs.still_vertex()
    vertices = shaded_vertices(hit.mesh, wanted, vertex_leaves(hit.mesh, wanted, inputs, {}))
    corners = hit.mesh.triangles[hit.triangle]
    leaves: dict[str, Array] = {name: leaf(value) for name, value in inputs.items()}
    leaves |= {name: (weights @ rows[corners]).T.astype(np.float32) for name, rows in vertices.items()}
    leaves["facing"] = leaf([1.0 if hit.front else -1.0])
    leaves["pixel_place"] = leaf(pixel)
    leaves |= derived([*DERIVED], leaves)
    if depth_behind is None:
        leaves["scene_depth"] = leaf([camera.range[1]])
        leaves |= derived(["depth_behind"], leaves)
    else:
        leaves["depth_behind"] = leaf([depth_behind])
        share = leaves["surface_depth"] / leaves["view_distance"]
        leaves["scene_depth"] = leaves["surface_depth"] + np.float32(depth_behind) * share
    return Points((1, 1), np.zeros(1, np.int64), _public(leaves), "the probe")


def at_time(points: Points, time: float) -> dict[str, Array]:
    """The inputs of the points at a moment, with the default of every input the points do not bring."""
    return _defaults() | points.inputs | {"time": leaf([time])}


@functools.cache
def _defaults() -> dict[str, Array]:
    return {name: leaf(each.default) for name, each in INPUTS.items()}


def _public(leaves: Mapping[str, Array]) -> dict[str, Array]:
    return {name: value for name, value in leaves.items() if name in INPUTS}


def flat_card(size: int = 96) -> Points:
    """A card of 2 × 2 m that faces the viewer, uv 0–1 with v downwards, seen from 3 m."""
    steps = (np.arange(size) + 0.5) / size
    u, v = (each.ravel() for each in np.meshgrid(steps, steps))
    position = np.stack([u * 2 - 1, 1 - v * 2, np.zeros_like(u)]).astype(np.float32)
    eye, step = np.array([0.0, 0.0, 3.0]), 1 / size
    away = np.linalg.norm(position.T - eye, axis=1).astype(np.float32)
    uv = np.stack([u, v]).astype(np.float32)
    inputs: dict[str, Array] = {
        "position_world": position,
        "position_object": position,
        "normal_world": leaf([0, 0, 1]),
        "tangent_world": leaf([1, 0, 0]),
        "bitangent_world": leaf([0, 1, 0]),
        "uv": uv,
        "uv1": uv,
        "camera_position": leaf(eye),
        "view_distance": away,
        "surface_depth": leaf([3.0]),
        "scene_depth": leaf([4.0]),
        "depth_behind": away / 3,
        "pixel_place": np.stack([u * size, (1 - v) * size]).astype(np.float32),
        "picture_size": leaf([size, size]),
        "uv_dx": leaf([step, 0]),
        "uv_dy": leaf([0, -step]),
        "uv1_dx": leaf([step, 0]),
        "uv1_dy": leaf([0, -step]),
        "view_distance_dx": position[0] / away * np.float32(2 * step),
        "view_distance_dy": position[1] / away * np.float32(2 * step),
    }
    for space in ("world", "object"):
        inputs[f"position_{space}_dx"] = leaf([2 * step, 0, 0])
        inputs[f"position_{space}_dy"] = leaf([0, 2 * step, 0])
    return Points((size, size), np.arange(size * size), inputs, "a flat card")


def on_objects(
    scene: Scene, models: dict[str, Model], camera: Camera, size: tuple[int, int], only: str = ""
) -> Points | None:
    """What the camera sees of a scene's objects, or of one by its id; None where it sees nothing of them.

    The surface behind a point is that of the other objects, or the farthest the camera sees.
    """
    of_frame, paint = frame_inputs(camera, size), Paint(const(0, 0, 0, 1))
    count = size[0] * size[1]
    depth = np.full(count, np.inf)
    others = np.full(count, camera.range[1], np.float32)
    buffers: dict[str, npt.NDArray[np.float32]] = {}
    for thing in scene.objects:
        if thing.asset not in models:
            continue
        for name, mesh, _ in placed_parts(thing, models[thing.asset]):
            if name in thing.hidden:
                continue
            of_object = object_inputs(thing, models[thing.asset], mesh)
            mine = not only or thing.id == only
            item, reach = Item(mesh, of_object, paint), depth if mine else np.full(count, np.inf)
            hits = drawn(item, of_frame, camera.view_projection, size, reach)
            leaves = pixel_leaves(hits, {**of_frame, **of_object}, size)
            leaves |= derived(
                [*DERIVED, *(n for n in surface_inputs.derived_inputs() if n.endswith(("_dx", "_dy")))], leaves
            )
            if not mine:
                others[hits.pixels] = np.minimum(others[hits.pixels], leaves["surface_depth"])
                continue
            depth[hits.pixels] = hits.depths
            for name, values in _public(leaves).items():
                if name in of_frame or name == "scene_depth":
                    continue
                rows = np.atleast_2d(values)
                if name not in buffers:
                    buffers[name] = np.zeros((len(rows), count), np.float32)
                buffers[name][:, hits.pixels] = rows
    seen = np.flatnonzero(np.isfinite(depth))
    if not len(seen):
        return None
    inputs: dict[str, Array] = {
        name: np.ascontiguousarray(rows[:, seen] if len(rows) > 1 else rows[0, seen]) for name, rows in buffers.items()
    }
    inputs |= {name: leaf(value) for name, value in of_frame.items()}
    inputs["scene_depth"] = np.maximum(others[seen], inputs["surface_depth"])
    inputs |= derived(["depth_behind"], inputs)
    named = scene.object(only)
    return Points(size, seen, inputs, named.name if named else "the stage")
