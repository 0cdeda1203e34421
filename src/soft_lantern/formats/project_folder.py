"""A project as a folder of readable JSON files: one for each material, instance, asset and scene.

Saving is all or nothing: new files are first written beside the project, then one renamed journal says that they
count; a save cut short anywhere is finished or forgotten on the next opening.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import re
import shutil
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from soft_lantern.errors import BadFile, BadProject
from soft_lantern.formats.unknown_fields import merge_unknown, split_unknown
from soft_lantern.graph.document import (
    FORMAT_VERSION,
    Asset,
    Gradient,
    Instance,
    Material,
    Palette,
    Pick,
    Project,
    Record,
    Scene,
    Snapshot,
    Texture,
)
from soft_lantern.graph.notices import Notice, Severity
from soft_lantern.graph.snippets import attached

FOLDERS: dict[str, type[Record]] = {
    "materials": Material,
    "snippets": Material,
    "instances": Instance,
    "snapshots": Snapshot,
    "picks": Pick,
    "textures": Texture,
    "gradients": Gradient,
    "palettes": Palette,
    "assets": Asset,
    "scenes": Scene,
}
MESH_FOLDER = "meshes"
IMAGE_FOLDER = "images"
PENDING = ".lantern/pending"
JOURNAL = ".lantern/journal.json"
RECOVERY = ".lantern/recovery"

_ID = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,99}\Z")

DiskState = dict[str, str]
"""What was on disk when it was last read or written: a hash for each file, by its path in the folder."""


@dataclass(frozen=True, slots=True)
class Opened:
    """A project as it was read, what could not be read, and the state of the disk then."""

    project: Project
    notices: tuple[Notice, ...] = ()
    snapshot: DiskState = field(default_factory=dict)


def open_project(folder: Path) -> Opened:
    """The project in a folder. A damaged file is left out, kept on disk and reported.

    Raises BadProject where the folder holds no project, or one of a later format.
    """
    head = folder / "project.json"
    if not folder.is_dir():
        raise BadProject(f"{folder}: there is no such folder")
    _finish_interrupted_save(folder)
    if not head.is_file():
        raise BadProject(f"{folder}: not a project, since it has no project.json")
    snapshot = {}
    try:
        data = head.read_bytes()
        raw = _parsed(data)
        swatches = msgspec.convert(raw.get("swatches", []), tuple[tuple[float, float, float, float], ...])
        beyond = {key: value for key, value in raw.items() if key not in ("format", "name", "swatches")}
        project = Project(name=str(raw.get("name", folder.name)), swatches=swatches, unknown=beyond)
    except (ValueError, OSError) as error:
        raise BadProject(f"{head}: {error}") from error
    if not isinstance(raw.get("format"), int) or raw["format"] > FORMAT_VERSION:
        said = raw.get("format")
        raise BadProject(f"{head}: its format is {said}, and this version reads up to {FORMAT_VERSION}")
    snapshot["project.json"] = _hash(data)
    notices: list[Notice] = []
    found: dict[str, dict[str, Any]] = {}
    for name, record in FOLDERS.items():
        found[name] = {}
        for file in _json_files(folder, name):
            relative = f"{name}/{file}"
            try:
                data = _bytes(f"{folder}/{relative}")
                read = _read_record(_parsed(data), record)
                if read.id in found[name]:  # type: ignore[attr-defined]
                    raise ValueError(f"the id “{read.id}” is already another file’s")  # type: ignore[attr-defined]
            except (ValueError, OSError) as error:
                text = f"{relative} cannot be read and is left as it is: {error}"
                notices.append(Notice(Severity.ERROR, "damaged-file", text, file.removesuffix(".json")))
                continue
            snapshot[relative] = _hash(data)
            found[name][read.id] = read  # type: ignore[attr-defined]
    return Opened(attached(msgspec.structs.replace(project, **found)), tuple(notices), snapshot)


def save_project(project: Project, folder: Path, before: DiskState | None = None) -> DiskState:
    """Write the project into a folder, all or nothing, and return the state of the disk.

    `before` is the state last read or written: files in it that the project no longer has are removed; other files are
    never touched. Raises BadProject where the disk refuses.
    """
    wanted = project_files(project)
    before = before or {}
    try:
        folder.mkdir(parents=True, exist_ok=True)
        _finish_interrupted_save(folder)
        writes = {p: d for p, d in wanted.items() if not _is_on_disk(folder / p, d)}
        removals = [p for p in before if p not in wanted and (folder / p).exists()]
        if writes or removals:
            _commit(folder, writes, removals)
    except OSError as error:
        raise BadProject(f"{folder} cannot be written: {error.strerror or error}") from error
    return {path: _hash(data) for path, data in wanted.items()}


def changed_outside(folder: Path, snapshot: DiskState) -> list[str]:
    """Files of the project that are not on disk as they were last read or written, new ones included."""
    seen = set(snapshot)
    for name in FOLDERS:
        seen |= {f"{name}/{file}" for file in _json_files(folder, name)}
    differing = []
    for relative in sorted(seen):
        try:
            data: bytes | None = _bytes(f"{folder}/{relative}")
        except OSError:
            data = None
        if (None if data is None else _hash(data)) != snapshot.get(relative):
            differing.append(relative)
    return differing


def file_inside(folder: Path, file: str, name: str) -> Path:
    """Where a file that the project calls `name` lies. Raises BadFile where that is outside the project's folder."""
    path = (folder / file).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise BadFile(f"{name} points outside the project: {file}")
    return path


