"""Reads glTF 2.0 meshes: .gltf with its files beside it, and .glb.

Every mesh primitive becomes a part under its node's transform.
Source: the glTF 2.0 specification, sections 3.6 and 3.7.
"""

from __future__ import annotations

import base64
import binascii
import contextlib
import itertools
import json
import struct
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
import numpy.typing as npt

from soft_lantern.errors import BadFile, LanternError
from soft_lantern.formats.places import file_inside, read_plain
from soft_lantern.limits import MESH_BYTES, MESH_DEPTH, MESH_NUMBERS, MESH_PARTS
from soft_lantern.progress import Progress, silent
from soft_lantern.scene.mesh import Matrix, Mesh, Model, Part, mesh_from
from soft_lantern.values.names import Names

_COMPONENTS = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_TRIANGLES, _STRIP, _FAN = 4, 5, 6
_MOST_WITHOUT_DATA = 1 << 24
"""Numbers of an accessor that holds zeros, with no bytes of the file behind them."""


_NOT_SHOWN = {"animations": "animations", "skins": "skins", "cameras": "cameras"}
READ_EXTENSIONS = {
    *("KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit", "KHR_materials_specular"),
    *("KHR_materials_emissive_strength", "EXT_texture_webp"),
}


def read_gltf(path: Path, progress: Progress = silent) -> Model:
    """The model in a .gltf or .glb file. Raises BadFile with what is wrong and where."""
    return read_file(path, progress)[0]


def read_file(path: Path, progress: Progress = silent) -> tuple[Model, Document]:
    """The model in a .gltf or .glb file, and the file itself. Raises BadFile with what is wrong and where."""
    with _sound(path):
        document = Document(path)
        return _Reader(document, progress).model(), document


def files_beside(path: Path) -> list[str]:
    """The relative paths of the files a .gltf needs beside it. Raises BadFile where it cannot be read."""
    with _sound(path):
        document, _ = _load(path)
        named = [*document.get("buffers", []), *document.get("images", [])]
        uris = [each["uri"] for each in named if isinstance(each, dict) and isinstance(each.get("uri"), str)]
        found = []
        for uri in uris:
            with contextlib.suppress(BadFile):  # it is not read there either
                found += [] if uri.startswith("data:") else [beside(path, uri)]
        return list(dict.fromkeys(found))


def beside(path: Path, uri: str) -> str:
    """The relative path that a URI in a glTF file names. Raises BadFile where it leads out of the file's folder."""
    relative = PurePosixPath(unquote(uri))
    if relative.is_absolute() or ".." in relative.parts or "\\" in str(relative) or not relative.parts:
        raise BadFile(f"{path.name} points outside its own folder: {_shown(uri)}")
    file_inside(path.parent, str(relative), path.name)
    return str(relative)


@contextlib.contextmanager
def _sound(path: Path) -> Iterator[None]:
    """Turns whatever a file that is not sound makes the reader stumble over into a BadFile."""
    try:
        yield
    except LanternError:
        raise
    except MemoryError as error:
        raise BadFile(f"{path.name} does not fit into memory") from error
    except (OSError, ArithmeticError, LookupError, TypeError, ValueError, AttributeError, RecursionError) as error:
        raise BadFile(f"{path.name} is not a sound glTF file: {_words(error)}") from error
    except struct.error as error:
        raise BadFile(f"{path.name} is not a sound glTF file: {error}") from error


