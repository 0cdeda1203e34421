"""The materials of a glTF 2.0 file as materials and instances of a project.

Surfaces that are built alike, with the same kinds of textures and the same alpha mode, share one material; each is an
instance of it with its own factors and textures. Source: the glTF 2.0 specification, sections 3.8 and 3.9, with
KHR_materials_specular, KHR_materials_emissive_strength, KHR_materials_unlit and KHR_texture_transform.
"""

from __future__ import annotations

from collections.abc import Iterable
from math import degrees
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from soft_lantern.errors import BadFile
from soft_lantern.formats.glb import FILTERS, WRAPS
from soft_lantern.formats.gltf import Document, beside
from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Instance, Material, Texture, new_id
from soft_lantern.graph.layout import tidy
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.scene.mesh import Model
from soft_lantern.values.kinds import Value

_SLOTS = {
    "base_colour": ("pbrMetallicRoughness", "baseColorTexture", "colour"),
    "metallic_roughness": ("pbrMetallicRoughness", "metallicRoughnessTexture", "data"),
    "normal": ("", "normalTexture", "data"),
    "occlusion": ("", "occlusionTexture", "data"),
    "emissive": ("", "emissiveTexture", "colour"),
    "specular": ("KHR_materials_specular", "specularTexture", "data"),
    "specular_colour": ("KHR_materials_specular", "specularColorTexture", "colour"),
}
"""Each use of a texture: the object that names it, its key there, and how the image is read."""
_WRAPS = {code: wrap for wrap, code in WRAPS.items()}
_NEAREST = FILTERS["nearest"]["magFilter"]
_ENDINGS = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}


class Place(Struct, frozen=True):
    """Where a texture is read: the set of coordinates, their offset, turn in radians and scale."""

    set: int = 0
    offset: tuple[float, ...] = (0.0, 0.0)
    rotation: float = 0.0
    scale: tuple[float, ...] = (1.0, 1.0)


class Build(Struct, frozen=True):
    """What surfaces that share a material have in common."""

    places: tuple[tuple[str, Place], ...]
    alpha_mode: str
    double_sided: bool
    unlit: bool
    emits: bool
    specular: bool
    coloured: bool


class Surface(Struct, frozen=True):
    """One material of the file: how it is built, its values by the labels of parameters, its textures by their use."""

    name: str
    build: Build
    values: dict[str, Value]
    textures: dict[str, str]


class Surfaces(Struct):
    """What a file's materials became. `worn`: the instance's id by the number of the material in the file."""

    textures: list[Texture] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    instances: list[Instance] = field(default_factory=list)
    worn: dict[int, str] = field(default_factory=dict)
    remarks: list[str] = field(default_factory=list)
    images: dict[str, bytes] = field(default_factory=dict)
    """Embedded images by the name of the file they become."""


def surfaces_of(file: Document, model: Model, home: str) -> Surfaces:
    """The file's materials that the model's parts wear; `home` is the file's folder inside the project.

    Raises BadFile where they cannot be read.
    """
    try:
        return _Surfaces(file, model, home).found
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError) as error:
        words = f"{error} is missing" if isinstance(error, KeyError) else str(error)
        raise BadFile(f"{file.path.name} has materials that are not sound glTF: {words}") from error


