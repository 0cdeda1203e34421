"""Where files lie: the one way from a path in a file to a place on disk, and from results to files that are whole.

Nothing that a project or a mesh says leads out of its folder, through links neither; what is no plain file is not
opened; an output stands as it was until the new one is complete.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Callable, Iterator
from pathlib import Path, PurePosixPath

from soft_lantern.errors import BadFile
from soft_lantern.limits import PATH_LETTERS, RECORD_BYTES


def file_inside(folder: Path, file: str, name: str) -> Path:
    """Where a file that `name` calls `file`, relative to `folder`, lies.

    Raises BadFile where that is outside the folder, links followed, or no path at all.
    """
    if "\0" in file or len(file) > PATH_LETTERS:
        raise BadFile(f"{name} names no file: {_shown(file)}")
    steps = PurePosixPath(file.replace("\\", "/"))
    try:
        path = (folder / steps).resolve()
        inside = not steps.is_absolute() and path.is_relative_to(folder.resolve())
    except (OSError, RuntimeError, ValueError):  # links in a circle, letters no file system has
        inside = False
    if not inside:
        raise BadFile(f"{name} points outside its folder: {_shown(file)}")
    return path


def read_plain(path: Path | str, most: int, *, links: bool = True) -> bytes:
    """All bytes of a plain file. Raises OSError, or BadFile where it is a pipe, a device, or larger than `most`.

    `links`: whether it may be a link to one.
    """
    # Without O_NONBLOCK the opening of a pipe would wait for someone to write.
    how = os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | (0 if links else os.O_NOFOLLOW)
    try:
        handle = os.open(path, how)
    except OSError as error:
        if error.errno == errno.ELOOP and not links:
            raise BadFile("it is a link") from None
        raise
    try:
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            raise BadFile(f"{os.path.basename(path)} is no plain file")
        if found.st_size > most:
            raise BadFile(f"{os.path.basename(path)} holds {found.st_size:,} bytes; at most {most:,} are read")
        parts = []
        while part := os.read(handle, max(found.st_size + 1, 4096)):
            parts.append(part)
        return b"".join(parts)
    finally:
        os.close(handle)


def read_text(path: Path, encoding: str = "utf-8-sig", errors: str = "strict") -> str:
    """The text of a plain file that is no larger than a record may be. Raises BadFile."""
    try:
        return read_plain(path, RECORD_BYTES).decode(encoding, errors)
    except (OSError, ValueError) as error:
        words = "it is not UTF-8 text" if isinstance(error, UnicodeDecodeError) else getattr(error, "strerror", None)
        raise BadFile(f"{path.name} cannot be read: {words or error}") from error


def check_plain(path: Path, most: int) -> None:
    """Raises BadFile where a file cannot be opened, is no plain file, or is larger than `most` bytes."""
    try:
        found = path.stat()
    except (OSError, ValueError) as error:
        raise BadFile(f"{path.name} cannot be read: {getattr(error, 'strerror', None) or error}") from error
    if not stat.S_ISREG(found.st_mode):
        raise BadFile(f"{path.name} is no plain file")
    if found.st_size > most:
        raise BadFile(f"{path.name} holds {found.st_size:,} bytes; at most {most:,} are read")


@contextlib.contextmanager
def whole(path: Path) -> Iterator[Path]:
    """A place beside `path` to write to, which takes its place once all went well; else `path` stays as it was.

    Raises BadFile where the disk refuses.
    """
    draft = path.with_name(f".{path.stem[:80]}-{os.urandom(4).hex()}{path.suffix}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        yield draft
        with draft.open("rb+") as file:
            os.fsync(file.fileno())
        os.replace(draft, path)
    except OSError as error:
        raise BadFile(f"{path} cannot be written: {error.strerror or error}") from error
    finally:
        with contextlib.suppress(OSError):
            draft.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes | str) -> None:
    """Write a file, all or nothing. Raises BadFile where the disk refuses."""
    with whole(path) as draft:
        draft.write_bytes(data if isinstance(data, bytes) else data.encode("utf-8", "replace"))


def new_file(folder: Path, stem: str, suffix: str, write: Callable[[Path], None]) -> Path:
    """Write a file under a name in a folder that nothing has yet, numbered where need be, whole. Raises BadFile."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        number = 1
        while True:
            path = folder / (f"{stem}{suffix}" if number == 1 else f"{stem}_{number}{suffix}")
            if not os.path.lexists(path):
                break
            number += 1
    except OSError as error:
        raise BadFile(f"{folder} cannot be written: {error.strerror or error}") from error
    with whole(path) as draft:
        write(draft)
    return path


def _shown(file: str) -> str:
    """A path from a file, short and on one line."""
    short = file if len(file) <= 80 else file[:77] + "…"
    return short.encode("unicode_escape", "replace").decode()
