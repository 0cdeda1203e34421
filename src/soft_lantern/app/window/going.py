"""Taking the person to a place of the project: where a notice arose, what was found, what uses something."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from PyQt6.QtWidgets import QWidget

from soft_lantern.app.desks.build.desk import BuildDesk
from soft_lantern.app.desks.colour.desk import ColourDesk
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.dress.desk import DressDesk
from soft_lantern.app.desks.tune.desk import TuneDesk
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
            self._to_graph(place.record, place.part if place.what == "node" else self._parameters_node(place))
        elif place.record in project.scenes:
            self.session.open_scene(place.record)
            desk = cast(DressDesk, self.go_to("Dress"))
            if place.part:
                desk.select(place.part)
        elif place.record in project.gradients or place.record in project.palettes:
            cast(ColourDesk, self.go_to("Colour")).choose(place.record)
        elif place.record in project.instances or place.record in project.picks:
            cast(TuneDesk, self.go_to("Tune")).select(place.record)
        elif where := users(project, place.record):  # a texture or an asset is seen where it is used
            self.to_place(where[0])
        else:
            self.session.told.emit(f"Nothing uses {place.name}")
            return
        self.session.told.emit(place.words)

    def to_notice(self, notice: Notice) -> None:
        """Go to where a notice arose."""
        if self.session.project.graph(notice.place):
            self._to_graph(notice.place, notice.node)
        elif notice.place in self.session.project.instances:
            cast(TuneDesk, self.go_to("Tune")).select(notice.place)
        self.session.told.emit(notice.text)

    def in_hand(self, desk: Desk) -> str:
        """The id of the record that is worked on at a desk, "" where there is none."""
        if isinstance(desk, ColourDesk):
            return desk.chosen
        if isinstance(desk, TuneDesk):
            return desk.selection.look_id
        if isinstance(desk, DressDesk):
            thing = self.session.scene.object(desk.panel.object_id) if self.session.scene else None
            return thing.asset if thing else self.session.scene_id
        return self.session.material_id

    def _to_graph(self, graph_id: str, node_id: str) -> None:
        build = cast(BuildDesk, self.go_to("Build"))
        self.session.open_material(graph_id)
        if node_id:
            build.canvas.go_to(node_id)

    def _parameters_node(self, place: Place) -> str:
        graph = self.session.project.graph(place.record)
        if graph is None or place.what != "parameter":
            return ""
        shown = (key for key, node in graph.nodes.items() if node.settings.get("parameter") == place.part)
        return next(shown, "")
