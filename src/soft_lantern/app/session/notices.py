"""Every notice of the open project: from its files, its documents, and what was measured of the open graph."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.background import Background
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.document import Material, Project
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.notices.project import check_project
from soft_lantern.values.images import Image

DELAY = 120
"""Milliseconds of quiet before the documents are looked through."""


class Notices(QObject):
    """`all` of them, open ones and the worst first. `project` and `images` give what is looked through."""

    changed = pyqtSignal()

    def __init__(
        self,
        project: Callable[[], Project],
        images: Mapping[str, Image],
        background: Background,
        of_files: Mapping[str, list[Notice]],
        of_reading: tuple[Notice, ...],
        parent: QObject,
    ) -> None:
        """`of_files`: those of meshes and images, by id; `of_reading`: those that reading the project's folder made."""
        super().__init__(parent)
        self.all: list[Notice] = []
        self._project, self._images, self._background = project, images, background
        self._of_files, self._of_reading = of_files, of_reading
        self._checked: list[Notice] = []
        self._measured: tuple[Material, list[Notice]] | None = None
        self._timer = single_shot(self, DELAY, self._find)

    def look(self) -> None:
        """Look through the project soon."""
        self._timer.start()

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    def take_measured(self, material: Material, notices: list[Notice]) -> None:
        """Put the notices that rest on measured values in place of those from the document alone."""
        if material is self._project().graph(material.id):
            self._measured = (material, notices)
            self._gather()

    def settled(self, notice: Notice) -> None:
        """A notice of reading the folder no longer holds."""
        self._of_reading = tuple(each for each in self._of_reading if each is not notice)
        self._gather()

    def _find(self) -> None:
        project, images = self._project(), dict(self._images)
        self._background.work_out(lambda: check_project(project, images), lambda found: self._found(project, found))

    def _found(self, project: Project, found: list[Notice]) -> None:
        if project is self._project():
            self._checked = found
            self._gather()

    def _gather(self) -> None:
        project = self._project()
        with_files = (*project.assets, *project.textures, *project.scenes)
        of_files = [n for record_id in with_files for n in self._of_files.get(record_id, [])]
        found = self._checked
        if self._measured and self._measured[0] is project.graph(self._measured[0].id):
            place = self._measured[0].id
            found = [n for n in found if n.place != place] + self._measured[1]
        order = list(Severity)
        notices = [*self._of_reading, *of_files, *found]
        self.all = sorted(notices, key=lambda n: (not n.open, -order.index(n.severity)))
        self.changed.emit()
