"""Deliveries from the command line: once, or again whenever a project's folder changes."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

from soft_lantern.baked_assets.target import gltf_target
from soft_lantern.commands.arguments import named
from soft_lantern.commands.progress_bar import progress_bar
from soft_lantern.errors import BadValue
from soft_lantern.formats.delivery import Delivery, Whole, check_targets, deliver
from soft_lantern.formats.materialx.target import materialx_target
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.project_source import Read
from soft_lantern.graph.scenes import with_scenes_alone
from soft_lantern.proof.report import PROVEN, proofs
from soft_lantern.proof.report import in_words as proof_in_words
from soft_lantern.review.target import page_target
from soft_lantern.values.words import counted

PAUSE, QUIET = 0.3, 0.3
"""Seconds between two looks at a folder, and after the last change before it is taken as whole."""


def export(
    project: Path,
    to: Sequence[str],
    output: Path,
    materials: Sequence[str],
    scenes: Sequence[str],
    gradients: str,
    *,
    proof: bool,
) -> tuple[Delivery, list[dict[str, Any]]]:
    """Deliver materials, all where none is named, and the rows of their proofs where those are wanted.

    `scenes`: those that whole scenes are made of, all where none is named. Raises BadValue where a target, a material,
    a scene or a form of gradients is not known; see `deliver` and `proofs`.
    """
    if gradients not in ("row", "exact"):
        raise BadValue(f"gradients go out as row or exact, not “{gradients}”")
    form: Literal["row", "exact"] = "row" if gradients == "row" else "exact"
    whole = whole_targets(project)
    check_targets(to, whole)
    document = open_project(project).project
    every = sorted(document.materials.values(), key=lambda each: each.id)
    found = [named(document.materials.values(), each, "material") for each in materials] if materials else every
    if scenes:
        document = with_scenes_alone(document, [named(document.scenes.values(), each, "scene").id for each in scenes])
    with progress_bar() as progress:
        done = deliver(document, found, to, output, form, progress, whole)
        proven = [target for target in to if target in PROVEN] if proof else []
        return done, proofs(document, found, proven, form, progress) if proven else []


def whole_targets(folder: Path, read: Read | None = None) -> dict[str, Whole]:
    """The targets that all materials of a project in a folder are written for together, by their keys."""
    return materialx_target(folder, read) | gltf_target(folder, read) | page_target(folder, read)


def in_words(done: Delivery, rows: Sequence[Mapping[str, Any]], *, as_json: bool) -> list[str]:
    """What is said of a delivery and its proofs, line by line."""
    if as_json:
        shown = {"written": done.written, "kept": done.kept, **done.manifest} | ({"proof": rows} if rows else {})
        return [json.dumps(shown, indent=2, ensure_ascii=False)]
    lines = [f"wrote {done.folder / name}" for name in done.written]
    if done.kept:
        lines.append(f"{counted(len(done.kept), 'file')} as they are to be")
    for row in rows:
        holds = "holds" if row["holds"] else "FAILS"
        lines.append(f"{holds}: {row['material']}, {row['target']}: {proof_in_words(row)}")
    return lines


State = dict[str, tuple[int, int]]
"""The size and time of every file in a folder, by its path."""


def changes(folder: Path, apart: Path, last: State) -> Iterator[None]:
    """Each time anything in a folder is other than it was last and is quiet again; `apart` does not count."""
    while True:
        time.sleep(PAUSE)
        now = state_of(folder, apart)
        if now == last:
            continue
        while True:
            time.sleep(QUIET)
            later = state_of(folder, apart)
            if later == now:
                break
            now = later
        last = now
        yield


def state_of(folder: Path, apart: Path) -> State:
    """How a folder is now, but for what lies in `apart`."""
    found = State()
    for home, folders, names in os.walk(folder):
        folders[:] = [each for each in folders if Path(home, each).resolve() != apart.resolve()]
        for name in names:
            path = os.path.join(home, name)
            try:
                held = os.stat(path)
            except OSError:
                continue  # gone meanwhile
            found[path] = held.st_size, held.st_mtime_ns
    return found
