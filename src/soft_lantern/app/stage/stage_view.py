"""The stage: the live picture of a scene, with hands to look round it, pick, move objects and set the level gauge."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from soft_lantern.app.session import Session
from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.timers import single_shot
from soft_lantern.app.widgets.number_field import written
from soft_lantern.graph.document import Project, Scene, StageObject, Vector, View, changed
from soft_lantern.graph.instances import ancestry
from soft_lantern.render.frame import Frame, Picture
from soft_lantern.render.points import Points, point_under
from soft_lantern.render.staging import Looks, StageOptions, frame_of, object_inputs, placed_parts, scene_bounds
from soft_lantern.render.worker import Job, RenderWorker
from soft_lantern.scene.mesh import Matrix
from soft_lantern.scene.picking import Hit, nearest_hit
from soft_lantern.scene.transforms import Camera, camera_for

SETTLE = 160
"""Milliseconds of stillness after which the picture is drawn in full quality."""
REST = 60
"""Milliseconds between two looks at what lies under a moving pointer."""
SLOW = 0.05
"""Seconds a picture may take before the next one, while hands move, is drawn smaller."""
MOST_TO_HOVER = 300_000
"""Triangles above which only clicks probe: finding what lies under a pixel takes the window's own time."""
HANDLE = 76.0
"""Length of the move handle's arms in pixels."""
_AXES = {"x": np.array([1.0, 0, 0]), "y": np.array([0, 1.0, 0]), "z": np.array([0, 0, 1.0])}


