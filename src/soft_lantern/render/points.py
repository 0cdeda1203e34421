"""Buffers of surface points that graphs are measured on: a flat card, or what the stage sees of its objects."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from soft_lantern.graph.document import Scene
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import Array, leaf
from soft_lantern.render.soft import Hits, rasterise, surface_inputs
from soft_lantern.render.staging import placed_parts
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.picking import Hit
from soft_lantern.scene.transforms import Camera


@dataclass(frozen=True, eq=False)
class Points:
    """Points of a picture of `size` (width, height): which pixels they are in, row by row, and their inputs by name."""

    size: tuple[int, int]
    pixels: npt.NDArray[np.int64]
    inputs: dict[str, Array]
    words: str

    @property
    def count(self) -> int:
        return len(self.pixels)


def point_under(hit: Hit[object], camera: Camera, depth_behind: float = 0.0) -> Points:
    """The surface point that a ray met, as a buffer of one, with the distance to the surface behind it in metres."""
    mesh, corners = hit.mesh, hit.mesh.triangles[hit.triangle]
    weights = np.asarray([hit.weights])
    place = np.zeros(1, np.int64)
    position, normal = weights @ mesh.positions[corners], weights @ mesh.normals[corners]
    uv, colour = weights @ mesh.uvs[corners], weights @ mesh.colours[corners]
    single = Hits(place, np.zeros(1), weights, position, normal, uv, colour, np.array([hit.front]))
    inputs: dict[str, Array] = dict(surface_inputs(hit.matrix, single))
    inputs["camera_position"] = leaf(camera.position)
    inputs["view_distance"] = leaf([float(np.linalg.norm(hit.point - camera.position))])
    inputs["depth_behind"] = leaf([depth_behind])
    return Points((1, 1), place, inputs, "the probe")


def at_time(points: Points, time: float) -> dict[str, Array]:
    """The inputs of the points at a moment, with the default of every input the points do not bring."""
    missing = {name: leaf(each.default) for name, each in INPUTS.items() if name not in points.inputs}
    return missing | points.inputs | {"time": leaf([time])}


def flat_card(size: int = 96) -> Points:
    """A card of 2 × 2 m that faces the viewer, uv 0–1 with v downwards, seen from 3 m."""
    steps = (np.arange(size) + 0.5) / size
    u, v = (each.ravel() for each in np.meshgrid(steps, steps))
    position = np.stack([u * 2 - 1, 1 - v * 2, np.zeros_like(u)]).astype(np.float32)
    eye = np.array([0.0, 0.0, 3.0])
    inputs: dict[str, Array] = {
        "position_world": position,
        "position_object": position,
        "normal_world": leaf([0, 0, 1]),
        "uv": np.stack([u, v]).astype(np.float32),
        "camera_position": leaf(eye),
        "view_distance": np.linalg.norm(position.T - eye, axis=1).astype(np.float32),
    }
    return Points((size, size), np.arange(size * size), inputs, "a flat card")


def on_objects(
    scene: Scene, models: dict[str, Model], camera: Camera, size: tuple[int, int], only: str = ""
) -> Points | None:
    """What the camera sees of a scene's objects, or of one by its id; None where it sees nothing of them."""
    depth = np.full(size[0] * size[1], np.inf)
    buffers: dict[str, npt.NDArray[np.float32]] = {}
    for thing in scene.objects:
        if thing.asset not in models or (only and thing.id != only):
            continue
        for _, mesh, matrix in placed_parts(thing, models[thing.asset]):
            hits = rasterise(mesh, camera.view_projection @ matrix, size, depth)
            depth[hits.pixels] = hits.depths
            for name, values in surface_inputs(matrix, hits).items():
                if name not in buffers:
                    buffers[name] = np.zeros((len(values), len(depth)), np.float32)
                buffers[name][:, hits.pixels] = values
    seen = np.flatnonzero(np.isfinite(depth))
    if not len(seen):
        return None
    inputs: dict[str, Array] = {name: np.ascontiguousarray(buffer[:, seen]) for name, buffer in buffers.items()}
    inputs["camera_position"] = leaf(camera.position)
    away = inputs["position_world"] - inputs["camera_position"]
    inputs["view_distance"] = np.sqrt((away * away).sum(axis=0))
    named = scene.object(only)
    return Points(size, seen, inputs, named.name if named else "the stage")
