"""Baked light handed over: light maps as OpenEXR and PNG, meshes with the coordinates they lie by, probes as JSON."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct

from soft_lantern.bake.light.kept import BakedLight, Weights
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.images import write_png
from soft_lantern.formats.layered_exr import ExrPart, write_parts
from soft_lantern.formats.light_files import layer_names, layered
from soft_lantern.formats.places import write_whole
from soft_lantern.graph.document import Scene
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.scene.mesh import Model, Part, with_light_map

UNITS = "linear radiance of a white diffuse surface (irradiance / pi); times base colour it is what the surface sends"

EIGHT_BITS = "linear: byte / 255 × the end of the range"


class LitObject(Struct, frozen=True, eq=False):
    """An object with a light map: its id and name, and its parts in its own space, with their places in the map."""

    id: str
    name: str
    parts: Sequence[Part]


def lit_objects(scene: Scene, models: Mapping[str, Model], light: BakedLight) -> list[LitObject]:
    """The objects that light was baked for, with where their parts lie in their maps."""
    found = []
    for thing in scene.objects:
        held, model = light.maps.get(thing.id), models.get(thing.asset)
        if held is None or model is None:
            continue
        parts = [
            Part(part.name, with_light_map(part.placed, held.coordinates[part.name]))
            for part in model.parts
            if len(held.coordinates.get(part.name, ())) == len(part.mesh.triangles)
        ]
        found.append(LitObject(thing.id, thing.name, parts))
    return found


def hand_over(
    folder: Path, light: BakedLight, weights: Weights, objects: Sequence[LitObject], prefix: str = ""
) -> list[Path]:
    """Write light into a folder as it is tuned; the files, in the order they were written. Raises BadFile.

    Of each object NAME.exr, 16-bit float: R, G, B of all light as it is tuned, and each group's layer for an emission
    whose mean is 1; NAME.png, the same light in 8 bits over a stated range; NAME.glb, whose last set of texture
    coordinates is the map's. `light.json` says all of it, and holds the probes. `prefix`: what all names begin with.
    """
    layers, taken = layer_names(light.groups), set[str]()
    written: list[Path] = []
    told: list[dict[str, Any]] = []
    for each in objects:
        held = light.maps[each.id]
        name = as_identifier(each.name, taken, "object")
        taken.add(name)
        name = prefix + name
        whole = held.weighed(weights)
        names, picture = layered(held.light, layers)
        channels = ("R", "G", "B", *names)
        write_parts(folder / f"{name}.exr", [ExrPart(name, np.concatenate([whole, picture], axis=2), channels)])
        most = float(whole.max(initial=0.0)) or 1.0
        bytes_ = np.rint(np.clip(whole / most, 0, 1) * 255).astype(np.uint8)
        write_png(bytes_, folder / f"{name}.png")
        write_glb(folder / f"{name}.glb", each.parts)
        written += [folder / f"{name}{suffix}" for suffix in (".exr", ".png", ".glb")]
        sets = {part.name: 1 + int(part.mesh.uv1s.any()) for part in each.parts}
        height, width = whole.shape[:2]
        told.append(
            {
                "object": each.name,
                "light_map": f"{name}.exr",
                "light_map_8_bit": {"file": f"{name}.png", "range": [0.0, most], "encoding": EIGHT_BITS},
                "mesh": f"{name}.glb",
                "size": [width, height],
                "coordinate_set": sets,
            }
        )
    manifest: dict[str, Any] = {
        "units": UNITS,
        "colour_space": "linear, Rec. 709 primaries",
        "coordinates": "0 to 1, v downwards, as in glTF 2.0",
        "groups": [_group(name, layers[name], mean, weights) for name, mean in light.groups.items()],
        "samples": light.samples,
        "seed": light.seed,
        "light_maps": told,
    }
    if light.probes:
        manifest["probes"] = _probes(light, weights)
    about = folder / f"{prefix}light.json"
    write_whole(about, json.dumps(manifest, indent=2, ensure_ascii=False) + "\n")
    return [*written, about]


def _group(name: str, layer: str, mean: tuple[float, float, float], weights: Weights) -> dict[str, Any]:
    tuned = list(weights.get(name, (0.0, 0.0, 0.0)))
    return {"name": name, "layer": layer, "emission_when_baked": list(mean), "emission": tuned}


def _probes(light: BakedLight, weights: Weights) -> dict[str, Any]:
    probes = light.probes
    assert probes
    held: Mapping[str, Any] = probes.light
    total = sum(each * np.asarray(weights.get(name, (0.0, 0.0, 0.0))) for name, each in held.items())
    rows = np.asarray(total, np.float64).round(7).tolist()
    return {
        "basis": "real spherical harmonics of order 2, as 00, 1-1, 10, 11, 2-2, 2-1, 20, 21, 22; Y up, metres",
        "holds": "radiance arriving from all round; a diffuse surface answers the bands by 1, 2/3 and 1/4",
        "low": list(probes.low),
        "spacing": probes.spacing,
        "counts": list(probes.counts),
        "order": "x fastest, then y, then z",
        "coefficients": rows,
    }
