"""Triangle meshes, and models made of named parts.

Metres, right-handed, Y up, counter-clockwise triangles seen from outside, texture v downwards: as in glTF 2.0.
"""

from __future__ import annotations

import functools
import itertools
from typing import Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.scene.rows import distinct_rows

Floats = npt.NDArray[np.float32]
Indices = npt.NDArray[np.uint32]
Matrix = npt.NDArray[np.float64]
Corners = npt.NDArray[np.int64]
Domain = Literal["vertex", "corner"]
Precision = Literal["8 bit", "16 bit", "float"]
Use = Literal["colour", "data", "selection"]
BLOCK = 2048
_OF_SHAPE = ("tangents", "blocks", "middles", "facing", "welded", "closed", "bounds", "box", "in_light_map")


class Mesh(Struct, frozen=True, eq=False, dict=True, weakref=True):
    """Points (n, 3), unit normals (n, 3), texture coordinates (n, 2), linear colours (n, 4), triangles (m, 3).

    `uv1s`: the second set of texture coordinates. `given_tangents`: (n, 4) as in glTF, where a file brings them.
    `has_colours`: whether the colours are the mesh's own, or white for want of any. `light_uvs`: (n, 2) where each
    vertex is in a light map, if it has one; the mesh's own coordinates stay.
    """

    positions: Floats
    normals: Floats
    uvs: Floats
    colours: Floats
    triangles: Indices
    uv1s: Floats
    given_tangents: Floats | None = None
    has_colours: bool = False
    light_uvs: Floats | None = None

    @functools.cached_property
    def in_light_map(self) -> Floats:
        """Where each vertex is in a light map, (n, 2); 0 without one."""
        return np.zeros((len(self.positions), 2), np.float32) if self.light_uvs is None else self.light_uvs

    @functools.cached_property
    def tangents(self) -> Floats:
        """Unit tangents square to the normals, and the bitangent's sign: (n, 4), as in glTF 2.0, section 3.7.2.1."""
        return tangents_of(self)

    @functools.cached_property
    def slopes(self) -> dict[str, Floats]:
        """How normals, texture coordinates and colours change along each vertex's tangent and bitangent, per metre."""
        return slopes_of(self)

    @functools.cached_property
    def blocks(self) -> tuple[Floats, Floats]:
        """The lowest and highest corner of each run of BLOCK triangles, (k, 3) each: few of them are on any one ray."""
        lows, highs = [], []
        for start in range(0, len(self.triangles), BLOCK):
            corners = self.positions[self.triangles[start : start + BLOCK].reshape(-1)]
            lows.append(corners.min(axis=0))
            highs.append(corners.max(axis=0))
        return np.array(lows, np.float32).reshape(-1, 3), np.array(highs, np.float32).reshape(-1, 3)

    @functools.cached_property
    def middles(self) -> Matrix:
        """The middle of each triangle, (m, 3)."""
        return np.asarray(self.positions[self.triangles].mean(axis=1), np.float64)

    @functools.cached_property
    def facing(self) -> Matrix:
        """The unit normal of each triangle, (m, 3); 0 where it has no area."""
        return _triangle_frames(self)[1]

    @functools.cached_property
    def welded(self) -> tuple[npt.NDArray[np.int64], int]:
        """The number of the place that each vertex is at, (n,), and how many there are: files split vertices in one."""
        first, which = distinct_rows(self.positions.round(6))
        return which, len(first)

    @functools.cached_property
    def closed(self) -> bool:
        """Whether the triangles enclose a volume: at every edge two meet, running along it in opposite directions."""
        welded, count = self.welded
        corners = welded[self.triangles]
        flat = (corners == np.roll(corners, 1, axis=1)).any(axis=1)
        starts = corners[~flat].astype(np.int64).reshape(-1)
        ends = np.roll(corners[~flat], -1, axis=1).astype(np.int64).reshape(-1)
        there, back = np.sort(starts * count + ends), np.sort(ends * count + starts)
        return len(there) > 0 and np.array_equal(there, back)

    def recoloured(self, colours: Floats) -> Mesh:
        """The mesh with other colours; what is known of its shape stays known."""
        made = replace(self, colours=colours, has_colours=True)
        made.__dict__.update({name: self.__dict__[name] for name in _OF_SHAPE if name in self.__dict__})
        return made

    def moved(self, matrix: Matrix) -> Mesh:
        """The mesh under a 4×4 matrix."""
        linear = matrix[:3, :3]
        turned = self.normals @ turned_normals(linear).T
        lengths = np.linalg.norm(turned, axis=1, keepdims=True)
        given = self.given_tangents
        if given is not None:
            along = given[:, :3] @ linear.T
            along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-20)
            given = np.column_stack([along, given[:, 3:]]).astype(np.float32)
        mirrored = np.linalg.det(linear) < 0
        return replace(
            self,
            positions=(self.positions @ linear.T + matrix[:3, 3]).astype(np.float32),
            normals=(turned / np.maximum(lengths, 1e-20)).astype(np.float32),
            triangles=np.ascontiguousarray(self.triangles[:, ::-1]) if mirrored else self.triangles,
            given_tangents=given,
        )

    @functools.cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """The lowest and highest corner."""
        return self.positions.min(axis=0), self.positions.max(axis=0)

    @functools.cached_property
    def box(self) -> Matrix:
        """The eight corners of its bounds, (8, 4), each with a 1 at its end."""
        low, high = self.bounds
        ends = np.array(list(itertools.product((0, 1), repeat=3)), bool)
        return np.hstack([np.where(ends, high, low).astype(np.float64), np.ones((8, 1))])


