"""The projects that were opened last, as a start page lists them: kept by XDG, with a picture of each."""

from __future__ import annotations

import contextlib
import hashlib
import json
import time
from pathlib import Path

import platformdirs
from msgspec import Struct
from msgspec.structs import asdict

from soft_lantern.errors import LanternError
from soft_lantern.formats.places import write_whole
from soft_lantern.formats.records import HEAD

MOST = 12
"""Projects that are remembered."""


class Recent(Struct, frozen=True):
    """A project's folder and name, and when it was open last, in seconds since 1970."""

    folder: str
    name: str
    opened: float

    @property
    def is_there(self) -> bool:
        """Whether the folder still holds a project."""
        return (Path(self.folder) / HEAD).is_file()

    @property
    def picture(self) -> Path:
        """The file of its picture, which need not be there."""
        return picture_of(Path(self.folder))


def recent_projects() -> list[Recent]:
    """The newest first. A list that cannot be read counts as empty: nothing hangs on it."""
    try:
        read = json.loads(_file().read_text("utf-8"))
        return [Recent(str(each["folder"]), str(each["name"]), float(each["opened"])) for each in read][:MOST]
    except (OSError, ValueError, KeyError, TypeError):
        return []


def remember(folder: Path, name: str) -> None:
    """Put a project first."""
    here = Recent(str(folder.resolve()), name, time.time())
    _keep([here, *(each for each in recent_projects() if each.folder != here.folder)][:MOST])


def forget(folder: str) -> None:
    """Take a project off the list; its files stay."""
    _keep([each for each in recent_projects() if each.folder != folder])


def picture_of(folder: Path) -> Path:
    """Where the picture of a project's folder is kept."""
    name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:32]
    return platformdirs.user_cache_path("soft-lantern") / "recent" / f"{name}.png"


def _keep(projects: list[Recent]) -> None:
    with contextlib.suppress(LanternError, OSError):  # a full or closed disk must not keep a window from opening
        write_whole(_file(), json.dumps([asdict(each) for each in projects], indent=1, ensure_ascii=False))
        kept = {each.picture for each in projects}
        for picture in platformdirs.user_cache_path("soft-lantern").glob("recent/*.png"):
            if picture not in kept:
                picture.unlink(missing_ok=True)


def _file() -> Path:
    return platformdirs.user_state_path("soft-lantern") / "recent.json"
