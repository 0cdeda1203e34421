"""What the window asks of every desk."""

from __future__ import annotations

from PyQt6.QtWidgets import QSplitter, QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.render.worker import RenderWorker


class Desk(QWidget):
    """A place for one kind of work on the open project, with a stage to see it on."""

    stage: StageView
    stage_bar: StageBar

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker = session, worker

    def panes(self) -> list[QWidget]:
        """The parts of the desk between which the keyboard goes, in reading order."""
        held = [
            (split, split.widget(place)) for split in self.findChildren(QSplitter) for place in range(split.count())
        ]
        split = (pane for _, pane in held if pane and not isinstance(pane, QSplitter))
        return [pane for pane in split if not pane.findChild(QSplitter)]

    def stop(self) -> None:
        """Stop what runs beside the window."""
        self.stage.stop()