def project_files(project: Project) -> dict[str, bytes]:
    """Every file of the project by its path in the folder."""
    head = {**project.unknown, "format": FORMAT_VERSION, "name": project.name}
    if project.swatches:
        head["swatches"] = project.swatches
    files = {"project.json": _text(head)}
    for name in FOLDERS:
        for record in getattr(project, name).values():
            raw = msgspec.to_builtins(record)
            raw.pop("snippets", None)  # they have files of their own
            unknown = raw.pop("unknown", {})
            raw["format"] = FORMAT_VERSION
            merge_unknown(raw, unknown)
            files[f"{name}/{record.id}.json"] = _text(raw)
    return files


_COLOUR = {"type": "array", "items": {"type": "number"}, "minItems": 4, "maxItems": 4}


def schemas() -> dict[str, dict[str, Any]]:
    """The JSON Schema (draft 2020-12) of each kind of file."""
    found: dict[str, dict[str, Any]] = {
        "project": {
            "type": "object",
            "properties": {"name": {"type": "string"}, "swatches": {"type": "array", "items": _COLOUR}},
            "required": ["name"],
        }
    }
    for record in FOLDERS.values():
        (schema,), definitions = msgspec.json.schema_components([record])
        own = definitions.pop(schema["$ref"].rsplit("/", 1)[1])
        own["properties"].pop("unknown")
        own["properties"].pop("snippets", None)
        found[record.__name__.lower()] = {**own, "$defs": definitions}
    for title, schema in found.items():
        schema["properties"]["format"] = {"const": FORMAT_VERSION}
        schema["required"] = sorted({*schema.get("required", []), "format"})
        schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        schema["title"] = title
        text = json.dumps(schema).replace("#/$defs/", "#/$defs/")
        found[title] = json.loads(text)
    return found


def _read_record(raw: dict[str, Any], record: type[Record]) -> Record:
    if raw.get("format", FORMAT_VERSION) > FORMAT_VERSION:
        raise ValueError(f"its format is {raw['format']}, and this version reads up to {FORMAT_VERSION}")
    raw.pop("format", None)
    raw.pop("snippets", None)
    unknown = split_unknown(raw, record)
    read = msgspec.convert(raw, record)
    if not _ID.match(read.id):  # type: ignore[attr-defined]
        raise ValueError("its id may hold only letters, digits, - and _")
    return msgspec.structs.replace(read, unknown=unknown) if unknown else read


def _parsed(data: bytes) -> dict[str, Any]:
    if len(data) > 256 << 20:
        raise ValueError("larger than 256 MB")
    try:
        try:
            raw = msgspec.json.decode(data)
        except msgspec.DecodeError:
            raw = json.loads(data)  # it reads more, such as NaN, and tells where the mistake is
    except RecursionError:
        raise ValueError("nested too deeply") from None
    except json.JSONDecodeError as error:
        raise ValueError(f"not JSON at line {error.lineno}, column {error.colno}: {error.msg}") from None
    if not isinstance(raw, dict):
        raise ValueError("holds no JSON object")
    if not isinstance(raw.get("format", FORMAT_VERSION), int):
        raise ValueError("its format is not a whole number")
    return raw


def _json_files(folder: Path, name: str) -> list[str]:
    """The names of the JSON files in a folder of the project, in order. Paths of thousands are slow as objects."""
    try:
        return sorted(file for file in os.listdir(f"{folder}/{name}") if file.endswith(".json"))
    except OSError:
        return []


def _bytes(path: str) -> bytes:
    with open(path, "rb", buffering=0) as file:
        return file.readall()


def _text(raw: Mapping[str, Any]) -> bytes:
    return (json.dumps(raw, indent=2, sort_keys=True, ensure_ascii=False) + "\n").encode()


def _hash(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _is_on_disk(path: Path, data: bytes) -> bool:
    try:
        return path.read_bytes() == data
    except OSError:
        return False


def _commit(folder: Path, writes: dict[str, bytes], removals: list[str]) -> None:
    pending = folder / PENDING
    shutil.rmtree(pending, ignore_errors=True)
    pending.mkdir(parents=True)
    moves = {}
    for index, (relative, data) in enumerate(writes.items()):
        _write_through(pending / str(index), data)
        moves[str(index)] = relative
    _sync_folder(pending)
    journal = folder / JOURNAL
    draft = journal.with_suffix(".draft")
    _write_through(draft, _text({"moves": moves, "removals": removals}))
    os.replace(draft, journal)
    _sync_folder(journal.parent)
    _finish_interrupted_save(folder)


def _finish_interrupted_save(folder: Path) -> None:
    """With a journal, carry out what it says (as often as needed); without one, forget what was prepared."""
    journal, pending = folder / JOURNAL, folder / PENDING
    if journal.is_file():
        plan = json.loads(journal.read_bytes())
        for name, relative in plan["moves"].items():
            target = folder / relative
            target.parent.mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(FileNotFoundError):  # moved already, before the interruption
                os.replace(pending / name, target)
        for relative in plan["removals"]:
            (folder / relative).unlink(missing_ok=True)
        for each in {(folder / r).parent for r in [*plan["moves"].values(), *plan["removals"]]}:
            _sync_folder(each)
        journal.unlink()
        _sync_folder(journal.parent)
    if pending.exists():
        shutil.rmtree(pending, ignore_errors=True)


def _write_through(path: Path, data: bytes) -> None:
    with path.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
