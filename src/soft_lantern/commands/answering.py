"""Taking back what someone answered to a review page."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from soft_lantern.errors import BadValue
from soft_lantern.formats.answers import change_in_words, read_values
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.values.words import counted


def answer(project: Path, file: Path, *, take: bool) -> Iterator[str]:
    """What an answer would change, line by line; with `take` the project is changed.

    Raises BadFile where it is no answer to this project, BadValue where values of it are wrong; nothing changes then.
    """
    opened = open_project(project)
    document = opened.project
    if not document.materials:
        raise BadValue(f"{project} has no material that an answer could be about")
    plan = read_values(document, min(document.materials), file)
    if plan.troubles:
        raise BadValue(f"{file.name}, {plan.troubles[0]}" + (", and more" if len(plan.troubles) > 1 else ""))
    material = document.materials[plan.material]
    for each in plan.added:
        remark = plan.remarks.get(each.id, "")
        yield f"new look of {material.name}: {each.name}" + (f" (“{remark}”)" if remark else "")
    for change in plan.changes:
        instance, parameter, before, after = change_in_words(plan, document, material, change)
        yield f"{instance}, {parameter}: {before} → {after}"
    if take:
        save_project(plan.applied(document), project, opened.on_disk, refuse=True)
        yield f"{counted(len(plan.changes), 'value')} and {counted(len(plan.added), 'new look')} taken over"
