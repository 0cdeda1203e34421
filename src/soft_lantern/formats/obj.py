"""Wavefront OBJ meshes in, by way of trimesh."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np

from soft_lantern.errors import BadFile
from soft_lantern.scene.mesh import Model, Part, mesh_from


def read_obj(path: Path) -> Model:
    """The model in an .obj file, a part for each object or group. Raises BadFile where it cannot be read."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # the reader remarks on objects without texture coordinates
            return _read(path)
    except BadFile:
        raise
    except Exception as error:  # the reader raises whatever its parsing stumbles over
        words = (str(error).splitlines() or [type(error).__name__])[0]
        raise BadFile(f"{path.name} is not a sound OBJ file: {words}") from error


def _read(path: Path) -> Model:
    import trimesh  # slow to import, and only wanted here

    loaded = trimesh.load(str(path), file_type="obj", process=False, split_objects=True, skip_materials=True)
    pieces = loaded.geometry.items() if isinstance(loaded, trimesh.Scene) else [(path.stem, loaded)]
    parts = []
    for name, piece in pieces:
        triangles = np.asarray(getattr(piece, "faces", []))
        if not len(triangles):
            continue
        positions = np.asarray(piece.vertices)
        if not np.isfinite(positions).all() or triangles.min() < 0 or triangles.max() >= len(positions):
            raise BadFile(f"{path.name}: {name} has points that are missing or not finite numbers")
        uvs = getattr(piece.visual, "uv", None)
        if uvs is not None:
            uvs = np.column_stack([uvs[:, 0], 1 - uvs[:, 1]])  # OBJ counts v upwards, glTF downwards
        parts.append(Part(str(name), mesh_from(positions, triangles, piece.vertex_normals, uvs)))
    if not parts:
        raise BadFile(f"{path.name} holds no triangles")
    return Model(tuple(parts))