class _Surfaces:
    def __init__(self, file: Document, model: Model, home: str) -> None:
        self.file, self.home, self.found = file, home, Surfaces()
        self.records: dict[tuple[int, str], str] = {}
        self.files: dict[int, str] = {}
        self.documented = file.json.get("materials", [])
        wanted = {part.surface for part in model.parts if part.surface is not None}
        coloured = {part.surface for part in model.parts if part.mesh.has_colours}
        read = {index: self._surface(index, index in coloured) for index in sorted(wanted)}
        shared: dict[Build, list[int]] = {}
        for index, surface in read.items():
            shared.setdefault(surface.build, []).append(index)
        for number, (build, members) in enumerate(shared.items(), 1):
            name = f"{file.path.stem.replace('_', ' ')} surface"
            material = _material(f"{name} {number}" if len(shared) > 1 else name, build, read[members[0]])
            self.found.materials.append(material)
            for index in members:
                instance = _instance(material, read[index])
                self.found.instances.append(instance)
                self.found.worn[index] = instance.id

    def _surface(self, index: int, coloured: bool) -> Surface:
        given = self.documented[index]
        extensions = given.get("extensions", {})
        rough, shine = given.get("pbrMetallicRoughness", {}), extensions.get("KHR_materials_specular")
        glow = given.get("emissiveFactor", (0.0, 0.0, 0.0))
        textures, places = {}, []
        for use, (holder, key, encoding) in _SLOTS.items():
            info = (given.get(holder) or extensions.get(holder) or {} if holder else given).get(key)
            texture = self._texture(info, encoding) if info else ""
            if info and texture:
                textures[use] = texture
                places.append((use, _place(info)))
        normal, occlusion = given.get("normalTexture", {}), given.get("occlusionTexture", {})
        strength = extensions.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0)
        values: dict[str, Value] = {
            "Base colour": _numbers(rough.get("baseColorFactor", (1, 1, 1, 1)), 4),
            "Metallic": float(rough.get("metallicFactor", 1.0)),
            "Roughness": float(rough.get("roughnessFactor", 1.0)),
            "Normal scale": float(normal.get("scale", 1.0)),
            "Occlusion strength": float(occlusion.get("strength", 1.0)),
            "Emissive colour": (*_numbers(glow, 3), 1.0),
            "Emissive strength": float(strength),
            "Alpha cutoff": float(given.get("alphaCutoff", 0.5)),
            "Specular": float((shine or {}).get("specularFactor", 1.0)),
            "Specular colour": (*_numbers((shine or {}).get("specularColorFactor", (1, 1, 1)), 3), 1.0),
        }
        mode = str(given.get("alphaMode", "OPAQUE")).lower()
        build = Build(
            tuple(places),
            mode if mode in ("opaque", "mask", "blend") else "opaque",
            bool(given.get("doubleSided", False)),
            "KHR_materials_unlit" in extensions,
            any(float(part) > 0 for part in glow),
            shine is not None,
            coloured,
        )
        return Surface(str(given.get("name") or f"material {index + 1}"), build, values, textures)

    def _texture(self, info: dict[str, Any], encoding: str) -> str:
        """The id of the texture record for a use of a texture; "" where its image is of a kind that is not read."""
        index = int(info["index"])
        if (index, encoding) not in self.records:
            given = self.file.json["textures"][index]
            webp = given.get("extensions", {}).get("EXT_texture_webp", {})
            source = given.get("source", webp.get("source"))
            if source is None:
                self._remark(f"texture {index} has no image of a kind that is read")
                return ""
            sampler = self.file.json["samplers"][given["sampler"]] if "sampler" in given else {}
            across, down = (_WRAPS.get(sampler.get(key, 10497), "repeat") for key in ("wrapS", "wrapT"))
            if across != down:
                self._remark(f"texture {index} wraps differently across and down; {across} is used for both")
            if not self._image(source):
                return ""
            name = str(given.get("name") or Path(self._image(source)).stem.replace("_", " "))
            record = Texture(
                id=new_id("texture"),
                name=name,
                file=self._image(source),
                encoding="colour" if encoding == "colour" else "data",
                filter="nearest" if sampler.get("magFilter") == _NEAREST else "linear",
                wrap=across,
            )
            self.found.textures.append(record)
            self.records[index, encoding] = record.id
        return self.records[index, encoding]

    def _image(self, source: int) -> str:
        """The path of an image's file inside the project."""
        if source not in self.files:
            image = self.file.json["images"][source]
            uri = image.get("uri", "")
            if uri and not uri.startswith("data:"):
                try:
                    self.files[source] = f"{self.home}/{beside(self.file.path, uri)}"
                except BadFile as error:
                    self._remark(f"an image is left out: {error}")
                    self.files[source] = ""
                return self.files[source]
            data = self.file.fetched(uri) if uri else self.file.view(int(image["bufferView"]))
            mime = str(image.get("mimeType") or uri[5:].partition(";")[0])
            ending = _ENDINGS.get(mime, ".png" if data[:4] == b"\x89PNG" else ".jpg")
            stem = as_identifier(str(image.get("name") or f"image {source + 1}"), (), "image")
            name, number = f"{stem}{ending}", 2
            while name in self.found.images:
                name, number = f"{stem}_{number}{ending}", number + 1
            self.found.images[name] = data
            self.files[source] = f"{self.home}/{name}"
        return self.files[source]

    def _remark(self, text: str) -> None:
        remark = f"{self.file.path.name}: {text}"
        if remark not in self.found.remarks:
            self.found.remarks.append(remark)


def _numbers(given: Iterable[Any], count: int) -> tuple[float, ...]:
    found = tuple(float(part) for part in given)
    if len(found) != count:
        raise ValueError(f"a factor has {len(found)} numbers instead of {count}")
    return found


