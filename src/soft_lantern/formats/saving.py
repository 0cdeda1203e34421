"""Saving a project into its folder: all or nothing, record by record against what is on disk by then.

Only records that changed here are looked at. One that another program changed as well meanwhile is not written over
unseen: its other version is set aside, or the save is refused with its name, as the caller wants.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import msgspec
from msgspec import Struct, field

from soft_lantern.errors import BadFile, BadProject
from soft_lantern.formats.journal import commit, saving, set_aside
from soft_lantern.formats.places import read_plain
from soft_lantern.formats.project_folder import DiskState, OnDisk, hash_of, hashed
from soft_lantern.formats.records import FOLDERS, HEAD, head_of, head_text, path_of, read_record, record_text
from soft_lantern.graph.document import Project, Record
from soft_lantern.graph.identity import differing
from soft_lantern.limits import RECORD_BYTES


class ChangedOutside(BadProject):
    """Records changed here and by another program; `files` are their paths. Nothing was saved."""

    def __init__(self, files: list[str]) -> None:
        self.files = files
        super().__init__(f"not saved: {first_few(files)} changed here and by another program; choose what to keep")


def first_few(files: list[str]) -> str:
    """Some paths in words: the first three, and how many more there are."""
    return ", ".join(files[:3]) + (f" and {len(files) - 3} more" if len(files) > 3 else "")


class Saved(Struct, frozen=True):
    """The state of the disk after a save, and where versions that were in its way are kept, by path."""

    on_disk: OnDisk
    aside: dict[str, str] = field(default_factory=dict)


def save_project(project: Project, folder: Path, before: OnDisk | None = None, *, refuse: bool = False) -> Saved:
    """Write what changed since `before` into a folder.

    What another program changed meanwhile, and this project did not, stays as it is. Where both changed a record, this
    project's counts and the other is set aside; with `refuse`, ChangedOutside is raised and nothing is written.
    Raises BadProject where the disk refuses.
    """
    before = before or OnDisk(Project(name=""))
    wanted = dict(_changes(project, before))
    disputed = sorted(path for path in wanted if path in before.disputed)
    if disputed:
        raise BadProject(f"{disputed[0]} holds an id that another file holds too; choose in the notices which counts")
    try:
        with saving(folder):
            return _save(project, folder, before, wanted, refuse)
    except (OSError, BadFile) as error:
        words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise BadProject(f"{folder} cannot be written: {words}") from error


def put_aside(folder: Path, path: str) -> str:
    """Take a file out of the project and keep it aside; where. Raises BadProject where the disk refuses."""
    try:
        with saving(folder):
            kept = set_aside(folder, path)
            (folder / path).unlink()
            return kept
    except (OSError, BadFile) as error:
        raise BadProject(f"{path} cannot be put aside: {error}") from error


def changed_records(project: Project, before: Project) -> Iterator[tuple[str, Record | None, Record | None]]:
    """Every record that differs: its folder in the project, as it was, as it is; None where there is none."""
    for name in FOLDERS:
        old, new = getattr(before, name), getattr(project, name)
        if old is new:
            continue
        for record_id in differing(old, new):
            was, now = old.get(record_id), new.get(record_id)
            if was != now:
                yield name, was, now


def head_differs(project: Project, before: Project) -> bool:
    """Whether what belongs to the project as a whole differs."""
    return (head_of(project), project.unknown) != (head_of(before), before.unknown)


def _changes(project: Project, before: OnDisk) -> Iterator[tuple[str, bytes | None]]:
    """What each file that is to change is to hold; None where it is to go."""
    if HEAD not in before.files or head_differs(project, before.project):
        yield HEAD, head_text(project)
    for name, was, now in changed_records(project, before.project):
        record = now or was
        assert record is not None
        if was is not None and now is not None and _without_snippets(was) == _without_snippets(now):
            continue  # only what it holds of others changed, which is in files of its own
        yield before.home(name, record.id), None if now is None else record_text(now)  # type: ignore[attr-defined]
    kept = {before.home(name, i) for name in FOLDERS for i in getattr(project, name)} if before.homes else set()
    known = {path_of(name, i) for name in FOLDERS for i in getattr(before.project, name)}
    for path in before.files:
        if path != HEAD and path not in known and path not in kept and path not in before.disputed:
            yield path, None  # a file whose record has another home, or went


def _save(project: Project, folder: Path, before: OnDisk, wanted: dict[str, bytes | None], refuse: bool) -> Saved:
    writes: dict[str, bytes] = {}
    removals, both, in_the_way = [], [], []
    homes = dict(before.homes)
    files: DiskState = dict(before.files)
    for path, data in wanted.items():
        now, was = hash_of(folder, path), before.files.get(path)
        if data is None:
            files.pop(path, None)
            if now is None:
                continue
            if now != was:
                both.append(path)
            removals.append(path)
            continue
        files[path] = hashed(data)
        if now == files[path]:
            continue
        if now is None and (folder / path).exists():
            raise BadProject(f"{path} is no plain file, so it cannot be written")
        if now != was and was is None and now is not None and not _holds(folder, path):
            in_the_way.append(path)
        elif now != was and not (now is None and was is not None):
            both.append(path)
        writes[path] = data
    if both and refuse:
        raise ChangedOutside(both)
    for path in in_the_way:  # a damaged file: it stays, and the record gets a file of another name
        name, _, file = path.partition("/")
        other = _free_name(folder, path)
        writes[other], files[other] = writes.pop(path), files.pop(path)
        homes[name, file.removesuffix(".json")] = other
    aside = {path: set_aside(folder, path) for path in both if (folder / path).exists()}
    if writes or removals:
        commit(folder, writes, removals)
    for path, data in writes.items():
        if hash_of(folder, path) != hashed(data):
            raise BadProject(f"{folder / path} does not hold what was written to it; it is not saved")
    return Saved(OnDisk(project, files, homes, before.disputed), aside)


def _holds(folder: Path, path: str) -> bool:
    """Whether a file on disk is a sound record of the id it is called by."""
    name, _, file = path.partition("/")
    if path == HEAD:
        return True
    try:
        record, _ = read_record(read_plain(folder / path, RECORD_BYTES), FOLDERS[name])
    except (ValueError, OSError, BadFile):
        return False
    return bool(record.id == file.removesuffix(".json"))  # type: ignore[attr-defined]


def _free_name(folder: Path, path: str) -> str:
    stem, number = path.removesuffix(".json"), 2
    while (folder / f"{stem}-{number}.json").exists():
        number += 1
    return f"{stem}-{number}.json"


def _without_snippets(record: Record) -> Record:
    return msgspec.structs.replace(record, snippets={}) if getattr(record, "snippets", None) else record
