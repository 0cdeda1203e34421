"""What a look answers at places on a mesh's triangles, by the NumPy reader: as a pixel there would, at rest."""

from __future__ import annotations

import functools
from collections.abc import Collection, Mapping, Sequence
from hashlib import sha1

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.lowering import Lowered
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import Expr, Op, topological
from soft_lantern.ir.inputs import BEHIND, INPUTS
from soft_lantern.ir.mip_levels import changes_worked_out
from soft_lantern.ir.numpy_reader import Array, as_rows, evaluate, leaf
from soft_lantern.render.frame import UniformValue, frame_inputs
from soft_lantern.render.soft import shaded_vertices, vertex_leaves
from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.transforms import Camera
from soft_lantern.values.images import MISSING

Floats = npt.NDArray[np.float32]
AT_ONCE = 65_536


class Worn(Struct, frozen=True, eq=False, dict=True):
    """A mesh of an object in what it wears: the lowered material with the values of its uniforms, and the camera."""

    mesh: Mesh
    of_object: Mapping[str, tuple[float, ...]]
    lowered: Lowered
    uniforms: Mapping[str, UniformValue]
    camera: Camera

    @functools.cached_property
    def carried(self) -> dict[str, npt.NDArray[np.float64]]:
        """What each vertex hands on, (n, k) by the names of `ir.surface_inputs.CARRIED`, in the world."""
        wanted = surface_inputs.vertex(self.lowered.offset)
        inputs = {**frame_inputs(self.camera, (1, 1)), **self.of_object}
        return shaded_vertices(self.mesh, wanted, vertex_leaves(self.mesh, wanted, inputs, self.uniforms))

    def surface(
        self,
        names: Sequence[str],
        triangles: npt.NDArray[np.int64],
        places: npt.NDArray[np.float64],
    ) -> dict[str, Floats]:
        """Surface inputs such as "emissive" at places (k, 2) of triangles: (k, 1 or 3) each.

        A place is the weights of the second and third corner. What is not finite counts as 0 or the largest float.
        """
        values = changes_worked_out(surface_inputs.at_pixel([self.lowered.surface[name] for name in names]))
        found: dict[str, list[Floats]] = {name: [] for name in names}
        read = {str(expr.data) for expr in topological(values) if expr.op is Op.INPUT}
        carried = {name: rows for name, rows in self.carried.items() if name in read}
        for low in range(0, max(len(triangles), 1), AT_ONCE):
            part = slice(low, low + AT_ONCE)
            count = len(triangles[part])
            leaves = self._leaves(values, at_places(self.mesh, carried, triangles[part], places[part]))
            worked_out = evaluate(values, leaves)
            for name, value in zip(names, values, strict=True):
                rows = np.nan_to_num(as_rows(worked_out[value], count), nan=0.0)
                found[name].append(np.asarray(rows, np.float32))
        return {name: np.concatenate(pieces) for name, pieces in found.items()}

    def read(self, names: Sequence[str], handed: Collection[str] = ()) -> str:
        """A digest of what surface inputs read here beside the look itself, and of some that is handed on."""
        values = changes_worked_out(surface_inputs.at_pixel([self.lowered.surface[name] for name in names]))
        wanted = {str(expr.data) for expr in topological(values) if expr.op is Op.INPUT}
        given = {**frame_inputs(self.camera, (1, 1)), **self.of_object}
        whole = sha1(repr([(name, given[name]) for name in sorted(wanted & given.keys())]).encode())
        for name in sorted(self.carried.keys() & (wanted | set(handed))):
            whole.update(np.ascontiguousarray(self.carried[name]).data)
        return whole.hexdigest()

    def _leaves(self, values: Sequence[Expr], carried: Mapping[str, npt.NDArray[np.float64]]) -> dict[str, Array]:
        leaves: dict[str, Array] = {name: leaf(each.default) for name, each in INPUTS.items()}
        leaves |= {name: leaf(value) for name, value in frame_inputs(self.camera, (1, 1)).items()}
        leaves |= {name: leaf(value) for name, value in self.of_object.items()}
        leaves |= {name: rows.T.astype(np.float32) for name, rows in carried.items()}
        leaves["scene_depth"] = leaf([self.camera.range[1]])
        for expr in topological(values):
            name = str(expr.data)
            if expr.op is Op.UNIFORM:
                leaves[name] = leaf(MISSING if expr is BEHIND else self.uniforms[name])
            elif expr.op is Op.INPUT and name not in leaves:  # nothing changes to a next pixel
                leaves[name] = leaf((0.0,) * expr.type.width)
        return leaves


def at_places(
    mesh: Mesh,
    carried: Mapping[str, npt.NDArray[np.float64]],
    triangles: npt.NDArray[np.int64],
    places: npt.NDArray[np.float64],
) -> dict[str, npt.NDArray[np.float64]]:
    """What vertices hand on, between the corners of triangles."""
    corners = mesh.triangles.T[:, triangles]
    weights = 1 - places[:, 0] - places[:, 1], *np.ascontiguousarray(places.T)

    def between(rows: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        columns = np.zeros((rows.shape[1], len(triangles)))
        for column, held in zip(columns, np.ascontiguousarray(rows.T), strict=True):  # many short rows are slow
            for corner, weight in zip(corners, weights, strict=True):
                column += held[corner] * weight
        return columns.T

    return {name: between(rows) for name, rows in carried.items()}