def _place(info: dict[str, Any]) -> Place:
    moved = info.get("extensions", {}).get("KHR_texture_transform", {})
    return Place(
        int(moved.get("texCoord", info.get("texCoord", 0))),
        _numbers(moved.get("offset", (0, 0)), 2),
        float(moved.get("rotation", 0.0)),
        _numbers(moved.get("scale", (1, 1)), 2),
    )


def _instance(material: Material, surface: Surface) -> Instance:
    values: dict[str, Value] = {}
    for parameter in material.parameters:
        use = parameter.id.removesuffix("_texture")
        value = surface.textures.get(use) if parameter.id.endswith("_texture") else surface.values[parameter.label]
        if value is not None and value != parameter.default:
            values[parameter.id] = value
    return Instance(id=new_id("instance"), name=surface.name, parent=material.id, values=values)


def _material(name: str, build: Build, first: Surface) -> Material:
    """The graph of a build, its parameters holding what the first of its surfaces says."""
    m = Authoring(name, new_id("material"))
    places = dict(build.places)
    read: dict[Place, Wire] = {}

    def value(label: str, limits: tuple[float, float] | None = None, group: str = "Surface") -> Wire:
        return m.expose(label, first.values[label], limits=limits, group=group)

    def texel(use: str) -> Wire | None:
        if use not in places:
            return None
        texture = m.expose_texture(
            f"{use.replace('_', ' ').capitalize()} texture", first.textures[use], group="Textures"
        )
        return m.add("image", texture=texture, uv=_coordinates(m, places[use], read))

    base = value("Base colour")
    for factor in (texel("base_colour"), m.add("vertex_colour") if build.coloured else None):
        if factor is not None:
            base = base * factor
    traits = {"alpha_mode": build.alpha_mode, "double_sided": "yes" if build.double_sided else "no"}
    cutoff: dict[str, Any] = {}
    if build.alpha_mode == "mask":
        cutoff["alpha_cutoff"] = value("Alpha cutoff", (0, 1))
    if build.unlit:
        m.add("unlit_surface", colour=base, **cutoff, **traits)
        return tidy(m.material)
    ports: dict[str, Any] = {"base_colour": base, **cutoff}
    ports["metallic"], ports["roughness"] = value("Metallic", (0, 1)), value("Roughness", (0, 1))
    packed = texel("metallic_roughness")
    if packed is not None:
        parts = packed.into("separate")
        ports["metallic"], ports["roughness"] = ports["metallic"] * parts.z, ports["roughness"] * parts.y
    if "normal" in places:
        texture = m.expose_texture("Normal texture", first.textures["normal"], group="Textures")
        uv = _coordinates(m, places["normal"], read)
        ports["normal"] = m.add("normal_map", texture=texture, uv=uv, scale=value("Normal scale", (0, 2)))
    shade = texel("occlusion")
    if shade is not None:
        strength = value("Occlusion strength", (0, 1))
        ports["occlusion"] = m.add("mix", a=1.0, b=shade.into("separate").x, factor=strength)
    if build.emits:
        glow, lit = value("Emissive colour", group="Light"), texel("emissive")
        ports["emissive"] = glow if lit is None else glow * lit
        strongest = max(20.0, 2 * float(first.values["Emissive strength"]))  # type: ignore[arg-type]
        ports["emissive_strength"] = value("Emissive strength", (0, strongest), group="Light")
    if build.specular:
        ports["specular"], ports["specular_colour"] = value("Specular", (0, 1)), value("Specular colour")
        share, tint = texel("specular"), texel("specular_colour")
        if share is not None:
            ports["specular"] = ports["specular"] * share.alpha
        if tint is not None:
            ports["specular_colour"] = ports["specular_colour"] * tint
    m.add("surface", **ports, **traits)
    return tidy(m.material)


def _coordinates(m: Authoring, place: Place, read: dict[Place, Wire]) -> Wire:
    """The coordinates of a place, made once."""
    if place not in read:
        uv = m.add("texture_coordinates", set=str(min(place.set, 1)))
        if (place.offset, place.rotation, place.scale) != ((0.0, 0.0), 0.0, (1.0, 1.0)):
            uv = m.add(
                "rotate_coordinates",
                uv=uv,
                pivot=(0.0, 0.0),
                scale=(1 / (place.scale[0] or 1e-9), 1 / (place.scale[1] or 1e-9)),
                angle=degrees(place.rotation),
                offset=(-place.offset[0], -place.offset[1]),
            )
        read[place] = uv
    return read[place]
