"""What is pressed anywhere in the program: which edits belong to one gesture of a hand, and who hears keys first."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import ParamSpec

from PyQt6.QtCore import QCoreApplication, QEvent, QObject
from PyQt6.QtGui import QKeyEvent, QMouseEvent

from soft_lantern.app.work.only_one import only_one

P = ParamSpec("P")


class Gestures(QObject):
    """Counts: every press of a mouse button or key begins a gesture; a key that is held goes on with its own.

    There is one for the whole program, since looking at every event costs the same again for everyone who looks.
    `first`: who is asked whether they take a key before the object it is for gets it.
    """

    def __init__(self, application: QObject) -> None:
        super().__init__(application)
        self.count = 0
        self.first: set[Callable[[QObject | None, QKeyEvent], bool]] = set()
        application.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QMouseEvent):
            self.count += event.type() == QEvent.Type.MouseButtonPress
        elif isinstance(event, QKeyEvent):
            self.count += event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat()
            return any(takes(watched, event) for takes in tuple(self.first))
        return False


def with_no_hand(make: Callable[P, None]) -> Callable[P, None]:
    """Makes something large while no event is looked at: thousands are sent meanwhile, and none can be a hand's."""

    @functools.wraps(make)
    def made(*given: P.args, **named: P.kwargs) -> None:
        application, gestures = QCoreApplication.instance(), only_one(Gestures)
        assert application
        application.removeEventFilter(gestures)
        try:
            make(*given, **named)
        finally:
            application.installEventFilter(gestures)

    return made