class Document:
    """A file as it is: its JSON, and the bytes that its buffers and views hold."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.json, self.blob = _load(path)
        self.buffers: dict[int, bytes] = {}

    def buffer(self, index: int) -> bytes:
        """All bytes of a buffer."""
        if index not in self.buffers:
            uri = self.json["buffers"][index].get("uri")
            self.buffers[index] = self.blob if uri is None else _fetched(self.path, uri)
        return self.buffers[index]

    def view(self, index: int) -> bytes:
        """The bytes of a buffer view."""
        view = self.json["bufferViews"][index]
        start, length = int(view.get("byteOffset", 0)), int(view["byteLength"])
        data = self.buffer(view["buffer"])
        if min(start, length) < 0 or start + length > len(data):
            raise BadFile(f"{self.path.name} is cut short: it needs {start + length} bytes of data and has {len(data)}")
        return data[start : start + length]

    def fetched(self, uri: str) -> bytes:
        """What a URI stands for: bytes in itself, or those of a file beside this one."""
        return _fetched(self.path, uri)

    def numbers(self, index: int) -> npt.NDArray[Any]:
        """What an accessor holds, (count, width); whole numbers that are normalised as floats."""
        accessor = self.json["accessors"][index]
        count, width = int(accessor["count"]), _WIDTHS[accessor["type"]]
        most = MESH_NUMBERS if "bufferView" in accessor else _MOST_WITHOUT_DATA
        if not 0 < count * width < most:
            raise BadFile(f"{self.path.name}: accessor {index} says it holds {count} elements")
        kind: np.dtype[Any] = np.dtype(_COMPONENTS[accessor["componentType"]]).newbyteorder("<")
        if "bufferView" in accessor:
            values = self._strided(accessor["bufferView"], accessor.get("byteOffset", 0), kind, count, width).copy()
        else:
            values = np.zeros((count, width), kind)
        if "sparse" in accessor:
            self._fill_sparse(values, accessor["sparse"], kind, width)
        if accessor.get("normalized") and kind.kind != "f":
            largest = float(np.iinfo(str(kind)).max)
            return np.asarray(np.maximum(values.astype(np.float32) / largest, -1.0))
        return values

    def _fill_sparse(self, values: npt.NDArray[Any], sparse: dict[str, Any], kind: np.dtype[Any], width: int) -> None:
        where, what, count = sparse["indices"], sparse["values"], int(sparse["count"])
        place_kind = np.dtype(_COMPONENTS[where["componentType"]]).newbyteorder("<")
        places = self._strided(where["bufferView"], where.get("byteOffset", 0), place_kind, count, 1).reshape(-1)
        values[places] = self._strided(what["bufferView"], what.get("byteOffset", 0), kind, count, width)

    def _strided(self, index: int, offset: int, kind: np.dtype[Any], count: int, width: int) -> npt.NDArray[Any]:
        view = self.json["bufferViews"][index]
        buffer = self.buffer(view["buffer"])
        begins, packed = view.get("byteOffset", 0), kind.itemsize * width
        start = begins + offset
        stride = view.get("byteStride", packed)
        if stride < packed:
            raise BadFile(f"{self.path.name}: buffer view {index} has elements {stride} bytes apart that are longer")
        end = start + stride * (count - 1) + packed
        if min(start, offset, stride, count) < 0 or end > min(
            len(buffer), view.get("byteOffset", 0) + view["byteLength"]
        ):
            raise BadFile(f"{self.path.name} is cut short: it needs {end} bytes of data and has {len(buffer)}")
        return np.ndarray((count, width), kind, buffer, start, (stride, kind.itemsize))


class _Reader:
    def __init__(self, file: Document, progress: Progress) -> None:
        self.file, self.path, self.document, self.progress = file, file.path, file.json, progress
        self.remarks: list[str] = []
        self.meshes: dict[int, list[tuple[str, Mesh, int | None]]] = {}

    def model(self) -> Model:
        required = {str(name) for name in self.document.get("extensionsRequired", [])} - READ_EXTENSIONS
        unread = sorted(name for name in required if not name.startswith("KHR_materials_"))
        if unread:
            raise BadFile(f"{self.path.name} needs {', '.join(unread)}, which is not read here")
        used = sorted({str(name) for name in self.document.get("extensionsUsed", [])} - READ_EXTENSIONS)
        if used:
            self.remarks.append(f"{self.path.name}: not used here: {', '.join(used)}")
        held = [words for key, words in _NOT_SHOWN.items() if self.document.get(key)]
        if any(p.get("targets") for mesh in self.document.get("meshes", []) for p in mesh.get("primitives", [])):
            held.append("morph targets")
        if held:
            self.remarks.append(f"{self.path.name}: shown as it stands; not used here: {', '.join(held)}")
        parts = []
        names = Names()
        placed = list(itertools.islice(self._placed(), MESH_PARTS + 1))
        if len(placed) > MESH_PARTS:
            raise BadFile(f"{self.path.name} has more than {MESH_PARTS:,} parts")
        for number, (node, name, transform) in enumerate(placed):
            self.progress(number / len(placed), f"Reading {name}")
            for label, mesh, surface in self._mesh(node["mesh"]):
                wanted = name if len(self.meshes[node["mesh"]]) == 1 else f"{name} {label}".strip()
                parts.append(Part(names.take(wanted), mesh, transform, surface))
        if not parts:
            raise BadFile(f"{self.path.name} holds no triangles")
        return Model(tuple(parts), tuple(self.remarks))

    def _placed(self) -> Iterator[tuple[dict[str, Any], str, Matrix]]:
        nodes = self.document.get("nodes", [])
        scenes = self.document.get("scenes", [])
        if scenes:
            roots = scenes[self.document.get("scene", 0)].get("nodes", [])
        else:
            held = {child for node in nodes for child in node.get("children", [])}
            roots = [i for i in range(len(nodes)) if i not in held]
        seen: set[int] = set()
        waiting = [(index, np.eye(4), 0) for index in reversed(roots)]
        while waiting:
            index, parent, depth = waiting.pop()
            if index in seen or depth > MESH_DEPTH:
                raise BadFile(f"{self.path.name}: node {index} is its own ancestor or nested too deeply")
            seen.add(index)
            node = nodes[index]
            transform = parent @ _local_matrix(node)
            waiting += [(child, transform, depth + 1) for child in reversed(node.get("children", []))]
            if "mesh" in node:
                named = self.document["meshes"][node["mesh"]].get("name")
                yield node, str(node.get("name") or named or f"part {index}"), transform

    def _mesh(self, index: int) -> list[tuple[str, Mesh, int | None]]:
        if index not in self.meshes:
            mesh = self.document["meshes"][index]
            found = []
            for number, primitive in enumerate(mesh["primitives"]):
                mode = primitive.get("mode", _TRIANGLES)
                if mode not in (_TRIANGLES, _STRIP, _FAN):
                    self.remarks.append(f"{self.path.name}: points and lines of mesh {index} are left out")
                    continue
                label = self._material_name(primitive) or str(number + 1)
                found.append((label, self._primitive(primitive, mode), primitive.get("material")))
            self.meshes[index] = found
        return self.meshes[index]

    def _material_name(self, primitive: dict[str, Any]) -> str:
        if "material" not in primitive:
            return ""
        return str(self.document["materials"][primitive["material"]].get("name", ""))

    def _primitive(self, primitive: dict[str, Any], mode: int) -> Mesh:
        attributes = primitive["attributes"]
        positions = self.file.numbers(attributes["POSITION"]).astype(np.float32)
        if not np.isfinite(positions).all():
            raise BadFile(f"{self.path.name} has points that are not finite numbers")
        count = len(positions)
        order = (
            self.file.numbers(primitive["indices"]).reshape(-1).astype(np.int64)
            if "indices" in primitive
            else np.arange(count)
        )
        if len(order) and (order.min() < 0 or order.max() >= count):
            raise BadFile(f"{self.path.name} has a triangle with a corner that does not exist")
        read = ("NORMAL", "TANGENT", "TEXCOORD_0", "TEXCOORD_1", "COLOR_0")
        given = {name: self.file.numbers(attributes[name]) for name in read if name in attributes}
        for name, values in given.items():
            if len(values) != count:
                raise BadFile(f"{self.path.name} has {count} points but {len(values)} of {name}")
        colours = given.get("COLOR_0")
        if colours is not None and colours.shape[1] == 3:
            colours = np.column_stack([colours, np.ones(count)])
        triangles = _as_triangles(order, mode)
        if "NORMAL" not in given:
            # Such a mesh is flat-shaded (section 3.7.2.1): no two triangles share a vertex.
            corners = triangles.reshape(-1)
            positions, triangles = positions[corners], np.arange(len(corners)).reshape(-1, 3)
            given = {name: values[corners] for name, values in given.items()}
            colours = None if colours is None else colours[corners]
        return mesh_from(
            positions,
            triangles,
            given.get("NORMAL"),
            given.get("TEXCOORD_0"),
            colours,
            given.get("TEXCOORD_1"),
            given.get("TANGENT") if "NORMAL" in given else None,
        )


def _load(path: Path) -> tuple[dict[str, Any], bytes]:
    """The JSON document and the binary chunk of a .gltf or .glb file."""
    try:
        data = read_plain(path, MESH_BYTES)
    except OSError as error:
        raise BadFile(f"{path.name} cannot be read: {error.strerror}") from error
    try:
        blob = b""
        if data[:4] == b"glTF":
            if len(data) < 20 or struct.unpack_from("<I", data, 4)[0] != 2:
                raise BadFile(f"{path.name} is not glTF version 2")
            size = struct.unpack_from("<I", data, 12)[0]
            text, rest = data[20 : 20 + size], data[20 + size :]
            if len(rest) >= 8:
                blob = rest[8 : 8 + struct.unpack_from("<I", rest)[0]]
            data = text
        document = json.loads(data)
    except (ValueError, struct.error, RecursionError) as error:
        raise BadFile(f"{path.name} is not a sound glTF file: {_words(error)}") from error
    if not isinstance(document, dict) or not str(document.get("asset", {}).get("version", "")).startswith("2."):
        raise BadFile(f"{path.name} does not say that it is glTF version 2")
    return document, blob


def _fetched(path: Path, uri: str) -> bytes:
    if uri.startswith("data:"):
        try:
            return base64.b64decode(uri.split(",", 1)[1], validate=False)
        except (IndexError, binascii.Error) as error:
            raise BadFile(f"{path.name} holds data that is not base64") from error
    relative = beside(path, uri)
    try:
        return read_plain(path.parent / relative, MESH_BYTES)
    except OSError as error:
        raise BadFile(f"{path.name} needs {relative} beside it, which cannot be read") from error


def _local_matrix(node: dict[str, Any]) -> Matrix:
    if "matrix" in node:
        matrix = np.array(node["matrix"], np.float64).reshape(4, 4).T
    else:
        x, y, z, w = node.get("rotation", (0, 0, 0, 1))
        turn = np.array(
            [
                [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
            ]
        )
        matrix = np.eye(4)
        matrix[:3, :3] = turn @ np.diag(np.array(node.get("scale", (1, 1, 1)), np.float64))
        matrix[:3, 3] = node.get("translation", (0, 0, 0))
    if not np.isfinite(matrix).all():
        raise ValueError("a node's transform is not finite")
    return matrix


def _as_triangles(order: npt.NDArray[np.int64], mode: int) -> npt.NDArray[np.int64]:
    if mode == _TRIANGLES:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    if len(order) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == _FAN:
        return np.stack([order[1:-1], order[2:], np.full(len(order) - 2, order[0])], axis=1)
    strip = np.stack([order[:-2], order[1:-1], order[2:]], axis=1)
    strip[1::2] = strip[1::2, [0, 2, 1]]
    return strip


def _shown(text: str) -> str:
    return (text if len(text) <= 80 else text[:79] + "…").encode("unicode_escape", "replace").decode()


def _words(error: Exception) -> str:
    if isinstance(error, KeyError):
        return f"{error} is missing"
    return " ".join(str(error).split())[:200] or type(error).__name__
