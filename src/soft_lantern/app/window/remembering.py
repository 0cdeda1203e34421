"""A window's project among those that were opened last, with a picture of its stage."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QSize, Qt
from PyQt6.QtGui import QImage

from soft_lantern.app.session.recent import picture_of, remember
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.work.timers import single_shot

SIZE = QSize(480, 300)
QUICK = 80
"""How little time is spent on making the file small, up to 100."""
SOON = 4000
"""Milliseconds after which a project that was opened has a picture."""


class Remembering(QObject):
    """Puts the project first as it opens, and keeps its picture a little later and when its window closes."""

    def __init__(self, session: Session, stage: Callable[[], StageView], parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.stage = session, stage
        self._name = ""
        self._keep_name()
        self._soon = single_shot(self, SOON, self.keep)
        self._soon.start()

    def end(self) -> None:
        """Keep them for the last time."""
        self._soon.stop()
        self.keep()

    def keep(self) -> None:
        """Keep the name and the picture as they are now."""
        self._keep_name()
        shown = self.stage().pictures.image
        if not shown.isNull():
            self.session.background.submit(partial(_keep_picture, QImage(shown), picture_of(self.session.folder)))

    def _keep_name(self) -> None:
        if self.session.project.name != self._name:
            self._name = self.session.project.name
            remember(self.session.folder, self._name)


def _keep_picture(shown: QImage, place: Path) -> None:
    filling = shown.scaled(
        SIZE, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    left, top = (filling.width() - SIZE.width()) // 2, (filling.height() - SIZE.height()) // 2
    place.parent.mkdir(parents=True, exist_ok=True)
    filling.copy(left, top, SIZE.width(), SIZE.height()).save(str(place), "PNG", QUICK)