class ColourLayer(Struct, frozen=True, eq=False):
    """Linear RGBA at every vertex, (n, 4), or at every corner, (3·m, 4), already in its precision.

    `use`: "data" are numbers that no reader is to take for a tint; a "selection" is kept vertices, 1 where they are
    of it, and is neither drawn nor handed over.
    """

    name: str
    values: Floats
    domain: Domain = "vertex"
    precision: Precision = "8 bit"
    use: Use = "colour"


class Part(Struct, frozen=True, eq=False, dict=True):
    """A named mesh with its place in the model, a 4×4 matrix for column vectors.

    `surface`: which of its file's materials it wears there, counted from 0; None where it has none. `layers`: the
    colours that were painted onto it, of which the mesh shows the first. `under`: the mesh that was painted, where the
    one that is shown has more vertices or other colours.
    """

    name: str
    mesh: Mesh
    transform: Matrix = field(default_factory=lambda: np.eye(4))
    surface: int | None = None
    layers: tuple[ColourLayer, ...] = ()
    under: Mesh | None = None

    @property
    def bare(self) -> Mesh:
        """The mesh as its file or primitive has it, whose vertices layers and selections number."""
        return self.mesh if self.under is None else self.under

    @functools.cached_property
    def placed(self) -> Mesh:
        """The mesh in the model's own space."""
        return self.mesh if np.array_equal(self.transform, np.eye(4)) else self.mesh.moved(self.transform)


class Model(Struct, frozen=True, eq=False, dict=True):
    """An asset as it is drawn: its parts, and what could not be read of its file, one sentence each."""

    parts: tuple[Part, ...]
    remarks: tuple[str, ...] = ()

    @functools.cached_property
    def bounds(self) -> tuple[Matrix, Matrix]:
        """The lowest and highest corner over all parts in the model's own space."""
        return corners_bounds([(part.placed, np.eye(4)) for part in self.parts])


def corners_bounds(placed: list[tuple[Mesh, Matrix]]) -> tuple[Matrix, Matrix]:
    """The lowest and highest corner of meshes under their matrices; a 2 m cube where there are none."""
    if not placed:
        return -np.ones(3), np.ones(3)
    corners = np.concatenate([(mesh.box @ matrix.T)[:, :3] for mesh, matrix in placed])
    return corners.min(axis=0), corners.max(axis=0)


