"""A project as a folder of readable JSON files: one for each material, instance, asset and scene.

Reading never writes. What another program saves meanwhile is seen whole, as it was before or after; a save that was
cut short is read as if it were finished, and finished by the next one.
"""

from __future__ import annotations

import hashlib
import os
import time
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct, field

from soft_lantern.errors import BadFile, BadProject
from soft_lantern.formats.journal import Journal, interrupted, mark_of, shared_lock
from soft_lantern.formats.places import read_plain
from soft_lantern.formats.records import FOLDERS, HEAD, path_of, read_head, read_record
from soft_lantern.graph.document import Project, Record
from soft_lantern.graph.nesting import attached
from soft_lantern.graph.notice import Fix, Notice, Severity
from soft_lantern.limits import RECORD_BYTES, RECORDS

MESH_FOLDER = "meshes"
IMAGE_FOLDER = "images"
LAYER_FOLDER = "layers"
SAME_ID = "same-id"
"""The kind of notice for two files with one id; its `port` is the path of the copy."""
KEEP_ALONE, TAKE_COPY = "Put copy aside", "Take the copy"
KEEP_BOTH = "Keep both"
SAME_ID_CHOICES = (KEEP_ALONE, TAKE_COPY, KEEP_BOTH)
TRIES = 4
"""How often a folder is read anew because a save came between, before savers are asked to wait."""

DiskState = dict[str, str]
"""What was on disk when it was last read or written: a hash for each file, by its path in the folder."""


class OnDisk(Struct, frozen=True):
    """A project as it was last read from its folder or written to it.

    `files`: the hash of each file then. `homes`: the path of each record whose file is not called by its id.
    `disputed`: files that hold the same id as another; none of them is written until a person has chosen.
    """

    project: Project
    files: DiskState = field(default_factory=dict)
    homes: dict[tuple[str, str], str] = field(default_factory=dict)
    disputed: frozenset[str] = frozenset()

    def home(self, folder: str, record_id: str) -> str:
        """Where a record's file lies."""
        return self.homes.get((folder, record_id)) or path_of(folder, record_id)


class Opened(Struct, frozen=True):
    """A project as it was read, what could not be read or had to be mended, and the state of the disk then."""

    project: Project
    notices: tuple[Notice, ...]
    on_disk: OnDisk


def open_project(folder: Path) -> Opened:
    """The project in a folder. A damaged file is left out, kept on disk and reported.

    Raises BadProject where the folder holds no project, or one of a later format.
    """
    if not folder.is_dir():
        raise BadProject(f"{folder}: there is no such folder")
    for attempt in range(TRIES):
        before = mark_of(folder)
        opened = _read(folder, before.journal)
        if mark_of(folder) == before:
            return opened
        time.sleep(0.02 * attempt)
    with shared_lock(folder):
        return _read(folder, mark_of(folder).journal)


def changed_outside(folder: Path, files: DiskState) -> list[str]:
    """Files of the project that are not on disk as they were last read or written, new ones included."""
    seen = set(files)
    for name in FOLDERS:
        seen |= {f"{name}/{file}" for file in _json_files(folder, name)}
    journal = mark_of(folder).journal
    return [each for each in sorted(seen) if _hash_again(folder, each, journal) != files.get(each)]


def hash_of(folder: Path, relative: str, journal: Journal | None = None) -> str | None:
    """The hash of a file of the project as it is on disk; None where there is none, or no plain file."""
    try:
        return hashed(_bytes(folder, relative, journal))
    except (OSError, BadFile):
        return None


_hashes: dict[str, tuple[tuple[int, ...], str]] = {}
"""Hashes by path, with all that says whether a file is another one since: its change time cannot be set back."""


def _hash_again(folder: Path, relative: str, journal: Journal | None) -> str | None:
    """The same, read anew only where the file is another one than when it was last looked at here."""
    if journal is not None:
        return hash_of(folder, relative, journal)
    path = f"{folder}/{relative}"
    try:
        found = os.lstat(path)
    except OSError:
        return None
    key = (found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns)
    known = _hashes.get(path)
    # What changed within the clock's last tick may change again unseen.
    if known and known[0] == key and time.time_ns() - found.st_ctime_ns > 2_000_000_000:
        return known[1]
    fresh = hash_of(folder, relative)
    if fresh is not None:
        if len(_hashes) > RECORDS:
            _hashes.clear()
        _hashes[path] = (key, fresh)
    return fresh


def hashed(data: bytes) -> str:
    """What the content of a file is compared by."""
    return hashlib.sha256(data).hexdigest()


