"""Baked light in a file beside the project: an OpenEXR whose parts are the light maps of objects, layer by group.

Further parts hold where each corner of a mesh lies in its map, and the probes; the note says what each of them is.
"""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.kept import BakedLight, LightMap, Probes
from soft_lantern.bake.light.surfaces import Floats
from soft_lantern.errors import BadFile, LanternError
from soft_lantern.formats.layered_exr import ExrPart, read_parts, write_parts
from soft_lantern.formats.places import file_inside, new_file
from soft_lantern.graph.document import Project, Scene
from soft_lantern.ir.glsl_words import as_identifier

LIGHT_FOLDER = "light"
ROW = 4096
"""Numbers in a row of what is no picture."""


def keep_light(folder: Path, scene: Scene, light: BakedLight) -> str:
    """Write a scene's light into a new file of the project folder; its path inside. Raises BadFile.

    The old file stays, so that baking can be undone.
    """
    stem = as_identifier(scene.name, (), "scene")[:60]
    path = new_file(folder / LIGHT_FOLDER, stem, ".exr", lambda draft: write_light(draft, light))
    return path.relative_to(folder).as_posix()


def load_light(folder: Path, scene: Scene) -> BakedLight:
    """The light that was baked for a scene. Raises BadFile where its file is missing or damaged."""
    return read_light(file_inside(folder, scene.baked.file, scene.name))


def baked_lights(project: Project, folder: Path) -> dict[str, BakedLight]:
    """The light that was baked for scenes, by their ids; where its file cannot be read, the stage has none either."""
    found = {}
    for scene in project.scenes.values():
        if scene.baked.file:
            with contextlib.suppress(LanternError):
                found[scene.id] = load_light(folder, scene)
    return found


def write_light(path: Path, light: BakedLight) -> None:
    """Write baked light. Raises BadFile where the disk refuses."""
    layers = layer_names(light.groups)
    parts: list[ExrPart] = []
    maps = []
    for number, (object_id, held) in enumerate(light.maps.items()):
        names, picture = layered(held.light, layers)
        parts.append(ExrPart(f"light {number}", picture, names))
        lie = []
        for part, coordinates in held.coordinates.items():
            lie.append({"name": part, "triangles": len(coordinates), "part": len(parts)})
            parts.append(_numbers(f"places {number} {len(lie)}", coordinates.reshape(-1, 2), ("U", "V")))
        maps.append({"object": object_id, "part": len(parts) - 1 - len(lie), "places": lie})
    told: dict[str, Any] = {
        "groups": [{"name": n, "layer": layers[n], "emission": list(mean)} for n, mean in light.groups.items()],
        "maps": maps,
        "stood": light.stood,
        "samples": light.samples,
        "seed": light.seed,
        "noise": light.noise,
        "seconds": light.seconds,
    }
    if light.probes:
        probes = light.probes
        told["probes"] = {"low": list(probes.low), "spacing": probes.spacing, "counts": list(probes.counts)}
        told["probes"]["part"] = len(parts)
        names, picture = layered({n: each.reshape(-1, 1, 3) for n, each in probes.light.items()}, layers)
        parts.append(_numbers("probes", picture.reshape(len(picture), -1), names))
    if not parts:
        parts.append(ExrPart("nothing", np.zeros((1, 1, 3), np.float32), ("R", "G", "B")))
    write_parts(path, parts, json.dumps(told, separators=(",", ":")))


def read_light(path: Path) -> BakedLight:
    """Read baked light. Raises BadFile where the file is missing or damaged."""
    parts, note = read_parts(path)
    try:
        told = json.loads(note)
        layers = {str(each["name"]): str(each["layer"]) for each in told["groups"]}
        means = {str(each["name"]): _three(each["emission"]) for each in told["groups"]}
        maps = {}
        for each in told["maps"]:
            coordinates = {
                str(lie["name"]): _flat(parts[int(lie["part"])], 3 * int(lie["triangles"])).reshape(-1, 3, 2)
                for lie in each["places"]
            }
            maps[str(each["object"])] = LightMap(coordinates, _unlayered(parts[int(each["part"])], layers))
        probes = None
        if "probes" in told:
            probes = _probes(told["probes"], parts, layers)
        stood = {str(key): str(mark) for key, mark in told["stood"].items()}
        figures = (int(told["samples"]), int(told["seed"]), float(told["noise"]), float(told["seconds"]))
        return BakedLight(means, maps, probes, stood, *figures)
    except (LookupError, TypeError, ValueError, AttributeError, OverflowError, RecursionError) as error:
        raise BadFile(f"{path.name} is no sound file of baked light: {error}") from error


def layer_names(groups: Mapping[str, object]) -> dict[str, str]:
    """What the layer of each light group is called in a file."""
    found: dict[str, str] = {}
    for name in groups:
        found[name] = as_identifier(name, set(found.values()), "group")
    return found


def layered(light: Mapping[str, Floats], layers: Mapping[str, str]) -> tuple[tuple[str, ...], Floats]:
    """Channel names and texels, (h, w, 3 · groups), of what several groups send."""
    names = tuple(f"{layers[name]}.{channel}" for name in light for channel in "RGB")
    return names, np.concatenate(list(light.values()), axis=2)


def _unlayered(part: ExrPart, layers: Mapping[str, str]) -> dict[str, Floats]:
    found = {}
    for name, layer in layers.items():
        at = [part.channels.index(f"{layer}.{channel}") for channel in "RGB"]
        found[name] = np.ascontiguousarray(np.nan_to_num(part.texels[..., at]))
    return found


def _probes(told: Mapping[str, Any], parts: list[ExrPart], layers: Mapping[str, str]) -> Probes:
    x, y, z = (int(count) for count in told["counts"])
    spacing = float(told["spacing"])
    if min(x, y, z) < 1 or not spacing > 0:
        raise ValueError("there are no probes where it says so")
    part = parts[int(told["part"])]
    rows = _flat(part, x * y * z * harmonics.COUNT)
    as_picture = ExrPart(part.name, rows[:, None], part.channels)
    held = {n: each.reshape(-1, harmonics.COUNT, 3) for n, each in _unlayered(as_picture, layers).items()}
    return Probes(_three(told["low"]), spacing, (x, y, z), held)


def _numbers(name: str, rows: Floats, channels: tuple[str, ...]) -> ExrPart:
    """Rows of numbers as a picture, in full precision."""
    count = max(-(-len(rows) // ROW), 1)
    width = min(max(len(rows), 1), ROW)
    texels = np.zeros((count * width, rows.shape[1]), np.float32)
    texels[: len(rows)] = rows
    return ExrPart(name, texels.reshape(count, width, -1), channels, half=False)


def _flat(part: ExrPart, count: int) -> Floats:
    rows = part.texels.reshape(-1, part.texels.shape[2])
    if not 0 <= count <= len(rows):
        raise ValueError(f"{len(rows)} of {count} numbers are there")
    return np.ascontiguousarray(np.nan_to_num(rows[:count]))


def _three(values: Any) -> tuple[float, float, float]:
    a, b, c = (float(value) for value in values)
    return a, b, c
