"""Deliveries from the command line: once, or again whenever a project's folder changes."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct

from soft_lantern.baked_assets.target import gltf_target
from soft_lantern.commands.arguments import named
from soft_lantern.commands.progress_bar import progress_bar
from soft_lantern.errors import BadValue
from soft_lantern.formats.delivery import Delivery, Whole, check_targets, deliver
from soft_lantern.formats.materialx.target import materialx_target
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.project_source import Read, from_disk
from soft_lantern.graph.document import Material, Project
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.proof.report import PROVEN, proofs
from soft_lantern.proof.report import in_words as proof_in_words
from soft_lantern.review.target import page_target
from soft_lantern.scene.alone import shown_alone
from soft_lantern.values.words import counted

PAUSE, QUIET = 0.3, 0.3
"""Seconds between two looks at a folder, and after the last change before it is taken as whole."""


class Chosen(Struct, frozen=True):
    """What is to leave, by names or ids; where nothing of a kind is named, all of it, but no asset alone.

    Where assets are named and no scenes, no scene leaves.
    """

    materials: Sequence[str] = ()
    looks: Sequence[str] = ()
    assets: Sequence[str] = ()
    scenes: Sequence[str] = ()


def export(
    project: Path,
    to: Sequence[str],
    output: Path,
    chosen: Chosen,
    gradients: str,
    *,
    proof: bool,
) -> tuple[Delivery, list[dict[str, Any]]]:
    """Deliver what is chosen, and the rows of its proofs where those are wanted.

    Raises BadValue where a target, something chosen or a form of gradients is not known; see `deliver` and `proofs`.
    """
    if gradients not in ("row", "exact"):
        raise BadValue(f"gradients go out as row or exact, not “{gradients}”")
    form: Literal["row", "exact"] = "row" if gradients == "row" else "exact"
    check_targets(to, whole_targets(project))
    document = open_project(project).project
    found, looks = _materials_and_looks(document, chosen)
    whole = whole_targets(project, looks=looks)
    if chosen.scenes or chosen.assets:
        scenes = [named(document.scenes.values(), each, "scene").id for each in chosen.scenes]
        assets = [named(document.assets.values(), each, "asset").id for each in chosen.assets]
        document = shown_alone(document, scenes, assets, from_disk(project)(document)[0] if assets else {})
    with progress_bar() as progress:
        done = deliver(document, found, to, output, form, progress, whole)
        proven = [target for target in to if target in PROVEN] if proof else []
        return done, proofs(document, found, proven, form, progress) if proven else []


def _materials_and_looks(document: Project, chosen: Chosen) -> tuple[list[Material], list[str] | None]:
    """The materials that leave, and the ids of the looks of theirs that go along; None is all."""
    if not chosen.materials and not chosen.looks:
        return sorted(document.materials.values(), key=lambda each: each.id), None
    looks = [named(document.instances.values(), each, "instance").id for each in chosen.looks]
    found = [named(document.materials.values(), each, "material") for each in chosen.materials]
    found += [material for each in looks if (material := ancestry(document, each)[1]) and material not in found]
    return found, looks if chosen.looks else None


def whole_targets(folder: Path, read: Read | None = None, looks: Collection[str] | None = None) -> dict[str, Whole]:
    """The targets that all materials of a project in a folder are written for together, by their keys.

    `looks`: the ids of the instances that go along; None is all.
    """
    return materialx_target(folder, read, looks) | gltf_target(folder, read, looks) | page_target(folder, read, looks)


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
