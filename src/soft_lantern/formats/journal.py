"""How a save becomes whole: a lock, what is prepared, and a journal that says that it counts.

A save writes its files into `pending`, then one journal is renamed into place: from then on the save has happened, and
what is left to do is to move the prepared files. Only the holder of the lock does so. Every path in a journal is that
of a record; any other makes it no journal at all.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import re
import shutil
import socket
import stat
import time
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from soft_lantern.errors import BadFile, BadProject
from soft_lantern.formats.places import read_plain
from soft_lantern.formats.records import FOLDERS, HEAD, as_text
from soft_lantern.limits import RECORD_BYTES

OWN = ".lantern"
"""The folder of what is not part of the project: the lock, prepared saves, unsaved work, what was set aside."""
PENDING = f"{OWN}/pending"
JOURNAL = f"{OWN}/journal.json"
LOCK = f"{OWN}/lock"
ASIDE = f"{OWN}/aside"
"""What was in the way of a save and is kept: the version another program wrote of a record that changed here too."""
PATIENCE = 20.0
"""Seconds a save waits for another one."""

_RECORD = re.compile(rf"(?:{HEAD}|(?:{'|'.join(FOLDERS)})/[^/\0]+\.json)\Z")


class Journal(Struct, frozen=True):
    """A save that has happened: the name in `pending` of what goes to each path, and what is taken away."""

    moves: dict[str, str]
    removals: tuple[str, ...]

    def prepared(self, folder: Path, relative: str) -> bytes | None:
        """What the save puts at a path, while it is not there yet."""
        if relative in self.moves:
            with contextlib.suppress(FileNotFoundError):  # moved already
                return read_plain(folder / PENDING / self.moves[relative], RECORD_BYTES)
        return None


class Mark(Struct, frozen=True):
    """By what a reader sees that a save came between: the journal, and the token of the last save that ended."""

    journal: Journal | None
    token: bytes


def mark_of(folder: Path) -> Mark:
    """How things stand with saves."""
    journal = _journal(folder)
    with contextlib.suppress(OSError, BadFile):
        return Mark(journal, read_plain(folder / LOCK, 1 << 16))
    return Mark(journal, b"")


def interrupted(folder: Path) -> bool:
    """Whether there is a journal that is not sound."""
    return os.path.lexists(folder / JOURNAL) and _journal(folder) is None


@contextlib.contextmanager
def saving(folder: Path) -> Iterator[None]:
    """Alone in saving to a folder; what an earlier save left undone is finished first.

    Raises BadProject where another program keeps saving, or the folder leads elsewhere; OSError where the disk refuses.
    """
    _check_own(folder)
    (folder / OWN).mkdir(parents=True, exist_ok=True)
    handle = os.open(folder / LOCK, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    try:
        _wait_for(handle, fcntl.LOCK_EX, folder)
        _finish(folder, handle)
        yield
    finally:
        os.close(handle)


@contextlib.contextmanager
def shared_lock(folder: Path) -> Iterator[None]:
    """With savers waiting, where there were any. Raises BadProject where one does not end."""
    try:
        handle = os.open(folder / LOCK, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    except OSError:
        yield
        return
    try:
        _wait_for(handle, fcntl.LOCK_SH, folder)
        yield
    finally:
        os.close(handle)


def commit(folder: Path, writes: dict[str, bytes], removals: list[str]) -> None:
    """Put files into a folder and take others away, all or nothing. Within `saving`. Raises OSError, BadProject."""
    pending = folder / PENDING
    pending.mkdir(parents=True)
    moves = {}
    for index, (relative, data) in enumerate(writes.items()):
        (pending / str(index)).write_bytes(data)
        moves[str(index)] = relative
    for name in moves:
        _sync(pending / name)
    draft = pending / "journal"
    draft.write_bytes(as_text({"moves": moves, "removals": removals}))
    _sync(draft)
    _sync(pending)
    os.replace(draft, folder / JOURNAL)
    _sync(folder / OWN)
    handle = os.open(folder / LOCK, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        _finish(folder, handle)
    finally:
        os.close(handle)


def set_aside(folder: Path, relative: str) -> str:
    """Keep a copy of a file as it is on disk; where, within the folder. Within `saving`. Raises OSError, BadFile."""
    kept = f"{ASIDE}/{time.strftime('%Y%m%d-%H%M%S')}-{os.urandom(2).hex()}/{relative}"
    data = read_plain(folder / relative, RECORD_BYTES)
    (folder / kept).parent.mkdir(parents=True, exist_ok=True)
    (folder / kept).write_bytes(data)
    _sync(folder / kept)
    return kept


def owner_words(folder: Path) -> str:
    """Who saved last, or is saving, for people."""
    with contextlib.suppress(OSError, BadFile, ValueError, KeyError, TypeError):
        said = json.loads(read_plain(folder / LOCK, 1 << 16))
        age = max(time.time() - float(said["since"]), 0.0)
        return f"process {int(said['process'])} on {str(said['machine'])[:60]}, since {age:.0f} s"
    return "another program"


def _journal(folder: Path) -> Journal | None:
    try:
        raw = json.loads(read_plain(folder / JOURNAL, RECORD_BYTES))
        moves, removals = raw["moves"], raw["removals"]
        sound = (
            isinstance(moves, dict)
            and isinstance(removals, list)
            and all(name.isdecimal() for name in moves)
            and all(isinstance(path, str) and _RECORD.match(path) for path in [*moves.values(), *removals])
        )
    except (OSError, BadFile, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return None
    return Journal({path: name for name, path in moves.items()}, tuple(removals)) if sound else None


def _finish(folder: Path, lock: int) -> None:
    """With a journal, carry out what it says (as often as needed); without one, forget what was prepared."""
    pending, journal = folder / PENDING, _journal(folder)
    if journal is None and os.path.lexists(folder / JOURNAL):
        kept = folder / ASIDE / f"journal-{time.strftime('%Y%m%d-%H%M%S')}-{os.urandom(2).hex()}"
        kept.mkdir(parents=True)
        os.replace(folder / JOURNAL, kept / "journal.json")
        if os.path.lexists(pending):
            os.replace(pending, kept / "pending")
    _say_who(lock)
    if journal is not None:
        touched = [*journal.moves, *journal.removals]
        for path in touched:
            _check_record_folder((folder / path).parent)
        for relative, name in journal.moves.items():
            (folder / relative).parent.mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(FileNotFoundError):  # moved already, before the interruption
                os.replace(pending / name, folder / relative)
        for relative in journal.removals:
            (folder / relative).unlink(missing_ok=True)
        for each in {(folder / path).parent for path in touched}:
            _sync(each)
        _say_who(lock)  # before the journal goes, so that a reader between sees one of the two
        (folder / JOURNAL).unlink()
        _sync(folder / OWN)
    if pending.is_dir() and not pending.is_symlink():
        shutil.rmtree(pending)


def _check_own(folder: Path) -> None:
    """Raises BadProject where what is written to is a link that may lead elsewhere."""
    for name in (OWN, PENDING, ASIDE, f"{OWN}/recovery"):
        if (folder / name).is_symlink():
            raise BadProject(f"{folder / name} is a link; nothing is saved through it")
    for name in FOLDERS:
        _check_record_folder(folder / name)


def _check_record_folder(inside: Path) -> None:
    if inside.is_symlink():
        raise BadProject(f"{inside} is a link; nothing is saved through it")


def _wait_for(handle: int, kind: int, folder: Path) -> None:
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        raise BadProject(f"{folder / LOCK} is no plain file")
    end = time.monotonic() + PATIENCE
    while True:
        try:
            fcntl.flock(handle, kind | fcntl.LOCK_NB)
            return
        except BlockingIOError:
            if time.monotonic() > end:
                raise BadProject(f"{folder} is being saved by {owner_words(folder)}; try again") from None
            time.sleep(0.01)


def _say_who(lock: int) -> None:
    said = as_text(
        {
            "machine": socket.gethostname(),
            "process": os.getpid(),
            "since": round(time.time(), 3),
            "token": os.urandom(8).hex(),
        }
    )
    os.pwrite(lock, said, 0)
    os.ftruncate(lock, len(said))


def _sync(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
