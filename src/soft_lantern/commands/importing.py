"""Taking a document's materials into a project from the command line."""

from __future__ import annotations

from pathlib import Path

from soft_lantern.commands.progress_bar import progress_bar
from soft_lantern.formats.materialx.taking import bring_in_document
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project


def import_document(project: Path, file: Path) -> list[str]:
    """Take the materials of a MaterialX document into a project; what came, and what did not, line by line.

    Raises BadFile where it cannot be read; the project is as it was then.
    """
    opened = open_project(project)
    with progress_bar() as progress:
        found = bring_in_document(file, project, progress)
    changed, ids = found.into(opened.project)
    save_project(changed, project, opened.on_disk, refuse=True)
    names = ", ".join(changed.materials[each].name for each in ids)
    return [f"{file.name} brought {names}: {found.words.split(';')[0]}", *found.found.remarks]