def mesh_from(
    positions: npt.ArrayLike,
    triangles: npt.ArrayLike,
    normals: npt.ArrayLike | None = None,
    uvs: npt.ArrayLike | None = None,
    colours: npt.ArrayLike | None = None,
    uv1s: npt.ArrayLike | None = None,
    tangents: npt.ArrayLike | None = None,
) -> Mesh:
    """A mesh with whatever is missing filled in: flat-area-weighted normals, zero coordinates, white.

    Raises ValueError where points are no finite positions, triangles have other corners, or a list is too short.
    """
    with np.errstate(over="ignore"):
        points = np.ascontiguousarray(positions, np.float32)
    if points.shape[-1] != 3:
        raise ValueError("points do not have three numbers")
    points, corners = points.reshape(-1, 3), np.asarray(triangles).reshape(-1, 3)
    count = len(points)
    if not np.isfinite(points).all():
        raise ValueError("there are points that are not finite numbers")
    if corners.size and (corners.min() < 0 or corners.max() >= count):
        raise ValueError("there is a triangle with a corner that does not exist")
    for given, width in ((normals, 3), (uvs, 2), (colours, 4), (uv1s, 2), (tangents, 4)):
        if given is not None and np.shape(given) != (count, width):
            raise ValueError(f"{count} points have {np.shape(given)} numbers of one kind instead of {count} × {width}")
    faces = np.ascontiguousarray(corners, np.uint32)
    return Mesh(
        points,
        _smooth_normals(points, faces) if normals is None else np.ascontiguousarray(normals, np.float32),
        np.zeros((count, 2), np.float32) if uvs is None else np.ascontiguousarray(uvs, np.float32),
        np.ones((count, 4), np.float32) if colours is None else np.ascontiguousarray(colours, np.float32),
        faces,
        np.zeros((count, 2), np.float32) if uv1s is None else np.ascontiguousarray(uv1s, np.float32),
        None if tangents is None else np.ascontiguousarray(tangents, np.float32),
        colours is not None,
    )


def split_by_corner(mesh: Mesh, values: npt.NDArray[np.floating]) -> tuple[Mesh, Corners, Corners]:
    """The mesh with each vertex split wherever its corners' values, (3·m, k), differ.

    With it, for each vertex that it has, the vertex it was and the first corner that it is.
    """
    owners = mesh.triangles.reshape(-1)
    held = np.column_stack([owners.astype(np.float64), values])
    first, which = distinct_rows(held)
    rows = owners[first].astype(np.int64)
    given, light = mesh.given_tangents, mesh.light_uvs
    split = replace(
        mesh,
        positions=mesh.positions[rows],
        normals=mesh.normals[rows],
        uvs=mesh.uvs[rows],
        uv1s=mesh.uv1s[rows],
        colours=mesh.colours[rows],
        given_tangents=None if given is None else given[rows],
        light_uvs=None if light is None else light[rows],
        triangles=which.reshape(-1, 3).astype(np.uint32),
    )
    return split, rows, first


def with_light_map(mesh: Mesh, coordinates: Floats) -> Mesh:
    """The mesh with places in a light map by corner, (m, 3, 2). Its own coordinates stay."""
    flat = coordinates.reshape(-1, 2)
    split, _, first = split_by_corner(mesh, flat)
    return replace(split, light_uvs=np.ascontiguousarray(flat[first], np.float32))


def turned_normals(linear: Matrix) -> Matrix:
    """The 3×3 matrix that carries normals: cofactors, which a flattening cannot break."""
    x, y, z = linear.T
    cofactors = np.stack([np.cross(y, z), np.cross(z, x), np.cross(x, y)], axis=1)
    return np.asarray(cofactors * (-1.0 if np.linalg.det(linear) < 0 else 1.0), np.float64)


def tangents_of(mesh: Mesh) -> Floats:
    """The file's tangents made square to the normals; where it has none, the direction in which u grows."""
    normals = mesh.normals.astype(np.float64)
    if mesh.given_tangents is not None:
        along, sign = mesh.given_tangents[:, :3].astype(np.float64), np.where(mesh.given_tangents[:, 3] < 0, -1.0, 1.0)
    else:
        along, against = (_gathered(mesh, rise)[:, :, 0] for rise in _uv_directions(mesh))
        sign = np.where(np.einsum("ni,ni->n", np.cross(normals, along), against) > 0, -1.0, 1.0)
    along = along - normals * np.einsum("ni,ni->n", normals, along)[:, None]
    lengths = np.linalg.norm(along, axis=1, keepdims=True)
    # Where u says nothing, any direction square to the normal.
    aside = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0, 0]], [[0, 1.0, 0]])
    spare = np.cross(np.cross(normals, aside), normals)
    spare /= np.maximum(np.linalg.norm(spare, axis=1, keepdims=True), 1e-20)
    along = np.where(lengths > 1e-12, along / np.maximum(lengths, 1e-20), spare)
    return np.column_stack([along, sign]).astype(np.float32)


