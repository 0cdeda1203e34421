"""Colour layers in a file of their own beside a mesh: a .glb that any reader of glTF 2.0 can open.

Each part is a mesh; layers of its vertices are COLOR_n of an indexed primitive, layers of its corners those of one
whose triangles share no vertex. What each layer is called, and in which order they stand, is in the mesh's extras.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, get_args

import numpy as np

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats.glb import (
    FLOAT,
    INDICES,
    TRIANGLES,
    UNSIGNED_INT,
    VERTICES,
    GlbFile,
)
from soft_lantern.formats.gltf import Document
from soft_lantern.formats.places import write_whole
from soft_lantern.scene.colour_layers import check, in_precision
from soft_lantern.scene.mesh import ColourLayer, Domain, Mesh, Precision, Use, mesh_from

DOMAINS: tuple[Domain, ...] = ("vertex", "corner")
LAYERS = "layers"
"""The key of a mesh's extras under which its layers stand in order."""

Painted = Mapping[str, tuple[Mesh, Sequence[ColourLayer]]]
"""Parts by name: the mesh that was painted, and its layers."""


def write_layers(path: Path, parts: Painted) -> None:
    """Write the layers of a model's parts. Raises BadFile where the disk refuses, BadValue where one does not fit."""
    file = GlbFile()
    for name, (mesh, layers) in parts.items():
        primitives: list[dict[str, Any]] = []
        told: list[dict[str, Any]] = []
        for domain in DOMAINS:
            own = [layer for layer in layers if layer.domain == domain]
            if own:
                primitives.append(_primitive(file, mesh, own))
        for layer in layers:
            own = [each for each in layers if each.domain == layer.domain]
            fields = {"name": layer.name, "domain": layer.domain, "precision": layer.precision, "use": layer.use}
            told.append(fields | {"set": own.index(layer)})
        file.meshes.append({"name": name, "primitives": primitives, "extras": {LAYERS: told}})
        file.nodes.append({"name": name, "mesh": len(file.meshes) - 1})
    write_whole(path, file.container())


def read_layers(path: Path) -> dict[str, tuple[Mesh, tuple[ColourLayer, ...]]]:
    """What was painted: of each part by its name the mesh as it was then, points and triangles alone, and its layers.

    Raises BadFile where the file is missing or damaged.
    """
    if not path.exists():
        raise BadFile(f"the file of colour layers {path.name} is missing")
    document = Document(path)
    found: dict[str, tuple[Mesh, tuple[ColourLayer, ...]]] = {}
    try:
        for mesh in document.json.get("meshes", ()):
            told = mesh["extras"][LAYERS]
            domains = [domain for domain in DOMAINS if any(each["domain"] == domain for each in told)]
            primitives = dict(zip(domains, mesh["primitives"], strict=True))
            layers = tuple(_layer(document, primitives, each) for each in told)
            stood = _stood(document, primitives)
            for layer in layers:
                check(layer, stood)
            found[str(mesh["name"])] = stood, layers
    except BadFile:
        raise
    except BadValue as error:
        raise BadFile(f"{path.name} is no sound file of colour layers: {error}") from error
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError) as error:
        raise BadFile(f"{path.name} is no sound file of colour layers: {error}") from error
    return found


def _primitive(file: GlbFile, mesh: Mesh, layers: Sequence[ColourLayer]) -> dict[str, Any]:
    """The triangles that layers of one domain stand on, with their colours."""
    by_corner = layers[0].domain == "corner"
    points = mesh.positions[mesh.triangles.reshape(-1)] if by_corner else mesh.positions
    attributes = {"POSITION": file.accessor(np.ascontiguousarray(points), "VEC3", FLOAT, VERTICES, bounded=True)}
    for number, layer in enumerate(layers):
        check(layer, mesh)
        attributes[f"COLOR_{number}"] = file.layer(layer.values, layer.precision)
    primitive: dict[str, Any] = {"attributes": attributes, "mode": TRIANGLES}
    if not by_corner:
        primitive["indices"] = file.accessor(mesh.triangles.reshape(-1), "SCALAR", UNSIGNED_INT, INDICES)
    return primitive


def _stood(document: Document, primitives: Mapping[str, dict[str, Any]]) -> Mesh:
    """The mesh under the layers: the one whose vertices are shared, where there is one."""
    primitive = primitives.get("vertex") or primitives["corner"]
    points = document.numbers(primitive["attributes"]["POSITION"])
    order = document.numbers(primitive["indices"]).reshape(-1) if "indices" in primitive else np.arange(len(points))
    return mesh_from(points, order.reshape(-1, 3))


def _layer(document: Document, primitives: Mapping[str, dict[str, Any]], told: dict[str, Any]) -> ColourLayer:
    domain, precision, use = told["domain"], told["precision"], told["use"]
    if precision not in get_args(Precision) or use not in get_args(Use):
        raise ValueError(f"a layer is “{precision}”, “{use}”")
    values = document.numbers(primitives[domain]["attributes"][f"COLOR_{int(told['set'])}"])
    if values.shape[1] != 4:
        raise ValueError("a layer has not four channels")
    return ColourLayer(str(told["name"]), in_precision(values.astype(np.float32), precision), domain, precision, use)
