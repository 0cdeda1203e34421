"""Taking the person to a place of the project: where a notice arose, what was found, what uses something."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.pictures.record_pictures import draw_for
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.window.record_finder import RecordFinder
from soft_lantern.graph.notice import Notice
from soft_lantern.graph.records import Place, found, users
from soft_lantern.render.worker import RenderWorker


class Going:
    """Leads to the desk where a place is worked on. `go_to` shows a desk by its name and gives it."""

    def __init__(self, session: Session, worker: RenderWorker, go_to: Callable[[str], Desk], over: QWidget) -> None:
        self.session, self.worker, self.go_to, self.over = session, worker, go_to, over

    def find(self, record_id: str = "") -> RecordFinder:
        """Open the finder of records, with one of them in hand where it is said."""
        session = self.session
        finder = passing(
            RecordFinder(
                lambda text: found(session.project, text), lambda each: users(session.project, each), self.over
            )
        )
        draw_for(session, self.worker, finder.pictures)
        finder.wanted.connect(self.to_place)
        finder.open(record_id)
        return finder

    def to_place(self, place: Place) -> None:
        """Go to a record, or to a node, parameter or object within one."""
        project = self.session.project
        if project.graph(place.record):
            node_id = place.part if place.what == "node" else self._parameters_node(place)
            self.go_to("Build").show_record(place.record, node_id)
        elif place.record in project.scenes:
            self.go_to("Dress").show_record(place.record, place.part)
        elif place.record in project.gradients or place.record in project.palettes:
            self.go_to("Colour").show_record(place.record)
        elif place.record in project.instances or place.record in project.picks:
            self.go_to("Tune").show_record(place.record)
        elif where := users(project, place.record):  # a texture or an asset is seen where it is used
            self.to_place(where[0])
        else:
            self.session.told.emit(f"Nothing uses {place.name}")
            return
        self.session.told.emit(place.words)

    def to_notice(self, notice: Notice) -> None:
        """Go to where a notice arose."""
        if self.session.project.graph(notice.place):
            self.go_to("Build").show_record(notice.place, notice.node)
        elif notice.place in self.session.project.instances:
            self.go_to("Tune").show_record(notice.place)
        self.session.told.emit(notice.text)

    def _parameters_node(self, place: Place) -> str:
        graph = self.session.project.graph(place.record)
        if graph is None or place.what != "parameter":
            return ""
        shown = (key for key, node in graph.nodes.items() if node.settings.get("parameter") == place.part)
        return next(shown, "")
