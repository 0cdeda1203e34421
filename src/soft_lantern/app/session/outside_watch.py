"""Hears when another program changes files of the open project."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, pyqtSignal

from soft_lantern.app.work.timers import single_shot

QUIET = 250
"""Milliseconds after the last change before it is told."""
PAUSE, AT_ONCE = 10, 150
"""Thousands of files are watched so many at a time, with a pause in milliseconds, so that the window stays live."""


class OutsideWatch(QObject):
    """`changed` tells that something may have changed, once it is quiet again; `touched` the path of each file then."""

    changed = pyqtSignal()
    touched = pyqtSignal(str)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder = folder
        self._told = single_shot(self, QUIET, self._tell)
        self._touched: set[str] = set()
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _: self._told.start())
        self._watcher.fileChanged.connect(self._touch)
        self._watched: set[str] = set()
        self._waiting: list[str] = []
        self._more = single_shot(self, PAUSE, self._watch_some)

    def watch(self, relative: Iterable[str]) -> None:
        """See to it that these files and folders of the project are watched, the last of them first."""
        self._waiting = list(dict.fromkeys([*self._waiting, *relative]))
        self._more.start()

    def stop(self) -> None:
        """Hear nothing more."""
        self._told.stop()
        self._more.stop()

    def _touch(self, path: str) -> None:
        self._touched.add(path)
        self._watched.discard(path)  # one that was replaced by another file is no longer watched
        self._told.start()

    def _tell(self) -> None:
        touched, self._touched = self._touched, set()
        for path in touched:
            self.touched.emit(path)
        self.changed.emit()

    def _watch_some(self) -> None:
        some, self._waiting = self._waiting[-AT_ONCE:], self._waiting[:-AT_ONCE]
        paths = [os.path.normpath(f"{self.folder}/{relative}") for relative in some]
        missing = [path for path in paths if path not in self._watched and os.path.exists(path)]
        if missing:
            self._watched |= {*missing} - {*self._watcher.addPaths(missing)}
        if self._waiting:
            self._more.start()
