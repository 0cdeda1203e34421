"""Writes meshes as one .glb file.

Source: the glTF 2.0 specification, sections 3.6 (binary data), 3.7 (geometry) and 4.4 (the GLB container).
"""

from __future__ import annotations

import itertools
import json
import re
import struct
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from soft_lantern.formats.places import write_whole
from soft_lantern.scene.colour_layers import STEPS, by_vertex
from soft_lantern.scene.mesh import ColourLayer, Floats, Mesh, Part, Precision
from soft_lantern.values.images import Filter, Wrap

FLOAT, UNSIGNED_INT, UNSIGNED_SHORT, UNSIGNED_BYTE = 5126, 5125, 5123, 5121
VERTICES, INDICES = 34962, 34963
TRIANGLES = 4
_COMPONENTS: dict[Precision, tuple[type[np.generic], int]] = {
    "8 bit": (np.uint8, UNSIGNED_BYTE),
    "16 bit": (np.uint16, UNSIGNED_SHORT),
    "float": (np.float32, FLOAT),
}
_MAGIC, _VERSION = 0x46546C67, 2
_JSON, _BINARY = 0x4E4F534A, 0x004E4942


def write_glb(path: Path, parts: Sequence[Part]) -> None:
    """Write parts as one .glb file, each a node with a mesh of one primitive.

    A part's mesh is the bare one where it has layers: those that are colours are COLOR_n, in their order; those that
    are data are attributes of their own, `_NAME`, which no reader takes for a tint. Places in a light map are the last
    set of texture coordinates. Raises BadFile where the disk refuses, BadValue where a layer does not fit.
    """
    file = GlbFile()
    for part in parts:
        mesh, values = by_vertex(part.mesh, part.layers)
        sets = [*coordinate_sets(mesh), *([] if mesh.light_uvs is None else [mesh.light_uvs])]
        tinted = mesh.has_colours and not part.layers
        primitive = file.primitive(mesh, sets, list(zip(part.layers, values, strict=True)), tinted=tinted)
        file.meshes.append({"name": part.name, "primitives": [primitive]})
        node: dict[str, Any] = {"name": part.name, "mesh": len(file.meshes) - 1}
        if not np.array_equal(part.transform, np.eye(4)):
            node["matrix"] = part.transform.T.reshape(-1).tolist()
        file.nodes.append(node)
    write_whole(path, file.container())


def coordinate_sets(mesh: Mesh) -> list[Floats]:
    """The sets of texture coordinates that a mesh came with, the second where it has one."""
    return [mesh.uvs, *([mesh.uv1s] if mesh.uv1s.any() else [])]


def _unit(rows: Floats, otherwise: tuple[float, float, float]) -> Floats:
    """Directions of unit length, as glTF asks; another where there is none."""
    long = rows.astype(np.float64)
    lengths = np.linalg.norm(long, axis=1, keepdims=True)
    return np.where(lengths > 1e-12, long / np.maximum(lengths, 1e-12), [otherwise]).astype(np.float32)


def attribute_names(layers: Sequence[ColourLayer]) -> list[str]:
    """What each layer of a part is called among a primitive's attributes."""
    found: list[str] = []
    for layer in layers:
        if layer.use == "colour":
            found.append(f"COLOR_{sum(name.startswith('COLOR_') for name in found)}")
        else:
            stem = re.sub(r"[^A-Za-z0-9]+", "_", layer.name).strip("_").upper() or "LAYER"
            taken = (f"_{stem}" if number == 1 else f"_{stem}_{number}" for number in itertools.count(1))
            found.append(next(name for name in taken if name not in found))
    return found


