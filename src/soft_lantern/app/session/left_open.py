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
    known = {"program": os.getpid(), "folders": [str(folder.resolve()) for folder in folders]}
    with contextlib.suppress(LanternError, OSError):  # a full or closed disk must not keep a window from opening
        write_whole(_file(), json.dumps(known, ensure_ascii=False))


def left_open() -> list[Path]:
    """The folders that a program had open which is no more; none where it still runs, or the file is no such list."""
    try:
        known = json.loads(_file().read_text("utf-8"))
        program, folders = int(known["program"]), [Path(str(each)) for each in known["folders"]]
    except (OSError, ValueError, KeyError, TypeError):
        return []
    return [] if program == os.getpid() or Path(f"/proc/{program}").exists() else folders


def _file() -> Path:
    return platformdirs.user_state_path("soft-lantern") / "open.json"
