"""The stage: the live picture of a scene, with hands to look round it, pick, move objects and set the level gauge."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from soft_lantern.app.beside import reply_to
from soft_lantern.app.session import Session
from soft_lantern.app.stage import overlay
from soft_lantern.app.stage.comparison import Comparison, wearing
from soft_lantern.app.stage.drops import Drops
from soft_lantern.app.stage.handles import Handles
from soft_lantern.app.stage.hands import Hands
from soft_lantern.app.stage.lens import Lens
from soft_lantern.app.stage.pace import Pace
from soft_lantern.app.stage.under_pointer import ObjectHit, UnderPointer
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.timers import single_shot
from soft_lantern.app.widgets.number_field import written
from soft_lantern.graph.document import Project, Scene, StageObject, changed
from soft_lantern.graph.instances import ancestry
from soft_lantern.graph.picks import worn, worn_looks
from soft_lantern.render.card import SCALES, Card, card_frame
from soft_lantern.render.frame import Frame, LinearPixels, Picture
from soft_lantern.render.staging import Looks, StageOptions, frame_of, scene_bounds
from soft_lantern.render.tally import tally
from soft_lantern.render.worker import Job, RenderWorker
from soft_lantern.scene.mesh import Matrix

SETTLE = 160
"""Milliseconds of stillness after which the picture is drawn in full quality."""
REST = 60
"""Milliseconds between two looks at what lies under a moving pointer."""
TURNTABLE = 12.0
"""Seconds for one turn of the turntable."""
BEAT = 33


class StageView(QWidget):
    """One view of the stage. Drag orbits, Shift or the middle button pans, the wheel comes nearer, a click picks."""

    picked = pyqtSignal(str, str)
    """Object id and part name under a click; both empty beside everything."""
    probed = pyqtSignal(object, object)
    """While probing: the hit under a click, and the point as a buffer of one."""
    hovered = pyqtSignal(object)
    """While probing: the point under the resting pointer as a buffer of one, or None."""
    drawn = pyqtSignal(object)
    modes_changed = pyqtSignal()
    """Options, the handle's kind, the card, the turntable, or what clicks do."""

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker, self.place = session, worker, place
        self.options = StageOptions()
        self.selected = self.selected_part = ""
        self.dress_as = ""
        self.card: Card | None = None
        self.card_look = ""
        self.handle_kind = "move"
        self.clicks = "pick"
        """What clicks do: pick, probe, set the ends of the tape, or take a colour up."""
        self.tape: list[Matrix] = []
        self.pin: Matrix | None = None
        self.pinned_picture: QImage | None = None
        self.flipped = False
        self.figures_shown = False
        self.time = 0.0
        self._pointer = QPointF()
        self.image = QImage()
        self.trouble = ""
        self.frames_drawn = 0
        self.still = False
        self._asked = 0
        self._looks = Looks()
        self._bytes = b""
        self._pace = Pace()
        self._figures: list[str] = []
        self.linear: LinearPixels | None = None
        self.comparison = Comparison(self)
        self.drops = Drops(self)
        self.hands = Hands(self)
        self.under_pointer = UnderPointer(self)
        self._settled = single_shot(self, SETTLE, lambda: self.request(still=True))
        self._resting = single_shot(self, REST, self._probe_hover)
        self._turning = QTimer(self)
        self._turning.setInterval(BEAT)
        self._turning.timeout.connect(self._turn_on)
        self.setMinimumSize(220, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("stage")
        self.setAcceptDrops(True)
        session.changed.connect(lambda old, new: self.request())
        session.models_changed.connect(self.request)
        session.view_changed.connect(self.request)

    # How it is judged

    @property
    def scene(self) -> Scene | None:
        """The scene shown."""
        return self.session.scene

    @property
    def lens(self) -> Lens:
        """The view as this widget shows it."""
        return Lens(self.session.view, (max(self.width(), 1), max(self.height(), 1)))

    @property
    def probing(self) -> bool:
        """Whether clicks probe."""
        return self.clicks == "probe"

    def set_options(self, **fields: Any) -> None:
        """Change what is drawn beside the objects and what of the surface is shown."""
        self.options = replace(self.options, **fields)
        self.modes_changed.emit()
        self.request()

    def set_time(self, seconds: float) -> None:
        """Show another moment."""
        self.time = seconds
        self.request()

    def let_clicks(self, do: str) -> None:
        """Let clicks "pick" objects, "probe" pixels or set the ends of the "tape"; the same again picks."""
        self.clicks = "pick" if do == self.clicks else do
        self.setMouseTracking(self.probing)
        self.setCursor(Qt.CursorShape.ArrowCursor if self.clicks == "pick" else Qt.CursorShape.CrossCursor)
        if self.clicks != "tape":
            self.tape = []
        self.modes_changed.emit()
        self.update()

    def probe_with_clicks(self, on: bool) -> None:
        """Let clicks probe a pixel instead of selecting an object."""
        if on != self.probing:
            self.let_clicks("probe")

    def pin_probe(self, point: Matrix | None) -> None:
        """Mark the probed point, or take the mark away."""
        self.pin = point
        self.update()

    def show_handle(self, kind: str) -> None:
        """Let the selected object be moved, turned or scaled by its handle."""
        self.handle_kind = kind
        self.modes_changed.emit()
        self.update()

    def show_card(self, card: Card | None) -> None:
        """Show the look on a flat card, pixel for pixel; None shows the scene again."""
        self.card = card
        self.modes_changed.emit()
        self.request()

    def solo(self, object_id: str, part: str = "") -> None:
        """Draw one object, or one part of it, alone; the same again draws all."""
        wanted = (object_id, part)
        self.set_options(solo=("", "") if wanted == self.options.solo else wanted)

    def show_figures(self, on: bool) -> None:
        """Show what the picture costs."""
        self.figures_shown = on
        self.modes_changed.emit()
        self.request()

    def turntable(self, on: bool) -> None:
        """Let the view go round what it looks at."""
        if on:
            self._turning.start()
        else:
            self._turning.stop()
        self.modes_changed.emit()

    @property
    def is_turning(self) -> bool:
        """Whether the turntable runs."""
        return self._turning.isActive()

    def pin_picture(self) -> None:
        """Keep the picture as it is, to flip against."""
        self.pinned_picture = self.image.copy()
        self.flipped = False
        self.session.told.emit("Picture pinned; flip shows it in place of the live one")
        self.modes_changed.emit()

    def flip(self) -> None:
        """Show the pinned picture instead of the live one, or the live one again."""
        if self.pinned_picture is None:
            self.session.told.emit("Pin a picture first, then flip against it")
            return
        self.flipped = not self.flipped
        self.modes_changed.emit()
        self.update()

    def dress(self, look_id: str) -> None:
        """Let every object that wears something of the same material wear this look instead; "" as they are dressed.

        Where no object does, all wear it, so that what is being built can be seen.
        """
        self.dress_as = look_id
        self.request()

    # The picture

    def request(self, *, still: bool = False) -> None:
        """Ask for a picture of how things are now. Unless still, a finer one follows when nothing more happens."""
        if self.scene is None or not self.isVisible() or self.width() < 8 or self.height() < 8:
            self.update()
            return
        ratio = self.devicePixelRatioF()
        share = 1.0 if still or self.card else self._pace.share
        ratio *= share
        size = (max(round(self.width() * ratio), 8), max(round(self.height() * ratio), 8))
        self._asked += 1
        asked, self.still = self._asked, False
        make = self.frame_maker(size, 4 if still else 0)
        figures: list[str] = []
        wanted, card, pace = self.figures_shown, self.card, self._pace
        arrived, failed = reply_to(self, self._take), reply_to(self, self.complain)

        def made() -> Frame:
            frame = make()
            if wanted:
                figures[:] = tally(frame)
            return frame

        def deliver(picture: Picture) -> None:
            if not still and not card:
                pace.drawn(share, picture.seconds)
            arrived(picture, asked if still else 0, figures)

        self.worker.submit(self.place, Job(made, deliver, failed))
        self.comparison.request(size, 4 if still else 0)
        if not still:
            self._settled.start()

    def frame_maker(
        self, size: tuple[int, int], samples: int, time: float | None = None, project: Project | None = None
    ) -> Callable[[], Frame]:
        """What makes the frame of how things are now, or would be in another project, on any thread."""
        project = project or self.session.project
        scene = project.scenes.get(self.session.scene_id) or self.scene
        assert scene
        models, images = dict(self.session.models), dict(self.session.images)
        options, looks, at = self.options, self._looks, self.time if time is None else time
        if self.card:
            card, look_id = self.card, self.look_on_card()
            environment = scene.environment
            return lambda: card_frame(project, look_id, card, size, options, looks, environment, at, images)
        dressed = wearing(project, scene, "", self.dress_as) if self.dress_as else project
        shown, camera = dressed.scenes[scene.id], Lens(self.session.view, size).camera
        return lambda: frame_of(dressed, shown, models, camera, size, options, looks, at, samples, images)

    def look_on_card(self) -> str:
        """What the card wears: what is tuned or selected, or the open material."""
        thing = self._selected_object()
        return (
            self.card_look
            or self.dress_as
            or (worn(self.session.project, thing) if thing else "")
            or self.session.material_id
        )

    def _wears_family(self, scene: Scene) -> bool:
        """Whether anything in a scene wears a look of the same material as the one being built."""
        project = self.session.project
        _, material = ancestry(project, self.dress_as)
        return any(ancestry(project, w)[1] is material for o in scene.objects for w in worn_looks(project, o))

    def _take(self, picture: Picture, still_of: int, figures: list[str]) -> None:
        height, width = picture.pixels.shape[:2]
        self._bytes = picture.pixels.tobytes()  # the image does not keep its own copy
        self.image = QImage(self._bytes, width, height, width * 4, QImage.Format.Format_RGBX8888)
        self.linear = picture.linear
        self.still = still_of == self._asked
        self._figures = [f"{picture.seconds * 1000:.0f} ms at {width} × {height}", *figures]
        self.trouble = ""
        self.frames_drawn += 1
        self.update()
        self.drawn.emit(picture)

    def complain(self, text: str) -> None:
        """Say what went wrong with a picture."""
        self.trouble = text
        self.update()

    def _turn_on(self) -> None:
        view = self.session.view
        self.session.set_view(changed(view, yaw=(view.yaw + 360 * BEAT / 1000 / TURNTABLE) % 360))

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme().colour("ground"))
        shown = self.pinned_picture if self.flipped and self.pinned_picture else self.image
        if not shown.isNull():
            if self.card is None:
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.flipped:
            overlay.say(painter, self.rect(), "Pinned picture", top=True)
        elif self.comparison.on and self.card is None:
            self.comparison.paint(painter, self.rect())
        elif self.card is None:
            self._paint_over_scene(painter)
        if self.figures_shown:
            overlay.paint_figures(painter, self._figures)
        if self.trouble:
            overlay.say(painter, self.rect(), f"{self.trouble}. This is the last good picture")

    def _paint_over_scene(self, painter: QPainter) -> None:
        if self.scene is None or not self.scene.objects:
            overlay.say(painter, self.rect(), "Nothing is on the stage. Add a primitive or import a mesh")
        elif self.session.loading:
            overlay.say(painter, self.rect(), f"Reading {len(self.session.loading)} mesh file(s)…")
        elif self.dress_as and not self._wears_family(self.scene):
            overlay.say(painter, self.rect(), "Nothing here wears what is open, so everything shows it")
        box = self.gauge_label()
        if box and self.scene:
            overlay.paint_gauge_label(painter, box, self._gauge_words(self.scene))
        handles = self.handles()
        if handles:
            handles.paint(painter, self.hands.axis)
        lens = self.lens
        if self.pin is not None and lens.in_front(self.pin):
            overlay.paint_pin(painter, lens.place(self.pin))
        overlay.paint_tape(painter, lens, self.tape)

    def _gauge_words(self, scene: Scene) -> str:
        along = "" if scene.gauge_axis == "y" else f"{scene.gauge_axis} "
        return f"{scene.gauge_label or 'level'} {along}{written(scene.gauge or 0.0)} m"

    def gauge_label(self) -> QRectF | None:
        """Where the gauge's readout is on the widget."""
        scene = self.scene
        if scene is None or scene.gauge is None or not self.options.gauge or self.card:
            return None
        at = self.lens.place(self.gauge_anchor(scene, scene.gauge))
        width = max(96, 20 + self.fontMetrics().horizontalAdvance(self._gauge_words(scene)))
        y = min(max(at.y() - 11, 6), self.height() - 28)
        return QRectF(self.width() - width - 8, y, width, 22)

    def gauge_anchor(self, scene: Scene, height: float) -> Matrix:
        """The middle of the gauge at a height along its axis."""
        low, high = scene_bounds(scene, self.session.models)
        middle = np.array((low + high) / 2, float)
        middle["xyz".index(scene.gauge_axis)] = height
        return middle

    def handles(self) -> Handles | None:
        """The handle of the selected object."""
        thing = self._selected_object()
        return Handles(self.handle_kind, thing, self.lens) if thing and not self.card else None

    def handle_arms(self) -> dict[str, tuple[QPointF, QPointF]]:
        """The handle's arms on the widget: axis to start and end."""
        handles = self.handles()
        return handles.arms() if handles else {}

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self.hands.press(event)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.probing and not self.hands.busy:
            self._pointer = event.position()
            if not self._resting.isActive():
                self._resting.start()
        self.hands.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.hands.release(event)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        notches = event.angleDelta().y()
        if self.card:
            self._zoom_card(1 if notches > 0 else -1)
        else:
            self._come_nearer(0.999**notches)

    def _come_nearer(self, factor: float) -> None:
        view = self.session.view
        self.session.set_view(changed(view, distance=min(max(view.distance * factor, 0.02), 5000)))

    def _zoom_card(self, steps: int) -> None:
        assert self.card
        at = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - (self.card.scale if self.card else 1)))
        self.show_card(replace(self.card, scale=SCALES[min(max(at + steps, 0), len(SCALES) - 1)]))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        turn = {
            Qt.Key.Key_Left: QPointF(24, 0),
            Qt.Key.Key_Right: QPointF(-24, 0),
            Qt.Key.Key_Up: QPointF(0, 24),
            Qt.Key.Key_Down: QPointF(0, -24),
        }.get(key)
        if turn is not None:
            pan = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.session.set_view(self.lens.panned(turn) if pan else self.lens.orbited(turn))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal):
            nearer = key != Qt.Key.Key_Minus
            if self.card:
                self._zoom_card(1 if nearer else -1)
            else:
                self._come_nearer(1 / 1.12 if nearer else 1.12)
        elif key == Qt.Key.Key_Home:
            self.session.frame_all()
        elif key == Qt.Key.Key_Escape and self.clicks != "pick":
            self.let_clicks("pick")
        else:
            super().keyPressEvent(event)

    # What lies under the pointer

    def pick(self, at: QPointF) -> None:
        """Select, probe or measure what lies under a point of the widget."""
        if self.scene is None or self.card:
            return
        if self.clicks == "drop":
            self.drops.click(at)
            return
        do = {"probe": self._probe_hit, "tape": self._tape_hit}.get(self.clicks, self._pick_hit)
        self.under_pointer.find(at, lambda hit, behind: do(hit, behind, at), behind=self.probing)

    def hit_at(self, at: QPointF, beyond: float = 0.0) -> ObjectHit | None:
        """What the ray through a point of the widget meets first; its key is the object's id and the part's name."""
        return self.under_pointer.hit_at(at, beyond)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event:
            self.drops.enter(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event:
            self.drops.let_go(event)

    def _pick_hit(self, hit: ObjectHit | None, behind: ObjectHit | None, at: QPointF) -> None:
        object_id, part = hit.key if hit else ("", "")
        self.picked.emit(object_id, part)

    def _probe_hit(self, hit: ObjectHit | None, behind: ObjectHit | None, at: QPointF) -> None:
        if hit:
            self.probed.emit(hit, self.under_pointer.point(hit, behind, at))

    def _tape_hit(self, hit: ObjectHit | None, behind: ObjectHit | None, at: QPointF) -> None:
        if hit is None:
            self.session.told.emit("The tape wants a point on an object")
            return
        self.tape = [*self.tape, hit.point] if len(self.tape) == 1 else [hit.point]
        if len(self.tape) == 2:
            self.session.told.emit(f"Tape: {overlay.tape_words(self.tape)}")
        self.update()

    def stop(self) -> None:
        """End what runs beside the window."""
        self._turning.stop()
        self.under_pointer.stop()

    def _probe_hover(self) -> None:
        if self.probing:
            at = self._pointer

            def found(hit: ObjectHit | None, behind: ObjectHit | None) -> None:
                self.hovered.emit(self.under_pointer.point(hit, behind, at) if hit else None)

            if self.underMouse():
                self.under_pointer.find(at, found, behind=True)
            else:
                found(None, None)

    def leaveEvent(self, event: QEvent | None) -> None:
        if self.probing:
            self.hovered.emit(None)

    def set_gauge(self, height: float | None, **fields: Any) -> None:
        """Put the level gauge at a height in metres, or away; other fields of the scene may change with it."""
        if self.scene:
            scene = changed(self.scene, gauge=height, **fields)
            self.session.apply("Set level gauge", self.session.put_scene(self.session.project, scene), "gauge")

    def showEvent(self, event: object) -> None:
        self.request()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.request()

    def _selected_object(self) -> StageObject | None:
        return self.scene.object(self.selected) if self.scene and self.selected else None
