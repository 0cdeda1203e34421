"""Baked light as a stage shows it: its groups as they are tuned now, laid on the items of a frame."""

from __future__ import annotations

import threading
import weakref
from collections.abc import Mapping

import numpy as np

from soft_lantern.bake.light import harmonics
from soft_lantern.bake.light.kept import SKY, BakedLight, LightMap, Weights
from soft_lantern.graph.document import LightGroup, Project, Scene, StageObject
from soft_lantern.render.frame import UniformValue
from soft_lantern.render.light_parts import MeanEmissions, mark_of
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.mesh import Mesh, Model, with_light_map
from soft_lantern.scene.transforms import placement
from soft_lantern.values.images import Image

NONE = Image(np.zeros((1, 1, 4), np.float32), "data", wrap="clamp")
"""Stands in where an item has no light map."""
BLOCK = 8
"""Texels along a block of the checker."""


class ShownLight:
    """One bake, and what was made of it for pictures. May be asked from several threads."""

    def __init__(self, baked: BakedLight) -> None:
        self.baked = baked
        self._means = MeanEmissions()
        self._meshes: weakref.WeakKeyDictionary[Mesh, dict[int, Mesh]] = weakref.WeakKeyDictionary()
        self._images: dict[str, tuple[Weights, Image]] = {}
        self._checkers: dict[str, Image] = {}
        self._lock = threading.Lock()

    def now(
        self,
        project: Project,
        scene: Scene,
        models: Mapping[str, Model],
        images: Mapping[str, Image],
        lowered_materials: LoweredMaterials,
    ) -> LightNow:
        """The light as the scene tunes it: by the emissive values of what gives it, and by each group's own tuning."""
        with self._lock:
            means = self._means.of(project, scene, models, images, lowered_materials, self.baked.groups)
        weights = {}
        for name, then in self.baked.groups.items():
            tuned = scene.baked.groups.get(name, LightGroup())
            mean = then if name == SKY else means.get(name, (0.0, 0.0, 0.0))
            red, green, blue = (a * b * tuned.strength for a, b in zip(mean, tuned.colour, strict=True))
            weights[name] = (red, green, blue)
        return LightNow(self, weights, stale(self.baked, scene))

    def mesh(self, mesh: Mesh, held: LightMap, part: str) -> Mesh | None:
        """A part's mesh with its places in its light map; None where it is not the one that was baked."""
        coordinates = held.coordinates.get(part)
        if coordinates is None or len(coordinates) != len(mesh.triangles):
            return None
        with self._lock:
            kept = self._meshes.setdefault(mesh, {})
            if id(coordinates) not in kept:
                kept[id(coordinates)] = with_light_map(mesh, coordinates)
            return kept[id(coordinates)]

    def image(self, object_id: str, weights: Weights) -> Image:
        """An object's light map with all groups in it; the same one as long as nothing is tuned."""
        with self._lock:
            kept = self._images.get(object_id)
            if kept is None or kept[0] != weights:
                light = self.baked.maps[object_id].weighed(weights)
                texels = np.concatenate([light, np.ones_like(light[..., :1])], axis=2)
                kept = self._images[object_id] = weights, Image(texels, "data", wrap="clamp")
            return kept[1]

    def checker(self, object_id: str) -> Image:
        """A checker with a field for each texel of an object's light map; the same one each time."""
        with self._lock:
            if object_id not in self._checkers:
                height, width = next(iter(self.baked.maps[object_id].light.values())).shape[:2]
                self._checkers[object_id] = checker(height, width)
            return self._checkers[object_id]


class LightNow:
    """The light of one frame."""

    def __init__(self, shown: ShownLight, weights: Weights, out_of_date: bool, *, texels: bool = False) -> None:
        self.weights, self.out_of_date = weights, out_of_date
        self._shown, self._texels = shown, texels

    def in_texels(self) -> LightNow:
        """The same with a checker of its maps' texels in place of the light in them."""
        return LightNow(self._shown, self.weights, out_of_date=False, texels=True)

    def on(self, thing: StageObject, part: str, mesh: Mesh) -> tuple[Mesh, dict[str, UniformValue]]:
        """A part's mesh as it is drawn, and the values of the uniforms that `surface_model.baked_light` reads."""
        baked = self._shown.baked
        held = baked.maps.get(thing.id)
        placed = self._shown.mesh(mesh, held, part) if held else None
        around = np.zeros((harmonics.COUNT, 3))
        if placed is None and baked.probes and not self._texels:
            middle = placement(thing) @ np.append((mesh.bounds[0] + mesh.bounds[1]) / 2, 1.0)
            around = baked.probes.at(middle[:3], self.weights)
        lit = placed is not None or baked.probes is not None
        found: dict[str, UniformValue] = {
            "stage:light_map": self._map(thing.id) if placed is not None else NONE,
            "stage:own_sky": (0.0 if lit and SKY in baked.groups else 1.0,),
            "stage:light_stale": (float(self.out_of_date and placed is not None),),
        }
        for number, row in enumerate(around):
            found[f"stage:around_{number}"] = tuple(map(float, row))
        return (mesh if placed is None else placed), found

    def _map(self, object_id: str) -> Image:
        if self._texels:
            return self._shown.checker(object_id)
        return self._shown.image(object_id, self.weights)


def checker(height: int, width: int) -> Image:
    """A field for each texel of a map, light and dark in turn; blocks of BLOCK of them are warm and cool in turn."""
    y, x = np.mgrid[:height, :width]
    level = np.where((x + y) % 2 == 0, 1.0, 0.25)[..., None]
    tint = np.where(((x // BLOCK + y // BLOCK) % 2 == 0)[..., None], [1.0, 0.75, 0.5, 1.0], [0.55, 0.8, 1.0, 1.0])
    texels = tint * np.concatenate([level, level, level, np.ones_like(level)], axis=2)
    return Image(texels.astype(np.float32), "data", filter="nearest", wrap="clamp")


def stale(baked: BakedLight, scene: Scene) -> bool:
    """Whether something that took part in a bake no longer stands as it did, or is gone."""
    marks = {thing.id: mark_of(thing) for thing in scene.objects}
    return any(marks.get(object_id) != mark for object_id, mark in baked.stood.items())
