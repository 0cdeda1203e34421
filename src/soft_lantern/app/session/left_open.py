"""Which projects are open: where the program or the machine ends without a word, their windows come back."""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path

import platformdirs

from soft_lantern.errors import LanternError
from soft_lantern.formats.places import write_whole


def keep_open(folders: list[Path]) -> None:
    """Note the folders that this program has open."""
    file = _home() / f"{os.getpid()}.json"
    with contextlib.suppress(LanternError, OSError):  # a full or closed disk must not keep a window from opening
        if folders:
            write_whole(file, json.dumps([str(folder.resolve()) for folder in folders], ensure_ascii=False))
        else:
            file.unlink(missing_ok=True)


def taken_left_open() -> list[Path]:
    """The folders that programs had open which are no more, and are asked for once: a project that makes the program
    end as it opens is not to do so again. A note that holds no such list counts as none."""
    found: list[Path] = []
    for file in sorted(_home().glob("*.json")):
        if not Path(f"/proc/{file.stem}").exists():
            with contextlib.suppress(OSError, ValueError, TypeError):
                found += [Path(str(each)) for each in json.loads(file.read_text("utf-8"))]
            with contextlib.suppress(OSError):
                file.unlink()
    return found


def _home() -> Path:
    return platformdirs.user_state_path("soft-lantern") / "open"
