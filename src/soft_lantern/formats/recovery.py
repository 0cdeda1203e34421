"""Work that was not saved, kept beside the project: what differs from what is on disk, record by record.

Each window that edits a project keeps its own file, which is another's to take up only once that window has gone. What
was taken up, saved or dropped is kept a week among the last ten states.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import platformdirs
from msgspec import Struct

from soft_lantern.errors import BadFile
from soft_lantern.formats.journal import OWN
from soft_lantern.formats.places import read_plain, write_whole
from soft_lantern.formats.project_folder import OnDisk
from soft_lantern.formats.records import FOLDERS, HEAD, as_text, from_raw, head_from_raw, head_of, parsed, to_raw
from soft_lantern.formats.saving import changed_records, head_differs
from soft_lantern.graph.document import FORMAT_VERSION, Project, Record
from soft_lantern.graph.nesting import attached
from soft_lantern.limits import RECORD_BYTES

RECOVERY = f"{OWN}/recovery"
STATES, STATE_AGE = 10, 7 * 24 * 3600.0
"""How many earlier states are kept, and for how many seconds."""
STATE_EVERY = 300.0
"""Seconds of work between two of them."""


class Difference(Struct, frozen=True):
    """A record that a kept state holds otherwise than the project: None where it is not there.

    `both`: it is not on disk as it was when the state was kept, so that taking it would undo someone's work.
    """

    path: str
    name: str
    ours: Record | None
    kept: Record | None
    both: bool = False


class State(Struct, frozen=True):
    """Unsaved work as it was kept: where, when (seconds since 1970), and each record by its path in the project.

    `base`: the hash of each file when it was kept. `trouble`: what of it cannot be read, in words.
    """

    file: Path
    when: float
    records: dict[str, Record | None]
    base: dict[str, str | None]
    head: dict[str, Any] | None = None
    trouble: tuple[str, ...] = ()

    def differences(self, project: Project, on_disk: OnDisk) -> list[Difference]:
        """What taking it up would change in a project."""
        found = []
        for path, kept in self.records.items():
            name, record_id = _place(path)
            ours = getattr(project, name).get(record_id)
            if ours != kept:
                both = self.base.get(path) != on_disk.files.get(on_disk.home(name, record_id))
                found.append(Difference(path, getattr(kept or ours, "name", record_id), ours, kept, both))
        return found

    def merged(self, project: Project, paths: set[str] | None = None) -> Project:
        """The project with what the state holds, all of it or the records at some paths."""
        if self.head is not None and (paths is None or HEAD in paths):
            project = msgspec.structs.replace(project, **self.head)
        return with_records(project, {p: r for p, r in self.records.items() if paths is None or p in paths})


class UnsavedWork:
    """Where one window keeps what is not saved: from whichever thread, one call after the other."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._owner = f"{os.getpid()}-{os.urandom(4).hex()}"
        self._lock: int | None = None
        self._home: Path | None = None
        self._state_at = time.monotonic()
        self._one = threading.RLock()

    def keep(self, project: Project, on_disk: OnDisk) -> None:
        """Keep what differs from the disk, in place of what was kept before. Raises BadFile where no disk takes it."""
        with self._one:
            self._keep(_differing(project, on_disk))

    def put_by(self) -> None:
        """What was kept is no longer wanted at the next start: it goes among the earlier states."""
        with self._one:
            self._state_at = time.monotonic()
            if self._home:
                put_by(self._home / self._name)

    def end(self) -> None:
        """The window goes, and what it kept is left for the next one."""
        with self._one:
            if self._lock is not None and self._home:
                with contextlib.suppress(OSError):
                    (self._home / self._name).with_suffix(".lock").unlink()
                os.close(self._lock)
                self._lock = None

    def _keep(self, raw: dict[str, Any] | None) -> None:
        if raw is None:
            self.put_by()
            return
        if time.monotonic() - self._state_at > STATE_EVERY:
            self.put_by()
        trouble: BadFile | None = None
        for home in homes(self.folder):
            try:
                self._own(home)
                write_whole(home / self._name, as_text(raw))
                return
            except BadFile as error:
                trouble = trouble or error
        assert trouble
        raise trouble

    @property
    def _name(self) -> str:
        return f"unsaved-{self._owner}.json"

    def _own(self, home: Path) -> None:
        """Hold a lock beside the file as long as the window lives, so that others leave it alone."""
        if self._home == home and self._lock is not None and home.is_dir():
            return
        if home.is_symlink() or home.parent.is_symlink():
            raise BadFile(f"{home} is a link; nothing is written through it")
        if home.is_relative_to(self.folder) and not self.folder.is_dir():
            raise BadFile(f"{self.folder} is gone")  # moved or taken away: it is not made anew for this
        try:
            home.mkdir(parents=True, exist_ok=True)
            handle = os.open(home / f"unsaved-{self._owner}.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise BadFile(f"{home} cannot be written: {error.strerror}") from error
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if self._lock is not None:
            os.close(self._lock)
        self._lock, self._home = handle, home


def homes(folder: Path) -> tuple[Path, Path]:
    """Where unsaved work of a project is kept: in it, and where that cannot be written, under the XDG state folder."""
    told_apart = hashlib.sha256(str(folder.resolve()).encode("utf-8", "replace")).hexdigest()[:16]
    return folder / RECOVERY, platformdirs.user_state_path("soft-lantern") / "recovery" / told_apart


def left_behind(folder: Path) -> list[State]:
    """Unsaved work of windows that are gone, the newest first. What cannot be read is in its `trouble`, and kept."""
    found = [_state(file) for home in homes(folder) for file in _files(home, "unsaved-") if not _is_held(file)]
    return sorted((state for state in found if state.records or state.head or state.trouble), key=lambda s: -s.when)


def earlier_states(folder: Path) -> list[State]:
    """The states kept of the last week, the newest first."""
    found = [_state(file) for home in homes(folder) for file in _files(home, "state-")]
    return sorted((state for state in found if state.records or state.head), key=lambda s: -s.when)


def put_by(file: Path) -> None:
    """Put unsaved work among the earlier states, and let go of those too many or too old."""
    with contextlib.suppress(OSError):
        stamp = time.strftime("%Y%m%d-%H%M%S")
        os.replace(file, file.with_name(f"state-{stamp}-{os.urandom(3).hex()}.json"))
        file.with_suffix(".lock").unlink(missing_ok=True)
    states = sorted(_files(file.parent, "state-"), key=_age)
    for number, state in enumerate(states):
        if number >= STATES or _age(state) > STATE_AGE:
            state.unlink(missing_ok=True)


def with_records(project: Project, records: dict[str, Record | None]) -> Project:
    """The project with records put in by their paths, or taken out where there is None."""
    tables: dict[str, dict[str, Any]] = {}
    for path, record in records.items():
        name, record_id = _place(path)
        table = tables.setdefault(name, dict(getattr(project, name)))
        if record is None:
            table.pop(record_id, None)
        else:
            table[record_id] = record
    return attached(msgspec.structs.replace(project, **tables)) if tables else project


def _differing(project: Project, on_disk: OnDisk) -> dict[str, Any] | None:
    before = on_disk.project
    records: dict[str, Any] = {}
    base: dict[str, str | None] = {}
    for name, was, now in changed_records(project, before):
        record = now or was
        path = on_disk.home(name, record.id)  # type: ignore[union-attr]
        place = f"{name}/{record.id}"  # type: ignore[union-attr]
        records[place] = None if now is None else to_raw(now)
        base[place] = on_disk.files.get(path)
    head = msgspec.to_builtins(head_of(project)) if head_differs(project, before) else None
    if not records and head is None:
        return None
    return {"format": FORMAT_VERSION, "when": time.time(), "records": records, "base": base, "head": head}


def _state(file: Path) -> State:
    """What a file of unsaved work holds; a record of it that cannot be read is told and left out."""
    trouble: list[str] = []
    records: dict[str, Record | None] = {}
    try:
        raw, _ = parsed(read_plain(file, RECORD_BYTES))
        when, base, head = float(raw.get("when", 0)), raw.get("base", {}), raw.get("head")
        listed = raw["records"].items()
        if head is not None:
            head = head_of(head_from_raw(head))
        if not isinstance(base, dict):
            raise ValueError("its base is no table")
    except (OSError, ValueError, BadFile, KeyError, AttributeError, TypeError) as error:
        return State(file, _when(file), {}, {}, None, (f"{file.name} cannot be read and is kept: {error}",))
    for place, record in listed:
        name, record_id = _place(place)
        try:
            raw_record = {key: value for key, value in record.items() if key != "format"} if record else None
            kind = FOLDERS[name]
            read_record = from_raw(raw_record, kind) if raw_record is not None else None
            if read_record is not None and read_record.id != record_id:  # type: ignore[attr-defined]
                raise ValueError("its id is another")
            records[place] = read_record
        except (ValueError, KeyError, AttributeError, TypeError) as error:
            trouble.append(f"{place} in {file.name} cannot be read and is left out: {' '.join(str(error).split())}")
    return State(file, when, records, base, head, tuple(trouble))


def _place(path: str) -> tuple[str, str]:
    name, _, record_id = path.partition("/")
    return name, record_id


def _files(home: Path, start: str) -> Iterator[Path]:
    with contextlib.suppress(OSError):
        yield from [each for each in home.iterdir() if each.name.startswith(start) and each.suffix == ".json"]


def _is_held(file: Path) -> bool:
    """Whether the window that keeps a file is still there."""
    try:
        handle = os.open(file.with_suffix(".lock"), os.O_RDONLY | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False


def _when(file: Path) -> float:
    try:
        return file.stat().st_mtime
    except OSError:
        return 0.0


def _age(file: Path) -> float:
    return max(time.time() - _when(file), 0.0)
