"""What the Dress desk needs to paint: a part's colour layers, what fills them, and which vertices it reaches."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from soft_lantern.app.desks.dress.brushing import Brushing
from soft_lantern.app.desks.dress.choosing import HAND, Choosing
from soft_lantern.app.desks.dress.coarse import Coarse
from soft_lantern.app.desks.dress.coarse_bar import CoarseBar
from soft_lantern.app.desks.dress.filling import Filling
from soft_lantern.app.desks.dress.layer_panel import LayerPanel
from soft_lantern.app.desks.dress.paint_target import PaintTarget
from soft_lantern.app.desks.dress.painting import Painting
from soft_lantern.app.desks.dress.vertex_panel import VertexPanel
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.gestures import PaintStroke
from soft_lantern.app.stage.stage_offer import StageOffer
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.stage.under_pointer import ObjectHit

BRUSH = "paint"
WHITE = "what reads them gets white"


class PaintPage(QScrollArea):
    """Paints the part that `painted` names, by its object's id and its own name, with hands on a stage."""

    def __init__(self, session: Session, stage: StageView, painted: Callable[[], tuple[str, str]]) -> None:
        super().__init__()
        self.session, self.stage = session, stage
        self.layers, self.vertices, self.coarse_bar = LayerPanel(), VertexPanel(), CoarseBar()
        self.painting = painting = Painting(PaintTarget(session, painted), self)
        self.brushing = Brushing(painting)
        self.filling = filling = Filling(painting)
        self.choosing = Choosing(painting, stage, self.vertices)
        self.offer = StageOffer(stage)
        self.coarse = Coarse(filling, self.choosing, self.coarse_bar)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 8, 0, 0)
        for each in (self.layers, self.coarse_bar, self.vertices):
            column.addWidget(each)
        column.addStretch(1)
        self.setWidget(page)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layers = self.layers
        layers.add_wanted.connect(painting.add)
        layers.duplicate_wanted.connect(painting.duplicate)
        layers.remove_wanted.connect(painting.remove)
        layers.move_wanted.connect(painting.move)
        layers.rename_wanted.connect(painting.rename)
        layers.convert_wanted.connect(painting.convert)
        layers.use_wanted.connect(painting.set_use)
        layers.export_wanted.connect(painting.export)
        layers.copy_wanted.connect(painting.copy_to_others)
        layers.flat_wanted.connect(filling.flat)
        layers.height_wanted.connect(filling.by_height)
        layers.wire_wanted.connect(filling.by_wire)
        layers.shape_wanted.connect(filling.by_shape)
        layers.texture_wanted.connect(filling.by_texture)
        layers.tape_wanted.connect(self._fill_by_tape)
        layers.brush_wanted.connect(lambda on: self._hold(BRUSH, on))
        self.vertices.hand_wanted.connect(lambda on: self._hold(HAND, on))
        stage.modes.hands[BRUSH] = lambda event: PaintStroke(event.position(), self._stroke)
        stage.picking.painted.connect(self._paint)
        stage.modes.changed.connect(self._show_hands)
        self.brushing.shown.connect(stage.request)

    def show_part(self) -> None:
        """Show the layers of the part that is painted now."""
        on, project = self.painting.on, self.session.project
        part = on.part()
        tables = (project.textures, project.gradients)
        textures, gradients = (sorted((each.name, each.id) for each in table.values()) for table in tables)
        name = part.name if part else ""
        self.layers.show_layers(on.layers(), on.heights(), on.wires(), name, textures, gradients)
        self.choosing.show()
        self.coarse.forget()
        self._offer()
        self.updateGeometry()

    def minimumSizeHint(self) -> QSize:
        """As wide as what it holds, beside a scroll bar."""
        held, bar = self.widget(), self.verticalScrollBar()
        assert held and bar
        return QSize(held.minimumSizeHint().width() + bar.sizeHint().width(), 160)

    def be_seen(self, seen: bool) -> None:
        """Painting is what the desk shows, or no longer: then hands on the stage pick again."""
        self.painting.seen = seen
        self._offer()
        if not seen and self.stage.modes.clicks in self.stage.modes.hands:
            self.stage.modes.let_clicks("pick")

    def _offer(self) -> None:
        """Offer colours on the stage to a part that has none."""
        part = self.painting.on.part() if self.painting.seen else None
        if part is not None and not self.painting.on.layers():
            self.offer.offer(f"{part.name} has no colours: {WHITE}", "Give it a white layer", self.painting.add)
        else:
            self.offer.hide()

    def stop(self) -> None:
        """End what runs beside the window."""
        self.choosing.stop()

    def _hold(self, hand: str, on: bool) -> None:
        """Let the hand on the stage do something, or pick again."""
        if (self.stage.modes.clicks == hand) is not on:
            self.stage.modes.let_clicks(hand)

    def _show_hands(self) -> None:
        self.layers.brush.setChecked(self.stage.modes.clicks == BRUSH)
        self.vertices.hand.setChecked(self.choosing.choosing)

    def _stroke(self, at: QPointF, last: bool) -> None:
        self.stage.picking.paint(at, last=last)

    def _paint(self, hit: ObjectHit | None, last: bool) -> None:
        self.brushing.stroke_to(hit, self.layers.at, self.layers.held_brush(), last=last)

    def _fill_by_tape(
        self, at: int, channels: str, radial: bool, first: tuple[float, ...], last: tuple[float, ...], gradient: str
    ) -> None:
        tape = self.stage.modes.tape
        self.filling.by_tape(at, channels, tape, first, last, gradient, radial=radial)