class GlbFile:
    """A file as it grows."""

    def __init__(self) -> None:
        self.blob = bytearray()
        self.accessors: list[dict[str, Any]] = []
        self.views: list[dict[str, int]] = []
        self.meshes: list[dict[str, Any]] = []
        self.nodes: list[dict[str, Any]] = []
        self.roots: list[int] | None = None
        """The nodes that stand in the scene; all where nothing is said."""
        self.textures: list[dict[str, Any]] = []
        self.materials: list[dict[str, Any]] = []
        self.extensions: dict[str, Any] = {}
        self._images: list[dict[str, Any]] = []
        self._samplers: list[dict[str, int]] = []

    def texture(self, png: bytes, filter_: Filter = "linear", wrap: Wrap = "clamp") -> int:
        """The index of a texture of a picture as PNG, which joins the binary data."""
        sampler = {**FILTERS[filter_], "wrapS": WRAPS[wrap], "wrapT": WRAPS[wrap]}
        if sampler not in self._samplers:
            self._samplers.append(sampler)
        self._images.append({"bufferView": self._view(png), "mimeType": "image/png"})
        self.textures.append({"source": len(self._images) - 1, "sampler": self._samplers.index(sampler)})
        return len(self.textures) - 1

    def accessor(
        self,
        data: npt.NDArray[Any],
        kind: str,
        component: int,
        target: int,
        *,
        bounded: bool = False,
        normalized: bool = False,
    ) -> int:
        """The index of an accessor of some numbers, which join the binary data.

        `normalized`: whole numbers that stand for 0 to 1. What an element takes is to be a multiple of 4 bytes.
        """
        made: dict[str, Any] = {
            "bufferView": self._view(data.tobytes(), target=target),
            "componentType": component,
            "count": len(data),
            "type": kind,
        }
        if normalized:
            made["normalized"] = True
        if bounded:
            made |= {"min": data.min(axis=0).tolist(), "max": data.max(axis=0).tolist()}
        self.accessors.append(made)
        return len(self.accessors) - 1

    def primitive(
        self,
        mesh: Mesh,
        sets: Sequence[Floats],
        layers: Sequence[tuple[ColourLayer, Floats]],
        *,
        tangents: bool = False,
        tinted: bool = False,
    ) -> dict[str, Any]:
        """A mesh as a primitive, with sets of texture coordinates, and layers with a value for each vertex.

        `tangents`: with those of the mesh; `tinted`: with its colours as COLOR_0.
        """
        attributes = {
            "POSITION": self.accessor(mesh.positions, "VEC3", FLOAT, VERTICES, bounded=True),
            "NORMAL": self.accessor(_unit(mesh.normals, (0.0, 1.0, 0.0)), "VEC3", FLOAT, VERTICES),
        }
        if tangents:
            along, sign = _unit(mesh.tangents[:, :3], (1.0, 0.0, 0.0)), np.where(mesh.tangents[:, 3:] < 0, -1.0, 1.0)
            rows = np.concatenate([along, sign], axis=1).astype(np.float32)
            attributes["TANGENT"] = self.accessor(rows, "VEC4", FLOAT, VERTICES)
        for number, coordinates in enumerate(sets):
            attributes[f"TEXCOORD_{number}"] = self.accessor(coordinates, "VEC2", FLOAT, VERTICES)
        if tinted:
            attributes["COLOR_0"] = self.accessor(mesh.colours, "VEC4", FLOAT, VERTICES)
        for name, (layer, held) in zip(attribute_names([each for each, _ in layers]), layers, strict=True):
            attributes[name] = self.layer(held, layer.precision)
        indices = self.accessor(mesh.triangles.reshape(-1), "SCALAR", UNSIGNED_INT, INDICES)
        return {"attributes": attributes, "indices": indices, "mode": TRIANGLES}

    def _view(self, data: bytes, **fields: int) -> int:
        """The index of a view of bytes, which join the binary data."""
        self.blob.extend(bytes(-len(self.blob) % 4))
        self.views.append({"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data), **fields})
        self.blob.extend(data)
        return len(self.views) - 1

    def layer(self, values: Floats, precision: Precision) -> int:
        """The index of an accessor of a colour layer's values, (n, 4), in its precision."""
        kind, component = _COMPONENTS[precision]
        whole = precision != "float"
        data = np.rint(values.astype(np.float64) * STEPS[precision]) if whole else values
        return self.accessor(np.ascontiguousarray(data, kind), "VEC4", component, VERTICES, normalized=whole)

    def container(self) -> bytes:
        """The file: a header, the JSON padded by spaces, the binary data padded by zeros."""
        document: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Soft Lantern"},
            "scene": 0,
            "scenes": [{"nodes": list(range(len(self.nodes))) if self.roots is None else self.roots}],
            "nodes": self.nodes,
            "meshes": self.meshes,
            "accessors": self.accessors,
            "bufferViews": self.views,
            "buffers": [{"byteLength": len(self.blob)}],
        }
        if self.materials:
            document["materials"] = self.materials
        if self.textures:
            document |= {"textures": self.textures, "images": self._images, "samplers": self._samplers}
        if self.extensions:
            document["extensions"] = self.extensions
        used = sorted(_extensions_in([document]))
        if used:
            document["extensionsUsed"] = used
        text = json.dumps(document, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        binary = bytes(self.blob) + bytes(-len(self.blob) % 4)
        chunks = b"".join(
            struct.pack("<II", len(data), kind) + data for data, kind in ((text, _JSON), (binary, _BINARY))
        )
        return struct.pack("<III", _MAGIC, _VERSION, 12 + len(chunks)) + chunks


FILTERS = {"linear": {"magFilter": 9729, "minFilter": 9987}, "nearest": {"magFilter": 9728, "minFilter": 9728}}
"""Between texels and smaller copies, or the nearest texel."""
WRAPS: dict[Wrap, int] = {"repeat": 10497, "clamp": 33071, "mirror": 33648}
"""How glTF 2.0 writes them, as OpenGL does."""


def _extensions_in(values: Iterable[Any]) -> set[str]:
    """The names of all extensions that are used anywhere below."""
    found: set[str] = set()
    for value in values:
        if isinstance(value, dict):
            found |= set(value.get("extensions", ())) | _extensions_in(value.values())
        elif isinstance(value, list):
            found |= _extensions_in(value)
    return found
