"""Errors that nobody foresaw: caught in one place, told in one sentence, written to a log, the window alive.

PyQt ends the program where a slot raises, unless something takes the error: this does.
"""

from __future__ import annotations

import contextlib
import functools
import logging
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from traceback import clear_frames
from types import TracebackType
from typing import TypeVar

import platformdirs
from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.beside import Reply, reply_to
from soft_lantern.errors import LanternError

T = TypeVar("T")
LOG_BYTES, LOGS_KEPT = 1 << 20, 3


class Mishaps(QObject):
    """`happened` tells the sentence for people, on the window's thread; `broke_off` comes before it for a slot's."""

    broke_off = pyqtSignal()
    happened = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._reply: Reply = reply_to(self, self._tell)
        sys.excepthook = self._in_slot
        threading.excepthook = lambda args: self._beside(args.exc_type, args.exc_value, args.exc_traceback)

    def _in_slot(self, kind: type[BaseException], error: BaseException, traceback: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            return
        _log().error("an unexpected error in the window", exc_info=(kind, error, traceback))
        self.broke_off.emit()
        self._tell(error)
        _let_go(traceback)

    def _beside(self, kind: type[BaseException], error: BaseException | None, traceback: TracebackType | None) -> None:
        if error is not None and not issubclass(kind, SystemExit):
            _log().error("an unexpected error beside the window", exc_info=(kind, error, traceback))
            self._reply(error)

    def _tell(self, error: BaseException) -> None:
        self.happened.emit(words_for(error))


def _let_go(traceback: TracebackType | None) -> None:
    """Let go of what the frames hold: a painter that outlives its paint event ends the process."""
    clear_frames(traceback)
    for name in ("last_type", "last_value", "last_traceback", "last_exc"):
        sys.__dict__.pop(name, None)  # Python keeps the newest error there


def each_by_itself(*calls: Callable[[], object]) -> None:
    """Call one after the other; one that fails, such as a panel that cannot show a value, does not stop the rest."""
    for call in calls:
        try:
            call()
        except Exception:
            sys.excepthook(*sys.exc_info())


def words_for(error: BaseException) -> str:
    """The sentence that people are told of an unexpected error."""
    said = " ".join(str(error).split())[:120]
    mistake = f"{type(error).__name__}: {said}"
    return (
        f"That did not work, by a mistake of this program ({mistake}). Your work is kept; details are in {log_file()}"
    )


def log_file() -> Path:
    """The log of unexpected errors, under the XDG state folder."""
    return platformdirs.user_state_path("soft-lantern") / "log.txt"


@functools.cache
def _log() -> logging.Logger:
    """What goes wrong is written to the log file; where that cannot be written, do without."""
    from logging.handlers import RotatingFileHandler  # only wanted when something has gone wrong

    log = logging.getLogger("soft_lantern")
    with contextlib.suppress(OSError):
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            log_file(), maxBytes=LOG_BYTES, backupCount=LOGS_KEPT, encoding="utf-8", delay=True
        )
        handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
        log.addHandler(handler)
    return log


def outcome(work: Callable[[], T], words: str) -> tuple[T | None, str]:
    """What some work beside the window came to, or in words why it came to nothing; a mistake is logged as `words`."""
    try:
        return work(), ""
    except LanternError as error:
        return None, str(error)
    except Exception as error:
        _log().exception("an unexpected error in %s", words)
        return None, words_for(error)
