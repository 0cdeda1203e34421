"""A scene as one file of glTF 2.0: its objects in their looks, and the other looks as variants.

Source: the glTF 2.0 specification, and the extensions KHR_materials_variants, KHR_materials_specular,
KHR_materials_emissive_strength, KHR_materials_unlit and KHR_texture_transform.
"""

from __future__ import annotations

import io
import json
from collections.abc import Callable, Collection, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace
from PIL import Image as Picture

from soft_lantern.baked_assets.kept import Kept
from soft_lantern.baked_assets.sheets import Sheet, Sheets, sheet_of_even
from soft_lantern.baked_assets.surfaces import CANNOT, Baked, baked, is_even, measured, read_here
from soft_lantern.formats.glb import GlbFile, coordinate_sets
from soft_lantern.graph.document import Material, Project, Scene, StageObject, changed
from soft_lantern.graph.instances.family import looks_of
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import ancestry, look
from soft_lantern.graph.lowering import uniform_values
from soft_lantern.progress import Progress, silent
from soft_lantern.render.staging import GREY, LoweredMaterials, object_inputs
from soft_lantern.render.surface_points import Worn
from soft_lantern.scene.colour_layers import by_vertex, drawn
from soft_lantern.scene.mesh import Model, Part
from soft_lantern.scene.transforms import camera_for, placement
from soft_lantern.values.images import Filter, Image, Wrap
from soft_lantern.values.kinds import Value

VIEWS = 4
"""From how many sides the difference to the live surface is measured."""
Row = dict[str, Any]


