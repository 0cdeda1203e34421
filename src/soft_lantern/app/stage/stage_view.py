"""The stage: the live picture of a scene, with hands to look round it, pick, move objects and set the level gauge."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from soft_lantern.app.pictures.comparison import Comparison
from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.pictures.scene_pictures import ScenePictures
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage import overlay
from soft_lantern.app.stage.drops import is_look, look_dragged
from soft_lantern.app.stage.gestures import (
    DragDivider,
    DragGauge,
    DragHandle,
    Gesture,
    LookRound,
    MoveCard,
)
from soft_lantern.app.stage.grasps import Grasps
from soft_lantern.app.stage.modes import StageModes
from soft_lantern.app.stage.picking import Picking
from soft_lantern.app.stage.spoken import SpokenStage
from soft_lantern.app.stage.under_pointer import Shown
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.focus import paint_focus
from soft_lantern.app.widgets.plates import say
from soft_lantern.app.work.timers import OnceForAll, single_shot
from soft_lantern.graph.document import Scene, Vector, View, changed
from soft_lantern.graph.instances.picks import wears_family_of
from soft_lantern.render.worker import RenderWorker
from soft_lantern.scene.placing import placed_together
from soft_lantern.values.words import counted

SETTLE = 160
"""Milliseconds of stillness after which the picture is drawn in full quality."""
_EDITS = {"position": "Move", "rotation": "Turn", "scale": "Scale"}
_ARROWS = {
    Qt.Key.Key_Left: QPointF(24, 0),
    Qt.Key.Key_Right: QPointF(-24, 0),
    Qt.Key.Key_Up: QPointF(0, 24),
    Qt.Key.Key_Down: QPointF(0, -24),
}


class StageView(QWidget):
    """One view of the stage. Drag orbits, Shift or the middle button pans, the wheel comes nearer, a click picks."""

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.modes = StageModes(self)
        self.pictures = ScenePictures(session, worker, place, self)
        self.comparison = Comparison(self.pictures)
        self.grasps = Grasps(session, self.modes, self.comparison, self)
        self.picking = Picking(self.modes, self.pictures, self.shown, self)
        self.trouble, self.remark = "", ""
        self._gesture: Gesture | None = None
        self._ask = OnceForAll(self, self._ask_for_picture)
        self._still = False
        self._settled = single_shot(self, SETTLE, lambda: self.request(still=True))
        self.setMinimumSize(220, 132)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("stage")
        self.spoken = SpokenStage(session, self.modes, self)
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.modes.seen.connect(self.request)
        self.modes.changed.connect(self._show_modes)
        self.modes.told.connect(session.told)
        self.modes.turned.connect(lambda by: session.set_view(_round(session.view, by)))
        self.picking.told.connect(session.told)
        self.picking.dress_wanted.connect(session.dress_part)
        self.comparison.changed.connect(self.request)
        self.comparison.arrived.connect(self.update)
        self.pictures.arrived.connect(lambda _: self.complain(""))
        self.pictures.found.connect(self.update)
        self.pictures.wanted.connect(self._ask)
        self.pictures.failed.connect(self.complain)
        self.pictures.late.connect(self.update)
        session.changed.connect(lambda old, new: self.request())
        session.models_changed.connect(self.request)
        session.files.relit.connect(self.request)
        session.view_changed.connect(self.request)

    @property
    def scene(self) -> Scene | None:
        """The scene shown."""
        return self.session.scene

    @property
    def lens(self) -> Lens:
        """The view as this widget shows it."""
        return self.grasps.lens

    def request(self, *, still: bool = False) -> None:
        """Ask for a picture of how things are now. Unless still, a finer one follows when nothing more happens.

        What is asked for while one thing follows from another, such as when a window opens, is one picture.
        """
        self._still = still
        self.pictures.outdate()
        self._ask()

    def _ask_for_picture(self) -> None:
        if self.scene is None or not self.isVisible() or self.width() < 8 or self.height() < 8:
            self.update()
            return
        ratio, sight, still = self.devicePixelRatioF(), self.modes.sight, self._still
        size = round(self.width() * ratio), round(self.height() * ratio)
        if self.pictures.waits(sight, size):
            return
        drawn, fine = self.pictures.request(sight, size, still=still, figures=self.modes.figures_shown)
        self.comparison.request(sight, drawn, size, self.pictures.samples if still else 0)
        if fine:
            self._settled.stop()
        else:
            self._settled.start()

    def complain(self, text: str) -> None:
        """Say what went wrong with a picture, or nothing more."""
        self.trouble = text
        self.update()

    def set_gauge(self, height: float | None, **fields: object) -> None:
        """Put the level gauge at a height in metres, or away; other fields of the scene may change with it."""
        if self.scene:
            self.session.edit_scene("Set level gauge", lambda s: changed(s, gauge=height, **fields), "gauge")

    def stop(self) -> None:
        """End what runs beside the window."""
        self.pictures.keep()
        self.modes.turntable(False)
        self.picking.stop()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, modes = QPainter(self), self.modes
        painter.fillRect(self.rect(), theme().colour("surround"))
        shown = modes.pinned_picture if modes.flipped and modes.pinned_picture else self.pictures.image
        if not shown.isNull():
            if modes.sight.card is None:
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if modes.flipped:
            say(painter, self.rect(), "Pinned picture", top=True)
        elif self.comparison.on and modes.sight.card is None:
            self.comparison.paint(painter, self.rect())
        elif modes.sight.card is None:
            self._paint_over_scene(painter)
        if modes.figures_shown:
            overlay.paint_figures(painter, self.pictures.figures)
        if self.remark and not modes.flipped:
            say(painter, self.rect(), self.remark, top=True)
        if self.pictures.waiting:
            overlay.paint_waiting(painter, self.rect())
        if self.trouble:
            say(painter, self.rect(), f"{self.trouble}. This is the last good picture")
        paint_focus(painter, self)
        self.pictures.be_seen()

    def _paint_over_scene(self, painter: QPainter) -> None:
        scene, tried = self.scene, self.modes.sight.tried
        if scene is None or not scene.objects:
            say(painter, self.rect(), "Nothing is on the stage. Add a primitive or import a mesh")
        elif self.session.loading and not self.pictures.is_found:
            say(painter, self.rect(), f"Reading {counted(len(self.session.loading), 'mesh file')}…")
        elif tried and not wears_family_of(self.session.project, scene, tried):
            say(painter, self.rect(), "Nothing here wears what is open, so everything shows it")
        gauge = self.grasps.gauge()
        if gauge:
            overlay.paint_gauge_label(painter, gauge.label, gauge.words)
        handles = self.grasps.handles()
        if handles:
            handles.paint(painter, self._gesture.axis if self._gesture else "")
        lens, pin = self.lens, self.modes.pin
        if pin is not None and lens.in_front(pin):
            overlay.paint_pin(painter, lens.place(pin))
        overlay.paint_tape(painter, lens, self.modes.tape)
        for paint in self.modes.over:
            paint(painter)

    def _show_modes(self) -> None:
        self.grasps.show_pointer()
        self.update()

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self._gesture = self._begun(event) or self._gesture
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._gesture:
            self._gesture.move(event)
        else:
            self.grasps.show_pointer(event.position())
            self.picking.rest(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        ended, self._gesture = self._gesture, None
        if ended:
            ended.release(event)
        self.update()

    def _begun(self, event: QMouseEvent) -> Gesture | None:
        """The gesture that a press begins."""
        at, left, card = event.position(), event.button() == Qt.MouseButton.LeftButton, self.modes.sight.card
        under, gauge, handles = self.grasps.at(at) if left else "", self.grasps.gauge(), self.grasps.handles()
        if card:
            return MoveCard(at, card, self.modes.show_card)
        if under == "divider":
            return DragDivider(at, lambda to: self.comparison.drag(to, self.width()))
        if under == "hand":
            return self.modes.hands[self.modes.clicks](event)
        if under == "gauge" and gauge:
            return DragGauge(at, gauge, self.set_gauge)
        if under == "handle" and handles:
            return DragHandle(at, handles.at(at), handles, self._place, self.picking.click)
        if left or event.button() == Qt.MouseButton.MiddleButton:
            pan = not left or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            return LookRound(at, self.lens, pan, self.session.set_view, self.picking.click)
        return None

    def _place(self, object_id: str, field: str, value: Vector) -> None:
        merge, also = f"{field} {object_id}", self.modes.also
        self.session.edit_scene(
            f"{_EDITS[field]} object", lambda scene: placed_together(scene, object_id, also, field, value), merge
        )

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        notches = event.angleDelta().y()
        if self.modes.sight.card:
            self.modes.zoom_card(1 if notches > 0 else -1)
        else:
            self._come_nearer(0.999**notches)

    def _come_nearer(self, factor: float) -> None:
        view = self.session.view
        self.session.set_view(changed(view, distance=min(max(view.distance * factor, 0.02), 5000)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        turn = _ARROWS.get(key)
        if turn is not None:
            pan = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.session.set_view(self.lens.panned(turn) if pan else self.lens.orbited(turn))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal):
            nearer = key != Qt.Key.Key_Minus
            if self.modes.sight.card:
                self.modes.zoom_card(1 if nearer else -1)
            else:
                self._come_nearer(1 / 1.12 if nearer else 1.12)
        elif key == Qt.Key.Key_Home:
            self.session.frame_all()
        elif key == Qt.Key.Key_Escape and self.modes.clicks != "pick":
            self.modes.let_clicks("pick")
        else:
            super().keyPressEvent(event)

    def shown(self) -> Shown:
        """What rays may meet."""
        return Shown(self.scene, self.session.models, self.lens, self.modes.sight.options.solo)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.picking.rest(None)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event and is_look(event):
            event.acceptProposedAction()
        elif event:
            event.ignore()  # the rest is the window's

    def dropEvent(self, event: QDropEvent | None) -> None:
        """The part under the pointer wears the look, or with Shift the whole object."""
        if event is None or not is_look(event):
            return
        event.acceptProposedAction()
        whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.picking.dress(event.position(), look_dragged(event), whole=whole)

    def showEvent(self, event: object) -> None:
        self.request()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.request()


def _round(view: View, degrees: float) -> View:
    """The view gone round what it looks at."""
    return changed(view, yaw=(view.yaw + degrees) % 360)
