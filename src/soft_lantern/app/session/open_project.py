"""A project that is open, in one window or several: what it is now, what can be undone, its files and its notices."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.session.history import History
from soft_lantern.app.session.loaded_files import LoadedFiles
from soft_lantern.app.session.notices import Notices
from soft_lantern.app.session.saver import Saver
from soft_lantern.app.work.background import Background
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Project


class OpenProject(QObject):
    """What the windows on a project have in common; the last to leave ends what runs beside them."""

    replaced = pyqtSignal(object)
    """The project that has become the present one, before anything shows it."""
    changed = pyqtSignal(object, object)
    """The project before and after an edit."""

    def __init__(self, folder: Path, *, held: bool = False) -> None:
        """Open the project in a folder. `held`: only what is read of it now, until `files.begin`. Raises BadProject."""
        super().__init__()
        self.windows = 0
        opened = open_project(folder)
        self.project = opened.project
        self.background = Background(self)
        self.files = LoadedFiles(folder, self.background, self, held=held)
        self.undo = History(self)
        self.undo.put.connect(self._put)
        self.saver = Saver(folder, self.background, opened.on_disk, lambda: self.project, self)
        self.saver.touched.connect(self.files.read_again)
        self.notices = Notices(
            lambda: self.project, self.files.images, self.background, self.files.notices, opened.notices, self
        )
        self.files.changed.connect(self.notices.look)
        self.files.follow(self.project)
        if not held:
            self.notices.look()

    def leave(self) -> None:
        """A window goes."""
        self.windows -= 1
        if not self.windows:
            self.notices.stop()
            self.saver.end()
            self.background.stop()

    def _put(self, project: Project) -> None:
        """Make a project the present one: what an edit, undo and redo come to."""
        old, self.project = self.project, project
        self.replaced.emit(project)
        self.files.follow(project)
        self.changed.emit(old, project)
        self.notices.look()
        self.saver.edited()
