"""Taking the materials of a MaterialX document into a project, with the pictures they read."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct

from soft_lantern.errors import BadFile
from soft_lantern.formats.images import bring_in_image
from soft_lantern.formats.materialx.reading import Documents, read_document
from soft_lantern.graph.document import Project, changed, with_records
from soft_lantern.graph.instances.values import put_instance, put_material
from soft_lantern.graph.snippets import put_snippet
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.progress import Progress, silent
from soft_lantern.values.images import Image
from soft_lantern.values.words import counted, free_name


class BroughtIn(Struct, frozen=True):
    """What a document brings into a project whose folder has its pictures already. `images` by the ids of textures."""

    found: Documents
    images: Mapping[str, Image]

    def into(self, project: Project) -> tuple[Project, list[str]]:
        """The project with it, and the ids of its materials there: names that are taken already get a number."""
        project = with_records(project, *self.found.textures.values())
        for snippet in self.found.snippets.values():
            project = put_snippet(project, changed(snippet, snippets={}))
        ids: dict[str, str] = {}
        for material in self.found.materials:
            ids[material.id] = new = as_identifier(material.name, project.materials, "material")
            name = free_name(material.name, {each.name for each in project.materials.values()})
            project = put_material(project, changed(material, id=new, name=name))
        for instance in self.found.instances:
            project = put_instance(project, changed(instance, parent=ids[instance.parent]))
        return project, list(ids.values())

    @property
    def words(self) -> str:
        """What came in, and what did not."""
        found = self.found
        counts = {
            "material": len(found.materials),
            "instance": len(found.instances),
            "snippet": len(found.snippets),
            "texture": len(self.images),
        }
        came = ", ".join(counted(number, word) for word, number in counts.items() if number)
        more = f" ({len(found.remarks) - 1} more)" if len(found.remarks) > 1 else ""
        return came + (f"; {found.remarks[0]}{more}" if found.remarks else "")


def bring_in_document(path: Path, folder: Path, progress: Progress = silent) -> BroughtIn:
    """Read a document, and copy the pictures its materials read into a project's folder.

    Raises BadFile where the document cannot be read, Cancelled; nothing is copied then.
    """
    progress(0.0, f"Reading {path.name}")
    found = read_document(path)
    images: dict[str, Image] = {}
    for number, (texture_id, file) in enumerate(found.files.items()):
        progress((number + 1) / (len(found.files) + 1), f"Copying {file.name}")
        texture = found.textures[texture_id]
        try:
            copied, image = bring_in_image(file, folder)
        except BadFile as error:
            found.remarks.append(str(error))
            continue
        found.textures[texture_id] = changed(texture, file=copied.file)
        images[texture_id] = Image(image.texels, texture.encoding, texture.filter, texture.wrap)
    return BroughtIn(found, images)
