"""What the window asks of every desk."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSplitter, QWidget

from soft_lantern.app.desks.places import Places
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.graph.records import KINDS
from soft_lantern.render.worker import RenderWorker


class Desk(QWidget):
    """A place for one kind of work on the open project, with a stage to see it on."""

    notice_wanted = pyqtSignal(object)
    """The person wants to go where this `Notice` arose."""
    ramps_wanted = pyqtSignal(str)
    """The person wants to work on a gradient or palette, by its id."""

    stage: StageView
    stage_bar: StageBar
    place = ""
    """The field of `Places` that keeps what is in hand, "" for none."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker = session, worker

    @property
    def in_hand(self) -> str:
        """The id of the record that is worked on, "" where there is none."""
        return self.session.material_id

    def show_record(self, record_id: str, part: str = "") -> None:
        """Select a record that is worked on here, or a part of it, such as a node; what is not there is passed over."""

    def show_object(self, object_id: str) -> bool:
        """Select an object of the scene, "" for none; whether this is a desk to do it on."""
        return False

    def where(self) -> dict[str, object]:
        """What is selected, as fields of `Places`."""
        return {self.place: self.in_hand} if self.place else {}

    def come_back(self, was: Places) -> None:
        """Select what was selected, as far as it is still there."""
        kept, project = getattr(was, self.place) if self.place else "", self.session.project
        if any(kept in getattr(project, table) for table in KINDS):
            self.show_record(kept)

    def look_again(self, was: Places) -> None:
        """Once the desk has its layout: show the part that was shown."""

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
