"""Where a person was in a project: the window, the desk, what was open and selected, kept for the next start."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Callable, Mapping
from pathlib import Path

import msgspec
import platformdirs
from PyQt6.QtCore import QByteArray, QObject, QTimer
from PyQt6.QtWidgets import QAbstractScrollArea, QMainWindow, QSplitter

from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.places import Places
from soft_lantern.app.session.session import Session
from soft_lantern.app.work.timers import single_shot
from soft_lantern.errors import LanternError
from soft_lantern.formats.places import write_whole
from soft_lantern.graph.document import View

FAR = 1e6
"""Metres, or degrees, within which a view makes sense."""
EVERY, SETTLED = 5000, 120
"""Milliseconds between looks at whether something has moved, and after which a window that opens has its layout."""


class ComingBack(QObject):
    """Keeps where a window is, every few seconds and at its end, and brings it back there.

    `desks`: those that were made so far, by name; `current`: the name of the one that is shown.
    """

    def __init__(
        self, window: QMainWindow, session: Session, desks: Mapping[str, Desk], current: Callable[[], str], kind: str
    ) -> None:
        """`kind`: what sets windows apart that are not to come back alike, such as those of designers."""
        super().__init__(window)
        self.window, self.session, self.desks, self.current = window, session, desks, current
        self._file = file_of(session.folder, kind)
        self.kept = _read(self._file)
        self._again: set[str] = set()
        self._shown, self._settling = "", set[str]()
        self._edges: dict[str, tuple[str, ...]] = dict(self.kept.edges)
        self._scrolled: dict[str, tuple[int, ...]] = dict(self.kept.scrolled)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.keep)

    def open(self) -> None:
        """Open what was open, before any desk is made."""
        session, kept = self.session, self.kept
        self.window.restoreGeometry(_bytes(kept.window))
        session.open_scene(kept.scene)
        session.open_material(kept.material)
        if kept.view and session.scene_id == kept.scene and _is_sound(kept.view):
            session.set_view(kept.view)
        self._timer.start()

    def arrive(self, name: str) -> None:
        """A desk is shown: the first time, as it was left."""
        self._look()
        self._shown = name
        if name not in self._again and self.kept.desk:
            self._again.add(name)
            self.desks[name].come_back(self.kept)
            self._settling.add(name)
            single_shot(self, SETTLED, lambda: self._lay_out(name)).start()

    def end(self) -> None:
        """The window goes."""
        self._timer.stop()
        self.keep()

    def keep(self) -> None:
        """Keep where the window is, if that is elsewhere than before."""
        self._look()
        now = self._now()
        if now != self.kept:
            self.kept = now
            with contextlib.suppress(LanternError, OSError):  # a full or closed disk: nothing hangs on it
                write_whole(self._file, msgspec.json.encode(now))

    def _look(self) -> None:
        """Note how the desk that is shown is laid out: no other can have been moved since it was left."""
        desk = self.desks.get(self._shown)
        if desk and self._shown not in self._settling:
            self._edges[self._shown], self._scrolled[self._shown] = _edges(desk), _scrolled(desk)

    def _now(self) -> Places:
        session, kept = self.session, self.kept
        fields: dict[str, object] = {}
        for desk in self.desks.values():
            fields |= desk.where()
        unseen = {name: getattr(kept, name) for name in ("nodes", "canvas", "look", "ramp", "thing")}
        return Places(
            desk=self.current(),
            material=session.material_id,
            scene=session.scene_id,
            view=session.view,
            window=_text(self.window.saveGeometry()),
            edges=dict(self._edges),
            scrolled=dict(self._scrolled),
            **(unseen | fields),
        )

    def _lay_out(self, name: str) -> None:
        desk, kept = self.desks[name], self.kept
        self._settling.discard(name)
        splits = desk.findChildren(QSplitter)
        for split, edge in zip(splits, kept.edges.get(name, ()), strict=False):
            split.restoreState(_bytes(edge))
        for area, value in zip(_areas(desk), kept.scrolled.get(name, ()), strict=False):
            bar = area.verticalScrollBar()
            if bar:
                bar.setValue(value)
        desk.look_again(kept)


def _is_sound(view: View) -> bool:
    """Whether a camera can look so: files may hold any number."""
    return all(abs(part) < FAR for part in (*view.target, view.yaw, view.pitch)) and 1 / FAR < view.distance < FAR


def _areas(desk: Desk) -> list[QAbstractScrollArea]:
    return desk.findChildren(QAbstractScrollArea)


def _edges(desk: Desk) -> tuple[str, ...]:
    return tuple(_text(split.saveState()) for split in desk.findChildren(QSplitter))


def _scrolled(desk: Desk) -> tuple[int, ...]:
    bars = [area.verticalScrollBar() for area in _areas(desk)]
    return tuple(bar.value() if bar else 0 for bar in bars)


def _text(raw: QByteArray) -> str:
    return raw.toBase64().data().decode()


def _bytes(text: str) -> QByteArray:
    return QByteArray.fromBase64(text.encode())


def _read(file: Path) -> Places:
    """What was kept; nothing where the file is not there, or holds something else."""
    try:
        return msgspec.json.decode(file.read_bytes(), type=Places)
    except (OSError, msgspec.MsgspecError):
        return Places()


def file_of(folder: Path, kind: str = "") -> Path:
    """The file in which the places of a project's windows of one kind are kept."""
    name = hashlib.sha256(f"{folder.resolve()}{kind}".encode()).hexdigest()[:32]
    return platformdirs.user_state_path("soft-lantern") / "places" / f"{name}.json"