class SceneFile:
    """A scene's file as it grows, with what is told of each look on each part."""

    def __init__(
        self,
        project: Project,
        scene: Scene,
        models: Mapping[str, Model],
        images: Mapping[str, Image],
        sheets: Sheets,
        looks: Collection[str] | None = None,
    ) -> None:
        """`sheets`: which other scenes of the same models share.

        `looks`: the ids of the instances that are variants beside the materials themselves; None is all.
        """
        self._chosen = looks
        self.project, self.scene, self.models, self.images = project, scene, models, images
        self._sheets = sheets
        self.file = GlbFile()
        self.file.roots = []
        self.told: list[Row] = []
        self.variants: dict[str, int] = {}
        self._looks = LoweredMaterials()
        self._textures: dict[tuple[bytes, Filter, Wrap], int] = {}
        self._shared: dict[str, int] = {}
        self._made: dict[tuple[str, ...], tuple[int, Row]] = {}
        view = scene.view
        self._cameras = [
            camera_for(changed(view, yaw=view.yaw + 360.0 * turn / VIEWS), (16, 9)) for turn in range(VIEWS)
        ]

    def made(self, materials: Collection[str], progress: Progress = silent) -> bytes:
        """The file of the objects that wear some materials, by their ids. Raises Cancelled."""
        things = [thing for thing in self.scene.objects if thing.asset in self.models]
        for number, thing in enumerate(things):
            self._add(thing, materials, lambda share, words, at=number: progress((at + share) / len(things), words))
        if self.variants:
            names = [{"name": self._name(each)} for each in self.variants]
            self.file.extensions["KHR_materials_variants"] = {"variants": names}
        return self.file.container()

    @property
    def objects(self) -> int:
        """How many objects are in it."""
        return len(self.file.roots or ())

    def _add(self, thing: StageObject, materials: Collection[str], progress: Progress) -> None:
        shown = [part for part in self.models[thing.asset].parts if not {part.name, ""} & set(thing.hidden)]
        parts = [part for part in shown if len(part.mesh.triangles)]
        if not any(self._material(worn(self.project, thing, part.name)) in materials for part in parts):
            return
        primitives = []
        for number, part in enumerate(parts):

            def looks(share: float, number: int = number) -> None:
                progress((number + share) / len(parts), f"Baking the looks of {thing.name}")

            primitives.append(self._primitive(thing, part, materials, looks))
        self.file.meshes.append({"name": thing.name, "primitives": primitives})
        node: Row = {"name": thing.name, "mesh": len(self.file.meshes) - 1}
        matrix = placement(thing)
        if not np.array_equal(matrix, np.eye(4)):
            node["matrix"] = matrix.T.reshape(-1).tolist()
        assert self.file.roots is not None
        self.file.roots.append(len(self.file.nodes))
        self.file.nodes.append(node)

    def _primitive(
        self, thing: StageObject, part: Part, materials: Collection[str], progress: Callable[[float], None]
    ) -> Row:
        progress(0.0)
        layers = drawn(part.layers)
        bare, values = by_vertex(part.bare, layers)
        shown = bare.recoloured(values[0]).moved(part.transform) if layers else part.placed
        own = worn(self.project, thing, part.name)
        even = is_even(self._looks.lowered(self._shown(own)[0]))  # and so is every look of it
        sheet, rows = sheet_of_even(shown) if even else self._sheets.of(shown)
        # Colours of the mesh are in the pictures already: as data, none of its layers tints it.
        held = [(replace(layer, use="data"), each[rows]) for layer, each in zip(layers, values, strict=True)]
        sets = [*coordinate_sets(sheet.mesh), *([] if sheet.own else [sheet.uvs])]
        row, place = self.file.primitive(sheet.mesh, sets, held, tangents=True), 0 if sheet.own else len(sets) - 1
        row["material"] = self._look(thing, sheet, place, part.name, own)
        material = self._material(own)
        if material in materials:
            mappings = []
            looks = looks_of(self.project, material, self._chosen)
            for number, look_id in enumerate(looks):
                progress(number / len(looks))
                variant = self.variants.setdefault(look_id, len(self.variants))
                same = look_id == own
                index = row["material"] if same else self._look(thing, sheet, place, part.name, look_id)
                mappings.append({"material": index, "variants": [variant]})
            row["extensions"] = {"KHR_materials_variants": {"mappings": mappings}}
        return row

    def _look(self, thing: StageObject, sheet: Sheet, place: int, part: str, look_id: str) -> int:
        """The index of the material of a look on a part, baked and measured: once for all on which it is the same."""
        live = self._live(thing, sheet, look_id)
        alike = (thing.id,) if sheet.even else (sheet.of, part, str(place), read_here(live))
        key = look_id, *alike
        if key not in self._made:
            made = measured(live, baked(live, sheet), sheet, self._cameras)
            self._made[key] = self._written(made, self._name(look_id), part, place), _told(made, sheet)
        index, told = self._made[key]
        self.told.append({"object": thing.name, "part": part, "look": self._name(look_id), **told})
        return index

    def _live(self, thing: StageObject, sheet: Sheet, look_id: str) -> Worn:
        """What a look answers on a part of an object."""
        material, shown = self._shown(look_id)
        lowered = self._looks.lowered(material)
        uniforms = uniform_values(lowered, material, shown, self.images)
        inputs = object_inputs(thing, self.models[thing.asset], sheet.mesh)
        return Worn(sheet.mesh, inputs, lowered, uniforms, camera_for(self.scene.view, (16, 9)))

    def _shown(self, look_id: str) -> tuple[Material, Mapping[str, Value]]:
        """A look's material and values."""
        found = look(self.project, look_id)
        return (found.material, found.shown) if found else (GREY, {})

    def _written(self, made: Baked, name: str, part: str, place: int) -> int:
        """The index of a material in the file."""
        row = self._as_gltf(made, place)
        if made.maps:
            self.file.materials.append({"name": f"{name} on {part}", **row})
            return len(self.file.materials) - 1
        row = {"name": name, **row}  # of what holds no picture of this part, one serves all parts
        index = self._shared.setdefault(json.dumps(row), len(self.file.materials))
        if index == len(self.file.materials):
            self.file.materials.append(row)
        return index

    def _as_gltf(self, made: Baked, place: int) -> Row:
        factors = made.factors
        at = {"texCoord": place} if place else {}
        textures: Row = {use: {"index": self._texture(each), **at} for use, each in made.maps.items()}
        textures |= {use: self._kept(use, each) for use, each in made.kept.items()}
        base: Row = {"baseColorFactor": list(factors["base_colour"])}
        if "base_colour" in textures:
            base["baseColorTexture"] = textures["base_colour"]
        row: Row = {"pbrMetallicRoughness": base, "alphaMode": made.alpha_mode.upper()}
        if made.alpha_mode == "mask":
            row["alphaCutoff"] = factors["alpha_cutoff"][0]
        if made.double_sided:
            row["doubleSided"] = True
        if made.unlit:
            base |= {"metallicFactor": 0.0, "roughnessFactor": 0.9}  # for readers without the extension, as it advises
            return row | {"extensions": {"KHR_materials_unlit": {}}}
        _, rough, metal = factors["metallic_roughness"]
        base |= {"roughnessFactor": rough, "metallicFactor": metal}
        if "metallic_roughness" in textures:
            base["metallicRoughnessTexture"] = textures["metallic_roughness"]
        for use in ("normal", "occlusion"):
            if use in textures:
                row[f"{use}Texture"] = textures[use]
        extensions: Row = {}
        if "emissive" in factors:
            row["emissiveFactor"] = list(factors["emissive"])
            if "emissive" in textures:
                row["emissiveTexture"] = textures["emissive"]
            if factors["emissive_strength"][0] > 1:
                extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": factors["emissive_strength"][0]}
        specular: Row = {}
        if "specular" in factors:
            specular["specularFactor"] = factors["specular"][3]
        if "specular_colour" in factors:
            specular["specularColorFactor"] = list(factors["specular_colour"])
        for use, key in (("specular", "specularTexture"), ("specular_colour", "specularColorTexture")):
            if use in textures:
                specular[key] = textures[use]
        if specular:
            extensions["KHR_materials_specular"] = specular
        return row | ({"extensions": extensions} if extensions else {})

    def _kept(self, use: str, kept: Kept) -> Row:
        """A texture as it is, where glTF reads it as the surface does."""
        row: Row = {"index": self._texture(kept.image.texels, kept.image.filter, kept.image.wrap)}
        if kept.coordinates:
            row["texCoord"] = kept.coordinates
        if (kept.scale, kept.offset) != ((1.0, 1.0), (0.0, 0.0)):
            row["extensions"] = {
                "KHR_texture_transform": {"scale": list(kept.scale), "offset": list(kept.offset)},
            }
        if use == "normal" and kept.factor != (1.0,):
            row["scale"] = kept.factor[0]
        return row

    def _texture(self, texels: npt.NDArray[np.uint8], filter_: Filter = "linear", wrap: Wrap = "clamp") -> int:
        held = io.BytesIO()
        opaque = bool((texels[..., 3] == 255).all())
        Picture.fromarray(np.ascontiguousarray(texels[..., :3] if opaque else texels)).save(held, "PNG")
        key = held.getvalue(), filter_, wrap
        if key not in self._textures:
            self._textures[key] = self.file.texture(*key)
        return self._textures[key]

    def _material(self, look_id: str) -> str:
        material = ancestry(self.project, look_id)[1]
        return material.id if material else ""

    def _name(self, look_id: str) -> str:
        named = self.project.instances.get(look_id) or self.project.materials.get(look_id)
        return named.name if named else GREY.name


def _told(made: Baked, sheet: Sheet) -> Row:
    row: Row = {"textures": sorted(made.maps), "textures_as_they_are": sorted(made.kept)}
    row["off_by_steps_of_255"] = {
        use: {"mean": round(mean, 2), "most": round(most, 2)} for use, (mean, most) in made.off.items()
    }
    row["cannot_be_baked"] = [CANNOT[key] for key in made.cannot]
    return row | ({} if sheet.own else {"unfolded_anew_because": sheet.words})