def read_one(folder: Path, relative: str) -> Record | Project | None:
    """One record as it is on disk now, or for `project.json` the project without records; None where there is none.

    Raises BadFile where it cannot be read.
    """
    kind = FOLDERS.get(relative.partition("/")[0])
    try:
        data = _bytes(folder, relative, mark_of(folder).journal)
        return read_record(data, kind)[0] if kind else read_head(data, folder.name)[0]
    except FileNotFoundError:
        return None
    except (ValueError, OSError) as error:
        raise BadFile(f"{relative} cannot be read: {_words(error)}") from error


def _read(folder: Path, journal: Journal | None) -> Opened:
    head = folder / HEAD
    notices: list[Notice] = []
    try:
        data = _bytes(folder, HEAD, journal)
        project, mended = read_head(data, folder.name)
    except FileNotFoundError:
        raise BadProject(f"{folder}: not a project, since it has no {HEAD}") from None
    except (ValueError, OSError, BadFile) as error:
        raise BadProject(f"{head}: {_words(error)}") from error
    notices += _mended(HEAD, mended, "")
    if interrupted(folder):
        text = "A file in .lantern that tells of a save is not sound; it is kept, and not acted on"
        notices.append(Notice(Severity.WARNING, "damaged-journal", text))
    files = {HEAD: hashed(data)}
    homes: dict[tuple[str, str], str] = {}
    disputed: set[str] = set()
    found: dict[str, dict[str, Any]] = {}
    for name, record in FOLDERS.items():
        found[name] = {}
        for file in _listed(folder, name, journal):
            relative = f"{name}/{file}"
            try:
                data = _bytes(folder, relative, journal)
                read, mended = read_record(data, record)
            except FileNotFoundError:
                continue  # the save that is under way takes it away
            except (ValueError, OSError, BadFile) as error:
                text = f"{relative} cannot be read and is left as it is: {_words(error)}"
                notices.append(Notice(Severity.ERROR, "damaged-file", text, file.removesuffix(".json")))
                continue
            record_id = read.id  # type: ignore[attr-defined]
            notices += _mended(relative, mended, record_id)
            files[relative] = hashed(data)
            if record_id in found[name]:
                first = homes.get((name, record_id), path_of(name, record_id))
                disputed |= {relative, first}
                notices.append(_same_id(relative, first, record_id, path_of(name, record_id)))
                if relative != path_of(name, record_id):
                    continue
                del homes[name, record_id]
            if relative != path_of(name, record_id):
                homes[name, record_id] = relative
            found[name][record_id] = read
    project = attached(msgspec.structs.replace(project, **found))
    return Opened(project, tuple(notices), OnDisk(project, files, homes, frozenset(disputed)))


def _same_id(one: str, other: str, record_id: str, plain: str) -> Notice:
    counts, copy = (one, other) if one == plain else (other, one)
    text = f"{counts} and {copy} both hold {record_id}; {counts} counts, and neither is written until you choose"
    fixes = tuple(Fix(words) for words in SAME_ID_CHOICES)
    return Notice(Severity.ERROR, SAME_ID, text, record_id, port=copy, fixes=fixes)


def _mended(relative: str, mended: list[str], place: str) -> list[Notice]:
    if not mended:
        return []
    named = ", ".join(dict.fromkeys(mended[:3]))
    text = f"{relative} held values that cannot be used ({named}); what is usual stands in for them until you set them"
    return [Notice(Severity.WARNING, "not-finite-file", text, place)]


def _listed(folder: Path, name: str, journal: Journal | None) -> list[str]:
    """The files of a folder as an unfinished save leaves them, in order."""
    listed = set(_json_files(folder, name))
    if journal:
        moved = {path.partition("/")[2] for path in journal.moves if path.startswith(f"{name}/")}
        listed = (listed | moved) - {path.partition("/")[2] for path in journal.removals if path.startswith(f"{name}/")}
    return sorted(listed)


def _json_files(folder: Path, name: str) -> list[str]:
    """The names of the JSON files in a folder of the project. Paths of thousands are slow as objects."""
    inside = f"{folder}/{name}"
    try:
        if os.path.islink(inside):
            return []
        return [file for file in os.listdir(inside) if file.endswith(".json")][:RECORDS]
    except OSError:
        return []


def _bytes(folder: Path, relative: str, journal: Journal | None) -> bytes:
    """A file of the project as it is, or as an unfinished save leaves it. Links are not followed."""
    if journal:
        if relative in journal.removals:
            raise FileNotFoundError(relative)
        prepared = journal.prepared(folder, relative)
        if prepared is not None:
            return prepared
    return read_plain(f"{folder}/{relative}", RECORD_BYTES, links=False)


def _words(error: Exception) -> str:
    words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
    return " ".join(words.split())
