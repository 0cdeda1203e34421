"""MaterialX documents as a target of deliveries: one for each material, with its looks and the pictures they read."""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path

from soft_lantern.errors import BadFile
from soft_lantern.formats.delivery import Whole
from soft_lantern.formats.images import write_exr
from soft_lantern.formats.materialx.document import Named, Written, written
from soft_lantern.formats.materialx.expressions import Sampling
from soft_lantern.formats.materialx.pictures import PictureFile
from soft_lantern.formats.places import file_inside, read_plain
from soft_lantern.formats.project_source import Read, from_disk, source_of
from soft_lantern.formats.shaders.surface import base_of
from soft_lantern.graph.document import Material, Project, Texture
from soft_lantern.graph.instances.values import ancestry, look
from soft_lantern.ir.glsl_words import Identifiers
from soft_lantern.limits import IMAGE_BYTES
from soft_lantern.progress import Progress
from soft_lantern.values.images import Image

WORDS = "MaterialX 1.39"


def materialx_target(folder: Path, read: Read | None = None, chosen: Collection[str] | None = None) -> dict[str, Whole]:
    """The target "mtlx" of a project in a folder. `read` gives its pictures, else those on the disk.

    `chosen`: the ids of the instances that are looks; None is all.
    """

    def files(project: Project, materials: Sequence[Material], progress: Progress) -> Mapping[str, str | bytes]:
        return documents(project, materials, (read or from_disk(folder))(project)[1], folder, progress, chosen)

    return {"mtlx": Whole(WORDS, lambda project, materials: source_of(project, materials, folder, chosen), files)}


def documents(
    project: Project,
    materials: Sequence[Material],
    images: Mapping[str, Image],
    folder: Path,
    progress: Progress,
    chosen: Collection[str] | None = None,
) -> dict[str, str | bytes]:
    """A document for each material, the GLSL it brings along, and every picture that one of them reads, by file name.

    `chosen`: the ids of the instances that are looks; None is all. Raises BadValue where something cannot be written,
    BadFile where the file of a texture cannot be read.
    """
    names, pictures = Identifiers(set()), Pictures(project, images, folder)
    made: dict[str, str | bytes] = {}
    for number, material in enumerate(materials):
        progress(number / len(materials), f"Writing {material.name}")
        base = names.take(base_of(material))
        done = written(material, base, list(looks(project, material, chosen)), pictures.file)
        made[f"{base}.mtlx"] = done.text
        if done.functions:
            made[f"{base}.functions.glsl"] = done.functions
    return made | pictures.files


def document_of(project: Project, material: Material, images: Mapping[str, Image], folder: Path) -> tuple[str, Written]:
    """The document of one material, and the identifier that its files are called by. Raises as `documents` does."""
    base = base_of(material)
    return base, written(material, base, list(looks(project, material)), Pictures(project, images, folder).file)


def looks(project: Project, material: Material, chosen: Collection[str] | None = None) -> Iterator[Named]:
    """A material as it is, and instances of it with all values that make each another look."""
    yield Named(material.name, {})
    defaults = {each.id: each.default for each in material.parameters}
    for instance in sorted(project.instances.values(), key=lambda each: each.id):
        if chosen is not None and instance.id not in chosen:
            continue
        if ancestry(project, instance.id)[1] is material and (found := look(project, instance.id)):
            yield Named(instance.name, {key: value for key, value in found.shown.items() if value != defaults[key]})


class Pictures:
    """What documents read, and the files of it that go with them."""

    def __init__(self, project: Project, images: Mapping[str, Image], folder: Path) -> None:
        self.files: dict[str, bytes] = {}
        self._project, self._images, self._folder = project, images, folder
        self._names = Identifiers(set())
        self._known: dict[str, PictureFile] = {}

    def file(self, picture_id: str) -> PictureFile:
        """A texture, gradient or palette by its id; of what is not there, a picture without a file."""
        if picture_id not in self._known:
            self._known[picture_id] = self._made(picture_id)
        return self._known[picture_id]

    def _made(self, picture_id: str) -> PictureFile:
        image, texture = self._images.get(picture_id), self._project.textures.get(picture_id)
        if image is None:
            if texture is not None:
                raise BadFile(f"the image file {texture.file} of {texture.name} cannot be read")
            return PictureFile("", Sampling())
        name, data = self._of_texture(texture) if texture else self._of_numbers(picture_id, image)
        self.files[name] = data
        return PictureFile(name, Sampling(image.encoding, image.filter, image.wrap), image.width, image.height)

    def _of_texture(self, texture: Texture) -> tuple[str, bytes]:
        path = file_inside(self._folder, texture.file, texture.name)
        return f"{self._names.take(texture.name)}{path.suffix.lower()}", read_plain(path, IMAGE_BYTES)

    def _of_numbers(self, picture_id: str, image: Image) -> tuple[str, bytes]:
        """A gradient or palette, as it is."""
        held = self._project.gradients.get(picture_id) or self._project.palettes[picture_id]
        with tempfile.TemporaryDirectory() as home:
            path = Path(home) / "made.exr"
            write_exr(image.texels, path)
            return f"{self._names.take(held.name)}.exr", path.read_bytes()
