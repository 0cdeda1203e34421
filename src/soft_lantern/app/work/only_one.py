"""Things of which an application has one, however many windows it shows."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import QCoreApplication, QObject, Qt

T = TypeVar("T", bound=QObject)


def only_one(kind: type[T]) -> T:
    """The one of that kind, made when it is first wanted; it ends with the application."""
    application = QCoreApplication.instance()
    assert application
    found = application.findChild(kind, options=Qt.FindChildOption.FindDirectChildrenOnly)
    return found or kind(application)
