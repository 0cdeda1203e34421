"""What a graph gives at a mesh's vertices, so that every node can paint."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from soft_lantern.errors import BadValue
from soft_lantern.graph.instances.values import Look
from soft_lantern.graph.lowering import Lowered, lower, uniform_values
from soft_lantern.ir.expr import Type
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.surface_inputs import at_vertex
from soft_lantern.render.frame import UniformValue, frame_inputs
from soft_lantern.render.soft import vertex_leaves
from soft_lantern.scene.mesh import Floats, Mesh
from soft_lantern.scene.transforms import Camera
from soft_lantern.values.images import Image


def wire_at_vertices(
    found: Look,
    wire: str,
    mesh: Mesh,
    of_object: Mapping[str, tuple[float, ...]],
    camera: Camera,
    images: Mapping[str, Image],
) -> Floats:
    """A wire of a look, "node.port", at every vertex as RGBA, (n, 4): a number in each of RGB, alpha 1 without one.

    `of_object`: what the object brings (`render.staging.object_inputs`). What is not finite counts as 0. Raises
    BadValue where the look has no such wire, or it carries a texture.
    """
    lowered = lower(found.material)
    expr = lowered.wires.get(wire)
    if expr is None or expr.type is Type.SAMPLER:
        raise BadValue(f"{found.material.name} has no numbers at “{wire}”")
    value = at_vertex(expr)
    leaves = vertex_leaves(mesh, {"value": value}, *_given(found, lowered, of_object, camera, images))
    rows = as_rows(evaluate([value], leaves, np.float64)[value], len(mesh.positions))
    made = np.ones((len(rows), 4), np.float32)
    if rows.shape[1] == 1:
        made[:, :3] = rows
    else:
        made[:, : rows.shape[1]] = rows
        made[:, rows.shape[1] : 3] = 0.0
    return np.nan_to_num(made, nan=0.0, posinf=0.0, neginf=0.0)


def _given(
    found: Look,
    lowered: Lowered,
    of_object: Mapping[str, tuple[float, ...]],
    camera: Camera,
    images: Mapping[str, Image],
) -> tuple[dict[str, tuple[float, ...]], dict[str, UniformValue]]:
    """What the frame and the object bring to a look's wires, and the values of its uniforms."""
    inputs = {**frame_inputs(camera, (1, 1)), **of_object}
    return inputs, dict(uniform_values(lowered, found.material, found.shown, images))