class StageView(QWidget):
    """One view of the stage. Drag orbits, Shift or the middle button pans, the wheel comes nearer, a click picks."""

    picked = pyqtSignal(str, str)
    """Object id and part name under a click; both empty beside everything."""
    probed = pyqtSignal(object, object)
    """While probing: the hit under a click, and the point as a buffer of one."""
    hovered = pyqtSignal(object)
    """While probing: the point under the resting pointer as a buffer of one, or None."""
    drawn = pyqtSignal(object)
    _arrived = pyqtSignal(object, int)
    _failed = pyqtSignal(str)

    def __init__(self, session: Session, worker: RenderWorker, place: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker, self.place = session, worker, place
        self.options = StageOptions()
        self.gauge_shown = True
        self.selected = ""
        self.dress_as = ""
        self.probing = False
        self.pin: Matrix | None = None
        self.time = 0.0
        self._pointer = QPointF()
        self.image = QImage()
        self.trouble = ""
        self.frames_drawn = 0
        self.still = False
        self._asked = 0
        self._looks = Looks()
        self._bytes = b""
        self._seconds = 0.0
        self._hand: _Hand | None = None
        self._settled = single_shot(self, SETTLE, lambda: self.request(still=True))
        self._resting = single_shot(self, REST, self._probe_hover)
        self._arrived.connect(self._take)
        self._failed.connect(self._complain)
        self.setMinimumSize(220, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("stage")
        session.changed.connect(lambda old, new: self.request())
        session.models_changed.connect(self.request)
        session.view_changed.connect(self.request)

    # The picture

    @property
    def scene(self) -> Scene | None:
        """The scene shown."""
        return self.session.scene

    def set_options(self, **fields: Any) -> None:
        """Change what is drawn beside the objects and what of the surface is shown."""
        self.options = replace(self.options, **fields)
        self.request()

    def set_time(self, seconds: float) -> None:
        """Show another moment."""
        self.time = seconds
        self.request()

    def probe_with_clicks(self, on: bool) -> None:
        """Let clicks probe a pixel instead of selecting an object."""
        self.probing = on
        self.setMouseTracking(on)
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)

    def pin_probe(self, point: Matrix | None) -> None:
        """Mark the probed point, or take the mark away."""
        self.pin = point
        self.update()

    def show_gauge(self, shown: bool) -> None:
        """Show or hide the level gauge."""
        self.gauge_shown = shown
        self.request()

    def dress(self, look_id: str) -> None:
        """Let every object that wears something of the same material wear this look instead; "" as they are dressed.

        Where no object does, all wear it, so that what is being built can be seen.
        """
        self.dress_as = look_id
        self.request()

    def request(self, *, still: bool = False) -> None:
        """Ask for a picture of how things are now. Unless still, a finer one follows when nothing more happens."""
        scene = self.scene
        if scene is None or not self.isVisible() or self.width() < 8 or self.height() < 8:
            self.update()
            return
        ratio = self.devicePixelRatioF()
        if not still and self._seconds > SLOW:
            ratio *= 0.5
        size = (max(round(self.width() * ratio), 8), max(round(self.height() * ratio), 8))
        self._asked += 1
        asked, self.still = self._asked, False
        camera = camera_for(self.session.view, size)
        project, models = self._dressed(self.session.project, scene), dict(self.session.models)
        images = dict(self.session.images)
        shown = project.scenes[scene.id]
        options = replace(self.options, gauge=self.gauge_shown)
        samples, time = (4 if still else 0), self.time

        def make() -> Frame:
            return frame_of(project, shown, models, camera, size, options, self._looks, time, samples, images)

        self.worker.submit(
            self.place,
            Job(make, lambda picture: self._arrived.emit(picture, asked if still else 0), self._failed.emit),
        )
        if not still:
            self._settled.start()

    def _dressed(self, project: Project, scene: Scene) -> Project:
        if not self.dress_as:
            return project
        _, material = ancestry(project, self.dress_as)
        family = {w for o in scene.objects for w in o.wears.values() if ancestry(project, w)[1] is material}

        def worn(look_id: str) -> str:
            return self.dress_as if look_id in family or not family else look_id

        objects = tuple(
            changed(o, wears={part: worn(w) for part, w in (o.wears or {"": ""}).items()}) for o in scene.objects
        )
        return changed(project, scenes={**project.scenes, scene.id: changed(scene, objects=objects)})

    def _take(self, picture: Picture, still_of: int) -> None:
        height, width = picture.pixels.shape[:2]
        self._bytes = picture.pixels.tobytes()  # the image does not keep its own copy
        self.image = QImage(self._bytes, width, height, width * 4, QImage.Format.Format_RGBX8888)
        self.still = still_of == self._asked
        self._seconds = picture.seconds
        self.trouble = ""
        self.frames_drawn += 1
        self.update()
        self.drawn.emit(picture)

    def _complain(self, text: str) -> None:
        self.trouble = text
        self.update()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme().colour("ground"))
        if not self.image.isNull():
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.scene is None or not self.scene.objects:
            self._say(painter, "Nothing is on the stage. Add a primitive or import a mesh")
        elif self.session.loading:
            self._say(painter, f"Reading {len(self.session.loading)} mesh file(s)…")
        self._paint_gauge_label(painter)
        self._paint_handle(painter)
        self._paint_pin(painter)
        if self.trouble:
            self._say(painter, f"{self.trouble}. This is the last good picture")

    def _say(self, painter: QPainter, text: str) -> None:
        painter.setFont(app_font(10))
        area = self.rect().adjusted(10, 10, -10, -8)
        flags = int(Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap)
        box = painter.fontMetrics().boundingRect(area, flags, text).adjusted(-8, -4, 8, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme().colour("ground", 0.85))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(theme().colour("text"))
        painter.drawText(area, flags, text)

    def gauge_label(self) -> QRectF | None:
        """Where the gauge's readout is on the widget."""
        scene = self.scene
        if scene is None or scene.gauge is None or not self.gauge_shown:
            return None
        at = self._project(self._gauge_anchor(scene.gauge))
        y = min(max(at.y() - 11, 6), self.height() - 28)
        return QRectF(self.width() - 104, y, 96, 22)

    def _gauge_anchor(self, height: float) -> np.ndarray:
        assert self.scene
        low, high = scene_bounds(self.scene, self.session.models)
        middle = (low + high) / 2
        return np.array([middle[0], height, middle[2]])

    def _paint_gauge_label(self, painter: QPainter) -> None:
        box, scene = self.gauge_label(), self.scene
        if box is None or scene is None or scene.gauge is None:
            return
        now = theme()
        painter.setPen(QPen(now.colour("amber"), 1.2))
        painter.setBrush(now.colour("ground", 0.85))
        painter.drawRoundedRect(box, 5, 5)
        middle = box.center().y()
        painter.drawLine(QPointF(box.left() - 16, middle), QPointF(box.left(), middle))
        painter.setPen(now.colour("text"))
        painter.setFont(app_font(9.5))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"level {written(scene.gauge)} m")

    def _paint_pin(self, painter: QPainter) -> None:
        if self.pin is not None:
            at = self._project(self.pin)
            for colour, width in (("ground", 4.0), ("amber", 1.8)):
                painter.setPen(QPen(theme().colour(colour), width))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, 7, 7)
                painter.drawLine(at + QPointF(0, -12), at + QPointF(0, -7))

    def handle_arms(self) -> dict[str, tuple[QPointF, QPointF]]:
        """The move handle's arms on the widget: axis to start and end."""
        thing = self._selected_object()
        if thing is None:
            return {}
        origin = np.array(thing.position, float)
        start = self._project(origin)
        length = HANDLE / max(self._pixels_per_metre(origin), 1e-6)
        return {axis: (start, self._project(origin + unit * length)) for axis, unit in _AXES.items()}

    def _paint_handle(self, painter: QPainter) -> None:
        now = theme()
        held = self._hand.axis if isinstance(self._hand, _MoveObject) else ""
        for axis, (start, end) in self.handle_arms().items():
            live = axis == held
            painter.setPen(QPen(now.colour("ground"), 5, cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(start, end)
            colour = now.colour("amber" if live else "text")
            painter.setPen(QPen(colour, 2.4, cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(start, end)
            painter.setBrush(now.colour("ground", 0.9))
            painter.drawEllipse(end, 8, 8)
            painter.setFont(app_font(9, bold=True))
            painter.drawText(QRectF(end.x() - 8, end.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, axis)

    # Hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        at = event.position()
        label = self.gauge_label()
        axis = self._axis_at(at)
        if event.button() == Qt.MouseButton.LeftButton and label and label.contains(at):
            assert self.scene and self.scene.gauge is not None
            self._hand = _MoveGauge(at, self.scene.gauge)
        elif event.button() == Qt.MouseButton.LeftButton and axis:
            thing = self._selected_object()
            assert thing
            self._hand = _MoveObject(at, axis, thing.position)
        elif event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            pan = event.button() == Qt.MouseButton.MiddleButton or bool(
                event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            )
            self._hand = _Look(at, self.session.view, pan)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        hand, at = self._hand, event.position()
        if hand is None and self.probing:
            self._pointer = at
            if not self._resting.isActive():
                self._resting.start()
        if isinstance(hand, _Look):
            moved = at - hand.start
            if hand.moved or moved.manhattanLength() > 3:
                hand.moved = True
                self.session.set_view(self._panned(hand.view, moved) if hand.pan else _orbited(hand.view, moved))
        elif isinstance(hand, _MoveObject):
            self._drag_object(hand, at)
        elif isinstance(hand, _MoveGauge):
            anchor = self._gauge_anchor(hand.height)
            pixels = self._project(anchor) - self._project(anchor + np.array([0, 0.1, 0]))
            if abs(pixels.y()) > 1e-3:
                self.set_gauge(round(hand.height + (hand.start.y() - at.y()) * 0.1 / pixels.y(), 2))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        hand, self._hand = self._hand, None
        if isinstance(hand, _Look) and not hand.moved and event.button() == Qt.MouseButton.LeftButton:
            self.pick(event.position())
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        view = self.session.view
        distance = min(max(view.distance * 0.999 ** event.angleDelta().y(), 0.02), 5000)
        self.session.set_view(changed(view, distance=distance))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        turn = {
            Qt.Key.Key_Left: QPointF(24, 0),
            Qt.Key.Key_Right: QPointF(-24, 0),
            Qt.Key.Key_Up: QPointF(0, 24),
            Qt.Key.Key_Down: QPointF(0, -24),
        }.get(Qt.Key(event.key()))
        if turn is not None:
            pan = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            view = self.session.view
            self.session.set_view(self._panned(view, turn) if pan else _orbited(view, turn))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal):
            view = self.session.view
            nearer = 1.12 if event.key() == Qt.Key.Key_Minus else 1 / 1.12
            self.session.set_view(changed(view, distance=view.distance * nearer))
        elif event.key() == Qt.Key.Key_Home:
            self.session.frame_all()
        else:
            super().keyPressEvent(event)

    def pick(self, at: QPointF) -> None:
        """Select what lies under a point of the widget."""
        scene = self.scene
        if scene is None:
            return
        hit = self.hit_at(at)
        if self.probing:
            if hit:
                self.probed.emit(hit, self._point(hit, at))
            return
        object_id, part = hit.key if hit else ("", "")
        self.picked.emit(object_id, part)

    def _point(self, hit: Hit[tuple[str, str]], at: QPointF) -> Points:
        """The surface point under a pixel, with the distance to what lies behind it."""
        camera = self._now_camera()
        away = float(np.linalg.norm(hit.point - camera.position))
        behind = self.hit_at(at, beyond=away + 1e-4)
        thing = self.scene.object(hit.key[0]) if self.scene else None
        assert thing is not None
        of_object = object_inputs(thing, self.session.models[thing.asset], hit.mesh)
        pixel = (at.x(), self.height() - at.y())
        gap = float(np.linalg.norm(behind.point - hit.point)) if behind else None
        return point_under(hit, camera, of_object, pixel, self._size(), gap)

    def _probe_hover(self) -> None:
        triangles = sum(len(p.mesh.triangles) for m in self.session.models.values() for p in m.parts)
        if self.probing and triangles <= MOST_TO_HOVER:
            hit = self.hit_at(self._pointer) if self.underMouse() else None
            self.hovered.emit(self._point(hit, self._pointer) if hit else None)

    def leaveEvent(self, event: QEvent | None) -> None:
        if self.probing:
            self.hovered.emit(None)

    def hit_at(self, at: QPointF, beyond: float = 0.0) -> Hit[tuple[str, str]] | None:
        """What the ray through a point of the widget meets first; its key is the object's id and the part's name."""
        start, direction = self._now_camera().ray((at.x(), at.y()), self._size())
        placed = [
            ((thing.id, name), mesh, matrix)
            for thing in (self.scene.objects if self.scene else ())
            if thing.asset in self.session.models
            for name, mesh, matrix in placed_parts(thing, self.session.models[thing.asset])
        ]
        return nearest_hit(start, direction, placed, beyond)

    def set_gauge(self, height: float | None) -> None:
        """Put the level gauge at a height in metres, or away."""
        if self.scene:
            scene = changed(self.scene, gauge=height)
            self.session.apply("Set level gauge", self.session.put_scene(self.session.project, scene), "gauge")

    def showEvent(self, event: object) -> None:
        self.request()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.request()

    # Within

    def _size(self) -> tuple[int, int]:
        return max(self.width(), 1), max(self.height(), 1)

    def _now_camera(self) -> Camera:
        return camera_for(self.session.view, self._size())

    def _project(self, point: np.ndarray) -> QPointF:
        x, y, _ = self._now_camera().project(point, self._size())[0]
        return QPointF(float(np.clip(x, -1e5, 1e5)), float(np.clip(y, -1e5, 1e5)))

    def _pixels_per_metre(self, point: np.ndarray) -> float:
        camera = self._now_camera()
        depth = abs(float(camera.project(point, self._size())[0][2]))
        return float(camera.projection[1, 1]) * self.height() / 2 / max(depth, 1e-6)

    def _selected_object(self) -> StageObject | None:
        return self.scene.object(self.selected) if self.scene and self.selected else None

    def _axis_at(self, at: QPointF) -> str:
        for axis, (start, end) in self.handle_arms().items():
            if _distance_to_segment(at, start, end) < 7 or math.dist((at.x(), at.y()), (end.x(), end.y())) < 10:
                return axis
        return ""

    def _drag_object(self, hand: _MoveObject, at: QPointF) -> None:
        origin = np.array(hand.position, float)
        start, end = self._project(origin), self._project(origin + _AXES[hand.axis])
        arm = end - start
        length = arm.x() ** 2 + arm.y() ** 2
        if length < 1:
            return
        moved = at - hand.start
        metres = (moved.x() * arm.x() + moved.y() * arm.y()) / length
        place = origin + _AXES[hand.axis] * metres
        position: Vector = (round(float(place[0]), 3), round(float(place[1]), 3), round(float(place[2]), 3))
        self.session.change_object("Move object", self.selected, f"move {self.selected}", position=position)

    def _panned(self, view: View, moved: QPointF) -> View:
        camera = camera_for(view, self._size())
        metres = view.distance * 2 / float(camera.projection[1, 1]) / max(self.height(), 1)
        right, up = camera.view[0, :3], camera.view[1, :3]
        target = np.array(view.target) - right * moved.x() * metres + up * moved.y() * metres
        return changed(view, target=(float(target[0]), float(target[1]), float(target[2])))


def _orbited(view: View, moved: QPointF) -> View:
    pitch = min(max(view.pitch + moved.y() * 0.4, -89.0), 89.0)
    return changed(view, yaw=(view.yaw - moved.x() * 0.4) % 360, pitch=pitch)


def _distance_to_segment(at: QPointF, start: QPointF, end: QPointF) -> float:
    along = end - start
    length = along.x() ** 2 + along.y() ** 2
    if length < 1e-6:
        return math.dist((at.x(), at.y()), (start.x(), start.y()))
    away = at - start
    t = min(max((away.x() * along.x() + away.y() * along.y()) / length, 0.0), 1.0)
    nearest = start + along * t
    return math.dist((at.x(), at.y()), (nearest.x(), nearest.y()))


class _Hand:
    """What the pointer is doing while a button is down."""


class _Look(_Hand):
    def __init__(self, start: QPointF, view: View, pan: bool) -> None:
        self.start, self.view, self.pan, self.moved = start, view, pan, False


class _MoveObject(_Hand):
    def __init__(self, start: QPointF, axis: str, position: Vector) -> None:
        self.start, self.axis, self.position = start, axis, position


class _MoveGauge(_Hand):
    def __init__(self, start: QPointF, height: float) -> None:
        self.start, self.height = start, height