def slopes_of(mesh: Mesh) -> dict[str, Floats]:
    """`NAME_along` and `NAME_across` for each of normal, uv, uv1 and color, by area over the triangles of a vertex."""
    along = mesh.tangents[:, :3].astype(np.float64)
    across = np.cross(mesh.normals.astype(np.float64), along)
    named = {"normal": mesh.normals, "uv": mesh.uvs, "uv1": mesh.uv1s, "color": mesh.colours}
    found: dict[str, Floats] = {}
    for name, values in named.items():
        gradients = _gathered(mesh, _gradients(mesh, values))
        for way, direction in (("along", along), ("across", across)):
            found[f"{name}_{way}"] = np.einsum("nij,ni->nj", gradients, direction).astype(np.float32)
    return found


def _gradients(mesh: Mesh, values: Floats) -> npt.NDArray[np.float64]:
    """How values change per metre in each triangle's plane, times the triangle's area: (m, 3, k)."""
    edges, normal, area = _triangle_frames(mesh)
    a, b, c = (values[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    # The gradient g with g·edge = change along the edge and g·normal = 0.
    first = np.cross(edges[1], normal) / area[:, None]
    second = np.cross(normal, edges[0]) / area[:, None]
    gradient = first[:, :, None] * (b - a)[:, None, :] + second[:, :, None] * (c - a)[:, None, :]
    return np.asarray(gradient * area[:, None, None], np.float64)


def _uv_directions(mesh: Mesh) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """The direction of growing u and of growing v in each triangle, weighted by its area: (m, 3, 1) each."""
    edges, _, _ = _triangle_frames(mesh)
    a, b, c = (mesh.uvs[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    (u1, v1), (u2, v2) = (b - a).T, (c - a).T
    turn = np.sign(u1 * v2 - u2 * v1)[:, None]
    along = (edges[0] * v2[:, None] - edges[1] * v1[:, None]) * turn
    down = (edges[1] * u1[:, None] - edges[0] * u2[:, None]) * turn
    return along[:, :, None], down[:, :, None]


def _triangle_frames(mesh: Mesh) -> tuple[list[npt.NDArray[np.float64]], Matrix, Matrix]:
    """Two edges, the unit normal, and twice the area of each triangle."""
    a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    edges = [b - a, c - a]
    normal = np.cross(edges[0], edges[1])
    area = np.maximum(np.linalg.norm(normal, axis=1), 1e-20)
    return edges, normal / area[:, None], area


def _gathered(mesh: Mesh, of_triangles: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Values of triangles, weighted by area already, as a mean at each vertex."""
    count, width = len(mesh.positions), int(np.prod(of_triangles.shape[1:]))
    _, _, area = _triangle_frames(mesh)
    corners = mesh.triangles.reshape(-1)
    flat = np.repeat(of_triangles.reshape(len(of_triangles), width), 3, axis=0)
    total = np.stack([np.bincount(corners, flat[:, i], count) for i in range(width)], axis=1)
    weight = np.bincount(corners, np.repeat(area, 3), count)
    return np.asarray((total / np.maximum(weight, 1e-20)[:, None]).reshape(count, *of_triangles.shape[1:]), np.float64)


def _smooth_normals(points: Floats, faces: Indices) -> Floats:
    a, b, c = (points[faces[:, i]].astype(np.float64) for i in range(3))
    weighted = np.cross(b - a, c - a)
    normals = np.zeros(points.shape, np.float64)
    for corner in range(3):
        np.add.at(normals, faces[:, corner], weighted)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    flat = np.array([0.0, 1.0, 0.0])
    return np.where(lengths > 0, normals / np.where(lengths > 0, lengths, 1), flat).astype(np.float32)
