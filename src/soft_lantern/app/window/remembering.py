"""A window's project among those that were opened last, with a picture of its stage."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QSize, Qt

from soft_lantern.app.session.recent import picture_of, remember
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.work.timers import single_shot

SIZE = QSize(480, 300)
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
        if shown.isNull():
            return
        filling = shown.scaled(
            SIZE, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
        )
        left, top = (filling.width() - SIZE.width()) // 2, (filling.height() - SIZE.height()) // 2
        place = picture_of(self.session.folder)
        place.parent.mkdir(parents=True, exist_ok=True)
        filling.copy(left, top, SIZE.width(), SIZE.height()).save(str(place))

    def _keep_name(self) -> None:
        if self.session.project.name != self._name:
            self._name = self.session.project.name
            remember(self.session.folder, self._name)
